// @ts-check
/**
 * The panel of a stepped tone EQ: the live curve with what the control in hand does to it, the
 * overtones it adds, the controls by band. Eyes closed: curve and figures out of sight, so that
 * the ear decides.
 */
import { ask, format, kindOf } from '../../engine/ask.js';
import { FREQUENCIES, decibels, drawPlot } from '../../draw/plot.js';
import { html, level, signed, svg } from '../../draw/svg.js';
import { newGesture } from '../../session/document.js';
import { valueAt } from '../../session/values.js';
import { Panel, optionValue } from './panel.js';
import { Overtones } from './overtones.js';

const POINTS = 96;
const FREQS = Array.from({ length: POINTS }, (_, i) => 20 * 1000 ** (i / (POINTS - 1)));
/** The curve is drawn within one of these, in dB. */
const RANGES = [6, 12, 18, 30];

/** Kept for the page: whoever closes the eyes wants them closed on the next unit too. */
let eyesClosed = false;

export class ToneEqPanel extends Panel {
  /** @param {ConstructorParameters<typeof Panel>} args */
  constructor(...args) {
    super(...args);
    const kind = kindOf(this.unit.kind);
    this.params = kind.params;
    this.group = '';
    /** The control in hand. */
    this.held = '';
    this.field = svg('svg', { role: 'img', class: 'tone-eq-curve' });
    this.overtones = new Overtones(() => this.unit, this.session.rate);
    this.said = html('p', { className: 'tone-eq-said' });
    this.picture = html('div', { className: 'tone-eq-picture' }, this.field, this.said, this.overtones.element);
    const columns = this.controls(kind.params);
    columns.classList.add('tone-eq-controls');
    for (const place of columns.querySelectorAll('.rule-group')) this.watch(/** @type {HTMLElement} */ (place));
    const eyes = html(
      'button',
      {
        type: 'button',
        className: 'plain-button eyes',
        'aria-pressed': String(eyesClosed),
        title: 'Hides curve and figures, so that only the ear decides',
      },
      'eyes closed',
    );
    eyes.addEventListener('click', () => {
      eyesClosed = !eyesClosed;
      eyes.setAttribute('aria-pressed', String(eyesClosed));
      this.place.classList.toggle('eyes-closed', eyesClosed);
      if (!eyesClosed) this.show();
    });
    this.place.replaceChildren(this.head(eyes), this.picture, columns);
    this.place.classList.toggle('eyes-closed', eyesClosed);
    this.observer = new ResizeObserver(() => this.show());
    this.observer.observe(this.picture);
  }

  /** Short lists of frequencies as lists, so that a band stays narrow. @param {import('../../types.js').Param} param */
  control(param) {
    if (param.domain.type !== 'choice' || param.domain.options.length < 4) return super.control(param);
    const list = html(
      'select',
      { className: 'key-choice', 'aria-label': `${kindOf(this.unit.kind).name}: ${param.label}`, data: { param: param.id } },
      ...param.domain.options.map((o) => new Option(o.label, o.id)),
    );
    const value = () => String(valueAt(this.unit.params, param.id));
    list.value = value();
    list.addEventListener('change', () => {
      this.changeParams({ [param.id]: optionValue(list.value) }, newGesture());
      this.show();
    });
    this.follows.push(() => {
      list.value = value();
    });
    return html('div', { className: 'choice', title: param.hint }, html('span', {}, param.label), list);
  }

  /** What the controls of a group do is drawn while one of them is in hand. @param {HTMLElement} place */
  watch(place) {
    const name = place.getAttribute('aria-label') ?? '';
    const take = (/** @type {string} */ group, /** @type {string} */ held) => {
      if (this.group === group && this.held === held) return;
      this.group = group;
      this.held = held;
      this.show();
    };
    const control = (/** @type {Event} */ event) =>
      /** @type {HTMLElement | null} */ (/** @type {Element} */ (event.target).closest('[data-path]'))?.dataset.path ?? '';
    place.addEventListener('pointerover', (event) => take(name, control(event)));
    place.addEventListener('focusin', (event) => take(name, control(event)));
    place.addEventListener('pointerleave', () => {
      if (!place.contains(document.activeElement)) take('', '');
    });
    place.addEventListener('focusout', () => {
      if (!place.matches(':hover')) take('', '');
    });
  }

  /** What the control in hand does to the whole, against where it begins: a sentence. @param {number[]} whole */
  ofHeld(whole) {
    const param = this.params.find((p) => p.id === this.held);
    if (!param) return '';
    const fresh = ask({ ask: 'fresh', kind: this.unit.kind }).params;
    const without = this.gains({ ...this.unit.params, [param.id]: valueAt(fresh, param.id) });
    const moved = whole.map((db, i) => db - without[i]);
    const most = moved.reduce((at, db, i) => (Math.abs(db) > Math.abs(moved[at]) ? i : at), 0);
    return Math.abs(moved[most]) < 0.05
      ? ` ${param.label}: as it begins, or without effect.`
      : ` ${param.label}: ${signed(moved[most])} dB at ${this.hz(FREQS[most])}.`;
  }

  /** @param {number} value */
  hz(value) {
    return format('surgical-eq/bands', 'freq_hz', value);
  }

  /** @param {import('../../types.js').Params} params */
  gains(params) {
    const unit = { ...this.unit, on: true, mix: 1, trim_db: 0, params };
    return /** @type {number[]} */ (ask({ ask: 'response', rack: { zinc_rack: 1, units: [unit] }, rate: this.session.rate, freqs: FREQS }));
  }

  /** The unit's settings with only one group's controls as they are. @param {string} group */
  only(group) {
    const fresh = ask({ ask: 'fresh', kind: this.unit.kind }).params;
    for (const param of this.params) if (param.group === group) fresh[param.id] = valueAt(this.unit.params, param.id);
    return fresh;
  }

  show() {
    if (!this.field || eyesClosed) return;
    const whole = this.gains(this.unit.params);
    const part = this.group ? this.gains(this.only(this.group)) : null;
    const most = Math.max(...whole.map(Math.abs).filter((db) => db < 40), ...(part ?? [0]).map(Math.abs).filter((db) => db < 40), 0);
    const range = RANGES.find((r) => r >= most) ?? 30;
    const points = (/** @type {number[]} */ gains) => gains.map((db, i) => /** @type {[number, number]} */ ([FREQS[i], db]));
    const best = whole.reduce((at, db, i) => (Math.abs(db) > Math.abs(whole[at]) ? i : at), 0);
    this.said.textContent = this.ofHeld(whole).trim();
    drawPlot(this.field, {
      x: FREQUENCIES,
      y: { from: -range, to: range, marks: decibels(-range, range, range / 3) },
      words:
        Math.abs(whole[best]) < 0.1
          ? 'The curve is flat.'
          : `The curve: most at ${this.hz(FREQS[best])}, ${level(whole[best])} dB.` +
            `${part ? ` Dashed: ${this.group} alone.` : ''}${this.ofHeld(whole)}`,
      lines: [
        ...(part ? [{ kind: 'plot-line part', label: this.group, points: points(part) }] : []),
        { kind: 'curve', label: 'all of it', points: points(whole) },
      ],
    });
    this.overtones.show();
  }

  /** @param {import('../../session/document.js').Unit} unit */
  take(unit) {
    super.take(unit);
    this.show();
  }

  end() {
    super.end();
    this.place.classList.remove('eyes-closed');
    this.overtones.end();
    this.observer.disconnect();
  }
}
