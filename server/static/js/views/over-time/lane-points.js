// @ts-check
/** The points of a lane as a hand changes them. What is written and ridden is the core's. */

/** @typedef {import('../../session/course.js').Point} Point */

/** With a point more, in order; one at the same place gives way. @param {Point[]} points @param {Point} point */
export const withPoint = (points, point) => [...points.filter((p) => p.at !== point.at), point].sort((a, b) => a.at - b.at);

/**
 * With one of them changed. It stays between its neighbours: a drag past one would be another order.
 * @param {Point[]} points
 * @param {number} i
 * @param {Partial<Point>} part
 */
export function withChanged(points, i, part) {
  const [low, high] = [(points[i - 1]?.at ?? -1) + 1, (points[i + 1]?.at ?? Infinity) - 1];
  return points.map((point, n) => {
    if (n !== i) return point;
    const changed = { ...point, ...part };
    return { ...changed, at: Math.max(low, Math.min(high, changed.at)) };
  });
}

/** A move that is being written while it plays: its own points, over what the lane had before it. */
export class Written {
  /** @param {Point[]} lane as it was @param {string} gesture */
  constructor(lane, gesture) {
    this.lane = lane;
    this.gesture = gesture;
    /** @type {Point[]} */
    this.run = [];
  }

  /**
   * Takes a value at a place.
   * @param {number} at frame
   * @param {any} value
   * @returns {boolean} false where the song has gone back: what was written in the first pass of a loop stays
   */
  take(at, value) {
    const last = this.run.at(-1);
    if (last && at < last.at) return false;
    if (last?.at === at) this.run.pop();
    this.run.push({ at, value, then: 'straight' });
    return true;
  }

  /** The lane while it is written: what was there before it, and then itself. */
  points() {
    return [...this.lane.filter((p) => p.at < this.run[0].at), ...this.run];
  }
}
