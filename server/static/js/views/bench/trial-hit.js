// @ts-check
/** The loudest hit of what was tried: its wave over the original, and how fast each cycle is. */
import { html, svg } from '../../draw/svg.js';

/** @typedef {{ wave: [number, number][], cycles: [number, number][], seconds: number }} Hit */

const WIDTH = 640;
const TALL = 110;
/** Height and frequencies of the line of cycles above the wave. */
const CYCLES = { tall: 46, from: 30, to: 6000 };
const MARKS = [100, 1000];

/**
 * @param {{ hit: Hit, hit_at_s: number }} original
 * @param {{ hit: Hit }} variant
 * @param {string} words what it is
 */
export function drawHit(original, variant, words) {
  const { seconds } = original.hit;
  const most = Math.max(1, ...[original.hit, variant.hit].flatMap((hit) => hit.wave.flat().map(Math.abs)));
  const across = (/** @type {number} */ s) => (s / Math.max(seconds, 1e-3)) * WIDTH;
  const up = (/** @type {number} */ hz) =>
    CYCLES.tall * (1 - Math.log(Math.min(CYCLES.to, Math.max(CYCLES.from, hz)) / CYCLES.from) / Math.log(CYCLES.to / CYCLES.from));
  const wave = (/** @type {Hit} */ hit, /** @type {string} */ kind) => {
    const x = (/** @type {number} */ i) => (i / Math.max(1, hit.wave.length - 1)) * WIDTH;
    const y = (/** @type {number} */ v) => (CYCLES.tall + 6 + (TALL / 2) * (1 - v / most)).toFixed(1);
    const top = hit.wave.map(([, high], i) => `L${x(i).toFixed(1)} ${y(high)}`).join('');
    const foot = [...hit.wave]
      .reverse()
      .map(([low], i) => `L${x(hit.wave.length - 1 - i).toFixed(1)} ${y(low)}`)
      .join('');
    return svg('path', { d: `M0 ${y(0)}${top}${foot}Z`, class: kind });
  };
  const cycles = (/** @type {Hit} */ hit, /** @type {string} */ kind) =>
    svg('path', {
      d: hit.cycles.map(([at, hz]) => `M${across(at).toFixed(1)} ${up(hz).toFixed(1)}h${Math.max(1, across(1 / hz)).toFixed(1)}`).join(''),
      class: `cycle ${kind}`,
    });
  const marks = MARKS.flatMap((hz) => [
    svg('line', { x1: 0, x2: WIDTH, y1: up(hz), y2: up(hz), class: 'grid-line' }),
    svg('text', { x: WIDTH - 2, y: up(hz) - 2, 'text-anchor': 'end' }, hz < 1000 ? `${hz} Hz` : `${hz / 1000} kHz`),
  ]);
  const picture = svg(
    'svg',
    {
      class: 'trial-hit',
      viewBox: `0 0 ${WIDTH} ${CYCLES.tall + 12 + TALL}`,
      role: 'img',
      'aria-label': `The loudest hit with ${words} over the original, with the frequency of each cycle`,
    },
    ...marks,
    cycles(original.hit, 'under'),
    cycles(variant.hit, 'over'),
    wave(original.hit, 'under'),
    wave(variant.hit, 'over'),
  );
  return html(
    'figure',
    { className: 'trial-hit-box' },
    picture,
    html(
      'figcaption',
      { className: 'quiet' },
      `The loudest hit, at ${original.hit_at_s.toFixed(2)} s of the passage, ${Math.round(1000 * seconds)} ` +
        `ms: ${words} over the original; above it the frequency of each cycle.`,
    ),
  );
}
