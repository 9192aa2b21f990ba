// @ts-check
/** How one value changes with the song, as it is written down. */

/**
 * @typedef {{ at: number, value: any, then: 'straight' | 'held' | 'free' }} Point
 * @typedef {{ param: string, sections: { section: number, value: any }[], points: Point[] }} Course
 */

/** Where a path leads into a list of rows, `bands[2].freq_hz`; null where it names none. @param {string} path */
export function rowOf(path) {
  const [, list, row, name] = /^([^[]+)\[(\d+)\]\.(.+)$/.exec(path) ?? [];
  return list ? { list, row: Number(row), name } : null;
}

/** The course of a value; one that says nothing where it does not change. @param {{ over_time?: Course[] }} owner @param {string} param @returns {Course} */
export function courseOf(owner, param) {
  return owner.over_time?.find((course) => course.param === param) ?? { param, sections: [], points: [] };
}

/** As the core's edits of courses do. @template {{ over_time?: Course[] }} T @param {T} owner @param {import('./document.js').Edit} edit @returns {T} */
export function withCourse(owner, edit) {
  const before = courseOf(owner, edit.param);
  /** @type {Course} */
  let course;
  if (edit.edit === 'set-lane') course = { ...before, points: edit.points };
  else {
    const others = before.sections.filter((h) => h.section !== edit.section);
    const sections = edit.value === null || edit.value === undefined ? others : [...others, { section: edit.section, value: edit.value }];
    course = { ...before, sections: sections.sort((a, b) => a.section - b.section) };
  }
  const rest = (owner.over_time ?? []).filter((c) => c.param !== edit.param);
  const list = course.points.length + course.sections.length > 0 ? [...rest, course] : rest;
  list.sort((a, b) => (a.param < b.param ? -1 : 1));
  return { ...owner, over_time: list.length > 0 ? list : undefined };
}

