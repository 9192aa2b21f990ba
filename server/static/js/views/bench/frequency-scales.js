// @ts-check
/**
 * The ruled sheet of every picture over frequency: octaves and notes along the bottom, Hz
 * along the top, dB at the side, and the window of it that is seen.
 */
import { colour, svg } from '../../draw/svg.js';
import { FieldSound, SOUND } from './field-sound.js';

/** C0, and a little above what can be heard. */
const WHOLE = /** @type {[number, number]} */ ([16.35, 22000]);
/** The narrowest window in octaves. */
const NARROWEST = 0.5;
/** Pixels around the field. */
export const MARGIN = { left: 40, right: 44, top: 24, bottom: 40 };
const NAMED = [20, 50, 100, 200, 500, 1000, 2000, 5000, 10000, 20000];
const RULED = [20, 30, 40, 50, 60, 80, 100, 200, 300, 400, 500, 600, 800, 1000, 2000, 3000, 4000, 5000, 6000, 8000, 10000, 20000];
/** dB either way that the field can show. */
export const RANGES = [3, 6, 12, 24, 36];
/** Where the window and the scale are kept while the view is locked. */
const KEPT = 'zinc-field-view';

/** A window that was locked, or none. @returns {{ window: [number, number], range: number } | null} */
function locked() {
  try {
    return JSON.parse(localStorage.getItem(KEPT) ?? 'null');
  } catch {
    return null;
  }
}

/** A frequency in few letters. @param {number} hz */
const inWords = (hz) => (hz >= 1000 ? `${hz / 1000}k` : String(hz));

export class FrequencyScales {
  /** @param {HTMLElement} place @param {string} label read aloud */
  constructor(place, label) {
    this.place = place;
    const canvas = document.createElement('canvas');
    this.sound = new FieldSound(canvas, this);
    this.svg = /** @type {SVGSVGElement} */ (svg('svg', { role: 'group', 'aria-label': label }));
    place.replaceChildren(canvas, this.svg);
    const kept = locked();
    /** The lowest and the highest frequency seen. @type {[number, number]} */
    this.window = kept?.window ?? WHOLE;
    this.range = kept?.range ?? 12;
    this.svg.addEventListener('wheel', (event) => this.wheel(event), { passive: false });
    this.observer = new ResizeObserver(() => this.draw());
    this.observer.observe(place);
  }

  get margin() {
    return MARGIN;
  }
  get width() {
    return this.place.clientWidth;
  }
  get height() {
    return this.place.clientHeight;
  }
  get bottom() {
    return this.height - MARGIN.bottom;
  }

  /** @param {number} hz */
  x(hz) {
    const [low, high] = this.window;
    return MARGIN.left + (Math.log(hz / low) / Math.log(high / low)) * (this.width - MARGIN.left - MARGIN.right);
  }

  /** @param {number} x */
  hz(x) {
    const [low, high] = this.window;
    return low * (high / low) ** ((x - MARGIN.left) / (this.width - MARGIN.left - MARGIN.right));
  }

  /** @param {number} db */
  y(db) {
    const half = (this.bottom - MARGIN.top) / 2;
    return MARGIN.top + half - (db / this.range) * half;
  }

  /** @param {number} y */
  db(y) {
    const half = (this.bottom - MARGIN.top) / 2;
    return ((MARGIN.top + half - y) / half) * this.range;
  }

  /** Within the sheet. @param {number} y */
  within(y) {
    return Math.max(MARGIN.top, Math.min(this.bottom, y));
  }

  /** So many frequencies across the window, below half the rate. @param {number} count @param {number} rate */
  across(count, rate) {
    const [low, high] = this.window;
    return Array.from({ length: count }, (_, i) => low * (high / low) ** (i / (count - 1))).filter((hz) => hz < rate * 0.499);
  }

  /** Whether the window and the scale stay from one unit to the next. */
  get isLocked() {
    return locked() !== null;
  }

