// @ts-check
/** One note: a stroke, then what rings on, each as high as it is made. */
import { svg } from '../../../draw/svg.js';
import { NotePanel } from '../note-panel.js';

/** @param {SVGElement} box @param {import('../../../types.js').Unit} unit */
function drawNote(box, unit) {
  const note = (/** @type {number} */ stroke, /** @type {number} */ body) =>
    `M6 44L12 ${20 - stroke}Q22 ${26 - 0.4 * stroke - 0.5 * body} 30 ${30 - body}L94 44`;
  box.append(svg('path', { d: note(0, 0), class: 'zero' }));
  box.append(svg('path', { d: note(unit.params.attack_db, 0.7 * unit.params.body_db) }));
}

export const note = { panel: NotePanel, thumbnail: drawNote };
