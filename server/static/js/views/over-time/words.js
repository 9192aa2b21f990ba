// @ts-check
/** Names and values of what changes with the song, in words. */
import { ask, kindOf, parameter } from '../../engine/ask.js';
import { rowOf } from '../../session/course.js';
import { ownerOf, tableOf } from '../../session/over-time.js';

/** @typedef {import('../../session/over-time.js').Target} Target */

/** Tempo, metre and rate, for the core's questions. @param {import('../../session/document.js').Session} session */
export const metreOf = (session) => ({ tempo_bpm: session.tempo_bpm, beats_per_bar: session.beats_per_bar, rate: session.rate });

/** A place as bar and beat. @param {import('../../session/document.js').Session} session @param {number} frame @returns {string} */
export const placeWords = (session, frame) => ask({ ask: 'place', about: { place: 'words', frame: Math.max(0, Math.round(frame)), metre: metreOf(session) } });

/** @param {import('../../session/document.js').Session} session @param {Target} target */
export function paramOf(session, target) {
  const owner = ownerOf(session, target);
  if (!owner) return null;
  const { table, param } = tableOf(owner, target);
  return { owner, table, param, spec: parameter(table, param) };
}

/** What is changed, in words: "where of band 1, Surgical EQ". @param {import('../../session/document.js').Session} session @param {Target} target */
export function targetWords(session, target) {
  const found = paramOf(session, target);
  if (!found) return target.param;
  if (!target.unit) {
    const to = /^send\[(\d+)\]/.exec(target.param)?.[1];
    return to ? `send to ${session.strips.find((s) => s.id === Number(to))?.name ?? '?'}` : found.spec.label;
  }
  const at = rowOf(target.param);
  const kind = kindOf(found.owner.kind);
  const of = at ? ` of ${kind.lists.find((/** @type {any} */ l) => l.id === at.list).label} ${at.row + 1}` : '';
  return `${found.spec.label}${of}, ${kind.name}`;
}

/** A value of a parameter as text. @param {string} table @param {string} param @param {any} spec @param {any} value @returns {string} */
export function valueWords(table, param, spec, value) {
  if (spec.domain.type === 'switch') return value ? 'on' : 'off';
  if (spec.domain.type === 'choice') return spec.domain.options.find((/** @type {any} */ o) => o.id === String(value))?.label ?? String(value);
  return ask({ ask: 'format', table, param, value: value === 'inf' ? null : value });
}
