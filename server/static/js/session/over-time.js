// @ts-check
/**
 * What changes with the song, as the page's copy of the session holds it: a section's own values, and lanes. The
 * core's `course` has the rules.
 */
import { ask } from '../engine/ask.js';
import { courseOf } from './course.js';
import { askSession } from './document.js';

/**
 * @typedef {import('./document.js').Unit} Unit
 * @typedef {import('./document.js').Strip} Strip
 * @typedef {import('./document.js').Edit} Edit
 * @typedef {import('./course.js').Course} Course
 * @typedef {{ strip: number, unit: number, param: string }} Target unit 0 is the strip itself
 */

/** How the level of a send is named. @param {number} to */
export const sendPath = (to) => `send[${to}].level_db`;

/** @param {{ over_time?: Course[] }} owner @param {string} param */
export const changes = (owner, param) => owner.over_time?.some((course) => course.param === param) ?? false;

/** A unit as it is in a section; everywhere for 0. @param {Unit} unit @param {number} section @returns {Unit} */
export const unitIn = (unit, section) => (section && unit.over_time ? ask({ ask: 'unit-in', unit, section }) : unit);

/** A unit with another value under a path. @param {Unit} unit @param {string} param @param {unknown} value @returns {Unit} */
export const unitWith = (unit, param, value) => ask({ ask: 'unit-with', unit, param, value });

/**
 * A unit as it is in the other parts of the song than a section (0 is everywhere), as far as it differs there.
 * @param {Unit} unit
 * @param {number} section
 * @returns {Unit[]}
 */
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
export const editIn = (edit, section) => (section ? askSession({ do: 'in-section', edit, section }) : edit);

/** Owner of a value. @param {import('./document.js').Session} session @param {Target} target @returns {Strip | Unit | undefined} */
export function ownerOf(session, target) {
  const strip = session.strips.find((s) => s.id === target.strip);
  return target.unit ? strip?.rack.units.find((u) => u.id === target.unit) : strip;
}

/**
 * What a target names: its table and name there for the core's questions, its words, its value everywhere; null where
 * it is gone.
 * @param {Target} target
 * @returns {{ table: string, param: string, label: string, everywhere: number | string | boolean | null } | null}
 */
export const named = ({ strip, unit, param }) => askSession({ do: 'value', strip, unit, param });

/**
 * Everything of a session that changes with the song.
 * @param {import('./document.js').Session} session
 * @returns {{ target: Target, owner: Strip | Unit, course: Course }[]}
 */
export function allChanges(session) {
  return session.strips.flatMap((strip) => [
    ...(strip.over_time ?? []).map((course) => ({ target: { strip: strip.id, unit: 0, param: course.param }, owner: strip, course })),
    ...strip.rack.units.flatMap((unit) =>
      (unit.over_time ?? []).map((course) => ({ target: { strip: strip.id, unit: unit.id, param: course.param }, owner: unit, course })),
    ),
  ]);
}
