// @ts-check
/** A compressor's panel: the time strip, the bend, the rules, the key. */
import { tabs } from '../../controls/tabs.js';
import { Rule } from '../../controls/rule.js';
import { html } from '../../draw/svg.js';
import { newGesture } from '../../session/document.js';
import { Bend } from './bend.js';
import { Panel } from './panel.js';
import { TimeStrip } from './time-strip.js';
import { kindOf } from './wire.js';

/** @typedef {import('../../session/document.js').Unit} Unit */

export class DynamicsPanel extends Panel {
  /** @param {ConstructorParameters<typeof Panel>} args */
  constructor(...args) {
    super(...args);
    const kind = kindOf(this.unit.kind);
    const stripBox = html('div', { className: 'strip-box' });
    const bendBox = html('div', { className: 'bend-box' });
    const rules = html('div', { className: 'rules' });
    for (const param of kind.params) rules.append(param.domain.type === 'choice' ? this.choice(param) : this.rule(param));
    if (kind.takes_key) rules.append(this.keyChoice());
    this.place.replaceChildren(this.head(), html('div', { className: 'dynamics' }, stripBox, bendBox), rules);
    this.strip = new TimeStrip(stripBox, this.session);
    this.bend = new Bend(bendBox);
    const zooms = [{ id: 'song', label: 'song' }, { id: 'section', label: 'section' }, { id: 'hit', label: 'hit' }];
    stripBox.append(html('span', { className: 'strip-tools' }, tabs(zooms, 'section', 'Stretch shown', (zoom) => {
      this.strip.zoom = zoom;
      this.strip.draw();
    })));
    this.show();
  }

  /** @param {any} param */
  rule(param) {
    const rule = new Rule({
      table: this.unit.kind, param: param.id, of: kindOf(this.unit.kind).name, value: this.unit.params[param.id], tempo: this.session.tempo_bpm,
      onChange: (value, gesture) => {
        this.changeParams({ [param.id]: value }, gesture);
        this.show();
      },
    });
    this.rules.push([rule, () => this.unit.params[param.id]]);
    return rule.element;
  }

  /** @param {any} param */
  choice(param) {
    const row = tabs(param.domain.options, this.unit.params[param.id], param.label, (id) => this.changeParams({ [param.id]: id }, newGesture()));
    row.dataset.param = param.id;
    return html('div', { className: 'choice', title: param.hint }, html('span', {}, param.label), html('span', {}, row));
  }

  show() {
    this.showKey?.();
    this.strip.show(this.treatment, this.station, this.unit.id, this.unit.params.threshold_db);
    // What drives it, as its detector hears it: a key, or its input less the lows cut there.
    this.bend.show(this.unit, this.treatment?.reductions.find((/** @type {any} */ r) => r.unit === this.unit.id)?.histogram ?? null);
  }

  /** @param {Unit} unit */
  take(unit) {
    super.take(unit);
    for (const row of this.place.querySelectorAll('[data-param]')) {
      const chosen = unit.params[/** @type {HTMLElement} */ (row).dataset.param ?? ''];
      for (const button of row.children) button.setAttribute('aria-pressed', String(/** @type {HTMLElement} */ (button).dataset.option === chosen));
    }
    this.show();
  }

  /** @param {any} treatment @param {number} station */
  evidence(treatment, station) {
    super.evidence(treatment, station);
    this.show();
  }

  /** @param {import('../../engine/host.js').Report} report */
  follow(report) {
    if (!report.playing) return;
    this.strip.follow(report.position, report.trace);
    this.strip.holdHit(report.before, report.after);
    const peak = report.before.slice(-1024).reduce((m, x) => Math.max(m, Math.abs(x)), 0);
    this.bend.follow(20 * Math.log10(Math.max(peak, 1e-6)), report.reduction);
  }

  end() {
    super.end();
    this.strip.end();
    this.bend.end();
  }
}
