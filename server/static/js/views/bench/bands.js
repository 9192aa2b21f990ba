// @ts-check
/** What bands are: which shapes have a gain, a width, a slope; a fresh one; how one moves. */
import { catalogue } from '../../engine/ask.js';

/**
 * @typedef {{
 *   on: boolean, threshold_db: number, ratio: number, range_db: number, attack_ms: number, release_ms: number,
 *   key: string,
 * }} Motion
 */
/**
 * @typedef {{
 *   on: boolean, shape: string, freq_hz: number, gain_db: number, q: number, slope_db_oct: number | string,
 *   place: string, dynamic: Motion,
 * }} Band
 */

export const TABLE = 'surgical-eq/bands';
const params = catalogue.kinds.find((/** @type {any} */ k) => k.id === 'surgical-eq').lists[0].params;

/** A band at the defaults of its table. @returns {Band} */
export function freshBand() {
  /** @type {any} */
  const band = {};
  for (const { id, domain } of params) {
    const [group, name] = id.split('.');
    const value = domain.type === 'choice' ? domain.options[domain.default].id : domain.default;
    if (name) (band[group] ??= {})[name] = value;
    else band[id] = /^\d+$/.test(value) ? Number(value) : value;
  }
  return band;
}

const fresh = freshBand();
/** With everything an older or shorter file leaves out. @param {any} band @returns {Band} */
export const whole = (band) => ({ ...fresh, ...band, dynamic: { ...fresh.dynamic, on: Boolean(band.dynamic), ...band.dynamic } });

export const isCut = (/** @type {Band} */ b) => b.shape === 'high-pass' || b.shape === 'low-pass';
export const hasGain = (/** @type {Band} */ b) => ['bell', 'low-shelf', 'high-shelf', 'tilt'].includes(b.shape);
export const hasWidth = (/** @type {Band} */ b) => ['bell', 'notch', 'band-pass'].includes(b.shape);
export const hasSlope = (/** @type {Band} */ b) => ['high-pass', 'low-pass', 'low-shelf', 'high-shelf'].includes(b.shape);
/** Shelves of 12 dB/oct are bent by Q. */
export const hasQ = (/** @type {Band} */ b) => hasWidth(b) || (b.shape.endsWith('shelf') && b.slope_db_oct === 12);
export const isMoving = (/** @type {Band} */ b) => hasGain(b) && b.dynamic.on;

/** Gain at the far end of a moving band's way. @param {Band} band */
export const limitDb = (band) => band.gain_db - Math.sign(1 - 1 / band.dynamic.ratio) * band.dynamic.range_db;

/** Shapes whose region is all that lies below their frequency, and all above. */
const BELOW = ['high-pass', 'low-shelf'];
const ABOVE = ['low-pass', 'high-shelf'];

/**
 * What is heard of a band by itself: the lowest and the highest frequency of its region, 0 and
 * infinity where it has no end.
 * @param {{ shape: string, freq_hz: number, q?: number }} band
 * @returns {[number, number]}
 */
export function regionOf({ shape, freq_hz, q = 1 }) {
  if (BELOW.includes(shape)) return [0, freq_hz];
  if (ABOVE.includes(shape)) return [freq_hz, Infinity];
  const half = 1 / (2 * q);
  const wide = Math.sqrt(1 + half * half);
  return [freq_hz * (wide - half), freq_hz * (wide + half)];
}
