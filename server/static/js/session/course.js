// @ts-check
/** How one value changes with the song, as it is written down. */

/**
 * @typedef {{ at: number, value: any, then: 'straight' | 'held' | 'free' }} Point
 * @typedef {{ param: string, sections: { section: number, value: any }[], points: Point[] }} Course
 */

/**
 * The course of a value; one that says nothing where it does not change.
 * @param {{ over_time?: Course[] }} owner
 * @param {string} param
 * @returns {Course}
 */
export function courseOf(owner, param) {
  return owner.over_time?.find((course) => course.param === param) ?? { param, sections: [], points: [] };
}
