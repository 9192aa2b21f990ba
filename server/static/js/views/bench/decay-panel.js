// @ts-check
/** The panel of a recorded response: how it dies away, over its controls. */
import { ask } from '../../engine/ask.js';
import { html, path, svg } from '../../draw/svg.js';
import { ParamPanel } from './param-panel.js';

/** Lowest level drawn, in dB. */
const FLOOR = -60;
/** Stretches the response is shown in. */
const STRETCHES = 160;
const EDGE = { left: 34, right: 12, top: 12, bottom: 24 };

/** @param {number} seconds */
const time = (seconds) => (seconds < 1 ? `${Math.round(seconds * 1000)} ms` : `${Number(seconds.toFixed(2))} s`);

/** A round step that divides a length into about six. @param {number} seconds */
function stepOf(seconds) {
  const rough = seconds / 6;
  const power = 10 ** Math.floor(Math.log10(rough));
  return /** @type {number} */ ([1, 2, 5, 10].find((k) => k * power >= rough)) * power;
}

export class DecayPanel extends ParamPanel {
  /** @param {ConstructorParameters<typeof ParamPanel>} args */
  constructor(...args) {
    super(...args);
    this.field = svg('svg', { role: 'img' });
    this.words = html('p', { className: 'quiet' });
    this.picture.classList.add('decay-box');
    this.picture.append(this.field, this.words);
    this.observer = new ResizeObserver(() => this.show());
    this.observer.observe(this.picture);
  }

  show() {
    if (!this.field) return;
    const decay = ask({ ask: 'decay', unit: this.unit, rate: this.session.rate, stretches: STRETCHES });
    this.words.textContent = decay
      ? sentence(decay)
      : 'No response yet: the sound passes. Choose one, or bring in a file; a clap recorded in a good room will do.';
    this.field.setAttribute('aria-label', decay ? `Level of the response over time. ${sentence(decay)}` : 'No response');
    this.draw(decay);
  }

  /** @param {import('../../types.js').Decay} decay */
  draw(decay) {
    const { clientWidth: width, clientHeight: height } = this.field;
    if (width === 0) return;
    this.field.setAttribute('viewBox', `0 0 ${width} ${height}`);
    const seconds = decay?.seconds ?? 1;
    const x = (/** @type {number} */ s) => EDGE.left + (s / seconds) * (width - EDGE.left - EDGE.right);
    const y = (/** @type {number} */ db) => EDGE.top + (Math.max(FLOOR, db) / FLOOR) * (height - EDGE.top - EDGE.bottom);
    const parts = [];
    for (let db = FLOOR; db <= 0; db += 12) {
      parts.push(svg('line', { x1: x(0), x2: x(seconds), y1: y(db), y2: y(db), class: 'grid-line' }));
      parts.push(svg('text', { x: EDGE.left - 6, y: y(db) + 4, 'text-anchor': 'end' }, String(db).replace('-', '−')));
    }
    const step = stepOf(seconds);
    for (let i = 0; i * step <= seconds * 1.0001; i += 1) {
      parts.push(svg('line', { x1: x(i * step), x2: x(i * step), y1: y(0), y2: y(FLOOR), class: 'grid-line' }));
      if (decay) parts.push(svg('text', { x: x(i * step), y: height - 8, 'text-anchor': 'middle' }, i ? time(i * step) : '0'));
    }
    if (decay) {
      const wide = (x(seconds) - x(0)) / STRETCHES;
      decay.level_db.forEach((/** @type {number} */ db, /** @type {number} */ i) => {
        if (db > FLOOR)
          parts.push(
            svg('rect', {
              x: x(0) + i * wide + 0.5,
              y: y(db),
              width: Math.max(1, wide - 1),
              height: y(FLOOR) - y(db),
              class: 'decay-level',
            }),
          );
      });
      const left = decay.left_db.map((db, i) => /** @type {[number, number]} */ ([x((i * seconds) / STRETCHES), y(db)]));
      const end = decay.left_db.findIndex((/** @type {number} */ db) => db <= FLOOR);
      parts.push(svg('path', { d: path(end < 0 ? left : left.slice(0, end + 1)), class: 'curve' }));
    }
    this.field.replaceChildren(...parts);
  }

  end() {
    super.end();
    this.observer.disconnect();
  }
}

/** @param {import('../../types.js').Decay} decay */
function sentence({ seconds, t60_s }) {
  const fall = t60_s === null ? 'It ends before it has died away.' : `It falls by 60 dB in ${time(t60_s)}.`;
  return `${fall} ${time(seconds)} long. Bars: its level; line: what is still to come.`;
}
