// @ts-check
/** The surgical EQ's panel: the frequency field, its sound, the table of bands. */
import { Rule } from '../../controls/rule.js';
import { ask } from '../../engine/ask.js';
import { html } from '../../draw/svg.js';
import { longWork } from '../../session/api.js';
import { doc } from '../session-frame.js';
import { listenWhileHeld } from '../compare.js';
import { bandTable } from './band-table.js';
import { whole } from './bands.js';
import { FrequencyField } from './frequency-field.js';
import { LiveSpectra, soundChoices } from './live-spectra.js';
import { Panel } from './panel.js';
import { Rings } from './rings.js';

/** dB either way that the field can show. */
const RANGES = [3, 6, 12, 24, 36];

/** @typedef {import('../../session/document.js').Unit} Unit */

/** What leaves another strip's rack, by third octave over its whole part. @param {number} strip @returns {Promise<number[] | null>} */
async function thirdOctavesOf(strip) {
  const result = await longWork(`/api/sessions/${doc.id}/strips/${strip}/evidence`, {}, () => {});
  return result?.treatment.points.at(-1).third_octave ?? null;
}

export class EqPanel extends Panel {
  /** @type {any} */
  besideSaid;

  /** @param {ConstructorParameters<typeof Panel>} args */
  constructor(...args) {
    super(...args);
    const box = html('div', { className: 'field-box' });
    this.tablePlace = html('div', { style: 'display: contents' });
    const amount = new Rule({ table: 'surgical-eq', param: 'amount', of: 'Surgical EQ', value: this.unit.params.amount ?? 1, compact: true, onChange: (value, gesture) => {
      this.changeParams({ amount: value }, gesture);
      this.show();
    } });
    this.rules.push([amount, () => this.unit.params.amount]);
    const scaled = html('span', { className: 'eq-amount', title: amount.spec.hint }, 'amount', amount.element);
    this.ringsPlace = html('div', { style: 'display: contents' });
    this.place.replaceChildren(this.head(scaled), box, this.tablePlace, this.ringsPlace);
    this.listening = listenWhileHeld(() => (this.unit.params.bands.length ? { change: 'row-heard', strip: doc.strip, unit: this.unit.id, row: this.selected } : null));
    this.live = new LiveSpectra(this.session.rate);
    /** Third octaves of the part shown beside this one. @type {number[] | null} */
    this.other = null;
    this.field = new FrequencyField({
      place: box,
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
    this.ringList = new Rings((rings) => this.field.showRings(rings), (band) => this.field.add(band));
    box.append(this.besideChoice(soundChoices(() => this.redrawSound())));
    this.ringsPlace.replaceChildren(this.ringList.element);
    this.show();
  }

  /** Another part shown in the field, with where the two collide. */
  /** @param {HTMLElement} sound the choices of how the sound is drawn */
  besideChoice(sound) {
    const others = this.session.strips.filter((s) => s.role !== 'main' && !s.rack.units.some((u) => u.id === this.unit.id));
    const list = html('select', { className: 'key-choice', 'aria-label': 'Another part shown beside this one' }, new Option('beside: none', ''), ...others.map((s) => new Option(`beside: ${s.name}`, String(s.id))));
    list.addEventListener('change', async () => {
      this.other = list.value ? await thirdOctavesOf(Number(list.value)) : null;
      this.showBeside();
    });
    this.besideSaid = html('span', { className: 'caution beside-said', role: 'status' });
    const scale = html('select', { className: 'key-choice', 'aria-label': 'dB shown either way' }, ...RANGES.map((r) => new Option(`±${r} dB`, String(r), false, r === this.field.range)));
    scale.addEventListener('change', () => this.field.setRange(Number(scale.value)));
    return html('span', { className: 'beside' }, scale, sound, list, this.besideSaid);
  }

  showBeside() {
    const own = this.treatment?.points[this.station + 1]?.third_octave;
    if (!this.other || !own) {
      this.field.sound.beside(null, []);
      this.besideSaid.textContent = '';
      return;
    }
    const { bands, worst } = ask({ ask: 'collisions', first: [...own], second: this.other });
    this.field.sound.beside(this.other, bands);
    this.besideSaid.textContent = worst ? `most in each other's way at ${Math.round(worst[0])} Hz` : 'they leave each other alone';
  }

  bands() {
    return this.unit.params.bands.map(whole);
  }

  /** How often and how far a band moved over the part, in words. @param {number} i */
  worked(i) {
    const moved = this.treatment?.moves.find((/** @type {any} */ m) => m.unit === this.unit.id && m.row === i);
    if (!this.treatment) return '';
    return moved ? `at work ${Math.max(1, Math.round(100 * moved.share))} % of the time, at most ${moved.max_db.toFixed(1)} dB` : 'never at work on this part: the threshold is out of reach';
  }

  show() {
    const bands = this.bands();
    this.selected = Math.min(this.selected, Math.max(0, bands.length - 1));
    this.field.show(bands, this.selected, Number(this.unit.params.amount ?? 1));
    this.drawTable();
  }

  drawTable() {
    const scroll = this.tablePlace.firstElementChild?.scrollTop ?? 0;
    this.tablePlace.replaceChildren(bandTable(this.bands(), this.selected, {
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
      add: () => this.field.add({}),
      worked: (i) => this.worked(i),
      key: () => this.keyChoice(),
    }));
    this.tablePlace.firstElementChild.scrollTop = scroll;
  }

  /** @param {Unit} unit */
  take(unit) {
    super.take(unit);
    this.show();
  }

  /** @param {any} treatment @param {number} station */
  evidence(treatment, station) {
    super.evidence(treatment, station);
    this.redrawSound();
    this.showBeside();
    this.drawTable();
  }

  /** The sound behind the field: of the whole part while nothing plays. */
  redrawSound() {
    const points = this.treatment?.points;
    if (this.live.now) this.field.sound.show(this.live.now[0], this.live.now[1]);
    else if (points?.length > this.station + 1) this.field.sound.show(points[this.station].third_octave, points[this.station + 1].third_octave);
  }

  /** @param {import('../../engine/host.js').Report} report */
  follow(report) {
    const was = this.live.now;
    if (report.playing || was) this.field.showMoves(report.moves);
    this.live.take(report);
    if (this.live.now !== was) this.redrawSound();
  }

  end() {
    this.listening.end();
    this.field.end();
  }
}
