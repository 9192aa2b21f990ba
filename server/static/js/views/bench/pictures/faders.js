// @ts-check
/** A few gains side by side and the curve they make. */
import { FadersPanel } from '../faders-panel.js';
import { drawResponse } from './response.js';

export const faders = { panel: FadersPanel, thumbnail: drawResponse };
