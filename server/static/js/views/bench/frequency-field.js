// @ts-check
/**
 * The frequency field: octaves and notes along the bottom, Hz along the top, dB
 * at the side. A band is a peg: a stem from the zero line, a numbered flag, a
 * bracket over its width. The sound lies behind as third-octave steps.
 */
import { ask, catalogue, parameter } from '../../engine/ask.js';
import { colour, path, svg } from '../../draw/svg.js';
import { newGesture } from '../../session/document.js';
import { freshBand, hasGain, hasWidth, isCut, isMoving, limitDb } from './bands.js';
import { FieldSound, SOUND } from './field-sound.js';

const LOW = 16.35; // C0
const HIGH = 22000;
/** Pixels around the field. */
export const MARGIN = { left: 40, right: 44, top: 24, bottom: 40 };
const HZ_MARKS = /** @type {[number, string][]} */ ([[20, '20'], [50, '50'], [100, '100'], [200, '200'], [500, '500'], [1000, '1k'], [2000, '2k'], [5000, '5k'], [10000, '10k'], [20000, '20k']]);
const HZ_LINES = [20, 30, 40, 50, 60, 80, 100, 200, 300, 400, 500, 600, 800, 1000, 2000, 3000, 4000, 5000, 6000, 8000, 10000, 20000];
const POINTS = 360;

/** @typedef {import('./bands.js').Band} Band */

export class FrequencyField {
  /**
   * @param {object} options
   * @param {HTMLElement} options.place
   * @param {number} options.rate
   * @param {(bands: Band[], gesture: string) => void} options.onChange
   * @param {(index: number) => void} options.onSelect
   */
  constructor({ place, rate, onChange, onSelect }) {
    this.place = place;
    this.rate = rate;
    this.onChange = onChange;
    this.onSelect = onSelect;
    const canvas = document.createElement('canvas');
    this.sound = new FieldSound(canvas, this);
    this.svg = /** @type {SVGSVGElement} */ (svg('svg', { role: 'group', 'aria-label': 'Frequency field: double-click for a new band' }));
    place.replaceChildren(canvas, this.svg);
    /** @type {Band[]} */
    this.bands = [];
    this.selected = 0;
    /** @type {{ hz: number, note: string, is: string }[]} */
    this.rings = [];
    /** Scales every gain. */
    this.amount = 1;
    this.range = Number(localStorage.getItem('zinc-field-range') ?? 12);
    this.keyGesture = '';
    this.keyedAt = 0;
    this.svg.addEventListener('dblclick', (event) => this.addAt(event));
    this.observer = new ResizeObserver(() => this.draw());
    this.observer.observe(place);
  }

  get margin() { return MARGIN; }
  get width() { return this.place.clientWidth; }
  get height() { return this.place.clientHeight; }

  /** @param {number} hz */
  x(hz) {
    return MARGIN.left + (Math.log(hz / LOW) / Math.log(HIGH / LOW)) * (this.width - MARGIN.left - MARGIN.right);
  }

  /** @param {number} x */
  hz(x) {
    return LOW * (HIGH / LOW) ** ((x - MARGIN.left) / (this.width - MARGIN.left - MARGIN.right));
  }

  /** @param {number} db */
  y(db) {
    const half = (this.height - MARGIN.top - MARGIN.bottom) / 2;
    return MARGIN.top + half - (db / this.range) * half;
  }

  /** @param {number} y */
  db(y) {
    const half = (this.height - MARGIN.top - MARGIN.bottom) / 2;
    return ((MARGIN.top + half - y) / half) * this.range;
  }

  /** @param {Band[]} bands @param {number} selected @param {number} amount */
  show(bands, selected, amount) {
    this.amount = amount;
    this.bands = bands;
    this.selected = selected;
    this.draw();
  }

  /** @param {number} range */
  setRange(range) {
    this.range = range;
    localStorage.setItem('zinc-field-range', String(range));
    this.draw();
  }

  draw() {
    if (this.width === 0) return;
    const held = this.svg.querySelector('.peg:focus')?.getAttribute('data-band');
    this.svg.setAttribute('viewBox', `0 0 ${this.width} ${this.height}`);
    this.svg.replaceChildren(...this.scales(), ...this.zones(), ...this.curves(), ...this.ringMarks());
    this.bands.forEach((band, i) => this.svg.append(this.peg(band, i)));
    if (held) /** @type {SVGElement | null} */ (this.svg.querySelector(`[data-band="${held}"]`))?.focus();
    this.sound.draw();
  }

