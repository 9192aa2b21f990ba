// @ts-check
/** What a unit is called: its own name, or that of its kind. */
import { kindOf } from '../engine/ask.js';

/** @param {{ kind: string, name?: string }} unit @returns {string} */
export const unitName = (unit) => unit.name || kindOf(unit.kind).name;
