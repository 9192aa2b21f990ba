// @ts-check
/** The surgical EQ's panel: the frequency field, its sound, the table of bands. */
import { optionsOf, parameter } from '../../engine/ask.js';
import { tabs } from '../../controls/tabs.js';
import { redraw } from '../../draw/redraw.js';
import { html } from '../../draw/svg.js';
import { newGesture } from '../../session/document.js';
import { doc } from '../session-frame.js';
import { listenWhileHeld } from '../compare.js';
import { bandTable } from './band-table.js';
import { Findings } from './findings.js';
import { FrequencyField } from './frequency-field.js';
import { SheetPanel } from './sheet-panel.js';

export class EqPanel extends SheetPanel {
  /** @param {ConstructorParameters<typeof SheetPanel>} args */
  constructor(...args) {
    super(...args);
    this.tablePlace = html('div', { style: 'display: contents' });
    this.ringsPlace = html('div', { style: 'display: contents' });
    this.listening = listenWhileHeld(() => this.regionHeard());
    this.field = new FrequencyField({
      place: this.box,
      rate: this.session.rate,
      onChange: (bands, gesture) => {
        this.changeParams({ bands }, gesture);
        this.selected = this.field.selected;
        this.drawTable();
      },
      onSelect: (i) => {
        this.selected = i;
        this.field.draw();
        this.drawTable();
      },
    });
    this.sheet = this.field;
    this.field.fit(Math.max(0, ...this.bands().map((/** @type {import('./band-table.js').Band} */ band) => Math.abs(band.gain_db))));
    const choices = this.choices(this.headRule('amount'), this.phaseTabs(), this.headLamp('auto_level'));
    this.place.replaceChildren(this.head(), choices, this.box, this.tablePlace, this.ringsPlace);
    const findings = new Findings({
      unit: () => this.unit.id,
      onRings: (rings) => this.field.showRings(rings),
      onBand: (band) => this.field.add(band),
    });
    this.field.ringHeard = (ring) => findings.ringHeard(ring);
    this.ringsPlace.replaceChildren(findings.element);
    this.show();
  }

  /** @param {import('../../session/document.js').Unit[]} units */
  elsewhere(units) {
    super.elsewhere(units);
    this.field.showElsewhere(units.map((unit) => unit.params.bands ?? []));
  }

  /** The region of the band in hand, to be heard alone. @returns {import('../sides.js').Change | null} */
  regionHeard() {
    if (this.unit.params.bands.length === 0) return null;
    return { change: 'row-heard', strip: doc.strip, unit: this.unit.id, row: this.selected };
  }

  phaseTabs() {
    const spec = parameter('surgical-eq', 'phase');
    const place = html('span', { className: 'eq-amount', title: spec.hint });
    const draw = () =>
      place.replaceChildren(
        'phase',
        tabs(optionsOf(spec), this.phase, 'phase', (phase) => {
          this.changeParams({ phase }, newGesture());
          this.show();
        }),
      );
    this.follows.push(draw);
    draw();
    return place;
  }

  get phase() {
    return String(this.unit.params.phase ?? 'minimum');
  }

  bands() {
    return this.unit.params.bands;
  }

  /** How often and how far a band moved over the part, in words. @param {number} i */
  worked(i) {
    const moved = this.treatment?.moves.find(
      (/** @type {import('../../types.js').MoveFigures} */ m) => m.unit === this.unit.id && m.row === i,
    );
    if (!this.treatment) return '';
    return moved
      ? `active ${Math.max(1, Math.round(100 * moved.share))} % of time, max ${moved.max_db.toFixed(1)} dB`
      : 'never at work on this part: the threshold is out of reach';
  }

  show() {
    const bands = this.bands();
    this.selected = Math.min(this.selected, Math.max(0, bands.length - 1));
    this.field.show(bands, this.selected, Number(this.unit.params.amount ?? 1), this.phase);
    this.showLate();
    this.drawTable();
  }

  drawTable() {
    const scroll = this.tablePlace.firstElementChild?.scrollTop ?? 0;
    redraw(this.tablePlace, () => {
      const table = this.makeTable();
      requestAnimationFrame(() => {
        table.scrollTop = scroll;
      });
      return [table];
    });
  }

  makeTable() {
    return bandTable(this.bands(), this.selected, {
      bands: () => this.bands(),
      change: (bands, gesture) => {
        this.changeParams({ bands }, gesture);
        this.show();
      },
      select: (i) => {
        if (i === this.selected) return;
        this.selected = i;
        this.field.selected = i;
        this.field.draw();
        this.drawTable();
      },
      add: () => this.field.addBeside(this.treatment?.points[this.station]?.third_octave ?? []),
      region: () => this.regionHeard(),
      worked: (i) => this.worked(i),
      key: () => this.keyChoice(),
    });
  }

  /** @param {import('../../types.js').Treatment | null} treatment @param {number} station */
  evidence(treatment, station) {
    super.evidence(treatment, station);
    this.drawTable();
  }

  /** @param {import('../../engine/host.js').Report} report */
  follow(report) {
    if (report.playing || this.live.now) this.field.showMoves(report.moves);
    super.follow(report);
  }

  end() {
    this.listening.end();
    super.end();
  }
}