  scales() {
    const { width, height } = this;
    const bottom = height - MARGIN.bottom;
    const out = [];
    for (const hz of HZ_LINES) out.push(svg('line', { x1: this.x(hz), x2: this.x(hz), y1: MARGIN.top, y2: bottom, class: 'grid-line' }));
    for (const [hz, text] of HZ_MARKS) out.push(svg('text', { x: this.x(hz), y: 15, 'text-anchor': 'middle' }, text));
    const step = this.range / (this.range % 4 === 0 ? 4 : 3);
    for (let db = -this.range; db <= this.range; db += step) {
      if (db !== 0) out.push(svg('line', { x1: MARGIN.left, x2: width - MARGIN.right, y1: this.y(db), y2: this.y(db), class: 'grid-line strong' }));
      out.push(svg('text', { x: MARGIN.left - 6, y: this.y(db) + 4, 'text-anchor': 'end' }, db > 0 ? `+${db}` : String(db).replace('-', '−')));
    }
    for (let level = SOUND[0] + 20; level < SOUND[1]; level += 20) {
      out.push(svg('text', { x: width - MARGIN.right + 6, y: this.sound.y(level) + 4 }, String(level).replace('-', '−')));
    }
    out.push(svg('text', { x: MARGIN.left - 6, y: 15, 'text-anchor': 'end' }, 'dB'), svg('text', { x: width - MARGIN.right + 6, y: 15 }, 'dBFS'));
    out.push(svg('line', { x1: MARGIN.left, x2: width - MARGIN.right, y1: this.y(0), y2: this.y(0), class: 'zero-line' }));
    // Octaves from each C; semitones as small ticks.
    for (let octave = 0; octave <= 10; octave += 1) {
      const from = LOW * 2 ** octave;
      const to = Math.min(HIGH, from * 2);
      if (from >= HIGH) break;
      out.push(svg('rect', { x: this.x(from), y: bottom + 4, width: this.x(to) - this.x(from), height: 10, class: `octave-bar${octave % 2 ? ' other' : ''}` }));
      for (let s = 1; s < 12 && from * 2 ** (s / 12) < HIGH; s += 1) {
        const x = this.x(from * 2 ** (s / 12));
        out.push(svg('line', { x1: x, x2: x, y1: bottom + 4, y2: bottom + (s === 7 ? 10 : 7), class: 'grid-line strong' }));
      }
      out.push(svg('text', { x: this.x(from) + 2, y: bottom + 27 }, `C${octave}`));
    }
    return out;
  }

  /** What cuts exclude, hatched. */
  zones() {
    const pattern = svg('pattern', { id: 'cut-hatch', width: 7, height: 7, patternUnits: 'userSpaceOnUse', patternTransform: 'rotate(-45)' });
    pattern.append(svg('line', { x1: 0, x2: 0, y1: 0, y2: 7, stroke: colour('taken'), 'stroke-width': 1, opacity: 0.55 }));
    const defs = svg('defs');
    defs.append(pattern);
    const zones = this.bands.filter((b) => b.on && isCut(b)).map((b) => {
      const [from, to] = b.shape === 'high-pass' ? [MARGIN.left, this.x(b.freq_hz)] : [this.x(b.freq_hz), this.width - MARGIN.right];
      return svg('rect', { x: from, y: MARGIN.top, width: Math.max(0, to - from), height: this.height - MARGIN.top - MARGIN.bottom, fill: 'url(#cut-hatch)' });
    });
    return [defs, ...zones];
  }

  /** @param {Band[]} bands @param {string} kind */
  line(bands, kind) {
    const freqs = Array.from({ length: POINTS }, (_, i) => LOW * (HIGH / LOW) ** (i / (POINTS - 1)));
    const inside = freqs.filter((hz) => hz < this.rate * 0.499);
    const unit = { kind: 'surgical-eq', params: { bands, amount: this.amount } };
    const gains = ask({ ask: 'response', rack: { zinc_rack: 1, units: [unit] }, rate: this.rate, freqs: inside });
    const bottom = this.height - MARGIN.bottom;
    const points = /** @type {[number, number][]} */ (inside.map((hz, i) => [this.x(hz), Math.max(MARGIN.top, Math.min(bottom, this.y(gains[i])))]));
    return svg('path', { d: path(points), class: kind });
  }

