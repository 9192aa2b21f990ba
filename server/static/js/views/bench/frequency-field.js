// @ts-check
/**
 * The frequency field: octaves and notes along the bottom, Hz along the top, dB
 * at the side. A band is a peg: a stem from the zero line, a numbered flag, a
 * bracket over its width. The sound lies behind as third-octave steps.
 */
import { ask, format, kindOf, numberOf, parameter, rowsOf } from '../../engine/ask.js';
import { path, svg } from '../../draw/svg.js';
import { newGesture } from '../../session/document.js';
import { hearWhilePressed } from '../compare.js';
import { FrequencyScales, MARGIN } from './frequency-scales.js';

const POINTS = 360;

/** @typedef {import('./band-table.js').Band} Band */
/** @typedef {import('../../engine/ask.js').RowFacts} RowFacts */

export class FrequencyField extends FrequencyScales {
  /**
   * @param {object} options
   * @param {HTMLElement} options.place
   * @param {number} options.rate
   * @param {(bands: Band[], gesture: string) => void} options.onChange
   * @param {(index: number) => void} options.onSelect
   */
  constructor({ place, rate, onChange, onSelect }) {
    super(place, 'Frequency field: double-click for a new band; near either end a high-pass, low-pass or shelf');
    this.rate = rate;
    this.onChange = onChange;
    this.onSelect = onSelect;
    /** @type {Band[]} */
    this.bands = [];
    /** What is known of each. @type {RowFacts[]} */
    this.facts = [];
    this.selected = 0;
    /** @type {import('./findings.js').Ring[]} */
    this.rings = [];
    /** What lets a ring be heard by itself. @type {(ring: import('./findings.js').Ring) => import('../compare.js').Change | null} */
    this.ringHeard = () => null;
    /** Scales every gain. */
    this.amount = 1;
    this.phase = 'minimum';
    /** The bands as they are in other parts of the song. @type {Band[][]} */
    this.others = [];
    this.keyGesture = '';
    this.keyedAt = 0;
    this.svg.addEventListener('dblclick', (event) => this.addAt(event));
    /** The region that is heard alone now. @type {RowFacts['region']} */
    this.heard = null;
    this.hears = (/** @type {Event} */ event) => {
      this.heard = /** @type {CustomEvent} */ (event).detail;
      this.draw();
    };
    document.addEventListener('held-region', this.hears);
  }

  end() {
    document.removeEventListener('held-region', this.hears);
    super.end();
  }

  /** @param {Band[]} bands @param {number} selected @param {number} amount @param {string} phase */
  show(bands, selected, amount, phase) {
    this.amount = amount;
    this.phase = phase;
    this.bands = bands;
    this.selected = selected;
    this.draw();
  }

  draw() {
    this.facts = rowsOf({ kind: 'surgical-eq', params: { bands: this.bands, amount: this.amount } });
    if (this.width === 0) return;
    const held = this.svg.querySelector('.peg:focus')?.getAttribute('data-band');
    this.svg.setAttribute('viewBox', `0 0 ${this.width} ${this.height}`);
    this.svg.replaceChildren(
      this.hatch(),
      ...this.scales(),
      this.clipped(...this.zones(), ...this.heardRegion(), ...this.curves()),
      ...this.ringMarks(),
      ...this.ghosts(),
    );
    this.bands.forEach((band, i) => {
      if (this.isSeen(band.freq_hz)) this.svg.append(this.peg(band, i));
    });
    if (held) /** @type {SVGElement | null} */ (this.svg.querySelector(`[data-band="${held}"]`))?.focus();
    this.sound.draw();
  }

  /** Where pegs stand elsewhere in the song, hollow. @param {Band[][]} others */
  showElsewhere(others) {
    if (JSON.stringify(others) === JSON.stringify(this.others)) return;
    this.others = others;
    this.draw();
  }

  ghosts() {
    return this.others.flatMap((bands) =>
      bands.flatMap((band, i) => {
        const here = this.bands[i];
        if (!here || (here.freq_hz === band.freq_hz && here.gain_db === band.gain_db) || !this.isSeen(band.freq_hz)) return [];
        const [x, y] = [this.x(band.freq_hz), this.within(this.y(this.hasGain(i) ? band.gain_db * this.amount : 0))];
        return [
          svg(
            'g',
            { class: 'peg-elsewhere' },
            svg('title', {}, `band ${i + 1} elsewhere in the song: ${this.words(band, i)}`),
            svg('line', { x1: x, x2: x, y1: this.y(0), y2: y }),
            svg('rect', { x: x - 6, y: y - 6, width: 12, height: 12 }),
          ),
        ];
      }),
    );
  }

