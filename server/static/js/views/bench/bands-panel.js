// @ts-check
/**
 * The panel of a multiband: its regions over frequency with what is taken from each as it plays,
 * their edges to drag or move by arrow keys, and the bands as a table.
 */
import { FREQUENCIES, decibels, drawPlot, scales } from '../../draw/plot.js';
import { html, svg } from '../../draw/svg.js';
import { ask, format, numberOf, parameter } from '../../engine/ask.js';
import { newGesture } from '../../session/document.js';
import { doc } from '../session-frame.js';
import { ParamPanel } from './param-panel.js';
import { StandOuts } from './stand-outs.js';

const LEVELS = { from: -24, to: 12, marks: decibels(-24, 12, 6) };
const POINTS = 160;
const FREQS = Array.from({ length: POINTS }, (_, i) => 20 * 1000 ** (i / (POINTS - 1)));
const TABLE = 'multiband/bands';
/** Pixels a hand moves before it draws a region and is no click. */
const DRAWS_PX = 5;

/** @typedef {{ row: number, band: import('../../types.js').Params, from: number, to: number }} Region */

export class BandsPanel extends ParamPanel {
  /** @param {ConstructorParameters<typeof ParamPanel>} args */
  constructor(...args) {
    super(...args);
    this.field = svg('svg', { class: 'bands-field', role: 'group' });
    this.words = html('p', { className: 'quiet bands-words', data: { figures: '' } });
    this.picture.classList.add('bands-box');
    this.standOuts = new StandOuts(this.session.rate, {
      bands: (bands) => this.takeBands(bands),
      unit: (unit) => this.putInPlace(unit),
      region: () => this.show(),
    });
    this.field.addEventListener('pointerdown', (event) => this.drawRegionBy(event));
    this.picture.append(this.field, this.words, this.standOuts.element);
    // What is taken from each region now, by row.
    this.taken = /** @type {SVGElement[]} */ ([]);
    this.gesture = '';
    this.observer = new ResizeObserver(() => this.show());
    this.observer.observe(this.field);
    this.show();
  }

  /** The regions, lowest first. @returns {Region[]} */
  regions() {
    const rows = /** @type {import('../../types.js').Params[]} */ (this.unit.params.bands ?? []);
    const sorted = rows.map((band, row) => ({ band, row })).sort((a, b) => a.band.from_hz - b.band.from_hz);
    return sorted.map(({ band, row }, i) => ({ band, row, from: band.from_hz, to: sorted[i + 1]?.band.from_hz ?? 20000 }));
  }

  show() {
    if (!this.field?.clientWidth) return;
    const gains = /** @type {number[]} */ (
      ask({
        ask: 'response',
        rack: { zinc_rack: 1, units: [{ ...this.unit, on: true, mix: 1, trim_db: 0 }] },
        rate: this.session.rate,
        freqs: FREQS,
      })
    );
    const held = /** @type {SVGElement | null} */ (this.field.contains(document.activeElement) ? document.activeElement : null)?.dataset
      .row;
    drawPlot(this.field, {
      x: FREQUENCIES,
      y: LEVELS,
      words: 'The bands over frequency',
      lines: [{ kind: 'curve', label: 'at rest', points: gains.map((db, i) => [FREQS[i], db]) }],
    });
    this.taken = [];
    for (const region of this.regions()) this.field.append(...this.drawRegion(region));
    this.field.append(...this.drawLookedAt());
    if (held !== undefined) /** @type {SVGElement | null} */ (this.field.querySelector(`[data-row="${held}"]`))?.focus();
    this.words.textContent = this.said();
  }

  /** @param {Region} region @returns {SVGElement[]} */
  drawRegion({ row, band, from, to }) {
    const { across, up, top, foot } = scales(this.field, FREQUENCIES, LEVELS);
    const [left, right] = [across(from), across(to)];
    const rest = up(band.on ? band.makeup_db : 0);
    const ground = svg('rect', {
      x: left,
      y: top,
      width: Math.max(1, right - left),
      height: foot - top,
      class: `band-ground${row === this.selected ? ' in-hand' : ''}${band.heard ? '' : ' silent'}`,
    });
    ground.addEventListener('pointerdown', () => this.select(row));
    this.taken[row] = svg('rect', {
      x: left + 1,
      y: rest,
      width: Math.max(1, right - left - 2),
      height: 0,
      class: 'band-taken',
      'data-rest': rest,
    });
    const words = format(TABLE, 'from_hz', from);
    const label = svg('text', { x: left + 4, y: top + 11 }, `${row + 1}`);
    const at = { x1: left, x2: left, y1: top, y2: foot };
    const edge = svg(
      'g',
      {
        class: 'band-edge',
        tabindex: 0,
        role: 'slider',
        'data-row': row,
        'aria-label': `band ${row + 1} from`,
        'aria-valuemin': 20,
        'aria-valuemax': 16000,
        'aria-valuenow': from,
        'aria-valuetext': words,
      },
      svg('line', { ...at, class: 'grip' }),
      svg('line', at),
      svg('title', {}, words),
    );
    edge.addEventListener('pointerdown', (event) => this.drag(/** @type {PointerEvent} */ (event), row));
    edge.addEventListener('keydown', (event) => this.nudge(/** @type {KeyboardEvent} */ (event), row));
    edge.addEventListener('focus', () => this.select(row));
    return [ground, this.taken[row], label, edge];
  }

  /** The region that is looked in for what stands out. @returns {SVGElement[]} */
  drawLookedAt() {
    const region = this.standOuts.region();
    if (!region) return [];
    const { across, top, foot } = scales(this.field, FREQUENCIES, LEVELS);
    const [left, right] = region.map((hz) => across(Math.min(20000, Math.max(20, hz)))).sort((a, b) => a - b);
    return [svg('rect', { x: left, y: top, width: Math.max(1, right - left), height: foot - top, class: 'band-looked-at' })];
  }

