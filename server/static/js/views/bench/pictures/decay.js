// @ts-check
/** How a recorded response dies away. */
import { ask } from '../../../engine/ask.js';
import { path, svg } from '../../../draw/svg.js';
import { DecayPanel } from '../decay-panel.js';

const STRETCHES = 48;
const FLOOR = -60;

/** @param {SVGElement} box @param {import('../../../types.js').Unit} unit @param {number} rate */
function drawDecay(box, unit, rate) {
  box.append(svg('path', { d: 'M2 44H98', class: 'zero' }));
  const decay = ask({ ask: 'decay', unit, rate, stretches: STRETCHES });
  if (!decay) return;
  const y = (/** @type {number} */ db) => 4 + (Math.max(FLOOR, db) / FLOOR) * 40;
  box.append(
    svg('path', {
      d: path(decay.level_db.map((/** @type {number} */ db, /** @type {number} */ i) => [2 + (96 * i) / (STRETCHES - 1), y(db)])),
    }),
  );
}

export const decay = { panel: DecayPanel, thumbnail: drawDecay };
