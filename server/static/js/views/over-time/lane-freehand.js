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
