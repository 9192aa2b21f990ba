// @ts-check
/** A cone from the front with the microphones before it. */
import { svg } from '../../../draw/svg.js';
import { CabinetPanel } from '../cabinet-panel.js';
import { valueAt } from '../../../session/values.js';

/** @param {SVGElement} box @param {import('../../../types.js').Unit} unit */
function drawCone(box, unit) {
  const of = (/** @type {string} */ id) => valueAt(unit.params, id);
  box.append(
    svg('circle', { cx: 50, cy: 24, r: 20, class: 'zero', fill: 'none' }),
    svg('circle', { cx: 50, cy: 24, r: 6, class: 'zero', fill: 'none' }),
  );
  for (const mic of of('b_on') ? ['a', 'b'] : ['a']) {
    const r = Number(of(`${mic}_offset`)) * 20;
    box.append(svg('circle', { cx: 50 + (mic === 'a' ? r : -r), cy: 24, r: 3.2, class: mic === 'a' ? 'mic-a' : 'mic-b' }));
  }
}

export const cabinet = { panel: CabinetPanel, thumbnail: drawCone };
