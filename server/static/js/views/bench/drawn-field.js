// @ts-check
/**
 * The drawn EQ's picture: a ruler of steel bent through weights. The curve in hand is one
 * thick line held at its points; it is pulled anywhere along its length and its neighbours
 * follow. Protected ranges are hatched off, end cuts are brackets on the edges.
 */
import { ask, format, numberOf, parameter } from '../../engine/ask.js';
import { path, svg } from '../../draw/svg.js';
import { newGesture } from '../../session/document.js';
import { FrequencyScales, MARGIN } from './frequency-scales.js';

const POINTS = 300;
/** A keyboard step in dB, and how near a pointer must be to an end cut, in pixels. */
const STEP_DB = 0.5;
const NEAR = 7;
/** The most a curve can be pulled to, in dB. */
const MOST_DB = 30;

/** @typedef {{ place: string, freq_hz: number, gain_db: number }} Point */
/**
 * @typedef {{
 *   points: Point[], protect: { low_hz: number, high_hz: number }[], grid: string, contour: number, strength: number,
 *   protect_only: boolean, low_end_hz: number, high_end_hz: number,
 * }} Drawn
 */

export class DrawnField extends FrequencyScales {
  /**
   * @param {object} options
   * @param {HTMLElement} options.place
   * @param {number} options.rate
   * @param {() => import('../../types.js').Unit} options.unit the unit as it is
   * @param {(part: Partial<Drawn>, gesture: string) => void} options.onChange
   */
  constructor({ place, rate, unit, onChange }) {
    super(place, 'Drawn curve: drag it anywhere');
    this.rate = rate;
    this.unit = unit;
    this.onChange = onChange;
    /** The part of the image whose curve is in hand. */
    this.curve = 'stereo';
    /** Octaves over which neighbours follow. */
    this.reach = 1;
    /** Whether a drag marks a range to protect. */
    this.marking = false;
    /** @type {[number, number] | null} */
    this.mark = null;
    this.held = '';
    this.keyGesture = '';
    this.keyedAt = 0;
    this.svg.addEventListener('pointerdown', (event) => this.grab(event));
  }

  /** @returns {Drawn} */
  get params() {
    return /** @type {Drawn} */ (this.unit().params);
  }

  /** Points of the curve in hand. */
  own() {
    return this.params.points.filter((p) => p.place === this.curve);
  }

  draw() {
    if (this.width === 0) return;
    const focus = this.svg.querySelector('.weight:focus')?.getAttribute('data-hz');
    this.svg.setAttribute('viewBox', `0 0 ${this.width} ${this.height}`);
    this.svg.replaceChildren(
      this.hatch(),
      ...this.scales(),
      this.clipped(...this.ranges(), ...this.curves()),
      ...this.ends(),
      ...this.weights(),
    );
    if (focus) /** @type {SVGElement | null} */ (this.svg.querySelector(`[data-hz="${focus}"]`))?.focus();
    this.sound.draw();
  }

  ranges() {
    const bars = this.params.protect.map(({ low_hz: low, high_hz: high }) => ({ low, high, kind: 'kept' }));
    if (this.mark) bars.push({ low: Math.min(...this.mark), high: Math.max(...this.mark), kind: 'marked' });
    return bars.map(({ low, high, kind }) =>
      svg('rect', {
        x: this.x(low),
        y: MARGIN.top,
        width: Math.max(1, this.x(high) - this.x(low)),
        height: this.bottom - MARGIN.top,
        class: `protected ${kind}${this.params.protect_only ? ' only' : ''}`,
      }),
    );
  }

  curves() {
    const freqs = this.across(POINTS, this.rate);
    const line = (/** @type {number[]} */ gains, /** @type {string} */ kind) =>
      svg('path', { d: path(freqs.map((hz, i) => [this.x(hz), this.within(this.y(gains[i]))])), class: kind });
    const shape = (/** @type {string} */ curve) =>
      ask({ ask: 'drawn', points: this.params.points.filter((p) => p.place === curve), contour: this.params.contour, freqs });
    const others = [...new Set(this.params.points.map((p) => p.place))].filter((place) => place !== this.curve);
    const result = line(
      ask({ ask: 'response', rack: { zinc_rack: 1, units: [{ kind: 'drawn-eq', params: this.params }] }, rate: this.rate, freqs }),
      'curve',
    );
    result.id = 'summed-curve';
    return [...others.map((place) => line(shape(place), 'drawn-other')), result, line(shape(this.curve), 'ruler')];
  }

  /** End cuts as brackets to be moved. */
  ends() {
    return /** @type {('low_end_hz' | 'high_end_hz')[]} */ (['low_end_hz', 'high_end_hz']).flatMap((id) => {
      const { label } = parameter('drawn-eq', id);
      const domain = numberOf(parameter('drawn-eq', id));
      const x = Math.max(MARGIN.left, Math.min(this.width - MARGIN.right, this.x(this.params[id])));
      const way = id === 'low_end_hz' ? 6 : -6;
      const open = this.params[id] === domain.default;
      const bracket = svg('g', {
        class: `end-cut${open ? ' open' : ''}`,
        tabindex: 0,
        role: 'slider',
        'aria-label': label,
        'aria-valuemin': domain.min,
        'aria-valuemax': domain.max,
        'aria-valuenow': Math.round(this.params[id]),
        'aria-valuetext': open ? 'out of the way' : format('drawn-eq', id, this.params[id]),
      });
      bracket.append(
        svg('rect', { x: x - NEAR, y: MARGIN.top, width: 2 * NEAR, height: this.bottom - MARGIN.top, fill: 'transparent' }),
        svg('path', { d: `M${x + way} ${MARGIN.top + 1}H${x}V${this.bottom - 1}H${x + way}` }),
      );
      bracket.addEventListener('pointerdown', (event) => {
        event.stopPropagation();
        const gesture = newGesture();
        this.drag((e) => this.setEnd(id, this.hz(this.at(e).x), gesture));
      });
      bracket.addEventListener('dblclick', () => this.setEnd(id, domain.default, newGesture()));
      bracket.addEventListener('keydown', (event) => {
        const way = { ArrowRight: 1, ArrowUp: 1, ArrowLeft: -1, ArrowDown: -1 }[/** @type {KeyboardEvent} */ (event).key];
        if (!way) return;
        event.preventDefault();
        event.stopPropagation();
        const steps = /** @type {KeyboardEvent} */ (event).shiftKey ? 3 : 24;
        this.setEnd(id, this.params[id] * 2 ** (way / steps), this.gestureOfKeys());
      });
      return [bracket];
    });
  }

