// @ts-check
/** Level meters: thin ruled bars from -60 to 0 dBFS. */
import { colour, fresh } from './svg.js';

const FLOOR = -60;

/** @param {number} gain */
export const toDb = (gain) => (gain > 1e-6 ? 20 * Math.log10(gain) : -120);

/**
 * @param {HTMLCanvasElement} canvas
 * @param {number} db the level now
 * @param {number} held the highest lately
 */
export function drawMeter(canvas, db, held) {
  const { ink, width, height } = fresh(canvas);
  const x = (/** @type {number} */ v) => (Math.max(0, v - FLOOR) / -FLOOR) * width;
  ink.fillStyle = colour('rule');
  for (const mark of [-48, -36, -24, -12, -0.3]) ink.fillRect(Math.round(x(mark)), 0, 1, height);
  ink.fillStyle = colour('ink');
  ink.fillRect(0, height * 0.25, x(db), height * 0.5);
  ink.fillStyle = colour('taken');
  if (held > FLOOR) ink.fillRect(Math.min(width - 2, x(held)), 0, 2, height);
}

/** Lets a level fall 20 dB a second and holds its highest for a moment. */
export class Ballistic {
  constructor() {
    this.db = -120;
    this.held = -120;
    this.heldAt = 0;
  }

  /** @param {number} gain largest magnitude since the last call @param {number} now ms */
  take(gain, now) {
    const db = toDb(gain);
    this.db = Math.max(db, this.db - 0.7);
    if (db >= this.held || now - this.heldAt > 1500) {
      this.held = db;
      this.heldAt = now;
    }
    return this;
  }
}
