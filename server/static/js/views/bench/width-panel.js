// @ts-check
/** The width unit's panel: a few rules, and how far the sides differ before and after. */
import { Rule } from '../../controls/rule.js';
import { catalogue } from '../../engine/ask.js';
import { html, level, svg } from '../../draw/svg.js';
import { Panel } from './panel.js';
import { kindOf } from './wire.js';

/** A unit of a few rules and the figures of its sides. */
export class WidthPanel extends Panel {
  /** @param {ConstructorParameters<typeof Panel>} args */
  constructor(...args) {
    super(...args);
    const rules = html('div', { className: 'rules' });
    for (const param of kindOf(this.unit.kind).params) {
      const rule = new Rule({
        table: this.unit.kind, param: param.id, of: kindOf(this.unit.kind).name, value: this.unit.params[param.id],
        onChange: (value, gesture) => this.changeParams({ [param.id]: value }, gesture),
      });
      this.rules.push([rule, () => this.unit.params[param.id]]);
      rules.append(rule.element);
    }
    this.drawing = html('div', { className: 'width-box' });
    this.place.replaceChildren(this.head(), this.drawing, rules);
  }

  /** @param {any} treatment @param {number} station */
  evidence(treatment, station) {
    super.evidence(treatment, station);
    const pair = [treatment?.points[station], treatment?.points[station + 1]];
    if (!pair[0] || !pair[1]) return;
    const bars = pair.map((point, i) => widthBar(i ? 'after' : 'before', point.width_db));
    const mono = pair[0].width_db < MONO_DB
      ? html('p', { className: 'caution' }, 'The source is mono: both sides carry the same, so width does nothing here. A double or a second microphone would give it something to work on.')
      : html('p', { className: 'quiet' }, 'Bars: what differs between the sides against what they share. Check the result in mono (heard on: mono).');
    this.drawing.replaceChildren(...bars, mono);
  }
}

/** Under this many dB of side against mid a sound is mono; the core's `measure::width`. */
const MONO_DB = catalogue.mono_db;

/** @param {string} name @param {number} db */
function widthBar(name, db) {
  const share = Math.max(0, Math.min(1, (db + 40) / 46));
  const bar = svg('svg', { viewBox: '0 0 400 26', class: 'width-bar', role: 'img', 'aria-label': `${name}: side ${level(db)} dB against mid` },
    svg('line', { x1: 200, x2: 200, y1: 0, y2: 26, class: 'grid-line strong' }),
    svg('rect', { x: 200 - 190 * share, y: 6, width: 380 * share, height: 14, class: name === 'before' ? 'width-before' : 'width-after' }));
  return html('div', { className: 'width-line' }, html('span', {}, name), bar, html('span', { className: 'figure' }, db < MONO_DB ? 'mono' : `${level(db)} dB`));
}
