// @ts-check
/** A unit's actual effect, small. */
import { svg } from '../../draw/svg.js';
import { pictureOf } from './pictures/registry.js';

/**
 * @param {import('../../session/document.js').Unit} unit
 * @param {number} rate
 */
export function thumb(unit, rate) {
  const box = svg('svg', { viewBox: '0 0 100 48', preserveAspectRatio: 'none', class: 'thumb', 'aria-hidden': 'true' });
  if (!unit.on) box.dataset.off = '';
  pictureOf(unit.kind).thumbnail(box, unit, rate);
  return box;
}