  /** What is heard alone while a key or a button is held. */
  heardRegion() {
    if (!this.heard) return [];
    const [low, high] = this.heard;
    const from = Math.max(MARGIN.left, low === null ? 0 : this.x(low));
    const to = Math.min(this.width - MARGIN.right, high === null ? this.width : this.x(high));
    return [
      svg('rect', { x: from, y: MARGIN.top, width: Math.max(2, to - from), height: this.bottom - MARGIN.top, class: 'heard-region' }),
    ];
  }

  /** @param {number} i @param {string} param */
  rests(i, param) {
    return this.facts[i]?.resting.includes(param) ?? false;
  }

  /** @param {number} i */
  hasGain(i) {
    return !this.rests(i, 'gain_db');
  }

  /** Whether it has a width: a quality, and no slope. @param {number} i */
  hasWidth(i) {
    return !this.rests(i, 'q') && this.rests(i, 'slope_db_oct');
  }

  /** Whether it takes all away on one side: a slope, and no gain. @param {number} i */
  isCut(i) {
    return this.rests(i, 'gain_db') && !this.rests(i, 'slope_db_oct');
  }

  /** What cuts exclude, hatched. */
  zones() {
    return this.bands.flatMap((band, i) => {
      // A cut is heard alone as what it takes away.
      const region = this.facts[i]?.region;
      if (!band.on || !region || !this.isCut(i)) return [];
      const [from, to] = [
        region[0] === null ? MARGIN.left : this.x(region[0]),
        region[1] === null ? this.width - MARGIN.right : this.x(region[1]),
      ];
      const [width, height] = [Math.max(0, to - from), this.bottom - MARGIN.top];
      return [svg('rect', { x: from, y: MARGIN.top, width, height, fill: 'url(#cut-hatch)' })];
    });
  }

  /** @param {Band[]} bands @param {string} kind */
  line(bands, kind) {
    const freqs = this.across(POINTS, this.rate);
    const unit = { kind: 'surgical-eq', params: { bands, amount: this.amount, phase: this.phase } };
    const gains = ask({ ask: 'response', rack: { zinc_rack: 1, units: [unit] }, rate: this.rate, freqs });
    const points = /** @type {[number, number][]} */ (freqs.map((hz, i) => [this.x(hz), this.within(this.y(gains[i]))]));
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
    const gain = this.hasGain(i) ? band.gain_db * this.amount : band.shape === 'notch' ? -this.range * 0.92 : 0;
    const y = Math.max(MARGIN.top + 9, Math.min(this.height - MARGIN.bottom - 9, this.y(gain)));
    const flagY = Math.max(MARGIN.top + 9, Math.min(this.height - MARGIN.bottom - 9, y + (gain < 0 ? 10 : -10)));
    const group = svg('g', {
      class: 'peg',
      tabindex: 0,
      role: 'slider',
      'data-band': i,
      'aria-label': `band ${i + 1}, ${band.shape}`,
      'aria-valuemin': 10,
      'aria-valuemax': 20000,
      'aria-valuenow': Math.round(band.freq_hz),
      'aria-valuetext': this.words(band, i),
    });
    if (i === this.selected) group.dataset.selected = '';
    if (!band.on) group.dataset.off = '';
    group.append(svg('line', { x1: x, x2: x, y1: this.y(0), y2: y }));
    if (this.hasWidth(i)) {
      const half = 2 ** (ask({ ask: 'octaves', q: band.q }) / 2);
      const [a, b] = [this.x(Math.max(this.window[0], band.freq_hz / half)), this.x(Math.min(this.window[1], band.freq_hz * half))];
      const tip = gain < 0 ? -5 : 5;
      group.append(svg('path', { d: `M${a} ${y + tip}V${y}H${b}V${y + tip}` }));
    }
    const farEnd = this.facts[i]?.far_end_db ?? null;
    if (farEnd !== null) group.append(...this.motion(farEnd, i, x, y));
    group.append(svg('rect', { x: x - 9, y: flagY - 9, width: 18, height: 18 }), svg('text', { x, y: flagY + 4 }, String(i + 1)));
    group.addEventListener('pointerdown', (event) => this.grab(event, i));
    group.addEventListener('keydown', (event) => this.key(event, i));
    group.addEventListener('focus', () => this.select(i));
    group.addEventListener('dblclick', (event) => event.stopPropagation());
    return group;
  }

  /**
   * The limit of a moving band as a second bracket, and a bar for what it takes away now.
   * @param {number} farEnd dB
   * @param {number} i
   * @param {number} x
   * @param {number} y
   */
  motion(farEnd, i, x, y) {
    const limit = this.y(farEnd);
    return [
      svg('path', { d: `M${x - 7} ${limit}H${x + 7}M${x} ${limit}V${y}`, class: 'peg-limit' }),
      svg('line', { x1: x, x2: x, y1: y, y2: y, class: 'peg-move', 'data-move': i }),
    ];
  }

