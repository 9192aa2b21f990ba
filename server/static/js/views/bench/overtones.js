// @ts-check
/** The overtones a unit adds to a tone, as a small comb beside its curve. */
import { ask } from '../../engine/ask.js';
import { html, level, signed, svg } from '../../draw/svg.js';
import { drawPlot, decibels } from '../../draw/plot.js';

/** Levels in dBFS it can be measured at. */
const LEVELS = [-18, -12, -6];
/** It is measured when the hand has rested for so long, in ms: a second of sound goes through the unit. */
const RESTED_MS = 220;

/** Kept for the page. */
let at = -12;

export class Overtones {
  /** @param {() => any} unit @param {number} rate */
  constructor(unit, rate) {
    this.unit = unit;
    this.rate = rate;
    this.waiting = 0;
    this.field = svg('svg', { role: 'img', 'aria-label': 'Overtones, not measured yet' });
    this.words = html('p', { className: 'quiet' });
    const choice = html('select', { className: 'key-choice', 'aria-label': 'Level of the tone' }, ...LEVELS.map((db) => new Option(`1 kHz at ${String(db).replace('-', '−')} dBFS`, String(db))));
    choice.value = String(at);
    choice.addEventListener('change', () => {
      at = Number(choice.value);
      this.measure();
    });
    this.element = html('div', { className: 'overtones' }, html('label', {}, 'overtones of ', choice), this.field, this.words);
  }

  /** Measures when the hand rests. */
  show() {
    clearTimeout(this.waiting);
    this.waiting = window.setTimeout(() => this.measure(), RESTED_MS);
  }

  measure() {
    if (!this.field.clientWidth) return;
    const { harmonics_db: found, thd_percent: percent, even_odd_db: balance } = ask({ ask: 'comb', unit: { ...this.unit(), on: true }, rate: this.rate, tone_hz: 1000, level_db: at });
    const words = `${percent < 0.001 ? 'none' : `${percent.toPrecision(2)} %`}${balance === null ? '' : balance > 0 ? `, even ones lead by ${level(balance)} dB` : `, odd ones lead by ${level(-balance)} dB`}`;
    this.words.textContent = words;
    drawPlot(this.field, {
      x: { from: 1, to: 10.5, marks: [2, 3, 4, 5, 6, 7, 8, 9, 10].map((n) => [n, String(n)]) },
      y: { from: -100, to: 0, marks: decibels(-100, 0, 20) },
      bars: found.map((/** @type {number} */ db, /** @type {number} */ i) => ({ at: i + 2, to: db, kind: 'plot-bar this middle', label: `${i + 2}: ${signed(db)} dB` })),
      words: `Overtones of 1 kHz: ${words}`,
    });
  }

  end() {
    clearTimeout(this.waiting);
  }
}
