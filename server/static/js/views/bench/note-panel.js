// @ts-check
/** The panel of a unit that shapes each note: a made-up note before and after, at three levels. */
import { decibels, drawPlot } from '../../draw/plot.js';
import { html, signed, svg } from '../../draw/svg.js';
import { ask } from '../../engine/ask.js';
import { ParamPanel } from './param-panel.js';

const TIMES = {
  from: 0,
  to: 600,
  marks: /** @type {[number, string][]} */ ([0, 100, 200, 300, 400, 500].map((ms) => [ms, ms ? String(ms) : '0 ms'])),
};
const LEVELS = { from: -42, to: 18, marks: decibels(-36, 12, 12) };
/** When the stroke and the body are read off, in ms. */
const READ_MS = { stroke: 4, body: 300 };

export class NotePanel extends ParamPanel {
  /** @param {ConstructorParameters<typeof ParamPanel>} args */
  constructor(...args) {
    super(...args);
    this.plot = svg('svg', { class: 'note-plot', role: 'img' });
    this.words = html('p', { className: 'quiet' });
    this.picture.classList.add('note-box');
    this.picture.append(this.plot, this.words);
    this.observer = new ResizeObserver(() => this.show());
    this.observer.observe(this.plot);
  }

  show() {
    if (!this.plot?.clientWidth) return;
    const unit = { ...this.unit, on: true };
    const { point_ms: step, before_db: before, after_db: after } = ask({ ask: 'one-note', unit, rate: this.session.rate });
    const line = (/** @type {number[]} */ levels, /** @type {string} */ kind, /** @type {string} */ label) => ({
      kind,
      label,
      points: levels.map((db, i) => /** @type {[number, number]} */ ([i * step, db])),
    });
    drawPlot(this.plot, {
      x: TIMES,
      y: LEVELS,
      words: 'One note over time, before and after',
      lines: [
        line(before, 'plot-line part', 'before'),
        ...after.map((/** @type {number[]} */ levels) => line(levels, 'plot-line', 'after')),
      ],
    });
    const moved = (/** @type {number} */ ms) => signed(after[0][Math.round(ms / step)] - before[Math.round(ms / step)]);
    this.words.textContent =
      `A made-up note, loud, softer and soft, one over another: its stroke ` +
      `${moved(READ_MS.stroke)} dB, its sustain ${moved(READ_MS.body)} dB.`;
  }

  end() {
    super.end();
    this.observer.disconnect();
  }
}
