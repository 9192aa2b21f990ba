// @ts-check
/**
 * The panel of a multiband: its regions over frequency with what is taken from each as it plays,
 * their edges to drag or move by arrow keys, and the bands as a table.
 */
import { FREQUENCIES, decibels, drawPlot, scales } from '../../draw/plot.js';
import { html, level, svg } from '../../draw/svg.js';
import { ask } from '../../engine/ask.js';
import { longWork } from '../../session/work.js';
import { newGesture } from '../../session/document.js';
import { host } from '../listen-bar.js';
import { doc } from '../session-frame.js';
import { ParamPanel } from './param-panel.js';

const LEVELS = { from: -24, to: 12, marks: decibels(-24, 12, 6) };
const POINTS = 160;
const FREQS = Array.from({ length: POINTS }, (_, i) => 20 * 1000 ** (i / (POINTS - 1)));
const TABLE = 'multiband/bands';
/** Ways to hold an event. @type {Record<string, string>} */
const WAYS = { multiband: 'bands', 'moving-band': 'moving band of an EQ', compressor: 'plain compressor, driven by it' };

/** @typedef {{ row: number, band: any, from: number, to: number }} Region */

export class BandsPanel extends ParamPanel {
  /** @param {ConstructorParameters<typeof ParamPanel>} args */
  constructor(...args) {
    super(...args);
    this.field = svg('svg', { class: 'bands-field', role: 'group' });
    this.words = html('p', { className: 'quiet bands-words' });
    this.picture.classList.add('bands-box');
    this.events = html('div', { className: 'bands-events' });
    const look = html('button', { type: 'button', className: 'plain-button', title: 'Moments at which one region stands far above its usual level' }, 'find what stands out');
    look.addEventListener('click', () => void this.findEvents(look));
    const mark = html('button', { type: 'button', className: 'plain-button', title: 'Stop where it is heard, or press while it plays: the region that rises most there' }, 'hold what is heard here');
    mark.addEventListener('click', () => void this.markEvent(mark));
    this.offers = html('span', { className: 'bands-offers' });
    this.events.append(look, mark, this.offers);
    this.picture.append(this.field, this.words, this.events);
    // What is taken from each region now, by row.
    this.taken = /** @type {SVGElement[]} */ ([]);
    this.gesture = '';
    this.observer = new ResizeObserver(() => this.show());
    this.observer.observe(this.field);
    this.show();
  }

  /** The regions, lowest first. @returns {Region[]} */
  regions() {
    const rows = /** @type {any[]} */ (this.unit.params.bands ?? []);
    const sorted = rows.map((band, row) => ({ band, row })).sort((a, b) => a.band.from_hz - b.band.from_hz);
    return sorted.map(({ band, row }, i) => ({ band, row, from: band.from_hz, to: sorted[i + 1]?.band.from_hz ?? 20000 }));
  }

  show() {
    if (!this.field?.clientWidth) return;
    const gains = /** @type {number[]} */ (ask({ ask: 'response', rack: { zinc_rack: 1, units: [{ ...this.unit, on: true, mix: 1, trim_db: 0 }] }, rate: this.session.rate, freqs: FREQS }));
    const held = /** @type {SVGElement | null} */ (this.field.contains(document.activeElement) ? document.activeElement : null)?.dataset.row;
    drawPlot(this.field, { x: FREQUENCIES, y: LEVELS, words: 'The bands over frequency', lines: [{ kind: 'curve', label: 'at rest', points: gains.map((db, i) => [FREQS[i], db]) }] });
    this.taken = [];
    for (const region of this.regions()) this.field.append(...this.drawRegion(region));
    if (held !== undefined) /** @type {SVGElement | null} */ (this.field.querySelector(`[data-row="${held}"]`))?.focus();
    this.words.textContent = this.said();
  }

