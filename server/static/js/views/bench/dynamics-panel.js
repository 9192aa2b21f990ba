// @ts-check
/** A compressor's panel: the time strip, the bend, the rules, the key. */
import { tabs } from '../../controls/tabs.js';
import { html } from '../../draw/svg.js';
import { Bend } from './bend.js';
import { ParamPanel } from './param-panel.js';
import { TimeStrip } from './time-strip.js';

export class DynamicsPanel extends ParamPanel {
  /** @param {ConstructorParameters<typeof ParamPanel>} args */
  constructor(...args) {
    super(...args);
    const stripBox = html('div', { className: 'strip-box' });
    const bendBox = html('div', { className: 'bend-box' });
    this.picture.classList.add('dynamics');
    this.picture.append(stripBox, bendBox);
    this.strip = new TimeStrip(stripBox, this.session);
    this.bend = new Bend(bendBox);
    const zooms = [{ id: 'song', label: 'song' }, { id: 'section', label: 'section' }, { id: 'hit', label: 'hit' }];
    stripBox.append(html('span', { className: 'strip-tools' }, tabs(zooms, 'section', 'Stretch shown', (zoom) => {
      this.strip.zoom = zoom;
      this.strip.draw();
    })));
    this.show();
  }

  show() {
    this.strip.show(this.treatment, this.station, this.unit.id, this.unit.params.threshold_db);
    // What drives it, as its detector hears it: a key, or its input less the lows cut there.
    this.bend.show(this.unit, this.treatment?.reductions.find((/** @type {any} */ r) => r.unit === this.unit.id)?.histogram ?? null);
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
