// @ts-check
/** Output level against input level. */
import { ask } from '../../../engine/ask.js';
import { path, svg } from '../../../draw/svg.js';
import { DynamicsPanel } from '../dynamics-panel.js';

const BEND_FLOOR = -48;

/** @param {SVGElement} box @param {import('../../../types.js').Unit} unit */
function drawBend(box, unit) {
  const out = ask({ ask: 'bend', unit, from: BEND_FLOOR });
  const y = (/** @type {number} */ db) => 4 + (Math.min(0, Math.max(BEND_FLOOR, db)) / BEND_FLOOR) * 40;
  box.append(svg('path', { d: 'M2 44L98 4', class: 'zero' }));
  box.append(svg('path', { d: path(out.map((/** @type {number} */ db, /** @type {number} */ i) => [2 + (96 * i) / -BEND_FLOOR, y(db)])) }));
}

export const bend = { panel: DynamicsPanel, thumbnail: drawBend };
