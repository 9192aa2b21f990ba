// @ts-check
/** The panel of an equaliser that is a few gains: the curve through them, and a rule for each. */
import { ask } from '../../engine/ask.js';
import { FREQUENCIES, decibels, drawPlot } from '../../draw/plot.js';
import { svg } from '../../draw/svg.js';
import { ParamPanel } from './param-panel.js';

const POINTS = 96;
const FREQS = Array.from({ length: POINTS }, (_, i) => 20 * 1000 ** (i / (POINTS - 1)));

export class FadersPanel extends ParamPanel {
  /** @param {ConstructorParameters<typeof ParamPanel>} args */
  constructor(...args) {
    super(...args);
    this.field = svg('svg', { role: 'img' });
    this.picture.classList.add('tone-eq-picture');
    this.picture.append(this.field);
    this.observer = new ResizeObserver(() => this.show());
    this.observer.observe(this.picture);
  }

  show() {
    if (!this.field) return;
    const gains = /** @type {number[]} */ (
      ask({
        ask: 'response',
        rack: { zinc_rack: 1, units: [{ ...this.unit, on: true, mix: 1, trim_db: 0 }] },
        rate: this.session.rate,
        freqs: FREQS,
      })
    );
    const most = Math.max(...gains.map(Math.abs));
    const range = most <= 6 ? 6 : most <= 12 ? 12 : 18;
    drawPlot(this.field, {
      x: FREQUENCIES,
      y: { from: -range, to: range, marks: decibels(-range, range, range / 3) },
      words: 'The curve the gains make',
      lines: [{ kind: 'curve', label: 'gain', points: gains.map((db, i) => [FREQS[i], db]) }],
    });
  }

  end() {
    super.end();
    this.observer.disconnect();
  }
}
