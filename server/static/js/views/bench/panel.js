// @ts-check
/** What every unit's panel has: head, rules, values that come from elsewhere. */
import { lamp, tabs } from '../../controls/tabs.js';
import { Rule } from '../../controls/rule.js';
import { html } from '../../draw/svg.js';
import { newGesture } from '../../session/document.js';
import { KEY, hearWithout } from '../compare.js';
import { openCopy, whereIs } from './copy-menu.js';
import { kindOf } from './wire.js';

/** @typedef {import('../../session/document.js').Unit} Unit */

/** What every unit's panel has. */
export class Panel {
  /** Brings the key's choice up to date. @type {(() => void) | undefined} */
  showKey;

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
    /** @type {any} */
    this.treatment = null;
    this.station = 0;
    /** The row in hand, for units that have rows. */
    this.selected = 0;
    /** @type {[Rule, () => number][]} */
    this.rules = [];
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
    const why = html('input', { className: 'unit-why', value: this.unit.why, placeholder: 'what is it here for?', 'aria-label': 'What this unit is here for', maxLength: 2000 });
    why.addEventListener('change', () => this.change({ why: why.value }, newGesture()));
    this.onLamp = lamp(this.unit.on, 'on', (on) => {
      this.onLamp.setAttribute('aria-pressed', String(on));
      this.change({ on }, newGesture());
    });
    const common = html('span', { className: 'unit-common' });
    for (const param of /** @type {const} */ (['mix', 'trim_db'])) {
      const rule = new Rule({ table: 'common', param, of: kind.name, value: this.unit[param], onChange: (value, gesture) => this.change({ [param]: value }, gesture) });
      this.rules.push([rule, () => this.unit[param]]);
      common.append(rule.element);
    }
    const copy = html('button', { type: 'button', className: 'plain-button', title: 'To another track, linked or free; or out as a file' }, 'copy…');
    copy.addEventListener('click', () => openCopy(this.unit));
    return html('div', { className: 'unit-head' }, html('h2', {}, kind.name), ...this.link(), why, common, this.onLamp, ...extra, copy);
  }

  /** What the unit follows, and the way out of it. */
  link() {
    const source = this.unit.follows ? whereIs(this.unit.follows.unit) : '';
    if (!source) return [];
    const free = html('button', { type: 'button', className: 'plain-button', title: 'From now on its values are its own' }, 'break the link');
    free.addEventListener('click', () => {
      this.change({ follows: undefined }, newGesture());
      line.remove();
      this.place.classList.remove('following');
    });
    const turned = (this.unit.follows?.mirrored ?? []).map((row) => row + 1).join(', ');
    const line = html('span', { className: 'link-line' }, `follows the ${source}${turned ? `; gain turned over: ${turned}` : ''}`, free);
    this.place.classList.add('following');
    return [line];
  }

  /** What drives the unit: its own input, or another strip before or after its rack. */
  keyChoice() {
    const others = this.session.strips.filter((s) => s.role !== 'main' && !s.rack.units.some((u) => u.id === this.unit.id));
    const list = html('select', { 'aria-label': 'key: what drives the reduction', className: 'key-choice' }, new Option('its own input', ''), ...others.map((s) => new Option(s.name, String(s.id))));
    const taps = [{ id: 'before-rack', label: 'before its rack' }, { id: 'after-rack', label: 'after' }];
    const place = html('span');
    const show = () => {
      list.value = String(this.unit.key?.strip ?? '');
      place.replaceChildren(...(this.unit.key ? [tabs(taps, this.unit.key.tap, 'Where the key listens', (tap) => this.change({ key: { ...this.unit.key, tap } }, newGesture()))] : []));
    };
    list.addEventListener('change', () => {
      this.change({ key: list.value ? { strip: Number(list.value), tap: 'after-rack' } : null }, newGesture());
      show();
    });
    const hear = html('button', { type: 'button', className: 'plain-button', title: 'What the detector hears, key low cut included; U goes back' }, 'hear it');
    hear.addEventListener('click', () => hearWithout(KEY));
    this.showKey = show;
    show();
    return html('div', { className: 'choice', title: 'Another part that drives the reduction: a kick that makes room for itself in a bass.' }, html('span', {}, 'key'), html('span', { className: 'key-line' }, list, place, hear));
  }

  /** The same unit with other values (undo, another window). @param {Unit} unit */
  take(unit) {
    this.unit = unit;
    this.onLamp?.setAttribute('aria-pressed', String(unit.on));
    for (const [rule, value] of this.rules) rule.set(value());
  }

  /** @param {any} treatment @param {number} station */
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
