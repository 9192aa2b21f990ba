// @ts-check
/** What a unit that bends waves does to a soft sound, its gain apart. */
import { ask } from '../../../engine/ask.js';
import { path, svg } from '../../../draw/svg.js';
import { TonePanel } from '../tone-panel.js';

const POINTS = 48;
const FREQS = Array.from({ length: POINTS }, (_, i) => 40 * 300 ** (i / (POINTS - 1)));
const RANGE_DB = 24;

/** @param {SVGElement} box @param {import('../../../types.js').Unit} unit @param {number} rate */
function drawTone(box, unit, rate) {
  const gains = ask({ ask: 'response', rack: { zinc_rack: 1, units: [{ ...unit, on: true }] }, rate, freqs: FREQS });
  const about = gains.reduce((/** @type {number} */ sum, /** @type {number} */ db) => sum + db, 0) / POINTS;
  const y = (/** @type {number} */ db) => 24 - (Math.max(-RANGE_DB, Math.min(RANGE_DB, db - about)) / RANGE_DB) * 20;
  box.append(
    svg('path', { d: 'M2 24H98', class: 'zero' }),
    svg('path', { d: path(gains.map((/** @type {number} */ db, /** @type {number} */ i) => [2 + (96 * i) / (POINTS - 1), y(db)])) }),
  );
}

export const tone = { panel: TonePanel, thumbnail: drawTone };
