// @ts-check
/** The width unit's panel: a few rules, and how far the sides differ before and after. */
import { catalogue } from '../../engine/ask.js';
import { html, level, svg } from '../../draw/svg.js';
import { ParamPanel } from './param-panel.js';

/** The rules of its table and the figures of its sides. */
export class WidthPanel extends ParamPanel {
  /** @param {any} treatment @param {number} station */
  evidence(treatment, station) {
    super.evidence(treatment, station);
    const pair = [treatment?.points[station], treatment?.points[station + 1]];
    if (!pair[0] || !pair[1]) return;
    const bars = pair.map((point, i) => widthBar(i ? 'after' : 'before', point.width_db));
    const mono = pair[0].width_db < MONO_DB
      ? html('p', { className: 'caution' }, 'The source is mono: both sides carry the same, so width does nothing here. A double or a second microphone would give it something to work on.')
      : html('p', { className: 'quiet' }, 'Bars: what differs between the sides against what they share. Check the result in mono (heard on: mono).');
    this.picture.classList.add('width-box');
    this.picture.replaceChildren(...bars, mono);
  }
}

/** Under this many dB of side against mid a sound is mono; the core's `measure::width`. */
const MONO_DB = catalogue.mono_db;

/** @param {string} name @param {number} db */
function widthBar(name, db) {
  const share = Math.max(0, Math.min(1, (db + 40) / 46));
  const bar = svg('svg', { viewBox: '0 0 400 26', class: 'width-bar', role: 'img', 'aria-label': `${name}: side ${level(db)} dB against mid` },
    svg('line', { x1: 200, x2: 200, y1: 0, y2: 26, class: 'grid-line strong' }),
    svg('rect', { x: 200 - 190 * share, y: 6, width: 380 * share, height: 14, class: name === 'before' ? 'width-before' : 'width-after' }));
  return html('div', { className: 'width-line' }, html('span', {}, name), bar, html('span', { className: 'figure' }, db < MONO_DB ? 'mono' : `${level(db)} dB`));
}
