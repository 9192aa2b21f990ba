// @ts-check
/**
 * The panel of a unit that bends waves: what it does to a soft sound, what it did to the part
 * (overtones stand out of the curve), and what became of its peaks; over its controls.
 */
import { askLater, leave } from '../../engine/later.js';
import { html, level, path, svg } from '../../draw/svg.js';
import { heardBands, thirdOctaves } from '../../draw/third-octaves.js';
import { unitName } from '../../session/unit-name.js';
import { AmpReport } from './amp-report.js';
import { beginLine } from './begin-line.js';
import { Overtones } from './overtones.js';
import { ParamPanel } from './param-panel.js';

/** Half of what is drawn, in dB: the least of these that holds the curve. */
const RANGES_DB = [6, 12, 24];
const POINTS = 120;
const FREQS = Array.from({ length: POINTS }, (_, i) => 20 * 1000 ** (i / (POINTS - 1)));
const EDGE = { left: 40, right: 12, top: 12, bottom: 20 };
/** The mean of levels in dB. @param {number[]} levels */
const mean = (levels) => levels.reduce((sum, db) => sum + db, 0) / Math.max(1, levels.length);

/**
 * What became of the part by third octaves, in dB; null where next to nothing plays.
 * @param {import('../../types.js').PointFigures | undefined} before
 * @param {import('../../types.js').PointFigures | undefined} after
 * @returns {(number | null)[]}
 */
function changes(before, after) {
  if (!before || !after) return [];
  const heard = heardBands(before.third_octave, after.third_octave);
  return before.third_octave.map((/** @type {number} */ db, /** @type {number} */ i) => (heard[i] ? after.third_octave[i] - db : null));
}

/** Peaks taken, as room gained. @param {number} taken */
const gained = (taken) =>
  taken > 0.05
    ? `${level(taken)} dB of headroom gained`
    : taken < -0.05
      ? `${level(-taken)} dB of headroom lost`
      : 'no headroom gained or lost';

/** A waveform's small picture. */
const STAGE = { wide: 200, tall: 40 };

/** @param {[number, number][]} overview pairs of lowest and highest samples */
function outline(overview) {
  const full = Math.max(1, ...overview.map(([low, high]) => Math.max(-low, high)));
  const step = Math.max(1, Math.ceil(overview.length / STAGE.wide));
  const columns = Math.ceil(overview.length / step);
  let d = '';
  for (let c = 0; c < columns; c += 1) {
    const part = overview.slice(c * step, (c + 1) * step);
    const [low, high] = [Math.min(...part.map((p) => p[0])), Math.max(...part.map((p) => p[1]))];
    const x = ((c + 0.5) / columns) * STAGE.wide;
    const y = (/** @type {number} */ v) => STAGE.tall / 2 - (v / full) * (STAGE.tall / 2 - 1);
    d += `M${x.toFixed(1)} ${(y(high) - 0.3).toFixed(1)}V${(y(low) + 0.3).toFixed(1)}`;
  }
  return d;
}

export class TonePanel extends ParamPanel {
  /** @param {ConstructorParameters<typeof ParamPanel>} args */
  constructor(...args) {
    super(...args);
    this.field = svg('svg', {
      role: 'img',
      'aria-label': 'What the unit does to a soft sound, and what it did to this part by third octaves',
    });
    this.words = html('p', { className: 'quiet', data: { figures: '' } });
    this.picture.classList.add('decay-box', 'tone-box');
    this.overtones = new Overtones(() => this.unit, this.session.rate);
    this.stages = html('div', { className: 'stages' });
    const report = this.unit.kind === 'amp' ? [new AmpReport(this).element] : [];
    this.picture.append(
      html('div', { className: 'tone-row' }, this.field, this.overtones.element),
      this.stages,
      this.words,
      html('div', { className: 'tone-asks' }, ...beginLine(this), ...report),
    );
    this.observer = new ResizeObserver(() => this.show());
    this.observer.observe(this.field);
  }

  /** @param {import('../../types.js').Treatment | null} treatment @param {number} station */
  evidence(treatment, station) {
    super.evidence(treatment, station);
    this.overtones.of(treatment?.points[station] ?? null);
    this.drawStages();
    this.show();
  }

  show() {
    if (!this.field) return;
    const [before, after] = [this.treatment?.points[this.station], this.treatment?.points[this.station + 1]];
    this.words.textContent =
      before && after
        ? `Crest ${level(before.crest_db)} dB before, ${level(after.crest_db)} dB ` +
          `after: ${gained(before.crest_db - after.crest_db)}. Line: response to a soft sound. Bars: change of this part.`
        : 'Line: response to a soft sound; louder sound is distorted.';
    this.draw(before, after);
    this.overtones.show();
  }