  curves() {
    const chosen = this.bands[this.selected];
    const all = this.line(this.bands, 'curve');
    all.id = 'summed-curve';
    if (!chosen || this.bands.filter((b) => b.on).length < 2) return [all];
    return [this.line([{ ...chosen, on: true }], 'curve single'), all];
  }

  /** @param {Band} band @param {number} i */
  peg(band, i) {
    const x = this.x(band.freq_hz);
    const gain = hasGain(band) ? band.gain_db * this.amount : band.shape === 'notch' ? -this.range * 0.92 : 0;
    const y = Math.max(MARGIN.top + 9, Math.min(this.height - MARGIN.bottom - 9, this.y(gain)));
    const flagY = Math.max(MARGIN.top + 9, Math.min(this.height - MARGIN.bottom - 9, y + (gain < 0 ? 10 : -10)));
    const group = svg('g', {
      class: 'peg', tabindex: 0, role: 'slider', 'data-band': i, 'aria-label': `band ${i + 1}, ${band.shape}`,
      'aria-valuemin': 10, 'aria-valuemax': 20000, 'aria-valuenow': Math.round(band.freq_hz), 'aria-valuetext': this.words(band),
    });
    if (i === this.selected) group.dataset.selected = '';
    if (!band.on) group.dataset.off = '';
    group.append(svg('line', { x1: x, x2: x, y1: this.y(0), y2: y }));
    if (hasWidth(band)) {
      const half = 2 ** (ask({ ask: 'octaves', q: band.q }) / 2);
      const [a, b] = [this.x(Math.max(LOW, band.freq_hz / half)), this.x(Math.min(HIGH, band.freq_hz * half))];
      const tip = gain < 0 ? -5 : 5;
      group.append(svg('path', { d: `M${a} ${y + tip}V${y}H${b}V${y + tip}` }));
    }
    if (isMoving(band)) group.append(...this.motion(band, i, x, y));
    group.append(svg('rect', { x: x - 9, y: flagY - 9, width: 18, height: 18 }), svg('text', { x, y: flagY + 4 }, String(i + 1)));
    group.addEventListener('pointerdown', (event) => this.grab(event, i));
    group.addEventListener('keydown', (event) => this.key(event, i));
    group.addEventListener('focus', () => this.select(i));
    group.addEventListener('dblclick', (event) => event.stopPropagation());
    return group;
  }

  /** The limit of a moving band as a second bracket, and a bar for what it takes away now. @param {Band} band @param {number} i @param {number} x @param {number} y */
  motion(band, i, x, y) {
    const limit = this.y(limitDb(band) * this.amount);
    return [
      svg('path', { d: `M${x - 7} ${limit}H${x + 7}M${x} ${limit}V${y}`, class: 'peg-limit' }),
      svg('line', { x1: x, x2: x, y1: y, y2: y, class: 'peg-move', 'data-move': i }),
    ];
  }

  /** Marks rings on the top edge, with their notes. @param {{ hz: number, note: string, is: string }[]} rings */
  showRings(rings) {
    this.rings = rings;
    this.draw();
  }

  ringMarks() {
    return this.rings.flatMap(({ hz, note }) => {
      const x = this.x(hz);
      return [svg('path', { d: `M${x} ${MARGIN.top}v12M${x - 3} ${MARGIN.top}v7M${x + 3} ${MARGIN.top}v7`, class: 'ring-mark' }), svg('text', { x: x + 5, y: MARGIN.top + 22, class: 'ring-note' }, note.split(' ')[0])];
    });
  }

  /** Where moving bands are now. @param {ArrayLike<number>} moves dB by band */
  showMoves(moves) {
    for (const bar of /** @type {NodeListOf<SVGElement>} */ (this.svg.querySelectorAll('[data-move]'))) {
      const i = Number(bar.dataset.move);
      bar.setAttribute('y2', String(this.y(this.bands[i].gain_db * this.amount + (moves[i] ?? 0))));
    }
  }

  /** @param {Band} band */
  words(band) {
    const text = (/** @type {string} */ param, /** @type {number} */ value) => ask({ ask: 'format', table: 'surgical-eq/bands', param, value });
    return `${text('freq_hz', band.freq_hz)}${hasGain(band) ? `, ${text('gain_db', band.gain_db)}` : ''}`;
  }

