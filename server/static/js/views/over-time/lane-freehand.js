// @ts-check
/** A run of points drawn by hand over a lane, in whichever direction: what was there beneath it gives way. */

/** @typedef {import('../../session/course.js').Point} Point */

/** Pixels from which a press is drawing: up to there it sets a point. */
export const DRAWS_FROM = 6;

export class Freehand {
  /** @param {Point[]} lane as it was @param {number} x of the press */
  constructor(lane, x) {
    this.lane = lane;
    this.x = x;
    /** What is drawn, by frame. @type {Map<number, Point>} */
    this.drawn = new Map();
    /** Where the hand was last: frame and place on the rule. @type {[number, number] | null} */
    this.last = null;
  }

  /**
   * Where the hand has come since, on a grid: what it was at as it passed each line of it.
   * @param {[number, number]} to frame and place on the rule
   * @param {number} step frames from one line to the next; 0 for no grid
   * @returns {[number, number][]}
   */
  passed(to, step) {
    const from = this.last ?? to;
    this.last = to;
    if (!step) return [[Math.max(0, Math.round(to[0])), to[1]]];
    const [low, high] = [Math.min(from[0], to[0]), Math.max(from[0], to[0])];
    /** @type {[number, number][]} */
    const lines = [];
    for (let k = Math.ceil(low / step); k * step <= high; k += 1) {
      const share = to[0] === from[0] ? 1 : (k * step - from[0]) / (to[0] - from[0]);
      lines.push([Math.max(0, Math.round(k * step)), from[1] + share * (to[1] - from[1])]);
    }
    return lines;
  }

  /** @param {number} at frame @param {any} value */
  take(at, value) {
    this.drawn.set(at, { at, value, then: 'straight' });
  }

  /** What is drawn, in order. */
  get run() {
    return [...this.drawn.values()].sort((a, b) => a.at - b.at);
  }

  /** The lane while it is drawn over. @returns {Point[]} */
  points() {
    const { run } = this;
    const [from, to] = [run[0].at, run[run.length - 1].at];
    return [...this.lane.filter((p) => p.at < from), ...run, ...this.lane.filter((p) => p.at > to)];
  }
}