  /** @param {Region} region @returns {SVGElement[]} */
  drawRegion({ row, band, from, to }) {
    const { across, up, top, foot } = scales(this.field, FREQUENCIES, LEVELS);
    const [left, right] = [across(from), across(to)];
    const rest = up(band.on ? band.makeup_db : 0);
    const ground = svg('rect', { x: left, y: top, width: Math.max(1, right - left), height: foot - top, class: `band-ground${row === this.selected ? ' in-hand' : ''}${band.heard ? '' : ' silent'}` });
    ground.addEventListener('pointerdown', () => this.select(row));
    this.taken[row] = svg('rect', { x: left + 1, y: rest, width: Math.max(1, right - left - 2), height: 0, class: 'band-taken', 'data-rest': rest });
    const words = ask({ ask: 'format', table: TABLE, param: 'from_hz', value: from });
    const label = svg('text', { x: left + 4, y: top + 11 }, `${row + 1}`);
    const at = { x1: left, x2: left, y1: top, y2: foot };
    const edge = svg('g', { class: 'band-edge', tabindex: 0, role: 'slider', 'data-row': row, 'aria-label': `band ${row + 1} from`, 'aria-valuemin': 20, 'aria-valuemax': 16000, 'aria-valuenow': from, 'aria-valuetext': words }, svg('line', { ...at, class: 'grip' }), svg('line', at), svg('title', {}, words));
    edge.addEventListener('pointerdown', (event) => this.drag(/** @type {PointerEvent} */ (event), row));
    edge.addEventListener('keydown', (event) => this.nudge(/** @type {KeyboardEvent} */ (event), row));
    edge.addEventListener('focus', () => this.select(row));
    return [ground, this.taken[row], label, edge];
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
    return regions.map(({ row, from, to, band }) => {
      const moved = this.treatment.moves.find((/** @type {any} */ m) => m.unit === this.unit.id && m.row === row);
      const where = `${row + 1} (${ask({ ask: 'format', table: TABLE, param: 'from_hz', value: from })} to ${ask({ ask: 'format', table: TABLE, param: 'from_hz', value: to })})`;
      if (moved) return `Band ${where} works ${Math.max(1, Math.round(100 * moved.share))} % of the time, at most ${moved.max_db.toFixed(1)} dB.`;
      return band.ratio === 1 || !band.on ? `Band ${where} is left alone.` : `Band ${where} never works on this part.`;
    }).join(' ');
  }

  /** Looks for events on the part and offers bands that hold them. @param {HTMLButtonElement} look */
  async findEvents(look) {
    look.disabled = true;
    try {
      const found = /** @type {any[]} */ (await longWork(`/api/sessions/${doc.id}/strips/${doc.strip}/events`, {}, () => {}) ?? []);
      const offers = found.slice(0, 6).map((event) => this.offer(event));
      this.offers.replaceChildren(...(offers.length ? offers : [html('span', { className: 'quiet' }, 'Nothing stands out of its usual level here.')]));
    } catch (error) {
      this.offers.replaceChildren(html('span', { className: 'quiet' }, error instanceof Error ? error.message : String(error)));
    } finally {
      look.disabled = false;
    }
  }

  /** What is heard where the song stands, as an event to hold. @param {HTMLButtonElement} mark */
  async markEvent(mark) {
    mark.disabled = true;
    try {
      const event = await longWork(`/api/sessions/${doc.id}/strips/${doc.strip}/marked`, { at_s: host.position / this.session.rate }, () => {});
      if (event) this.offers.prepend(this.offer(event));
    } catch (error) {
      this.offers.prepend(html('span', { className: 'quiet' }, error instanceof Error ? error.message : String(error)));
    } finally {
      mark.disabled = false;
    }
  }

  /** @param {any} event */
  offer(event) {
    const where = `${event.at_s.toFixed(1)} s, ${Math.round(event.from_hz)} to ${Math.round(event.to_hz)} Hz, ${event.over_db.toFixed(0)} dB over`;
    const hold = html('button', { type: 'button', className: 'plain-button', title: 'Bands that work on it, and only there and then' }, `hold ${where}`);
    hold.addEventListener('click', () => this.takeBands(event.bands));
    const ways = html('button', { type: 'button', className: 'plain-button', title: 'Bands, a moving band of an EQ, a plain compressor: the same aim, measured' }, 'three ways');
    ways.setAttribute('aria-label', `three ways to hold what is at ${event.at_s.toFixed(1)} s`);
    ways.addEventListener('click', () => void this.compareWays(event.at_s));
    return html('span', { className: 'bands-event' }, hold, ways);
  }

