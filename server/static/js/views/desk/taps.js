// @ts-check
/** The tempo that is tapped. */

/** Taps further apart than this begin a new count. */
const PAUSE_MS = 2500;
/** Fewer taps say nothing. */
const FEWEST = 4;

export class Taps {
  /** When each came, in ms. @type {number[]} */
  at = [];

  /** Takes a tap. @param {number} now in ms @returns {number | null} quarter notes a minute, once there are enough */
  tap(now) {
    if (now - (this.at.at(-1) ?? now) > PAUSE_MS) this.at = [];
    this.at.push(now);
    if (this.at.length < FEWEST) return null;
    return Math.round((600_000 * (this.at.length - 1)) / (now - this.at[0])) / 10;
  }
}