  /** @param {boolean} on */
  lock(on) {
    if (on) localStorage.setItem(KEPT, JSON.stringify({ window: this.window, range: this.range }));
    else localStorage.removeItem(KEPT);
  }

  keep() {
    if (this.isLocked) this.lock(true);
    this.draw();
    this.place.dispatchEvent(new CustomEvent('view', { bubbles: true }));
  }

  /** @param {number} range */
  setRange(range) {
    this.range = range;
    this.keep();
  }

  /** The smallest scale on which a curve of this height fits, unless the view is locked. @param {number} db */
  fit(db) {
    if (!this.isLocked) this.range = RANGES.find((range) => range >= Math.max(12, db)) ?? RANGES[RANGES.length - 1];
  }

  /** Narrower or wider round a frequency; `by` above 1 shows less. @param {number} by @param {number} hz */
  zoom(by, hz) {
    const [low, high] = this.window;
    const octaves = Math.max(NARROWEST, Math.min(Math.log2(WHOLE[1] / WHOLE[0]), Math.log2(high / low) / by));
    const at = Math.log(hz / low) / Math.log(high / low);
    const from = Math.max(WHOLE[0], Math.min(WHOLE[1] / 2 ** octaves, hz / 2 ** (octaves * at)));
    this.window = [from, Math.min(WHOLE[1], from * 2 ** octaves)];
    this.keep();
  }

  whole() {
    this.window = WHOLE;
    this.keep();
  }

  get isWhole() {
    return this.window[0] === WHOLE[0] && this.window[1] === WHOLE[1];
  }

  /** @param {WheelEvent} event */
  wheel(event) {
    event.preventDefault();
    const { x } = this.at(event);
    this.zoom(2 ** (-event.deltaY / 300), this.hz(x));
  }

  /** Drags the ruler, and with it what is seen. @param {PointerEvent} event */
  pan(event) {
    event.preventDefault();
    let last = this.at(event).x;
    this.drag((e) => {
      const { x } = this.at(e);
      const by = this.hz(last) / this.hz(x);
      const span = this.window[1] / this.window[0];
      const from = Math.max(WHOLE[0], Math.min(WHOLE[1] / span, this.window[0] * by));
      this.window = [from, from * span];
      last = x;
      this.keep();
    });
  }

  /** Calls back for every move until the pointer is let go. @param {(event: PointerEvent) => void} move @param {() => void} [done] */
  drag(move, done) {
    const end = () => {
      window.removeEventListener('pointermove', move);
      window.removeEventListener('pointerup', end);
      window.removeEventListener('pointercancel', end);
      done?.();
    };
    window.addEventListener('pointermove', move);
    window.addEventListener('pointerup', end);
    window.addEventListener('pointercancel', end);
  }

  /** @param {MouseEvent} event */
  at(event) {
    const box = this.svg.getBoundingClientRect();
    return { x: event.clientX - box.left, y: event.clientY - box.top };
  }

  /** Whether a point lies on the sheet and not on its margins. @param {{ x: number, y: number }} at */
  isOnSheet({ x, y }) {
    return y >= MARGIN.top && y <= this.bottom && x >= MARGIN.left && x <= this.width - MARGIN.right;
  }

  /** A group that shows only what lies on the sheet. @param {...Node} children */
  clipped(...children) {
    const clip = svg('clipPath', { id: 'sheet' });
    clip.append(
      svg('rect', {
        x: MARGIN.left,
        y: MARGIN.top,
        width: Math.max(0, this.width - MARGIN.left - MARGIN.right),
        height: Math.max(0, this.bottom - MARGIN.top),
      }),
    );
    return svg('g', { 'clip-path': 'url(#sheet)' }, clip, ...children);
  }

  draw() {}

  scales() {
    return [...this.frequencyLines(), ...this.levelLines(), ...this.octaveRuler()];
  }

  /** @param {number} hz */
  isSeen(hz) {
    return hz >= this.window[0] && hz <= this.window[1];
  }

