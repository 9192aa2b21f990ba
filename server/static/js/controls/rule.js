// @ts-check
/**
 * A rule: a short scale with ticks and figures, a triangular rider, a mark at the
 * default, and the value in a box. A drag goes on from where the value is; arrow keys (Shift ten steps), the wheel
 * once it is in hand, a double-click for the default, or type. Alt makes a drag, a key and the wheel fine.
 */
import { ask, format, numberOf, parameter } from '../engine/ask.js';
import { isTyped } from '../draw/redraw.js';
import { html, svg } from '../draw/svg.js';
import { newGesture } from '../session/document.js';

/** Figures on the scale, by what is measured; those outside the range are left out. */
const FIGURES = /** @type {Record<string, [number, string][]>} */ ({
  hertz: [
    [10, '10'],
    [30, '30'],
    [100, '100'],
    [300, '300'],
    [1000, '1k'],
    [3000, '3k'],
    [10000, '10k'],
  ],
  decibels: [
    [-60, '−60'],
    [-48, ''],
    [-40, '−40'],
    [-30, '−30'],
    [-20, '−20'],
    [-10, '−10'],
    [-6, ''],
    [0, '0'],
    [6, ''],
    [10, '10'],
    [20, '20'],
    [30, '30'],
  ],
  milliseconds: [
    [0, '0'],
    [1, '1'],
    [3, '3'],
    [10, '10'],
    [30, '30'],
    [100, '100'],
    [300, '300'],
    [1000, '1 s'],
    [4000, '4 s'],
  ],
  ratio: [
    [1, '1'],
    [1.5, '1.5'],
    [2, '2'],
    [3, '3'],
    [4, '4'],
    [10, '10'],
    [Infinity, '∞'],
  ],
  q: [
    [0.1, '.1'],
    [0.3, '.3'],
    [1, '1'],
    [3, '3'],
    [10, '10'],
    [30, '30'],
    [100, '100'],
  ],
  percent: [
    [0, '0'],
    [0.25, ''],
    [0.5, '50'],
    [0.75, ''],
    [1, '100'],
  ],
  centimetres: [
    [1, '1'],
    [3, '3'],
    [10, '10'],
    [30, '30'],
    [100, '1 m'],
  ],
  degrees: [
    [0, '0'],
    [15, ''],
    [30, '30'],
    [45, ''],
    [60, '60'],
  ],
  pan: [
    [-1, 'L'],
    [-0.5, ''],
    [0, 'C'],
    [0.5, ''],
    [1, 'R'],
  ],
});
/** Pixels left free at both ends of a scale, for half a rider. */
const MARGIN = 7;
/** Figures of a scale are no nearer to each other than this, in pixels. */
const APART = 26;
/** Share of a drag, a key or a turn of the wheel that is left of it with Alt. */
const FINE = 0.1;
let count = 0;

/** JSON has no infinity: an infinite ratio is "inf". @param {number} v */
const toJson = (v) => (v === Infinity ? 'inf' : v);
/** @param {number | string} v */
const fromJson = (v) => (v === 'inf' ? Infinity : Number(v));

/** Rules by their scale. @type {WeakMap<Element, Rule>} */
const drawn = new WeakMap();
/** One observer for all: asking each scale for its width between drawings would lay the page out once for each. */
const sizes = new ResizeObserver((entries) => {
  for (const { target, contentRect } of entries) drawn.get(target)?.drawScale(contentRect.width);
});

export class Rule {
  /**
   * @param {object} options
   * @param {string} options.table
   * @param {string} options.param
   * @param {number | string} options.value
   * @param {(value: number | string, gesture: string) => void} options.onChange
   * @param {boolean} [options.compact]
   * @param {string} [options.of] what it belongs to, for the label read aloud
   * @param {number} [options.tempo]
   */
  constructor({ table, param, value, onChange, compact = false, of = '', tempo = 120 }) {
    this.table = table;
    this.param = param;
    this.tempo = tempo;
    this.onChange = onChange;
    this.spec = parameter(table, param);
    this.domain = numberOf(this.spec);
    this.max = this.domain.max;
    this.gesture = '';
    /** Where the hand is, and where on the scale it has brought the rider. */
    this.hand = { x: 0, position: 0 };
    this.keyedAt = 0;
    this.value = NaN;
    this.shown = '';
    /** @type {(number | string)[]} */
    this.others = [];
    /** @type {[number, number] | null} */
    this.reach = null;
    count += 1;
    const name = of ? `${of}: ${this.spec.label}` : this.spec.label;
    const box = `rule-box-${count}`;
    this.length = 0;
    /** @type {SVGElement | null} */
    this.rider = null;
    this.scale = this.makeScale(name);
    this.box = html('input', {
      id: box,
      className: 'rule-value',
      autocomplete: 'off',
      spellcheck: false,
      'aria-label': `${name}, type a value`,
    });
    this.element = html(
      'div',
      { className: compact ? 'rule compact' : 'rule', title: this.tip() },
      html('label', { htmlFor: box }, this.spec.label),
      this.scale,
      this.box,
    );
    this.listen();
    this.set(value);
  }

