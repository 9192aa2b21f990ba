// @ts-check
/** A stepped tone EQ: its curve. */
import { ToneEqPanel } from '../tone-eq-panel.js';
import { drawResponse } from './response.js';

export const toneEq = { panel: ToneEqPanel, thumbnail: drawResponse };
