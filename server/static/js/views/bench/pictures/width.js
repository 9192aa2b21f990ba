// @ts-check
/** How far the sides stand apart. */
import { svg } from '../../../draw/svg.js';
import { WidthPanel } from '../width-panel.js';

/**
 * The sides as two legs: together for mono, straight up for as it came.
 * @param {SVGElement} box
 * @param {import('../../../types.js').Unit} unit
 */
function drawWidth(box, unit) {
  box.append(svg('path', { d: 'M50 44L25 6M50 44L75 6', class: 'zero' }));
  const reach = 25 * unit.params.width;
  box.append(svg('path', { d: `M50 44V30L${50 - reach} 6M50 30L${50 + reach} 6` }));
}

export const width = { panel: WidthPanel, thumbnail: drawWidth };