  /** What it is, and how it is turned. */
  tip() {
    const start = this.domain.default === Infinity ? null : this.domain.default;
    const ways =
      'Drag; or click it, then use the wheel or the arrow keys. Hold Alt for fine steps. ' +
      `Double-click: ${format(this.table, this.param, start)}.`;
    return this.spec.hint ? `${this.spec.hint}\n${ways}` : ways;
  }

  /** @param {string} name */
  makeScale(name) {
    const { domain } = this;
    const scale = svg('svg', {
      class: 'rule-scale',
      tabindex: 0,
      role: 'slider',
      'aria-label': name,
      'aria-valuemin': domain.min,
      'aria-valuemax': Math.min(domain.max, 1e9),
    });
    drawn.set(scale, this);
    sizes.observe(scale);
    return scale;
  }

  /** In pixels of its own width, so that figures keep their shape. @param {number} width */
  drawScale(width) {
    const { domain } = this;
    const length = width - 2 * MARGIN;
    if (length <= 0 || length === this.length) return;
    this.length = length;
    const pieces = [svg('line', { x1: MARGIN, x2: MARGIN + length, y1: 16, y2: 16 })];
    let lastText = -100;
    for (const [value, text] of FIGURES[domain.quantity] ?? []) {
      if (value < domain.min || value > this.max) continue;
      const x = MARGIN + this.positionOf(value) * length;
      pieces.push(svg('line', { x1: x, x2: x, y1: text ? 11 : 13, y2: 16, class: 'tick' }));
      const atEnd = this.spec.ends && Math.min(x - MARGIN, MARGIN + length - x) < APART;
      if (text && x - lastText > APART && !atEnd) {
        pieces.push(svg('text', { x, y: 31 }, text));
        lastText = x;
      }
    }
    const start = MARGIN + this.positionOf(domain.default) * length;
    pieces.push(svg('path', { d: `M${start} 17l3 4h-6z`, class: 'default' }));
    if (this.spec.ends) {
      const [left, right] = this.spec.ends;
      pieces.push(svg('text', { x: MARGIN, y: 31, class: 'end' }, left), svg('text', { x: MARGIN + length, y: 31, class: 'end' }, right));
    }
    this.rider = svg('path', { d: 'M-5.5 4h11L0 15z', class: 'rider' });
    this.scale.replaceChildren(...pieces, this.rider);
    this.drawReach();
    this.placeRider();
    this.drawElsewhere();
  }

  /** The part of the scale that does something; all of it for null. @param {[number, number] | null} range */
  reaches(range) {
    if (JSON.stringify(range) === JSON.stringify(this.reach)) return;
    this.reach = range;
    this.drawReach();
  }

  /** Dims what lies beyond. */
  drawReach() {
    this.scale.querySelectorAll('.beyond').forEach((mark) => mark.remove());
    if (!this.reach || this.length <= 0) return;
    const [from, to] = this.reach.map((value) => MARGIN + this.positionOf(value) * this.length);
    for (const [x1, x2] of [
      [MARGIN, from],
      [to, MARGIN + this.length],
    ]) {
      if (x2 - x1 > 1) this.scale.insertBefore(svg('rect', { x: x1, y: 10, width: x2 - x1, height: 12, class: 'beyond' }), this.rider);
    }
  }

  /** Its values elsewhere in the song, as hollow marks. @param {(import('../types.js').Written | undefined)[]} values numbers, or "inf" */
  elsewhere(values) {
    // Only numbers stand on a rule; no end is written as a word.
    const others = values.filter((value) => typeof value === 'number' || value === 'inf');
    if (JSON.stringify(others) === JSON.stringify(this.others)) return;
    this.others = others;
    this.drawElsewhere();
  }

  drawElsewhere() {
    this.scale.querySelectorAll('.elsewhere').forEach((mark) => mark.remove());
    if (this.length <= 0) return;
    for (const value of this.others) {
      const x = MARGIN + this.positionOf(fromJson(value)) * this.length;
      this.scale.insertBefore(svg('path', { d: `M${(x - 5).toFixed(2)} 4.5h10L${x.toFixed(2)} 14z`, class: 'elsewhere' }), this.rider);
    }
  }

  placeRider() {
    const x = MARGIN + this.positionOf(this.value) * this.length;
    this.rider?.setAttribute('transform', `translate(${x.toFixed(2)} 0)`);
  }

