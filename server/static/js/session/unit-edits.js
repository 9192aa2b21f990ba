// @ts-check
/** From a unit before and after to the least edits that lead there: a value, a row, its words. */

import { rowOf, withCourse } from './course.js';

/** @typedef {import('./document.js').Unit} Unit */
/** @typedef {import('./document.js').Edit} Edit */

/** Fields that every unit has and that are values of a table. */
export const COMMON = /** @type {const} */ (['on', 'mix', 'trim_db', 'place']);
/** More values than this at once are one change of the whole unit. */
const MOST_VALUES = 48;

/** @param {unknown} a @param {unknown} b */
const same = (a, b) => a === b || JSON.stringify(a) === JSON.stringify(b);

/**
 * The values in which two objects of one table differ, those of groups as `group.field`.
 * @param {any} before
 * @param {any} after
 * @param {string} path
 * @returns {[string, unknown][]}
 */
function values(before, after, path = '') {
  return Object.keys(after).flatMap((name) => {
    const value = after[name];
    const at = path + name;
    if (same(before?.[name], value)) return [];
    if (value !== null && typeof value === 'object') return values(before?.[name], value, `${at}.`);
    return [/** @type {[string, unknown]} */ ([at, value])];
  });
}

/**
 * What happened to a list of rows: values that changed, one row more, one row less; null for
 * anything else.
 * @param {string} list
 * @param {any[]} before
 * @param {any[]} after
 * @returns {{ values?: [string, unknown][], add?: { at: number, row: any }, remove?: number } | null}
 */
function rows(list, before, after) {
  if (before.length === after.length) {
    return { values: after.flatMap((row, i) => values(before[i], row, '').map(([name, value]) => /** @type {[string, unknown]} */ ([`${list}[${i}].${name}`, value]))) };
  }
  const [short, long] = before.length < after.length ? [before, after] : [after, before];
  if (long.length - short.length !== 1) return null;
  let at = short.findIndex((row, i) => !same(row, long[i]));
  if (at < 0) at = short.length;
  if (!same(short.slice(at), long.slice(at + 1))) return null;
  return long === after ? { add: { at, row: long[at] } } : { remove: at };
}

/**
 * The edit that leads from a unit to its next state.
 * @param {number} strip
 * @param {Unit} before
 * @param {Unit} after
 * @returns {Edit | null} null where nothing has changed
 */
export function unitEdit(strip, before, after) {
  const { id: unit } = after;
  const whole = { edit: 'set-unit', strip, unit: after };
  const param = (/** @type {string} */ name, /** @type {unknown} */ value) => ({ edit: 'set-param', strip, unit, param: name, value });
  /** @type {Edit[]} */
  const edits = COMMON.filter((name) => !same(before[name], after[name])).map((name) => param(name, after[name]));
  if (before.why !== after.why) edits.push({ edit: 'set-why', strip, unit, why: after.why });
  if (!same(before.key ?? null, after.key ?? null)) edits.push({ edit: 'set-key', strip, unit, key: after.key ?? 'self' });
  if (!same(before.follows ?? null, after.follows ?? null)) edits.push({ edit: 'set-follows', strip, unit, follows: after.follows ?? null });
  for (const name of Object.keys(after.params)) {
    const [was, is] = [before.params[name], after.params[name]];
    if (same(was, is)) continue;
    if (!Array.isArray(is)) {
      edits.push(...values({ [name]: was }, { [name]: is }).map(([at, value]) => param(at, value)));
      continue;
    }
    const change = rows(name, was ?? [], is);
    if (!change) return whole;
    edits.push(...(change.values ?? []).map(([at, value]) => param(at, value)));
    if (change.add) edits.push({ edit: 'add-row', strip, unit, list: name, ...change.add });
    if (change.remove !== undefined) edits.push({ edit: 'remove-row', strip, unit, list: name, at: change.remove });
  }
  if (edits.length > MOST_VALUES) return whole;
  if (edits.length <= 1) return edits[0] ?? null;
  return { edit: 'several', edits };
}

