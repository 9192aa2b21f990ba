// @ts-check
/**
 * The pictures of units: for each its panel on the Bench and its thumbnail on the wire. A kind
 * whose picture is not here has the panel made from its table and its response as thumbnail.
 */
import { kindOf } from '../../../engine/ask.js';
import { ParamPanel } from '../param-panel.js';
import { bands } from './bands.js';
import { bend } from './bend.js';
import { cabinet } from './cabinet.js';
import { decay } from './decay.js';
import { drawn } from './drawn.js';
import { faders } from './faders.js';
import { note } from './note.js';
import { drawResponse, response } from './response.js';
import { tone } from './tone.js';
import { toneEq } from './tone-eq.js';
import { width } from './width.js';

/**
 * @typedef {object} Picture
 * @property {new (...args: ConstructorParameters<typeof import('../panel.js').Panel>) => import('../panel.js').Panel} panel
 * @property {(box: SVGElement, unit: import('../../../types.js').Unit, rate: number) => void} thumbnail
 */

/** @type {Record<string, Picture>} */
const PICTURES = { response, drawn, bands, bend, width, decay, harmonics: tone, cabinet, faders, note, 'tone-eq': toneEq };
/** @type {Picture} */
const PLAIN = { panel: ParamPanel, thumbnail: drawResponse };

/** The picture of a kind of unit. @param {string} kind @returns {Picture} */
export const pictureOf = (kind) => PICTURES[kindOf(kind)?.picture] ?? PLAIN;
