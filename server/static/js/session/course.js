// @ts-check
/** How one value changes with the song, as it is written down. */

/**
 * @typedef {import('../types.js').Point} Point
 * @typedef {import('../types.js').Course} Course
 */

/**
 * The course of a value; one that says nothing where it does not change.
 * @param {{ over_time?: Course[] } | undefined} owner
 * @param {string} param
 * @returns {Course}
 */
export function courseOf(owner, param) {
  return owner?.over_time?.find((course) => course.param === param) ?? { param, sections: [], points: [] };
}
