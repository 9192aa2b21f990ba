// @ts-check
/** Regions side by side, those that are held lower than the rest. */
import { svg } from '../../../draw/svg.js';
import { BandsPanel } from '../bands-panel.js';

/** @param {SVGElement} box @param {import('../../../types.js').Unit} unit */
function drawBands(box, unit) {
  const x = (/** @type {number} */ hz) => 2 + (96 * Math.log(hz / 20)) / Math.log(1000);
  const edges = [...(unit.params.bands ?? [])].sort((a, b) => a.from_hz - b.from_hz);
  box.append(svg('path', { d: 'M2 24L98 24', class: 'zero' }));
  edges.forEach((band, i) => {
    const [from, to] = [x(band.from_hz), x(edges[i + 1]?.from_hz ?? 20000)];
    const held = band.on && band.ratio !== 1;
    box.append(svg('path', { d: `M${from} 8V40M${from} ${held ? 30 : 24}H${to}` }));
  });
}

export const bands = { panel: BandsPanel, thumbnail: drawBands };