  /** The waveform as recorded and after each unit, side by side: what looks spiky is not what is heard. */
  drawStages() {
    const points = this.treatment?.points ?? [];
    if (points.length < 2) return;
    const names = ['as recorded', ...this.stationNames().map((/** @type {string} */ name) => `after ${name}`)];
    this.stages.replaceChildren(
      ...points.map((point, i) => {
        const here = i === this.station + 1;
        const picture = svg(
          'svg',
          { viewBox: `0 0 ${STAGE.wide} ${STAGE.tall}`, preserveAspectRatio: 'none', 'aria-hidden': 'true' },
          svg('path', { d: outline(point.overview), class: 'stage-wave' }),
        );
        return html(
          'figure',
          { className: here ? 'stage here' : 'stage' },
          picture,
          html('figcaption', {}, `${names[i] ?? ''}`, html('span', { className: 'figure' }, ` ${level(point.crest_db)} dB`)),
        );
      }),
    );
  }

  /** Names of the units of this rack. */
  stationNames() {
    const strip = this.session.strips.find((s) => s.rack.units.some((u) => u.id === this.unit.id));
    return strip?.rack.units.map(unitName) ?? [];
  }

  /**
   * @param {import('../../types.js').PointFigures | undefined} before
   * @param {import('../../types.js').PointFigures | undefined} after
   */
  draw(before, after) {
    if (this.field.clientWidth === 0) return;
    const rack = { zinc_rack: 1, units: [{ ...this.unit, on: true }] };
    const question = { ask: 'response', rack, rate: this.session.rate, freqs: FREQS };
    askLater(this.field, question, (gains) => this.drawGains(gains, before, after));
  }

  /**
   * @param {number[]} gains at each frequency, in dB
   * @param {import('../../types.js').PointFigures | undefined} before
   * @param {import('../../types.js').PointFigures | undefined} after
   */
  drawGains(gains, before, after) {
    const { clientWidth: wide, clientHeight: tall } = this.field;
    if (wide === 0) return;
    this.field.setAttribute('viewBox', `0 0 ${wide} ${tall}`);
    // Its gain is its drive: the shape is what is looked at.
    const about = mean(gains.slice(POINTS / 4, (3 * POINTS) / 4));
    const changed = changes(before, after);
    const most = Math.max(
      ...gains.slice(POINTS / 6, (5 * POINTS) / 6).map((/** @type {number} */ db) => Math.abs(db - about)),
      ...changed.map((by) => Math.abs(by ?? 0)),
    );
    const RANGE_DB = RANGES_DB.find((range) => range >= most) ?? RANGES_DB[RANGES_DB.length - 1];
    const [floor, middle] = [tall - EDGE.bottom, (EDGE.top + tall - EDGE.bottom) / 2];
    const y = (/** @type {number} */ db) => middle - (Math.max(-RANGE_DB, Math.min(RANGE_DB, db)) / RANGE_DB) * (middle - EDGE.top);
    const { x, bands, names } = thirdOctaves(EDGE.left, wide - EDGE.right);
    const parts = [];
    for (let db = -RANGE_DB; db <= RANGE_DB; db += RANGE_DB / 2) {
      parts.push(svg('line', { x1: EDGE.left, x2: wide - EDGE.right, y1: y(db), y2: y(db), class: db ? 'grid-line' : 'grid-line strong' }));
      parts.push(svg('text', { x: EDGE.left - 6, y: y(db) + 4, 'text-anchor': 'end' }, db > 0 ? `+${db}` : String(db).replace('-', '−')));
    }
    bands.forEach(([from, to], i) => {
      const by = changed[i] ?? null;
      if (by !== null)
        parts.push(
          svg('rect', {
            x: from + 1,
            y: Math.min(y(by), middle),
            width: to - from - 2,
            height: Math.abs(y(by) - middle),
            class: 'decay-level',
          }),
        );
    });
    parts.push(
      svg('path', {
        d: path(gains.map((/** @type {number} */ db, /** @type {number} */ i) => [x(FREQS[i]), Math.min(floor, y(db - about))])),
        class: 'curve',
      }),
    );
    this.field.replaceChildren(...parts, ...names(tall - 5));
  }

  end() {
    super.end();
    leave(this.field);
    this.overtones.end();
    this.observer.disconnect();
  }
}