  /** Marks rings on the top edge, with their notes. @param {import('./findings.js').Ring[]} rings */
  showRings(rings) {
    this.rings = rings;
    this.draw();
  }

  /** Rings on the top edge: held, one is heard by itself. */
  ringMarks() {
    return this.rings
      .filter(({ hz }) => this.isSeen(hz))
      .map((ring) => {
        const x = this.x(ring.hz);
        const name = `hear the ${ring.is} at ${Math.round(ring.hz)} Hz while this is held`;
        const mark = svg(
          'g',
          { class: 'ring-hold', tabindex: 0, role: 'button', 'aria-label': name },
          svg('title', {}, name),
          svg('rect', { x: x - 8, y: MARGIN.top, width: 16, height: 26, fill: 'transparent' }),
          svg('path', { d: `M${x} ${MARGIN.top}v12M${x - 3} ${MARGIN.top}v7M${x + 3} ${MARGIN.top}v7`, class: 'ring-mark' }),
          svg('text', { x: x + 5, y: MARGIN.top + 22, class: 'ring-note' }, ring.note.split(' ')[0]),
        );
        hearWhilePressed(mark, () => this.ringHeard(ring));
        mark.addEventListener('dblclick', (event) => event.stopPropagation());
        return mark;
      });
  }

  /** Where moving bands are now. @param {ArrayLike<number>} moves dB by band */
  showMoves(moves) {
    for (const bar of /** @type {NodeListOf<SVGElement>} */ (this.svg.querySelectorAll('[data-move]'))) {
      const i = Number(bar.dataset.move);
      bar.setAttribute('y2', String(this.y(this.bands[i].gain_db * this.amount + (moves[i] ?? 0))));
    }
  }

  /** @param {Band} band @param {number} i */
  words(band, i) {
    const text = (/** @type {string} */ param, /** @type {number} */ value) => format('surgical-eq/bands', param, value);
    return `${text('freq_hz', band.freq_hz)}${this.hasGain(i) ? `, ${text('gain_db', band.gain_db)}` : ''}`;
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
      const { min, max } = numberOf(parameter('surgical-eq/bands', id));
      band[id] = Math.max(min, Math.min(max, Number(band[id].toPrecision(4))));
    }
    this.bands = this.bands.map((b, n) => (n === i ? band : b));
    this.draw();
    this.onChange(this.bands, gesture);
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
    this.drag((e) => {
      const now = this.at(e);
      // Alt drags the bracket: away from the peg is wider.
      if (e.altKey && this.hasWidth(i)) this.change(i, { q: band.q * 2 ** ((start.x - now.x) / 40) }, gesture);
      else {
        const freq_hz = band.freq_hz * (this.hz(now.x) / this.hz(start.x));
        const gain_db = band.gain_db + (this.db(now.y) - this.db(start.y)) / (this.amount || 1);
        this.change(i, this.hasGain(i) ? { freq_hz, gain_db } : { freq_hz }, gesture);
      }
    });
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
        this.change(i, this.hasGain(i) ? { freq_hz, gain_db } : { freq_hz }, this.keyGesture);
      }
    }
    event.preventDefault();
    event.stopPropagation();
  }

  /** @param {MouseEvent} event */
  addAt(event) {
    const at = this.at(event);
    if (this.isOnSheet(at))
      this.add(ask({ ask: 'new-band', place: [this.hz(at.x), this.db(at.y)], others: [], last: null, thirds_db: [] }));
  }

  /**
   * A band beside the one in hand, or, before one is, where the part has most too much.
   * @param {number[]} thirdsDb levels of what comes in by third of an octave, where they are known
   */
  addBeside(thirdsDb) {
    const last = this.bands[this.selected]?.freq_hz ?? null;
    this.add(ask({ ask: 'new-band', place: null, others: this.bands.map((band) => band.freq_hz), last, thirds_db: thirdsDb }));
  }

  /** @param {Partial<Band>} band */
  add(band) {
    const rows = kindOf('surgical-eq').lists[0];
    if (this.bands.length >= rows.max) {
      this.place.dispatchEvent(
        new CustomEvent('trouble', { bubbles: true, detail: `A surgical EQ holds ${rows.max} bands; add another EQ for more.` }),
      );
      return;
    }
    this.bands = [...this.bands, ask({ ask: 'fresh-row', kind: 'surgical-eq', list: 'bands' })];
    this.selected = this.bands.length - 1;
    this.change(this.selected, band, newGesture());
    this.onSelect(this.selected);
  }
}
