// @ts-check
/** Where frames and places on the rule lie in the picture of a lane, and what rules it. */

export const HEIGHT = 92;
const MARGIN = 8;
/** Beats that are ruled one by one; more are ruled by bars, and many bars by eights. */
const MOST_BEATS = 48;
const MOST_BARS = 64;

export class LaneScale {
  /** @param {number} from first frame @param {number} to one past the last @param {number} width in pixels */
  constructor(from, to, width) {
    this.from = from;
    this.to = to;
    this.width = width;
  }

  /** @param {number} frame */
  x(frame) {
    return ((frame - this.from) / (this.to - this.from)) * this.width;
  }

  /** @param {number} place 0 to 1 */
  y(place) {
    return HEIGHT - MARGIN - place * (HEIGHT - 2 * MARGIN);
  }

  /** Frame and place under a point of the picture. @param {number} x @param {number} y @returns {[number, number]} */
  under(x, y) {
    return [this.from + (x / this.width) * (this.to - this.from), (HEIGHT - MARGIN - y) / (HEIGHT - 2 * MARGIN)];
  }

  /** What is ruled: frames, and whether a bar begins there. @param {number} beat frames @param {number} bar frames */
  ruling(beat, bar) {
    const span = this.to - this.from;
    const step = span / beat < MOST_BEATS ? beat : span / bar < MOST_BARS ? bar : bar * 8;
    const first = Math.ceil(this.from / step);
    const count = Math.max(0, Math.ceil(this.to / step) - first);
    return Array.from({ length: count }, (_, n) => {
      const at = (first + n) * step;
      return { at, isBar: Math.abs(at / bar - Math.round(at / bar)) < 1e-6 };
    });
  }
}