  /** @param {number} value */
  positionOf(value) {
    return ask({ ask: 'position', table: this.table, param: this.param, value: value === Infinity ? null : value });
  }

  listen() {
    const { scale, box } = this;
    scale.addEventListener('pointerdown', (event) => {
      if (event.button !== 0) return;
      scale.setPointerCapture(event.pointerId);
      scale.focus();
      this.gesture = newGesture();
      this.hand = { x: event.clientX, position: this.positionOf(this.value) };
    });
    scale.addEventListener('pointermove', (event) => {
      if (scale.hasPointerCapture(event.pointerId)) this.drag(event);
    });
    scale.addEventListener('dblclick', () => this.change(this.domain.default, newGesture()));
    scale.addEventListener('keydown', (event) => this.key(event));
    scale.addEventListener(
      'wheel',
      (event) => {
        if (document.activeElement !== scale && !event.altKey) return;
        event.preventDefault();
        this.stepBy((event.deltaY < 0 ? 1 : -1) * (event.altKey ? FINE : 1));
      },
      { passive: false },
    );
    box.addEventListener('change', () => this.typed());
    box.addEventListener('keydown', (/** @type {KeyboardEvent} */ event) => {
      event.stopPropagation();
      if (event.key === 'Enter') this.typed();
      if (event.key === 'Escape') this.showText();
    });
    box.addEventListener('focus', () => box.select());
  }

  /** @param {PointerEvent} event */
  drag(event) {
    // Its own length is known: asking would lay the page out for every move.
    const way = ((event.clientX - this.hand.x) / this.length) * (event.altKey ? FINE : 1);
    if (way === 0) return;
    // Beyond an end it waits there: the way back begins at once.
    const position = Math.max(0, Math.min(1, this.hand.position + way));
    this.hand = { x: event.clientX, position };
    const value = ask({ ask: 'value-at', table: this.table, param: this.param, position });
    this.change(this.round(value === null ? Infinity : value), this.gesture);
  }

  /** To what its text shows, so that figure and value agree. @param {number} value */
  round(value) {
    const text = format(this.table, this.param, value === Infinity ? null : value);
    try {
      return this.read(text);
    } catch {
      return value;
    }
  }

  /** @param {string} text @returns {number} */
  read(text) {
    const { value } = ask({ ask: 'parse', table: this.table, param: this.param, text, tempo_bpm: this.tempo });
    return value === null ? Infinity : value;
  }

  /** @param {KeyboardEvent} event */
  key(event) {
    const way = { ArrowRight: 1, ArrowUp: 1, ArrowLeft: -1, ArrowDown: -1, PageUp: 10, PageDown: -10 }[event.key];
    if (way) this.stepBy(way * (event.shiftKey ? 10 : event.altKey ? FINE : 1));
    else if (event.key === 'Home') this.change(this.domain.min, newGesture());
    else if (event.key === 'End') this.change(this.max, newGesture());
    else return;
    event.preventDefault();
    event.stopPropagation();
  }

  /** @param {number} steps */
  stepBy(steps) {
    // Key presses in quick succession are one step of undo.
    if (performance.now() - this.keyedAt > 900) this.gesture = newGesture();
    this.keyedAt = performance.now();
    const value = ask({
      ask: 'step',
      table: this.table,
      param: this.param,
      value: this.value === Infinity ? null : this.value,
      count: steps,
    });
    this.change(value === null ? Infinity : value, this.gesture);
  }

  typed() {
    if (this.box.value === this.shown) return;
    try {
      this.change(this.read(this.box.value), newGesture());
      this.box.removeAttribute('aria-invalid');
    } catch (error) {
      this.box.setAttribute('aria-invalid', 'true');
      this.element.dispatchEvent(new CustomEvent('trouble', { bubbles: true, detail: error instanceof Error ? error.message : '' }));
    }
  }

  /** @param {number} value @param {string} gesture */
  change(value, gesture) {
    if (value === this.value) {
      this.showText();
      return;
    }
    this.set(toJson(value));
    this.showText();
    this.onChange(toJson(value), gesture);
  }

  /** The value as text, whatever was typed. */
  showText() {
    this.box.value = this.shown;
    this.box.dataset.shown = this.shown;
    this.box.removeAttribute('aria-invalid');
  }

  /** Shows a value. @param {number | string} given */
  set(given) {
    this.value = fromJson(given);
    this.shown = format(this.table, this.param, this.value === Infinity ? null : this.value);
    this.placeRider();
    this.scale.setAttribute('aria-valuenow', String(this.value === Infinity ? 1e9 : this.value));
    this.scale.setAttribute('aria-valuetext', this.shown);
    // What is being typed stays; it is taken, or given up with Escape.
    if (this.box.matches(':focus') && isTyped(this.box)) {
      this.box.dataset.shown = this.shown;
      return;
    }
    this.showText();
  }
}
