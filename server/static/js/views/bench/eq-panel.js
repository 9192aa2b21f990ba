// @ts-check
/** The surgical EQ's panel: the frequency field, its sound, the table of bands. */
import { tabs } from '../../controls/tabs.js';
import { ask } from '../../engine/ask.js';
import { html } from '../../draw/svg.js';
import { longWork } from '../../session/api.js';
import { doc } from '../session-frame.js';
import { bandTable } from './band-table.js';
import { FrequencyField } from './frequency-field.js';
import { LiveSpectra, soundChoices } from './live-spectra.js';
import { Panel } from './panel.js';

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
    const ranges = [3, 6, 12, 24].map((r) => ({ id: String(r), label: `±${r}` }));
    const stored = localStorage.getItem('zinc-field-range') ?? '12';
    const scale = tabs(ranges, stored, 'dB shown either way', (r) => this.field.setRange(Number(r)));
    this.tablePlace = html('div', { style: 'display: contents' });
    this.place.replaceChildren(this.head(scale), box, this.tablePlace);
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
    box.append(this.besideChoice(soundChoices(() => this.redrawSound())));
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
    return html('span', { className: 'beside' }, sound, list, this.besideSaid);
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

  show() {
    const { bands } = this.unit.params;
    this.selected = Math.min(this.selected, Math.max(0, bands.length - 1));
    this.field.show(bands, this.selected);
    this.drawTable();
  }

  drawTable() {
    const scroll = this.tablePlace.firstElementChild?.scrollTop ?? 0;
    this.tablePlace.replaceChildren(bandTable(this.unit.params.bands, this.selected, {
      change: (bands, gesture) => {
        this.changeParams({ bands }, gesture);
        this.show();
      },
      select: (i) => {
        if (i === this.selected) return;
        this.selected = i;
        this.field.selected = i;
        this.field.draw();
        this.tablePlace.querySelectorAll('[data-row]').forEach((/** @type {Element} */ row, /** @type {number} */ n) => row.setAttribute('aria-selected', String(n === i)));
      },
      add: () => this.field.add({}),
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
    this.live.take(report);
    if (this.live.now !== was) this.redrawSound();
  }

  end() {
    this.field.end();
  }
}
