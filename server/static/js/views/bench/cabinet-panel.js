// @ts-check
/**
 * The panel of a cabinet: the cone from the front and from the side with the microphones on it,
 * which are dragged or moved by arrow keys, and the response beside it; over its controls.
 */
import { askLater, leave } from '../../engine/later.js';
import { ask, format, kindOf, numberOf, parameter } from '../../engine/ask.js';
import { FREQUENCIES, decibels, drawPlot } from '../../draw/plot.js';
import { html, level, signed, svg } from '../../draw/svg.js';
import { newGesture } from '../../session/document.js';
import { valueAt } from '../../session/values.js';
import { ParamPanel } from './param-panel.js';

const POINTS = 120;
const FREQS = Array.from({ length: POINTS }, (_, i) => 40 * 300 ** (i / (POINTS - 1)));
/** Response drawn, in dB about its mean. */
const [TOP_DB, DEEP_DB] = [18, -36];
const MICS = /** @type {const} */ (['a', 'b']);
/** A third octave that two microphones leave so much under the sum of their powers is cancelled, in dB. */
const CANCEL_DB = -2;
/** Room around the drawings, and the radius of a microphone. */
const EDGE = 14;
const MIC = 8;

/** Where a distance lies on the side view, 0 at the cone: in equal ratios, as its rule. @param {number} cm */
const along = (cm) => Math.log(cm) / Math.log(100);

/** @typedef {{ first_db: number, second_db: number, thirds: [number, number][] }} Mix */

/** The levels of both microphones in the mix, and the third octaves that they cancel. @param {Mix} mix */
function mixSaid(mix) {
  const worst = [...mix.thirds]
    .sort(([, a], [, b]) => a - b)
    .slice(0, 3)
    .filter(([, db]) => db < CANCEL_DB);
  const said = worst.map(([hz, db]) => `${level(-db)} dB at ${format('surgical-eq/bands', 'freq_hz', Number(hz.toPrecision(2)))}`);
  const levels = ` Mix: first ${signed(mix.first_db)} dB, second ${signed(mix.second_db)} dB;`;
  return `${levels} ${said.length ? `they cancel ${said.join(', ')}` : 'they cancel nothing by 2 dB or more'}.`;
}

export class CabinetPanel extends ParamPanel {
  /** @param {ConstructorParameters<typeof ParamPanel>} args */
  constructor(...args) {
    super(...args);
    this.front = svg('svg', { class: 'cabinet-front', role: 'group', 'aria-label': 'The cone from the front' });
    this.side = svg('svg', { class: 'cabinet-side', role: 'group', 'aria-label': 'The cone from the side' });
    this.field = svg('svg', { class: 'cabinet-response', role: 'img' });
    this.words = html('p', { className: 'quiet' });
    this.picture.classList.add('cabinet-box');
    this.picture.append(this.front, this.side, html('div', { className: 'cabinet-curve' }, this.field, this.words));
    this.rulesPlace.classList.add('cabinet-controls');
    this.gesture = '';
    this.observer = new ResizeObserver(() => this.show());
    this.observer.observe(this.picture);
  }

  /** @param {string} id @returns {any} */
  value(id) {
    return valueAt(this.unit.params, id);
  }

  show() {
    if (!this.field) return;
    const own = this.value('sound');
    this.front.classList.toggle('idle', Boolean(own));
    this.side.classList.toggle('idle', Boolean(own));
    this.drawFront();
    this.drawSide();
    this.drawResponse(own);
  }

  /** @param {import('../../types.js').Params} own */
  drawResponse(own) {
    const rack = { zinc_rack: 1, units: [{ ...this.unit, on: true, mix: 1, trim_db: 0 }] };
    const { rate } = this.session;
    askLater(this.field, { ask: 'response', rack, rate, freqs: FREQS }, (gains) => this.drawGains(gains));
    if (own) this.words.textContent = 'A response of your own stands in for loudspeaker and microphones.';
    else
      askLater(this.words, { ask: 'microphone-mix', unit: this.unit, rate }, (mix) => {
        this.words.textContent = this.said(mix);
      });
  }

