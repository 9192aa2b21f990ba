// @ts-check
/** What changes with the song, as the page's copy of the session holds it: a section's own values, and lanes. The core's `course` has the rules. */
import { catalogue } from '../engine/ask.js';
import { courseOf, rowOf } from './course.js';
import { COMMON, valueAt, withEdit } from './unit-edits.js';

/**
 * @typedef {import('./document.js').Unit} Unit
 * @typedef {import('./document.js').Strip} Strip
 * @typedef {import('./document.js').Edit} Edit
 * @typedef {import('./course.js').Course} Course
 * @typedef {{ strip: number, unit: number, param: string }} Target unit 0 is the strip itself
 */

/** Controls of a strip that can change with the song. @type {string[]} */
const CHANGING = catalogue.changing;
/** How the level of a send is named. @param {number} to */
export const sendPath = (to) => `send[${to}].level_db`;

/** @param {{ over_time?: Course[] }} owner @param {string} param */
export const changes = (owner, param) => owner.over_time?.some((course) => course.param === param) ?? false;

/** A unit as it is in a section; everywhere for 0. @param {Unit} unit @param {number} section @returns {Unit} */
export function unitIn(unit, section) {
  const here = (unit.over_time ?? []).flatMap((/** @type {Course} */ course) => course.sections.filter((h) => h.section === section).map((h) => ({ param: course.param, value: h.value })));
  return here.reduce((shown, { param, value }) => withEdit(shown, { edit: 'set-param', param, value }), unit);
}

/** A unit as it is in the other parts of the song than a section (0 is everywhere), as far as it differs there. @param {Unit} unit @param {number} section @returns {Unit[]} */
export function unitElsewhere(unit, section) {
  const differs = new Set((unit.over_time ?? []).flatMap((course) => course.sections.map((h) => h.section)));
  const rest = differs.has(section) ? [0] : [];
  return [...rest, ...[...differs].filter((other) => other !== section)].map((other) => unitIn(unit, other));
}

/** A value of a strip as it is in a section. @param {Strip} strip @param {string} control @param {number} section */
export function controlIn(strip, control, section) {
  const here = courseOf(strip, control).sections.find((h) => h.section === section);
  return here ? here.value : strip.controls[control];
}

/**
 * The edit that does in a section what an edit does everywhere; null where that cannot be.
 * @param {Edit} edit
 * @param {number} section 0 for everywhere
 * @returns {Edit | null}
 */
export function editIn(edit, section) {
  if (!section) return edit;
  if (edit.edit === 'several') {
    const edits = edit.edits.map((/** @type {Edit} */ e) => editIn(e, section));
    return edits.includes(null) ? null : { ...edit, edits };
  }
  const here = (/** @type {number} */ unit, /** @type {string} */ param) => ({ edit: 'set-here', strip: edit.strip, unit, param, section, value: edit.value });
  if (edit.edit === 'set-param') return here(edit.unit, edit.param);
  if (edit.edit === 'set-control') return CHANGING.includes(edit.control) ? here(0, edit.control) : null;
  // What is written of it, what drives it and what it follows is one for the whole song.
  return ['set-why', 'set-key', 'set-follows', 'rename', 'set-note'].includes(edit.edit) ? edit : null;
}

/** Owner of a value. @param {import('./document.js').Session} session @param {Target} target @returns {any} */
export function ownerOf(session, target) {
  const strip = session.strips.find((s) => s.id === target.strip);
  return target.unit ? strip?.rack.units.find((u) => u.id === target.unit) : strip;
}

/** Table and name in it of a value, for the core's questions. @param {any} owner @param {Target} target @returns {{ table: string, param: string }} */
export function tableOf(owner, target) {
  if (!target.unit) return { table: 'strip', param: target.param.startsWith('send[') ? 'level_db' : target.param };
  if (/** @type {readonly string[]} */ (COMMON).includes(target.param)) return { table: 'common', param: target.param };
  const at = rowOf(target.param);
  return at ? { table: `${owner.kind}/${at.list}`, param: at.name } : { table: owner.kind, param: target.param };
}

/** A value everywhere. @param {any} owner @param {Target} target */
export function everywhere(owner, target) {
  if (!target.unit) {
    const send = owner.sends.find((/** @type {any} */ s) => sendPath(s.to) === target.param);
    return send ? send.level_db : owner.controls[target.param];
  }
  if (target.param in owner) return owner[target.param];
  const at = rowOf(target.param);
  return at ? valueAt(owner.params[at.list][at.row], at.name) : valueAt(owner.params, target.param);
}

/** Everything of a session that changes with the song. @param {import('./document.js').Session} session @returns {{ target: Target, owner: any, course: Course }[]} */
export function allChanges(session) {
  return session.strips.flatMap((strip) => [
    .../** @type {any} */ (strip.over_time ?? []).map((/** @type {Course} */ course) => ({ target: { strip: strip.id, unit: 0, param: course.param }, owner: strip, course })),
    ...strip.rack.units.flatMap((unit) => (unit.over_time ?? []).map((/** @type {Course} */ course) => ({ target: { strip: strip.id, unit: unit.id, param: course.param }, owner: unit, course }))),
  ]);
}
