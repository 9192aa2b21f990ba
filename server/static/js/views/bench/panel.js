// @ts-check
/** What every unit's panel has: head, rules, values that come from elsewhere. */
import { ask, kindOf, optionsOf, parameter } from '../../engine/ask.js';
import { lamp, tabs } from '../../controls/tabs.js';
import { Rule } from '../../controls/rule.js';
import { html } from '../../draw/svg.js';
import { newGesture } from '../../session/document.js';
import { unitName } from '../../session/unit-name.js';
import { put, valueAt } from '../../session/values.js';
import { hearWithout } from '../compare.js';
import { KEY } from '../sides.js';
import { openCopy, whereIs } from './copy-menu.js';
import { fitTrim } from './fit-trim.js';
import { soundChoice } from './sound-choice.js';

/** @typedef {import('../../session/document.js').Unit} Unit */

/** An option's id as JSON holds it: one that reads as a number is one. @param {string} id */
export const optionValue = (id) => (/^\d+$/.test(id) ? Number(id) : id);

/** Kinds whose further controls are shown. @type {Set<string>} */
const UNFOLDED = new Set();
/** A choice of more options than this has the whole width. */
const MANY = 8;

/** What every unit's panel has. */
export class Panel {
  /** Brings the key's choice up to date. @type {(() => void) | undefined} */
  showKey;

  /** @type {HTMLInputElement} */
  why = html('input');

  /** @type {HTMLElement} */
  onLamp = html('button');

  /** @type {HTMLElement} */
  linkPlace = html('span');

  /**
   * @param {HTMLElement} place
   * @param {Unit} unit
   * @param {import('../../session/document.js').Session} session
   * @param {(unit: Unit, gesture: string) => void} onChange
   */
  constructor(place, unit, session, onChange) {
    this.place = place;
    this.unit = unit;
    this.session = session;
    this.onChange = onChange;
    /** @type {import('../../types.js').Treatment | null} */
    this.treatment = null;
    this.station = 0;
    /** The row in hand, for units that have rows. */
    this.selected = 0;
    /** @type {[Rule, () => number][]} */
    this.rules = [];
    /** Bring choices and switches up to date. @type {(() => void)[]} */
    this.follows = [];
    /** Controls of its own parameters. @type {Map<string, HTMLElement>} */
    this.ofParam = new Map();
  }

  /** @param {Partial<Unit>} part @param {string} gesture */
  change(part, gesture) {
    this.unit = { ...this.unit, ...part };
    this.onChange(this.unit, gesture);
  }

  /** @param {Record<string, unknown>} part @param {string} gesture */
  changeParams(part, gesture) {
    this.change({ params: { ...this.unit.params, ...part } }, gesture);
  }

  /** @param {...Node} extra */
  head(...extra) {
    const kind = kindOf(this.unit.kind);
    this.why = html('input', {
      className: 'unit-why',
      value: this.unit.why,
      placeholder: 'what is it here for?',
      'aria-label': 'What this unit is here for',
      maxLength: 2000,
    });
    this.why.addEventListener('change', () => this.change({ why: this.why.value }, newGesture()));
    this.onLamp = lamp(this.unit.on, 'on', (on) => {
      this.onLamp.setAttribute('aria-pressed', String(on));
      this.change({ on }, newGesture());
    });
    this.onLamp.dataset.path = 'on';
    const common = html('span', { className: 'unit-common' });
    for (const param of /** @type {const} */ (['mix', 'trim_db'])) {
      const rule = new Rule({
        table: 'common',
        param,
        of: kind.name,
        value: this.unit[param],
        onChange: (value, gesture) => this.change({ [param]: value }, gesture),
      });
      rule.element.dataset.path = param;
      this.rules.push([rule, () => this.unit[param]]);
      common.append(rule.element);
    }
    common.append(fitTrim(() => this.unit));
    const copy = html(
      'button',
      { type: 'button', className: 'plain-button', title: 'To another track, linked or free; or out as a file' },
      'copy…',
    );
    copy.addEventListener('click', () => openCopy(this.unit));
    const tries = html(
      'button',
      { type: 'button', className: 'plain-button', title: 'This passage over a list of values, compared (T)' },
      'try…',
    );
    tries.addEventListener('click', () => this.place.dispatchEvent(new CustomEvent('trials')));
    this.linkPlace = html('span', { style: 'display: contents' }, ...this.link());
    return html(
      'div',
      { className: 'unit-head' },
      this.heading(),
      ...this.ofAnotherVersion(),
      this.linkPlace,
      this.why,
      common,
      this.placeChoice(),
      this.onLamp,
      ...extra,
      tries,
      copy,
    );
  }

