// @ts-check
/** The drawn EQ's panel: the sheet with the curve, and how it bends. */
import { tabs } from '../../controls/tabs.js';
import { Rule } from '../../controls/rule.js';
import { kindOf, optionsOf, parameter } from '../../engine/ask.js';
import { html } from '../../draw/svg.js';
import { newGesture } from '../../session/document.js';
import { DrawnField } from './drawn-field.js';
import { SheetPanel } from './sheet-panel.js';

/** How far neighbours follow, in octaves. */
const REACHES = [
  { id: '0', label: 'alone' },
  { id: '0.34', label: '⅓ octave' },
  { id: '1', label: '1 octave' },
  { id: '2', label: '2 octaves' },
];

export class DrawnPanel extends SheetPanel {
  /** @param {ConstructorParameters<typeof SheetPanel>} args */
  constructor(...args) {
    super(...args);
    this.field = new DrawnField({
      place: this.box,
      rate: this.session.rate,
      unit: () => this.unit,
      onChange: (part, gesture) => {
        this.changeParams(part, gesture);
        this.show();
      },
    });
    this.field.room = kindOf('drawn-eq').lists[0];
    this.sheet = this.field;
    this.field.fit(Math.max(0, ...this.unit.params.points.map((/** @type {import('./drawn-field.js').Point} */ p) => Math.abs(p.gain_db))));
    const rules = html('div', { className: 'rules' });
    for (const id of ['contour', 'low_end_hz', 'high_end_hz']) rules.append(this.rule(id));
    this.bending = html('div', { className: 'drawn-bending' });
    this.place.replaceChildren(
      this.head(),
      this.choices(this.headRule('strength'), this.headLamp('auto_level')),
      this.box,
      this.bending,
      rules,
    );
    this.show();
  }

  /** @param {string} param */
  rule(param) {
    const rule = new Rule({
      table: 'drawn-eq',
      param,
      of: 'Drawn EQ',
      value: this.unit.params[param],
      onChange: (value, gesture) => {
        this.changeParams({ [param]: value }, gesture);
        this.show();
      },
    });
    this.rules.push([rule, () => this.unit.params[param]]);
    return rule.element;
  }

  show() {
    for (const [rule, value] of this.rules) rule.set(value());
    this.field.draw();
    this.showLate();
    this.drawBending();
  }

  /** Which curve, how it follows, what is protected. */
  drawBending() {
    const { params } = this.unit;
    const { field } = this;
    const places = optionsOf(parameter('drawn-eq/points', 'place')).map((o) => {
      const points = params.points.filter((/** @type {import('./drawn-field.js').Point} */ p) => p.place === o.id).length;
      return { id: o.id, label: points ? `${o.label} · ${points}` : o.label };
    });
    const curve = tabs(places, field.curve, 'The curve in hand', (id) => {
      field.curve = id;
      this.show();
    });
    const reach = tabs(REACHES, String(field.reach), 'How far neighbours follow', (id) => {
      field.reach = Number(id);
    });
    const grid = tabs(optionsOf(parameter('drawn-eq', 'grid')), String(params.grid), 'grid', (id) => this.set({ grid: id }));
    const straight = html(
      'button',
      {
        type: 'button',
        className: 'plain-button',
        disabled: !params.points.some((/** @type {import('./drawn-field.js').Point} */ p) => p.place === field.curve),
      },
      'straighten',
    );
    straight.title = 'Takes all weights off the curve in hand';
    straight.addEventListener('click', () =>
      this.set({ points: params.points.filter((/** @type {import('./drawn-field.js').Point} */ p) => p.place !== field.curve) }),
    );
    const line = (/** @type {string} */ word, /** @type {Node[]} */ ...inside) =>
      html('span', { className: 'bending-choice' }, html('span', { className: 'quiet' }, word), ...inside);
    this.bending.replaceChildren(line('curve', curve, straight), line('neighbours', reach), line('grid', grid), this.protection());
  }

  /** @param {Record<string, unknown>} part */
  set(part) {
    this.changeParams(part, newGesture());
    this.show();
  }

  protection() {
    const { params } = this.unit;
    const { field } = this;
    const mark = html(
      'button',
      {
        type: 'button',
        className: 'lamp',
        'aria-pressed': String(field.marking),
        title: 'Drag over the sheet to keep the curve out of a range',
      },
      'protect a range',
    );
    mark.addEventListener('click', () => {
      field.marking = !field.marking;
      mark.setAttribute('aria-pressed', String(field.marking));
    });
    const ranges = params.protect.map((/** @type {import('../../types.js').Params} */ range, /** @type {number} */ i) => {
      const words = `${Math.round(range.low_hz)}–${Math.round(range.high_hz)} Hz`;
      const remove = html(
        'button',
        { type: 'button', className: 'plain-button', 'aria-label': `no longer protect ${words}`, title: 'no longer protect' },
        `${words} ×`,
      );
      remove.addEventListener('click', () =>
        this.set({ protect: params.protect.filter((/** @type {unknown} */ _, /** @type {number} */ n) => n !== i) }),
      );
      return remove;
    });
    const only = params.protect.length ? [this.headLampOnce('protect_only')] : [];
    return html('span', { className: 'bending-choice' }, mark, ...ranges, ...only);
  }

  /** A lamp that is drawn anew with its row. @param {string} param */
  headLampOnce(param) {
    const { label, hint } = parameter('drawn-eq', param);
    const button = html(
      'button',
      { type: 'button', className: 'lamp', 'aria-pressed': String(Boolean(this.unit.params[param])), title: hint },
      label,
    );
    button.addEventListener('click', () => this.set({ [param]: !this.unit.params[param] }));
    return button;
  }
}
