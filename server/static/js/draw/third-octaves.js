// @ts-check
/** The frequency axis of pictures by third octaves. */
import { spectra } from '../engine/ask.js';
import { svg } from './svg.js';

const NAMED = /** @type {[number, string][]} */ ([
  [31.5, '31'],
  [63, '63'],
  [125, '125'],
  [250, '250'],
  [500, '500'],
  [1000, '1k'],
  [2000, '2k'],
  [4000, '4k'],
  [8000, '8k'],
  [16000, '16k'],
]);
/** Half a third of an octave, as a ratio. */
const HALF = 10 ** 0.05;

/** A band so far under the strongest is no part of the sound: what happens to it is not shown. */
const HEARD_DB = 45;

/** Which bands are heard before or after. @param {number[]} before @param {number[]} after @returns {boolean[]} */
export function heardBands(before, after) {
  const loudest = [before, after].map((levels) => Math.max(...levels));
  return before.map((db, i) => db > loudest[0] - HEARD_DB || after[i] > loudest[1] - HEARD_DB);
}

/**
 * Where frequencies lie between two edges, and each band's own edges.
 * @param {number} left @param {number} right
 */
export function thirdOctaves(left, right) {
  const { hz } = spectra[0];
  const [low, high] = [hz[0] / HALF, hz[hz.length - 1] * HALF];
  const x = (/** @type {number} */ f) => left + (Math.log(f / low) / Math.log(high / low)) * (right - left);
  const bands = hz.map((/** @type {number} */ f) => /** @type {[number, number]} */ ([x(f / HALF), x(f * HALF)]));
  const names = (/** @type {number} */ y) => NAMED.map(([f, words]) => svg('text', { x: x(f), y, 'text-anchor': 'middle' }, words));
  return { x, bands, names };
}