/** Edits that change values of a unit and leave the row as it is. */
const OF_UNITS = ['set-unit', 'set-param', 'set-here', 'set-lane', 'add-row', 'remove-row', 'set-why', 'set-key', 'set-follows'];

/** Whether an edit changes units of a strip and nothing else. @param {Edit} edit @param {number} strip */
export function isOfUnits(edit, strip) {
  if (edit.edit === 'several') return edit.edits.every((/** @type {Edit} */ e) => isOfUnits(e, strip));
  return OF_UNITS.includes(edit.edit) && edit.strip === strip && edit.unit !== 0;
}

/** The strips an edit names. @param {Edit} edit @returns {number[]} */
export function stripsOf(edit) {
  if (edit.edit === 'several') return [...new Set(/** @type {Edit[]} */ (edit.edits).flatMap(stripsOf))];
  return edit.strip ? [edit.strip] : [];
}

/**
 * Makes an edit of a unit's values here, as the core does.
 * @param {Unit} unit
 * @param {Edit} edit
 * @returns {Unit}
 */
export function withEdit(unit, edit) {
  switch (edit.edit) {
    case 'set-unit': return edit.unit;
    case 'set-why': return { ...unit, why: edit.why };
    case 'set-key': return { ...unit, key: edit.key === 'self' ? undefined : edit.key };
    case 'set-follows': return { ...unit, follows: edit.follows ?? undefined };
    case 'set-here':
    case 'set-lane': return withCourse(unit, edit);
    case 'add-row': return withRows(moveRows(unit, edit.list, edit.at, 1), edit.list, (rows) => [...rows.slice(0, edit.at), edit.row, ...rows.slice(edit.at)]);
    case 'remove-row': return withRows(moveRows(unit, edit.list, edit.at, -1), edit.list, (rows) => rows.filter((_, i) => i !== edit.at));
    case 'set-param': return withValue(unit, edit.param, edit.value);
    default: return unit;
  }
}

/** @param {Unit} unit @param {string} list @param {(rows: any[]) => any[]} change @returns {Unit} */
const withRows = (unit, list, change) => ({ ...unit, params: { ...unit.params, [list]: change(unit.params[list] ?? []) } });

/**
 * What changes with the song of rows that move; of one that is gone it goes too.
 * @param {Unit} unit
 * @param {string} list
 * @param {number} from
 * @param {number} by
 * @returns {Unit}
 */
function moveRows(unit, list, from, by) {
  if (!unit.over_time) return unit;
  const moved = unit.over_time.flatMap((course) => {
    const at = rowOf(course.param);
    if (at?.list !== list || at.row < from) return [course];
    return by < 0 && at.row === from ? [] : [{ ...course, param: `${list}[${at.row + by}].${at.name}` }];
  });
  return { ...unit, over_time: moved.length ? moved : undefined };
}

/** @param {Unit} unit @param {string} param @param {unknown} value @returns {Unit} */
function withValue(unit, param, value) {
  if (/** @type {readonly string[]} */ (COMMON).includes(param)) return { ...unit, [param]: value };
  const at = rowOf(param);
  if (!at) return { ...unit, params: put(unit.params, param, value) };
  return withRows(unit, at.list, (rows) => rows.map((r, i) => (i === at.row ? put(r, at.name, value) : r)));
}

/** A value of a unit's parameters or of a row. @param {any} object @param {string} path `field` or `group.field` */
export function valueAt(object, path) {
  const [group, field] = path.split('.');
  return field ? object[group]?.[field] : object[group];
}

/** The same with another value there. @param {any} object @param {string} path `field` or `group.field` @param {unknown} value */
export function put(object, path, value) {
  const [group, field] = path.split('.');
  return field ? { ...object, [group]: { ...object[group], [field]: value } } : { ...object, [path]: value };
}