  /** @param {'low_end_hz' | 'high_end_hz'} id @param {number} hz @param {string} gesture */
  setEnd(id, hz, gesture) {
    const { min, max } = numberOf(parameter('drawn-eq', id));
    this.onChange({ [id]: Math.max(min, Math.min(max, Number(hz.toPrecision(4)))) }, gesture);
  }

  /** The weights that hold the curve. */
  weights() {
    return this.own()
      .filter((p) => this.isSeen(p.freq_hz))
      .map((point) => {
        const [x, y] = [this.x(point.freq_hz), this.within(this.y(point.gain_db))];
        const words = `${format('drawn-eq/points', 'freq_hz', point.freq_hz)}, ${format('drawn-eq/points', 'gain_db', point.gain_db)}`;
        const weight = svg(
          'path',
          {
            d: `M${x - 4} ${y + 5}L${x} ${y - 2}L${x + 4} ${y + 5}Z`,
            class: 'weight',
            tabindex: 0,
            role: 'slider',
            'data-hz': point.freq_hz,
            'aria-label': `${this.curve} curve at ${words}`,
            'aria-valuemin': -MOST_DB,
            'aria-valuemax': MOST_DB,
            'aria-valuenow': point.gain_db,
            'aria-valuetext': words,
          },
          svg('title', {}, words),
        );
        weight.addEventListener('keydown', (event) => this.key(/** @type {KeyboardEvent} */ (event), point));
        return weight;
      });
  }

  gestureOfKeys() {
    if (performance.now() - this.keyedAt > 900) this.keyGesture = newGesture();
    this.keyedAt = performance.now();
    return this.keyGesture;
  }

  /** @param {KeyboardEvent} event @param {Point} point */
  key(event, point) {
    const way = { ArrowUp: 1, ArrowDown: -1 }[event.key];
    if (event.key === 'Delete' || event.key === 'Backspace')
      this.onChange({ points: this.params.points.filter((p) => p !== point) }, newGesture());
    else if (way) this.pull(point.freq_hz, point.gain_db + way * (event.shiftKey ? 10 : 1) * STEP_DB, this.gestureOfKeys());
    else return;
    event.preventDefault();
    event.stopPropagation();
  }

  /**
   * Pulls the curve in hand at a frequency to a gain. Every move of a drag starts from the
   * curve as it was at its beginning, or the neighbours' shares would pile up.
   * @param {number} hz
   * @param {number} gain
   * @param {string} gesture
   * @param {Point[]} [from]
   */
  pull(hz, gain, gesture, from = this.params.points) {
    const points = from.filter((p) => p.place === this.curve).map(({ freq_hz, gain_db }) => ({ freq_hz, gain_db }));
    const hold = { hz, gain_db: Math.max(-MOST_DB, Math.min(MOST_DB, gain)), reach: this.reach };
    /** @type {{ freq_hz: number, gain_db: number }[]} */
    const pulled = ask({ ask: 'pull', points, contour: this.params.contour, grid: this.params.grid, hold });
    const { max } = this.room;
    const all = [...from.filter((p) => p.place !== this.curve), ...pulled.map((p) => ({ place: this.curve, ...p }))];
    if (all.length > max) {
      this.place.dispatchEvent(
        new CustomEvent('trouble', { bubbles: true, detail: `A drawn EQ is held at most at ${max} places; choose a coarser grid.` }),
      );
      return;
    }
    this.onChange({ points: all }, gesture);
  }

  /** How many points fit. @type {{ max: number }} */
  room = { max: 384 };

  /** @param {PointerEvent} event */
  grab(event) {
    const at = this.at(event);
    if (event.button !== 0 || !this.isOnSheet(at)) return;
    event.preventDefault();
    if (this.marking) {
      this.markRange(at.x);
      return;
    }
    const gesture = newGesture();
    // The place is taken where the pointer went down; it is moved by as much as the pointer.
    const hz = this.hz(at.x);
    const [was] = ask({ ask: 'drawn', points: this.own(), contour: this.params.contour, freqs: [hz] });
    const start = this.params.points;
    this.drag((e) => this.pull(hz, was + this.db(this.at(e).y) - this.db(at.y), gesture, start));
  }

  /** @param {number} from pixels */
  markRange(from) {
    const { min, max } = numberOf(parameter('drawn-eq/protect', 'low_hz'));
    const hz = (/** @type {number} */ x) => Math.max(min, Math.min(max, Number(this.hz(x).toPrecision(4))));
    this.drag(
      (e) => {
        this.mark = [hz(from), hz(this.at(e).x)];
        this.draw();
      },
      () => {
        const mark = this.mark;
        this.mark = null;
        if (mark && Math.abs(Math.log2(mark[0] / mark[1])) > 0.02)
          this.onChange({ protect: [...this.params.protect, { low_hz: Math.min(...mark), high_hz: Math.max(...mark) }] }, newGesture());
        else this.draw();
      },
    );
  }
}