  /** Its name, typed anew after a double-click or R. */
  heading() {
    const heading = html('h2', { className: 'unit-name', title: 'Double-click to rename it (R)' });
    const show = () => heading.replaceChildren(unitName(this.unit));
    const rename = () => {
      const input = html('input', {
        value: this.unit.name ?? '',
        placeholder: kindOf(this.unit.kind).name,
        'aria-label': 'Name of this unit',
        maxLength: 80,
      });
      let isLeft = false;
      const leave = (/** @type {boolean} */ keeps) => {
        if (isLeft) return;
        isLeft = true;
        if (keeps) this.change({ name: input.value.trim() }, newGesture());
        show();
      };
      input.addEventListener('blur', () => leave(true));
      input.addEventListener('keydown', (/** @type {KeyboardEvent} */ event) => {
        if (event.key === 'Enter' || event.key === 'Escape') leave(event.key === 'Enter');
      });
      heading.replaceChildren(input);
      input.select();
    };
    heading.addEventListener('dblclick', rename);
    heading.addEventListener('rename', rename);
    this.follows.push(() => {
      if (!heading.querySelector('input')) show();
    });
    show();
    return heading;
  }

  /** What of it this version cannot use. */
  ofAnotherVersion() {
    const words = ask({ ask: 'kept', unit: this.unit });
    return words ? [html('p', { className: 'caution unit-kept', role: 'status' }, words)] : [];
  }

  /** The part of the stereo image it works on. */
  placeChoice() {
    const spec = parameter('common', 'place');
    const { label, hint } = spec;
    const list = html(
      'select',
      { className: 'key-choice', title: hint, 'aria-label': `${kindOf(this.unit.kind).name}: ${label}` },
      ...optionsOf(spec).map((o) => new Option(o.label, o.id)),
    );
    list.value = this.unit.place;
    list.dataset.path = 'place';
    list.addEventListener('change', () => this.change({ place: list.value }, newGesture()));
    this.follows.push(() => {
      list.value = this.unit.place;
    });
    return list;
  }

  /**
   * The controls of the unit's own parameters, made from its table: a rule for a number, tabs
   * for a choice, a lamp for a switch; those of one group on one line, and what is for finishing
   * folded away below.
   * @param {import('../../types.js').Param[]} params
   */
  controls(params) {
    const place = this.grouped(params.filter((param) => !param.further));
    queueMicrotask(() => this.showResting());
    const further = params.filter((param) => param.further);
    if (further.length === 0) return place;
    const words = [...new Set(further.map((param) => param.group))].filter(Boolean).join(', ');
    const fold = html(
      'details',
      { className: 'further', open: UNFOLDED.has(this.unit.kind) },
      html('summary', {}, html('span', { className: 'further-word' }, 'more'), ` ${words}`),
      this.grouped(further),
    );
    fold.addEventListener('toggle', () => UNFOLDED[fold.open ? 'add' : 'delete'](this.unit.kind));
    return html('div', { className: 'folding' }, place, fold);
  }

  /** Each group under its name, in the order of the table; what is in none on its own. @param {import('../../types.js').Param[]} params */
  grouped(params) {
    const place = html('div', { className: 'rules' });
    /** @type {Map<string, HTMLElement>} */
    const groups = new Map();
    for (const param of params) {
      const control = this.control(param);
      control.dataset.path = param.id;
      this.ofParam.set(param.id, control);
      if (!param.group) {
        place.append(control);
        continue;
      }
      if (!groups.has(param.group)) {
        groups.set(
          param.group,
          html('div', { className: 'rule-group', role: 'group', 'aria-label': param.group }, html('h3', {}, param.group)),
        );
        place.append(/** @type {HTMLElement} */ (groups.get(param.group)));
      }
      groups.get(param.group)?.append(control);
    }
    return place;
  }

  /** Dims the controls that do nothing with the others as they are. */
  showResting() {
    const reaches = ask({ ask: 'reaches', unit: this.unit });
    for (const [rule] of this.rules) rule.reaches(reaches[rule.param] ?? null);
    const resting = /** @type {string[]} */ (ask({ ask: 'resting', unit: this.unit }));
    for (const [id, control] of this.ofParam) {
      const rests = resting.includes(id);
      control.classList.toggle('resting', rests);
      if (rests) control.setAttribute('aria-description', 'does nothing with the other settings as they are');
      else control.removeAttribute('aria-description');
    }
  }

  /** @param {import('../../types.js').Param} param */
  control(param) {
    const set = (/** @type {unknown} */ value, /** @type {string} */ gesture) => {
      this.change({ params: put(this.unit.params, param.id, value) }, gesture);
      if (param.domain.type !== 'number') this.showResting();
      this.show();
    };
    const value = () => valueAt(this.unit.params, param.id);
    const name = kindOf(this.unit.kind).name;
    if (param.domain.type === 'number') {
      const rule = new Rule({
        table: this.unit.kind,
        param: param.id,
        of: name,
        value: value(),
        tempo: this.session.tempo_bpm,
        onChange: set,
      });
      this.rules.push([rule, value]);
      return rule.element;
    }
    if (param.domain.type === 'switch') {
      const button = lamp(Boolean(value()), param.label, (on) => set(on, newGesture()), `${name}: ${param.label}`);
      button.title = param.hint;
      this.follows.push(() => button.setAttribute('aria-pressed', String(Boolean(value()))));
      return html('div', { className: 'choice' }, html('span', {}, '\u00a0'), button);
    }
    if (param.domain.type === 'sound') {
      const { element, follow } = soundChoice(param, name, value, (hash) => set(hash, newGesture()));
      this.follows.push(follow);
      return element;
    }
    const row = tabs(param.domain.options, String(value()), `${name}: ${param.label}`, (id) => set(optionValue(id), newGesture()));
    row.dataset.param = param.id;
    this.follows.push(() => {
      for (const button of row.children)
        button.setAttribute('aria-pressed', String(/** @type {HTMLElement} */ (button).dataset.option === String(value())));
    });
    const many = param.domain.options.length > MANY ? ' many' : '';
    return html('div', { className: `choice${many}`, title: param.hint }, html('span', {}, param.label), row);
  }

