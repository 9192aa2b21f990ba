// @ts-check
/** Gain against frequency. */
import { ask } from '../../../engine/ask.js';
import { path, svg } from '../../../draw/svg.js';
import { EqPanel } from '../eq-panel.js';

const POINTS = 64;
const FREQS = Array.from({ length: POINTS }, (_, i) => 20 * 1000 ** (i / (POINTS - 1)));
/** Half the height of a thumbnail in dB. */
const RANGE_DB = 15;

/** @param {SVGElement} box @param {import('../../../types.js').Unit} unit @param {number} rate */
export function drawResponse(box, unit, rate) {
  const gains = ask({ ask: 'response', rack: { zinc_rack: 1, units: [{ ...unit, on: true }] }, rate, freqs: FREQS });
  const y = (/** @type {number} */ db) => 24 - (Math.max(-RANGE_DB, Math.min(RANGE_DB, db)) / RANGE_DB) * 20;
  box.append(svg('path', { d: 'M2 24H98', class: 'zero' }));
  box.append(
    svg('path', { d: path(gains.map((/** @type {number} */ db, /** @type {number} */ i) => [2 + (96 * i) / (POINTS - 1), y(db)])) }),
  );
}

export const response = { panel: EqPanel, thumbnail: drawResponse };
