// @ts-check
/** The harmonics a unit adds to a tone, that of this part at first, as a small comb beside its curve. */
import { ask } from '../../engine/ask.js';
import { askLater, leave } from '../../engine/later.js';
import { html, level, signed, svg } from '../../draw/svg.js';
import { drawPlot, decibels } from '../../draw/plot.js';

/** Tones it can be measured with, in Hz. */
const TONES = [41, 82, 110, 220, 440, 1000, 3000];
/** What stands for where this part's notes are strongest, at its peaks. */
const OWN = 'own';
/** The tone and level before the part is measured. */
const UNKNOWN = { tone_hz: 220, level_db: -12 };
/** It is measured when the hand has rested for so long, in ms: a second of sound goes through the unit. */
const RESTED_MS = 220;

/** The tone, kept for the page. */
let chosen = OWN;

/** From so many dB on the weaker kind of harmonics is not heard beside the other. */
const ONLY_DB = 60;

/** Which harmonics are stronger, in words. @param {number | null} balance even against odd, in dB */
function leadWords(balance) {
  if (balance === null) return '';
  const stronger = balance > 0 ? 'even' : 'odd';
  const by = Math.abs(balance);
  return by > ONLY_DB ? `, ${stronger} only` : `, ${stronger} +${level(by)} dB`;
}

export class Overtones {
  /** @param {() => import('../../types.js').Unit} unit @param {number} rate */
  constructor(unit, rate) {
    this.unit = unit;
    this.rate = rate;
    this.waiting = 0;
    this.field = svg('svg', { role: 'img', 'aria-label': 'Harmonics, not measured yet' });
    this.words = html('p', { className: 'quiet' });
    /** Where the notes of the part are strongest, and its peaks. */
    this.own = UNKNOWN;
    this.choice = html('select', { className: 'key-choice', 'aria-label': 'The tone' });
    this.offer();
    this.choice.addEventListener('change', () => {
      chosen = this.choice.value;
      this.measure();
    });
    this.element = html('div', { className: 'overtones' }, html('label', {}, 'harmonics of ', this.choice), this.field, this.words);
  }

  offer() {
    const own = `this part: ${this.own.tone_hz} Hz`;
    this.choice.replaceChildren(
      new Option(own, OWN),
      ...TONES.map((hz) => new Option(hz >= 1000 ? `${hz / 1000} kHz` : `${hz} Hz`, String(hz))),
    );
    this.choice.value = chosen;
  }

  /**
   * Takes the note and the level from what comes to the unit.
   * @param {import('../../types.js').PointFigures | null} point null while it is measured
   */
  of(point) {
    if (!point) return;
    const own = ask({ ask: 'own-tone', third_octave: point.third_octave, peak_db: point.peak_db });
    if (own.tone_hz === this.own.tone_hz && own.level_db === this.own.level_db) return;
    this.own = own;
    this.offer();
  }

  /** Measures when the hand rests. */
  show() {
    clearTimeout(this.waiting);
    this.waiting = window.setTimeout(() => this.measure(), RESTED_MS);
  }

  measure() {
    if (!this.field.clientWidth) return;
    const tone = chosen === OWN ? this.own.tone_hz : Number(chosen);
    const { level_db } = this.own;
    const question = { ask: 'comb', unit: { ...this.unit(), on: true }, rate: this.rate, tone_hz: tone, level_db };
    askLater(this.field, question, (comb) => this.draw(comb, tone, level_db));
  }

  /**
   * @param {{ harmonics_db: number[], thd_percent: number, even_odd_db: number | null }} comb
   * @param {number} tone in Hz @param {number} levelDb
   */
  draw({ harmonics_db: found, thd_percent: percent, even_odd_db: balance }, tone, levelDb) {
    const lead = leadWords(balance);
    const words = `At ${levelDb} dBFS: ${percent < 0.001 ? 'none' : `${percent.toPrecision(2)} %`}${lead}`;
    this.words.textContent = words;
    drawPlot(this.field, {
      x: { from: 1, to: 10.5, marks: [2, 3, 4, 5, 6, 7, 8, 9, 10].map((n) => [n, String(n)]) },
      y: { from: -100, to: 0, marks: decibels(-100, 0, 20) },
      bars: found.map((/** @type {number} */ db, /** @type {number} */ i) => ({
        at: i + 2,
        to: db,
        kind: 'plot-bar this middle',
        label: `${i + 2}: ${signed(db)} dB`,
      })),
      words: `Harmonics of ${tone} Hz: ${words}`,
    });
  }

  end() {
    clearTimeout(this.waiting);
    leave(this.field);
  }
}