  frequencyLines() {
    const narrow = Math.log2(this.window[1] / this.window[0]) < 4;
    const lines = RULED.filter((hz) => this.isSeen(hz)).map((hz) =>
      svg('line', { x1: this.x(hz), x2: this.x(hz), y1: MARGIN.top, y2: this.bottom, class: 'grid-line' }),
    );
    const names = (narrow ? RULED : NAMED)
      .filter((hz) => this.isSeen(hz))
      .map((hz) => svg('text', { x: this.x(hz), y: 15, 'text-anchor': 'middle' }, inWords(hz)));
    return [...lines, ...names];
  }

  levelLines() {
    const [left, right] = [MARGIN.left, this.width - MARGIN.right];
    const out = [];
    const step = this.range / (this.range % 4 === 0 ? 4 : 3);
    for (let db = -this.range; db <= this.range; db += step) {
      if (db !== 0) out.push(svg('line', { x1: left, x2: right, y1: this.y(db), y2: this.y(db), class: 'grid-line strong' }));
      out.push(svg('text', { x: left - 6, y: this.y(db) + 4, 'text-anchor': 'end' }, db > 0 ? `+${db}` : String(db).replace('-', '−')));
    }
    for (let level = SOUND[0] + 20; level < SOUND[1]; level += 20) {
      out.push(svg('text', { x: right + 6, y: this.sound.y(level) + 4 }, String(level).replace('-', '−')));
    }
    out.push(svg('text', { x: left - 6, y: 15, 'text-anchor': 'end' }, 'dB'), svg('text', { x: right + 6, y: 15 }, 'dBFS'));
    out.push(svg('line', { x1: left, x2: right, y1: this.y(0), y2: this.y(0), class: 'zero-line' }));
    return out;
  }

  /** Octaves from each C, semitones as small ticks; dragged along, double-clicked for the whole. */
  octaveRuler() {
    const top = this.bottom + 4;
    const [low, high] = this.window;
    const out = [];
    for (let octave = 0; octave <= 10; octave += 1) {
      const from = WHOLE[0] * 2 ** octave;
      const [a, b] = [Math.max(low, from), Math.min(high, from * 2)];
      if (a >= b) continue;
      out.push(
        svg('rect', { x: this.x(a), y: top, width: this.x(b) - this.x(a), height: 10, class: `octave-bar${octave % 2 ? ' other' : ''}` }),
      );
      for (let s = 1; s < 12; s += 1) {
        const hz = from * 2 ** (s / 12);
        if (!this.isSeen(hz)) continue;
        out.push(svg('line', { x1: this.x(hz), x2: this.x(hz), y1: top, y2: top + (s === 7 ? 6 : 3), class: 'grid-line strong' }));
      }
      if (this.isSeen(from)) out.push(svg('text', { x: this.x(from) + 2, y: this.bottom + 27 }, `C${octave}`));
    }
    const handle = svg(
      'rect',
      { x: MARGIN.left, y: top, width: Math.max(0, this.width - MARGIN.left - MARGIN.right), height: 26, class: 'ruler-handle' },
      svg('title', {}, 'Drag to move along, wheel to look closer, double-click for the whole'),
    );
    handle.addEventListener('pointerdown', (event) => this.pan(/** @type {PointerEvent} */ (event)));
    handle.addEventListener('dblclick', (event) => {
      event.stopPropagation();
      this.whole();
    });
    return [...out, handle];
  }

  /** A hatch for what is taken away. */
  hatch() {
    const pattern = svg('pattern', {
      id: 'cut-hatch',
      width: 7,
      height: 7,
      patternUnits: 'userSpaceOnUse',
      patternTransform: 'rotate(-45)',
    });
    pattern.append(svg('line', { x1: 0, x2: 0, y1: 0, y2: 7, stroke: colour('taken'), 'stroke-width': 1, opacity: 0.55 }));
    return svg('defs', {}, pattern);
  }

  end() {
    this.observer.disconnect();
  }
}