  /** @param {number[]} gains */
  drawGains(gains) {
    drawPlot(this.field, {
      x: { ...FREQUENCIES, from: 40, to: 12000 },
      y: { from: DEEP_DB, to: TOP_DB, marks: decibels(DEEP_DB, TOP_DB, 12) },
      words: 'What loudspeaker and microphones do, by frequency',
      lines: [{ kind: 'curve', label: 'response', points: gains.map((db, i) => [FREQS[i], db]) }],
    });
  }

  /** The microphones in words. @param {Mix | null} mix of two */
  said(mix) {
    const one = (/** @type {'a' | 'b'} */ mic) => {
      const offset = this.value(`${mic}_offset`);
      const where = offset < 0.12 ? 'before the dome' : offset > 0.85 ? 'at the edge' : `${Math.round(offset * 100)} % out`;
      const distance = `${mic}_distance_cm`;
      return `${this.value(`${mic}_type`)} ${where}, ${format('cabinet', distance, this.value(distance))} away`;
    };
    const second = this.value('b_on') ? `; ${one('b')}${this.value('b_flip') ? ', inverted' : ''}` : '';
    return `${one('a')}${second}.${mix ? mixSaid(mix) : ''}`;
  }

  mics() {
    return this.value('b_on') ? MICS : /** @type {const} */ (['a']);
  }

  drawFront() {
    const { clientWidth: wide, clientHeight: tall } = this.front;
    if (wide === 0) return;
    this.front.setAttribute('viewBox', `0 0 ${wide} ${tall}`);
    const radius = Math.min(wide, tall) / 2 - EDGE;
    const [x, y] = [wide / 2, tall / 2];
    const rings = [1, 0.97, 0.3].map((r) => svg('circle', { cx: x, cy: y, r: radius * r, class: 'cone' }));
    const axis = svg('line', { x1: x - radius, x2: x + radius, y1: y, y2: y, class: 'axis' });
    const dots = this.mics().map((mic) => {
      // The first moves to the right of the middle, the second to the left, so that both can be taken.
      const turn = mic === 'a' ? 1 : -1;
      return this.dot(
        mic,
        `${mic}_offset`,
        x + turn * this.value(`${mic}_offset`) * radius,
        y,
        (event, box) => (turn * (event.clientX - box.left - x)) / radius,
      );
    });
    this.replace(this.front, [...rings, axis, ...dots]);
  }

  drawSide() {
    const { clientWidth: wide, clientHeight: tall } = this.side;
    if (wide === 0) return;
    this.side.setAttribute('viewBox', `0 0 ${wide} ${tall}`);
    const radius = tall / 2 - EDGE;
    const y = tall / 2;
    const [rim, far] = [EDGE + 0.42 * radius, wide - EDGE - MIC];
    const cone = svg('path', {
      d: `M${rim} ${y - radius}L${EDGE} ${y - 0.28 * radius}V${y + 0.28 * radius}L${rim} ${y + radius}`,
      class: 'cone',
    });
    const dome = svg('path', {
      d: `M${EDGE} ${y - 0.28 * radius}Q${EDGE + 0.3 * radius} ${y} ${EDGE} ${y + 0.28 * radius}`,
      class: 'cone',
    });
    const marks = [1, 3, 10, 30, 100].flatMap((cm) => {
      const at = rim + MIC + along(cm) * (far - rim - MIC);
      return [
        svg('line', { x1: at, x2: at, y1: tall - EDGE, y2: tall - EDGE + 4, class: 'axis' }),
        svg('text', { x: at, y: tall - 2, 'text-anchor': 'middle' }, cm === 100 ? '1 m' : `${cm}`),
      ];
    });
    const dots = this.mics().map((mic) => {
      const turn = mic === 'a' ? -1 : 1;
      const at = rim + MIC + along(this.value(`${mic}_distance_cm`)) * (far - rim - MIC);
      return this.dot(
        mic,
        `${mic}_distance_cm`,
        at,
        y + turn * this.value(`${mic}_offset`) * radius,
        (event, box) => 100 ** Math.max(0, Math.min(1, (event.clientX - box.left - rim - MIC) / (far - rim - MIC))),
      );
    });
    this.replace(this.side, [cone, dome, ...marks, ...dots]);
  }