  /** @param {number} i */
  select(i) {
    if (i === this.selected) return;
    this.selected = i;
    this.svg.querySelectorAll('.peg').forEach((peg, n) => peg.toggleAttribute('data-selected', n === i));
    this.onSelect(i);
  }

  /** @param {number} i @param {Partial<Band>} change @param {string} gesture */
  change(i, change, gesture) {
    const band = { ...this.bands[i], ...change };
    for (const id of /** @type {const} */ (['freq_hz', 'gain_db', 'q'])) {
      const { min, max } = parameter('surgical-eq/bands', id).domain;
      band[id] = Math.max(min, Math.min(max, Number(band[id].toPrecision(4))));
    }
    this.bands = this.bands.map((b, n) => (n === i ? band : b));
    this.draw();
    this.onChange(this.bands, gesture);
  }

  /** @param {PointerEvent} event */
  at(event) {
    const box = this.svg.getBoundingClientRect();
    return { x: event.clientX - box.left, y: event.clientY - box.top };
  }

  /** @param {PointerEvent} event @param {number} i */
  grab(event, i) {
    if (event.button !== 0) return;
    event.preventDefault();
    this.select(i);
    /** @type {SVGElement | null} */ (this.svg.querySelector(`[data-band="${i}"]`))?.focus();
    const gesture = newGesture();
    const start = this.at(event);
    const band = this.bands[i];
    const move = (/** @type {PointerEvent} */ e) => {
      const now = this.at(e);
      // Alt drags the bracket: away from the peg is wider.
      if (e.altKey && hasWidth(band)) this.change(i, { q: band.q * 2 ** ((start.x - now.x) / 40) }, gesture);
      else {
        const freq_hz = band.freq_hz * (this.hz(now.x) / this.hz(start.x));
        const gain_db = band.gain_db + (this.db(now.y) - this.db(start.y)) / (this.amount || 1);
        this.change(i, hasGain(band) ? { freq_hz, gain_db } : { freq_hz }, gesture);
      }
    };
    const end = () => {
      window.removeEventListener('pointermove', move);
      window.removeEventListener('pointerup', end);
      window.removeEventListener('pointercancel', end);
    };
    window.addEventListener('pointermove', move);
    window.addEventListener('pointerup', end);
    window.addEventListener('pointercancel', end);
  }

  /** @param {KeyboardEvent} event @param {number} i */
  key(event, i) {
    const band = this.bands[i];
    if (event.key === 'Delete' || event.key === 'Backspace') {
      this.bands = this.bands.filter((_, n) => n !== i);
      this.selected = Math.max(0, i - 1);
      this.draw();
      this.onChange(this.bands, newGesture());
    } else {
      const way = { ArrowRight: [1, 0], ArrowLeft: [-1, 0], ArrowUp: [0, 1], ArrowDown: [0, -1] }[event.key];
      if (!way) return;
      if (performance.now() - this.keyedAt > 900) this.keyGesture = newGesture();
      this.keyedAt = performance.now();
      const size = event.shiftKey ? 10 : 1;
      if (event.altKey) this.change(i, { q: band.q * 2 ** (((way[1] - way[0]) * size) / 12) }, this.keyGesture);
      else {
        const freq_hz = band.freq_hz * 2 ** ((way[0] * size) / 48);
        const gain_db = Math.round((band.gain_db + way[1] * size * 0.5) * 100) / 100;
        this.change(i, hasGain(band) ? { freq_hz, gain_db } : { freq_hz }, this.keyGesture);
      }
    }
    event.preventDefault();
    event.stopPropagation();
  }

  /** @param {MouseEvent} event */
  addAt(event) {
    const { x, y } = this.at(/** @type {PointerEvent} */ (event));
    if (y < MARGIN.top || y > this.height - MARGIN.bottom) return;
    this.add({ freq_hz: this.hz(x), gain_db: this.db(y) });
  }

  /** @param {Partial<Band>} band */
  add(band) {
    const rows = catalogue.kinds.find((/** @type {any} */ k) => k.id === 'surgical-eq').rows;
    if (this.bands.length >= rows.max) {
      this.place.dispatchEvent(new CustomEvent('trouble', { bubbles: true, detail: `A surgical EQ holds ${rows.max} bands; add another EQ for more.` }));
      return;
    }
    this.bands = [...this.bands, freshBand()];
    this.selected = this.bands.length - 1;
    this.change(this.selected, band, newGesture());
    this.onSelect(this.selected);
  }

  end() {
    this.observer.disconnect();
  }
}