  /** Draws what shows the unit's values. */
  show() {}

  /** What the unit follows, and the way out of it. */
  link() {
    const source = this.unit.follows ? whereIs(this.unit.follows.unit) : '';
    if (!source) return [];
    const free = html(
      'button',
      { type: 'button', className: 'plain-button', title: 'From now on its values are its own' },
      'break the link',
    );
    free.addEventListener('click', () => {
      this.change({ follows: undefined }, newGesture());
      line.remove();
      this.place.classList.remove('following');
    });
    const turned = (this.unit.follows?.mirrored ?? []).map((row) => row + 1).join(', ');
    const line = html('span', { className: 'link-line' }, `follows the ${source}${turned ? `; gains mirrored: ${turned}` : ''}`, free);
    this.place.classList.add('following');
    return [line];
  }

  /** What drives the unit: its own input, or another strip before or after its rack. */
  keyChoice() {
    const others = this.session.strips.filter((s) => s.role !== 'main' && !s.rack.units.some((u) => u.id === this.unit.id));
    const list = html(
      'select',
      { 'aria-label': 'key: what drives the reduction', className: 'key-choice' },
      new Option('its own input', ''),
      ...others.map((s) => new Option(s.name, String(s.id))),
    );
    const taps = [
      { id: 'before-rack', label: 'before its rack' },
      { id: 'after-rack', label: 'after' },
    ];
    const place = html('span');
    /** @param {string} tap */
    const listenAt = (tap) => {
      const { key } = this.unit;
      if (key) this.change({ key: { ...key, tap: /** @type {import('../../types.js').KeyTap} */ (tap) } }, newGesture());
    };
    const show = () => {
      const { key } = this.unit;
      list.value = String(key?.strip ?? '');
      place.replaceChildren(...(key ? [tabs(taps, key.tap, 'Where the key listens', listenAt)] : []));
    };
    list.addEventListener('change', () => {
      this.change({ key: list.value ? { strip: Number(list.value), tap: 'after-rack' } : null }, newGesture());
      show();
    });
    const hear = html(
      'button',
      { type: 'button', className: 'plain-button', title: 'What the detector hears, key low cut included; U goes back' },
      'hear it',
    );
    hear.addEventListener('click', () => hearWithout(KEY));
    this.showKey = show;
    show();
    return html(
      'div',
      { className: 'choice', title: 'Another part that drives the reduction: a kick that makes room for itself in a bass.' },
      html('span', {}, 'key'),
      html('span', { className: 'key-line' }, list, place, hear),
    );
  }

  /** The same unit with other values (undo, another window). @param {Unit} unit */
  take(unit) {
    const linked = JSON.stringify(this.unit.follows ?? null);
    this.unit = unit;
    this.onLamp?.setAttribute('aria-pressed', String(unit.on));
    // What is being written stays.
    if (this.why && document.activeElement !== this.why) this.why.value = unit.why;
    if (linked !== JSON.stringify(unit.follows ?? null)) {
      this.place.classList.toggle('following', Boolean(unit.follows));
      this.linkPlace?.replaceChildren(...this.link());
    }
    for (const [rule, value] of this.rules) rule.set(value());
    this.follows.forEach((follow) => follow());
    this.showResting();
    this.showKey?.();
  }

  /** Marks the choices that hold in other parts of the song. @param {Unit[]} units the unit as it is there */
  elsewhere(units) {
    for (const row of /** @type {NodeListOf<HTMLElement>} */ (this.place.querySelectorAll('.tabs[data-param]'))) {
      const chosen = (/** @type {Unit} */ unit) => String(valueAt(unit.params, row.dataset.param ?? ''));
      const there = units.map(chosen).filter((id) => id !== chosen(this.unit));
      for (const button of /** @type {HTMLCollectionOf<HTMLElement>} */ (row.children)) {
        const holds = there.includes(button.dataset.option ?? '');
        button.toggleAttribute('data-elsewhere', holds);
        if (holds) button.setAttribute('aria-description', 'set differently elsewhere in the song');
        else button.removeAttribute('aria-description');
      }
    }
  }

  /** @param {import('../../types.js').Treatment | null} treatment @param {number} station */
  evidence(treatment, station) {
    this.treatment = treatment;
    this.station = station;
  }

  /** @param {import('../../engine/host.js').Report} _report */
  follow(_report) {}

  end() {
    this.place.classList.remove('following');
  }
}
