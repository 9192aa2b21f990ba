// @ts-check
/** The picture of a lane. */
import { lengthsOf } from '../../session/song-time.js';
import { ask } from '../../engine/ask.js';
import { path, svg } from '../../draw/svg.js';
import { placeOf } from './lane-rule.js';
import { HEIGHT } from './lane-scale.js';

/** @typedef {import('../../session/course.js').Course} Course */
/** @typedef {import('../../session/course.js').Point} Point */
/** @typedef {import('./lane-rule.js').Found & { everywhere: unknown }} Found */
/** @typedef {import('./lane-scale.js').LaneScale} LaneScale */

/** Places at which the line is asked for. */
const COLUMNS = 400;

/**
 * Ruling, line, marked stretch and points.
 * @param {LaneScale} scale
 * @param {Found} found
 * @param {Course} course
 * @param {{ session: import('../../session/document.js').Session, selected: number, marked: [number, number] | null }} more
 */
export function drawLane(scale, found, course, { session, selected, marked }) {
  const { table, param, everywhere } = found;
  const { sections, rate } = session;
  const about = { lane: 'run', everywhere, course, sections, rate, from: scale.from, to: scale.to, columns: COLUMNS };
  /** @type {number[]} */
  const places = ask({ ask: 'over-time', table, param, about });
  const points = places.map((place, i) => /** @type {[number, number]} */ ([(i / (COLUMNS - 1)) * scale.width, scale.y(place)]));
  return [
    ...ruling(scale, session),
    svg('path', { d: path(points), class: 'lane-line' }),
    ...(marked ? [markedStretch(scale, marked)] : []),
    ...course.points.map((point, i) => pointMark(scale, found, point, i === selected)),
  ];
}

/** Bars and beats, and the middle of the rule. @param {LaneScale} scale @param {import('../../session/document.js').Session} session */
function ruling(scale, session) {
  const across = [0, 0.5, 1].map((place) => {
    const y = scale.y(place);
    return svg('line', { x1: 0, x2: scale.width, y1: y, y2: y, class: 'lane-rule' });
  });
  const { beat, bar } = lengthsOf(session);
  const down = scale.ruling(beat, bar).map(({ at, isBar }) => {
    const x = scale.x(at);
    return svg('line', { x1: x, x2: x, y1: isBar ? 0 : HEIGHT - 6, y2: HEIGHT, class: isBar ? 'lane-bar' : 'lane-rule' });
  });
  return [...across, ...down];
}

/** @param {LaneScale} scale @param {[number, number]} marked */
function markedStretch(scale, marked) {
  const [a, b] = marked.map((frame) => scale.x(frame));
  return svg('rect', { x: Math.min(a, b), width: Math.abs(b - a), y: 0, height: HEIGHT, class: 'lane-marked' });
}

/** @param {LaneScale} scale @param {Found} found @param {Point} point @param {boolean} selected */
function pointMark(scale, found, point, selected) {
  const [x, y] = [scale.x(point.at), scale.y(placeOf(found, point.value))];
  const shapes = {
    straight: `M${x - 4} ${y}L${x} ${y - 4}L${x + 4} ${y}L${x} ${y + 4}Z`,
    held: `M${x - 4} ${y - 4}h8v8h-8Z`,
    free: `M${x - 4} ${y - 4}h4v8h-4Z`,
  };
  return svg('path', { d: shapes[point.then], class: selected ? 'lane-point selected' : 'lane-point' });
}
