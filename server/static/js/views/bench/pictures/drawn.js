// @ts-check
/** A curve drawn by hand. */
import { DrawnPanel } from '../drawn-panel.js';
import { drawResponse } from './response.js';

export const drawn = { panel: DrawnPanel, thumbnail: drawResponse };