  /** A hand that is drawn across the picture draws the region that is looked in. @param {PointerEvent} event */
  drawRegionBy(event) {
    if (event.button !== 0 || /** @type {Element} */ (event.target).closest('.band-edge')) return;
    const left = this.field.getBoundingClientRect().left;
    const hz = (/** @type {number} */ x) => 20 * 1000 ** scales(this.field, FREQUENCIES, LEVELS).shareAt(x - left);
    const move = (/** @type {PointerEvent} */ moved) => {
      if (Math.abs(moved.clientX - event.clientX) < DRAWS_PX) return;
      const [from, to] = [event.clientX, moved.clientX].sort((a, b) => a - b).map(hz);
      this.standOuts.draw(from, to);
    };
    this.followHand(event, move);
  }

  /** Follows a hand until it lets go. @param {PointerEvent} event @param {(moved: PointerEvent) => void} move */
  followHand(event, move) {
    this.field.setPointerCapture(event.pointerId);
    const done = () => {
      this.field.removeEventListener('pointermove', move);
      this.field.removeEventListener('pointerup', done);
      this.field.removeEventListener('pointercancel', done);
    };
    this.field.addEventListener('pointermove', move);
    this.field.addEventListener('pointerup', done);
    this.field.addEventListener('pointercancel', done);
  }

  /** @param {number} row */
  select(row) {
    if (row === this.selected) return;
    this.selected = row;
    this.show();
  }

  /** What each band did over the part, in words. */
  said() {
    const regions = this.regions();
    if (regions.length === 0) return 'No band yet: everything passes. Add one where the event lives that shall be held.';
    if (!this.treatment) return '';
    return regions
      .map(({ row, from, to, band }) => {
        const moved = this.treatment?.moves.find(
          (/** @type {import('../../types.js').MoveFigures} */ m) => m.unit === this.unit.id && m.row === row,
        );
        const where = `${row + 1} (${format(TABLE, 'from_hz', from)} to ` + `${format(TABLE, 'from_hz', to)})`;
        if (moved)
          return `Band ${where}: active ${Math.max(1, Math.round(100 * moved.share))} % of time, GR max ${moved.max_db.toFixed(1)} dB.`;
        return band.ratio === 1 || !band.on ? `Band ${where}: not compressed.` : `Band ${where}: no reduction on this part.`;
      })
      .join(' ');
  }

  /** @param {import('../../types.js').Params[]} bands as proposed */
  takeBands(bands) {
    this.changeParams(
      { bands: bands.map((band) => ({ ...ask({ ask: 'fresh-row', kind: 'multiband', list: 'bands' }), ...band })) },
      newGesture(),
    );
    this.drawRows();
    this.show();
  }

  /** Puts another unit here: in place of this one as long as it has no bands, else after it. @param {import('../../types.js').Unit} unit */
  putInPlace(unit) {
    const { units } = doc.find(doc.strip).rack;
    const at = units.findIndex((u) => u.id === this.unit.id);
    const empty = (this.unit.params.bands ?? []).length === 0;
    const add = /** @type {import('../../session/document.js').Edit} */ ({
      edit: 'add-unit',
      strip: doc.strip,
      at: empty ? at : at + 1,
      unit,
    });
    void doc.edit(empty ? { edit: 'several', edits: [{ edit: 'remove-unit', strip: doc.strip, unit: this.unit.id }, add] } : add);
  }

  /** @param {number} row @param {number} hz @param {string} gesture */
  move(row, hz, gesture) {
    const { min, max } = numberOf(parameter(TABLE, 'from_hz'));
    const from = Math.round(Math.max(min, Math.min(max, hz)) * 10) / 10;
    this.changeParams(
      {
        bands: this.unit.params.bands.map((/** @type {import('../../types.js').Params} */ band, /** @type {number} */ i) =>
          i === row ? { ...band, from_hz: from } : band,
        ),
      },
      gesture,
    );
    this.drawRows();
    this.show();
  }

  /** @param {PointerEvent} event @param {number} row */
  drag(event, row) {
    event.preventDefault();
    const gesture = newGesture();
    this.followHand(event, (moved) => {
      const at = moved.clientX - this.field.getBoundingClientRect().left;
      this.move(row, 20 * 1000 ** scales(this.field, FREQUENCIES, LEVELS).shareAt(at), gesture);
    });
  }

  /** @param {KeyboardEvent} event @param {number} row */
  nudge(event, row) {
    const step = { ArrowRight: 1, ArrowLeft: -1, ArrowUp: 1, ArrowDown: -1 }[event.key];
    if (!step) return;
    event.preventDefault();
    event.stopPropagation();
    if (!event.repeat) this.gesture = newGesture();
    const value = this.unit.params.bands[row].from_hz;
    this.move(row, ask({ ask: 'step', table: TABLE, param: 'from_hz', value, count: step * (event.shiftKey ? 10 : 1) }), this.gesture);
  }

  /** @param {import('../../types.js').Treatment | null} treatment @param {number} station */
  evidence(treatment, station) {
    super.evidence(treatment, station);
    this.words.textContent = this.said();
  }

  /** @param {import('../../engine/host.js').Report} report */
  follow(report) {
    const { up } = scales(this.field, FREQUENCIES, LEVELS);
    const db = up(0) - up(-1);
    this.taken.forEach((bar, row) => bar.setAttribute('height', String(Math.max(0, (report.moves[row] ?? 0) * db))));
  }

  end() {
    super.end();
    this.standOuts.end();
    this.observer.disconnect();
  }
}