  /** @param {any[]} bands as proposed */
  takeBands(bands) {
    this.changeParams({ bands: bands.map((band) => ({ ...ask({ ask: 'fresh-row', kind: 'multiband', list: 'bands' }), ...band })) }, newGesture());
    this.drawRows();
    this.show();
  }

  /** Three units with one aim, each measured; one is taken. @param {number} at seconds */
  async compareWays(at) {
    const place = html('div', { className: 'bands-ways', role: 'status' }, 'holding it three ways…');
    this.events.querySelector('.bands-ways')?.remove();
    this.events.append(place);
    try {
      const found = /** @type {any[]} */ (await longWork(`/api/sessions/${doc.id}/strips/${doc.strip}/ways`, { at_s: at }, () => {}) ?? []);
      const rows = found.map(({ way, unit, down_db: down, beside_db: beside, elsewhere_db: elsewhere }) => {
        const take = html('button', { type: 'button', className: 'plain-button', 'aria-label': `take the ${WAYS[way]}` }, 'take');
        take.addEventListener('click', () => (way === 'multiband' ? this.takeBands(unit.params.bands) : this.putInPlace(unit)));
        return html('tr', {}, html('th', { scope: 'row' }, WAYS[way]), ...[down, beside, elsewhere].map((db) => html('td', {}, level(db))), html('td', {}, take));
      });
      place.replaceChildren(html('table', {}, html('thead', {}, html('tr', {}, ...['', 'it falls by', 'beside it', 'elsewhere, dB', ''].map((word) => html('th', { scope: 'col' }, word)))), html('tbody', {}, ...rows)));
    } catch (error) {
      place.textContent = error instanceof Error ? error.message : String(error);
    }
  }

  /** Puts another unit here: in place of this one as long as it has no bands, else after it. @param {any} unit */
  putInPlace(unit) {
    const { units } = doc.find(doc.strip).rack;
    const at = units.findIndex((u) => u.id === this.unit.id);
    const empty = (this.unit.params.bands ?? []).length === 0;
    const add = { edit: 'add-unit', strip: doc.strip, at: empty ? at : at + 1, unit };
    void doc.edit(empty ? { edit: 'several', edits: [{ edit: 'remove-unit', strip: doc.strip, unit: this.unit.id }, add] } : add);
  }

  /** @param {number} row @param {number} hz @param {string} gesture */
  move(row, hz, gesture) {
    const from = Math.round(Math.max(20, Math.min(16000, hz)) * 10) / 10;
    this.changeParams({ bands: this.unit.params.bands.map((/** @type {any} */ band, /** @type {number} */ i) => (i === row ? { ...band, from_hz: from } : band)) }, gesture);
    this.drawRows();
    this.show();
  }

  /** @param {PointerEvent} event @param {number} row */
  drag(event, row) {
    event.preventDefault();
    const gesture = newGesture();
    this.field.setPointerCapture(event.pointerId);
    const move = (/** @type {PointerEvent} */ moved) => {
      const at = moved.clientX - this.field.getBoundingClientRect().left;
      this.move(row, 20 * 1000 ** scales(this.field, FREQUENCIES, LEVELS).shareAt(at), gesture);
    };
    const done = () => {
      this.field.removeEventListener('pointermove', move);
      this.field.removeEventListener('pointerup', done);
      this.field.removeEventListener('pointercancel', done);
    };
    this.field.addEventListener('pointermove', move);
    this.field.addEventListener('pointerup', done);
    this.field.addEventListener('pointercancel', done);
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

  /** @param {any} treatment @param {number} station */
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
    this.observer.disconnect();
  }
}
