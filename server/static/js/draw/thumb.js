// @ts-check
/** A unit's actual effect, small: its curve or its bend. */
import { ask, catalogue } from '../engine/ask.js';
import { path, svg } from './svg.js';

const POINTS = 64;
const FREQS = Array.from({ length: POINTS }, (_, i) => 20 * 1000 ** (i / (POINTS - 1)));
/** Half the height of a thumbnail in dB. */
const RANGE_DB = 15;
const BEND_FLOOR = -48;

/**
 * @param {import('../session/document.js').Unit} unit
 * @param {number} rate
 */
export function thumb(unit, rate) {
  const box = svg('svg', { viewBox: '0 0 100 48', preserveAspectRatio: 'none', class: 'thumb', 'aria-hidden': 'true' });
  if (!unit.on) box.dataset.off = '';
  const kind = catalogue.kinds.find((/** @type {any} */ k) => k.id === unit.kind);
  if (kind.picture === 'bend') drawBend(box, unit);
  else if (kind.picture === 'width') drawWidth(box, unit);
  else drawResponse(box, unit, rate);
  return box;
}

/** @param {SVGElement} box @param {any} unit @param {number} rate */
function drawResponse(box, unit, rate) {
  const gains = ask({ ask: 'response', rack: { zinc_rack: 1, units: [{ ...unit, on: true }] }, rate, freqs: FREQS });
  const y = (/** @type {number} */ db) => 24 - (Math.max(-RANGE_DB, Math.min(RANGE_DB, db)) / RANGE_DB) * 20;
  box.append(svg('path', { d: 'M2 24H98', class: 'zero' }));
  box.append(svg('path', { d: path(gains.map((/** @type {number} */ db, /** @type {number} */ i) => [2 + (96 * i) / (POINTS - 1), y(db)])) }));
}

/** The sides as two legs: together for mono, straight up for as it came. @param {SVGElement} box @param {any} unit */
function drawWidth(box, unit) {
  box.append(svg('path', { d: 'M50 44L25 6M50 44L75 6', class: 'zero' }));
  const reach = 25 * unit.params.width;
  box.append(svg('path', { d: `M50 44V30L${50 - reach} 6M50 30L${50 + reach} 6` }));
}

/** @param {SVGElement} box @param {any} unit */
function drawBend(box, unit) {
  const out = ask({ ask: 'bend', unit, from: BEND_FLOOR });
  const y = (/** @type {number} */ db) => 4 + (Math.min(0, Math.max(BEND_FLOOR, db)) / BEND_FLOOR) * 40;
  box.append(svg('path', { d: 'M2 44L98 4', class: 'zero' }));
  box.append(svg('path', { d: path(out.map((/** @type {number} */ db, /** @type {number} */ i) => [2 + (96 * i) / -BEND_FLOOR, y(db)])) }));
}
