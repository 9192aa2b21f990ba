// @ts-check
/** Names and values of what changes with the song, in words. */
import { format, parameter } from '../../engine/ask.js';
import { named } from '../../session/over-time.js';

/** @typedef {import('../../session/over-time.js').Target} Target */

/** What a target names, with its table's entry; null where it is gone. @param {Target} target */
export function paramOf(target) {
  const found = named(target);
  return found && { ...found, spec: parameter(found.table, found.param) };
}

/**
 * A value of a parameter as text.
 * @param {string} table
 * @param {string} param
 * @param {import('../../types.js').Param} spec
 * @param {number | string | boolean | null} value
 * @returns {string}
 */
export function valueWords(table, param, spec, value) {
  if (spec.domain.type === 'switch') return value ? 'on' : 'off';
  if (spec.domain.type === 'choice') return spec.domain.options.find((o) => o.id === String(value))?.label ?? String(value);
  return format(table, param, value === true || value === false ? null : value);
}
