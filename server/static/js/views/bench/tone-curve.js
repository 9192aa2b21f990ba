// @ts-check
/**
 * A difference in tone as an EQ: what a unit does to the spectrum, or what leads from this
 * part to another, smoothed to taste, shown, and applied as a drawn EQ or as a few bands.
 */
import { ask } from '../../engine/ask.js';
import { html, path, signed, svg } from '../../draw/svg.js';
import { longWork } from '../../session/work.js';
import { doc } from '../session-frame.js';

/** Widths of the smoothing in octaves. */
const SMOOTHINGS = /** @type {[number, string][]} */ ([
  [0.08, 'fine'],
  [0.17, '⅙ octave'],
  [0.33, '⅓ octave'],
  [1, 'an octave'],
]);
const BANDS = [2, 3, 4, 6, 8];
const [WIDTH, HEIGHT, LEFT] = [270, 96, 30];

/** @typedef {Partial<import('../../types.js').Unit> & { kind: string }} NewUnit one that gets its identity in the session */

export class ToneCurve {
  /** @param {(unit: NewUnit) => void} onUnit puts a unit into the rack behind the one in hand */
  constructor(onUnit) {
    this.onUnit = onUnit;
    this.smooth = 0.17;
    this.bands = 4;
    /** The strip whose tone is aimed at; 0 for what the unit in hand does. */
    this.toward = 0;
    /** @type {import('../../types.js').Treatment | null} */
    this.treatment = null;
    this.station = 0;
    /** Twelfths of an octave of the other strip, by its number. @type {Map<number, number[]>} */
    this.others = new Map();
    this.element = html('section', { className: 'tone-curve' });
  }

  /** @param {import('../../types.js').Treatment | null} treatment @param {number} station */
  show(treatment, station) {
    this.treatment = treatment;
    this.station = station;
    this.others.clear();
    void this.draw();
  }

  /** The two spectra, once they are known. @returns {Promise<[number[], number[]] | null>} */
  async spectra() {
    const points = this.treatment?.points;
    if (!points?.length) return null;
    if (!this.toward) return points.length > this.station + 1 ? [points[this.station].twelfths, points[this.station + 1].twelfths] : null;
    let other = this.others.get(this.toward);
    if (!other) {
      const result = await longWork(`/api/sessions/${doc.id}/strips/${this.toward}/evidence`, {}, () => {});
      other = result?.treatment.points.at(-1).twelfths;
      if (other) this.others.set(this.toward, other);
    }
    const own = points.at(-1)?.twelfths;
    return own && other ? [own, other] : null;
  }

  async draw() {
    const pair = await this.spectra();
    const lines = [html('h2', {}, 'A difference as an EQ'), this.choices()];
    if (pair) {
      const { curve, drawn } = ask({ ask: 'difference', from: pair[0], to: pair[1], smooth: this.smooth });
      const { fit: fitted, unit: bands } = ask({ ask: 'fit', hz: curve.hz, curve: curve.smooth, bands: this.bands });
      lines.push(
        picture(curve),
        html(
          'p',
          { className: 'quiet' },
          `Besides ${signed(curve.level_db)} dB in level. ${fitted.bands.length} bands come within ` +
            `${fitted.worst_db.toFixed(1)} dB (rms ${fitted.rms_db.toFixed(1)}).`,
        ),
        this.actions(drawn, bands),
      );
    } else lines.push(html('p', { className: 'quiet' }, 'Not measured yet.'));
    this.element.replaceChildren(...lines);
  }

  choices() {
    const others = doc.session.strips.filter((s) => s.role !== 'main' && s.id !== doc.strip);
    const of = html(
      'select',
      { className: 'key-choice', 'aria-label': 'The difference shown' },
      new Option('what this unit does', '0'),
      ...others.map((s) => new Option(`toward ${s.name}`, String(s.id), false, s.id === this.toward)),
    );
    of.addEventListener('change', () => {
      this.toward = Number(of.value);
      void this.draw();
    });
    const smooth = html(
      'select',
      { className: 'key-choice', 'aria-label': 'Smoothing' },
      ...SMOOTHINGS.map(([octaves, words]) => new Option(words, String(octaves), false, octaves === this.smooth)),
    );
    smooth.addEventListener('change', () => {
      this.smooth = Number(smooth.value);
      void this.draw();
    });
    return html('p', { className: 'tone-choices' }, of, smooth);
  }

  /** @param {NewUnit} drawn a drawn EQ @param {NewUnit} bands the same as a few bands */
  actions(drawn, bands) {
    const other = doc.session.strips.find((s) => s.id === this.toward)?.name;
    const why = other ? `toward the tone of ${other}` : 'the tone of a unit, as an EQ';
    const button = (/** @type {string} */ words, /** @type {NewUnit} */ unit) => {
      const b = html('button', { type: 'button', className: 'plain-button' }, words);
      b.addEventListener('click', () => this.onUnit({ ...unit, why }));
      return b;
    };
    const count = html(
      'select',
      { className: 'key-choice', 'aria-label': 'Number of bands' },
      ...BANDS.map((n) => new Option(`${n} bands`, String(n), false, n === this.bands)),
    );
    count.addEventListener('change', () => {
      this.bands = Number(count.value);
      void this.draw();
    });
    return html('p', { className: 'tone-choices' }, button('as a drawn EQ', drawn), button('as bands', bands), count);
  }
}

/** @param {import('../../types.js').Difference} curve */
function picture(curve) {
  const most = Math.max(3, ...curve.smooth.map(Math.abs));
  const x = (/** @type {number} */ i) => LEFT + (i / (curve.hz.length - 1)) * (WIDTH - LEFT - 4);
  const y = (/** @type {number} */ db) => 42 - (Math.max(-most, Math.min(most, db)) / most) * 38;
  const drawing = svg(
    'svg',
    { viewBox: `0 0 ${WIDTH} ${HEIGHT}`, class: 'change-bars', role: 'img', 'aria-label': 'The difference as a curve' },
    svg('line', { x1: LEFT, x2: WIDTH - 4, y1: 42, y2: 42, stroke: 'var(--rule)' }),
  );
  curve.measured.forEach((/** @type {number | null} */ db, /** @type {number} */ i) => {
    if (db !== null) drawing.append(svg('circle', { cx: x(i), cy: y(db - curve.level_db), r: 1, fill: 'var(--before)' }));
  });
  drawing.append(
    svg('path', {
      d: path(curve.smooth.map((/** @type {number} */ db, /** @type {number} */ i) => [x(i), y(db)])),
      fill: 'none',
      stroke: 'var(--ink)',
      'stroke-width': 1.8,
    }),
  );
  for (const [hz, text] of /** @type {[number, string][]} */ ([
    [50, '50'],
    [200, '200'],
    [1000, '1k'],
    [5000, '5k'],
    [20000, '20k'],
  ])) {
    drawing.append(
      svg('text', { x: x(curve.hz.findIndex((/** @type {number} */ f) => f > hz * 0.98)), y: HEIGHT - 3, 'text-anchor': 'middle' }, text),
    );
  }
  drawing.append(
    svg('text', { x: 26, y: 12, 'text-anchor': 'end' }, `+${most.toFixed(0)}`),
    svg('text', { x: 26, y: 80, 'text-anchor': 'end' }, `−${most.toFixed(0)}`),
  );
  return drawing;
}