  /** Draws anew and keeps the hand on what it holds. @param {SVGElement} place @param {SVGElement[]} parts */
  replace(place, parts) {
    const held = place.contains(document.activeElement) ? /** @type {SVGElement} */ (document.activeElement).dataset.param : undefined;
    place.replaceChildren(...parts);
    if (held) /** @type {SVGElement | null} */ (place.querySelector(`[data-param="${held}"]`))?.focus();
  }

  /**
   * A microphone that is dragged, or moved by arrow keys.
   * @param {'a' | 'b'} mic @param {string} param @param {number} x @param {number} y
   * @param {(event: PointerEvent, box: DOMRect) => number} valueOf
   */
  dot(mic, param, x, y, valueOf) {
    const spec = parameter('cabinet', param);
    const { min, max } = numberOf(spec);
    const value = this.value(param);
    const words = format('cabinet', param, value);
    const dot = svg(
      'g',
      {
        class: `mic mic-${mic}`,
        tabindex: 0,
        role: 'slider',
        'data-param': param,
        'aria-label': `${kindOf('cabinet').name}: ${mic === 'a' ? 'first' : 'second'} microphone, ${spec.label}`,
        'aria-valuemin': min,
        'aria-valuemax': max,
        'aria-valuenow': value,
        'aria-valuetext': words,
        transform: `translate(${x.toFixed(1)} ${y.toFixed(1)})`,
      },
      svg('circle', { r: MIC }),
      svg('text', { y: 4, 'text-anchor': 'middle' }, mic === 'a' ? '1' : '2'),
    );
    dot.addEventListener('pointerdown', (event) => this.drag(/** @type {PointerEvent} */ (event), param, valueOf));
    dot.addEventListener('keydown', (event) => this.nudge(/** @type {KeyboardEvent} */ (event), mic, param));
    return dot;
  }

  /** @param {string} param @param {number} value @param {string} gesture */
  move(param, value, gesture) {
    const { min, max } = numberOf(parameter('cabinet', param));
    const kept = Math.max(min, Math.min(max, value));
    this.changeParams({ [param]: Math.round(kept * 1000) / 1000 }, gesture);
    for (const [rule, now] of this.rules) rule.set(now());
    this.show();
  }

  /** @param {PointerEvent} event @param {string} param @param {(event: PointerEvent, box: DOMRect) => number} valueOf */
  drag(event, param, valueOf) {
    event.preventDefault();
    const place = /** @type {SVGElement} */ (/** @type {Element} */ (event.currentTarget).closest('svg'));
    /** @type {SVGElement | null} */ (event.currentTarget)?.focus();
    const gesture = newGesture();
    place.setPointerCapture(event.pointerId);
    const move = (/** @type {PointerEvent} */ moved) => this.move(param, valueOf(moved, place.getBoundingClientRect()), gesture);
    const done = () => {
      place.removeEventListener('pointermove', move);
      place.removeEventListener('pointerup', done);
      place.removeEventListener('pointercancel', done);
    };
    place.addEventListener('pointermove', move);
    place.addEventListener('pointerup', done);
    place.addEventListener('pointercancel', done);
  }

  /** @param {KeyboardEvent} event @param {'a' | 'b'} mic @param {string} param */
  nudge(event, mic, param) {
    const across = mic === 'b' && param.endsWith('_offset') ? -1 : 1;
    const step = { ArrowRight: across, ArrowLeft: -across, ArrowUp: 1, ArrowDown: -1 }[event.key];
    if (!step) return;
    event.preventDefault();
    event.stopPropagation();
    if (!event.repeat) this.gesture = newGesture();
    this.move(
      param,
      ask({ ask: 'step', table: 'cabinet', param, value: this.value(param), count: step * (event.shiftKey ? 5 : 1) }),
      this.gesture,
    );
  }

  end() {
    super.end();
    leave(this.field);
    leave(this.words);
    this.observer.disconnect();
  }
}
