// @ts-check
/** Level meters: thin ruled bars from -60 to 0 dBFS. */
import { html } from './svg.js';

const FLOOR = -60;

/** @param {number} gain */
export const toDb = (gain) => (gain > 1e-6 ? 20 * Math.log10(gain) : -120);

/** Lets a level fall 20 dB a second and holds its highest for a moment. */
class Ballistic {
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
  }
}

/**
 * A meter in an element of class `meter`. Two elements that move, not a canvas: fifty
 * canvases drawn thirty times a second cost a hundred megabytes of drawing records.
 */
export class Meter {
  /** @param {HTMLElement} element */
  constructor(element) {
    this.level = html('i', { className: 'meter-level' });
    this.held = html('i', { className: 'meter-held' });
    this.ballistic = new Ballistic();
    /** Both places as drawn. */
    this.drawn = '';
    element.replaceChildren(this.level, this.held);
  }

  /** @param {number} gain largest magnitude since the last call @param {number} now ms */
  take(gain, now) {
    this.ballistic.take(gain, now);
    const [level, held] = [this.ballistic.db, this.ballistic.held].map((db) => Math.min(1, Math.max(0, 1 - db / FLOOR)).toFixed(3));
    if (this.drawn === level + held) return;
    this.drawn = level + held;
    this.level.style.transform = `scaleX(${level})`;
    this.held.style.transform = `translateX(${100 * (Number(held) - 1)}%)`;
  }
}
