// @ts-check
/** Where values stand on the rule of a lane, from 0 at its foot to 1. */
import { ask } from '../../engine/ask.js';

/** @typedef {{ table: string, param: string, spec: import('../../types.js').Param }} Found */

/** Place of a value. @param {Found} found @param {unknown} value @returns {number} */
export function placeOf({ table, param, spec: { domain } }, value) {
  if (domain.type === 'switch') return value ? 1 : 0;
  if (domain.type === 'choice') {
    const at = domain.options.findIndex((o) => o.id === String(value));
    return at / Math.max(1, domain.options.length - 1);
  }
  return ask({ ask: 'position', table, param, value: value === 'inf' ? null : value });
}

/** Value at a place. @param {Found} found @param {number} place @returns {number | string | boolean} */
export function valueOf({ table, param, spec: { domain } }, place) {
  const kept = Math.max(0, Math.min(1, place));
  if (domain.type === 'switch') return kept > 0.5;
  if (domain.type === 'choice') {
    const { id } = domain.options[Math.round(kept * (domain.options.length - 1))];
    return /^\d+$/.test(id) ? Number(id) : id;
  }
  return ask({ ask: 'value-at', table, param, position: kept }) ?? 'inf';
}

/** A value some way along; of a choice the next. @param {Found} found @param {unknown} value @param {number} by */
export function stepped(found, value, by) {
  const { domain } = found.spec;
  const count = domain.type === 'choice' ? domain.options.length : 2;
  const step = domain.type === 'number' ? by : Math.sign(by) / Math.max(1, count - 1);
  return valueOf(found, placeOf(found, value) + step);
}
