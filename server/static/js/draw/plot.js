// @ts-check
/** Plain plots: axes with figures, lines, bars. Drawn anew when their room changes. */
import { path, svg } from './svg.js';

const EDGE = { left: 40, right: 12, top: 10, bottom: 22 };

/**
 * An axis: where it runs from and to, its figures, whether in equal ratios.
 * @typedef {{ from: number, to: number, marks: [number, string][], log?: boolean }} Axis
 * @typedef {{ points: [number, number][], kind: string, label: string }} Line
 * @typedef {{ at: number, to: number, kind: string, label: string }} Bar
 */

/** @param {Axis} axis @param {number} value */
function share(axis, value) {
  const of = axis.log ? Math.log(value / axis.from) / Math.log(axis.to / axis.from) : (value - axis.from) / (axis.to - axis.from);
  return Math.max(0, Math.min(1, of));
}

/** Decibels as figures. @param {number} from @param {number} to @param {number} step @returns {[number, string][]} */
export function decibels(from, to, step) {
  const marks = /** @type {[number, string][]} */ ([]);
  for (let db = Math.ceil(from / step) * step; db <= to; db += step) marks.push([db, String(db).replace('-', '−')]);
  return marks;
}

/** Frequencies from 20 Hz to 20 kHz. @type {Axis} */
export const FREQUENCIES = {
  from: 20,
  to: 20000,
  log: true,
  marks: [
    [30, '30'],
    [100, '100'],
    [300, '300'],
    [1000, '1k'],
    [3000, '3k'],
    [10000, '10k'],
  ],
};

/**
 * Where values lie in a plot.
 * @param {SVGElement} place @param {Axis} x @param {Axis} y
 */
export function scales(place, x, y) {
  const { clientWidth: wide, clientHeight: tall } = place;
  return {
    across: (/** @type {number} */ v) => EDGE.left + share(x, v) * (wide - EDGE.left - EDGE.right),
    up: (/** @type {number} */ v) => tall - EDGE.bottom - share(y, v) * (tall - EDGE.top - EDGE.bottom),
    /** Share of the way across, 0 to 1. */
    shareAt: (/** @type {number} */ at) => Math.max(0, Math.min(1, (at - EDGE.left) / (wide - EDGE.left - EDGE.right))),
    top: EDGE.top,
    foot: tall - EDGE.bottom,
  };
}

/**
 * @param {SVGElement} place
 * @param {{ x: Axis, y: Axis, lines?: Line[], bars?: Bar[], words: string }} plot
 */
export function drawPlot(place, { x, y, lines = [], bars = [], words }) {
  const { clientWidth: wide, clientHeight: tall } = place;
  if (wide === 0) return;
  place.setAttribute('viewBox', `0 0 ${wide} ${tall}`);
  place.setAttribute('aria-label', words);
  const { across, up } = scales(place, x, y);
  const parts = [];
  for (const [value, text] of y.marks) {
    parts.push(
      svg('line', {
        x1: EDGE.left,
        x2: wide - EDGE.right,
        y1: up(value),
        y2: up(value),
        class: value === 0 ? 'grid-line strong' : 'grid-line',
      }),
    );
    parts.push(svg('text', { x: EDGE.left - 5, y: up(value) + 3, 'text-anchor': 'end' }, text));
  }
  for (const [value, text] of x.marks) {
    parts.push(svg('line', { x1: across(value), x2: across(value), y1: EDGE.top, y2: tall - EDGE.bottom, class: 'grid-line' }));
    parts.push(svg('text', { x: across(value), y: tall - 7, 'text-anchor': 'middle' }, text));
  }
  for (const { at, to, kind, label } of bars) {
    const width = Math.max(3, (wide - EDGE.left - EDGE.right) / 34);
    const shift = kind.includes('other') ? width / 2 + 1 : -width / 2 - 1;
    parts.push(
      svg(
        'rect',
        { x: across(at) + shift - width / 2, y: up(to), width, height: Math.max(0, tall - EDGE.bottom - up(to)), class: kind },
        svg('title', {}, label),
      ),
    );
  }
  for (const { points, kind, label } of lines)
    parts.push(svg('path', { d: path(points.map(([a, b]) => [across(a), up(b)])), class: kind }, svg('title', {}, label)));
  place.replaceChildren(...parts);
}
