// @ts-check
/** The signal path: every strip as a block, every path as a line, units switched where they stand. */
import { kindOf } from '../../engine/ask.js';
import { html, svg } from '../../draw/svg.js';
import { thumb } from '../bench/thumb.js';
import { request } from '../../session/api.js';
import { newGesture } from '../../session/document.js';
import { doc } from '../session-frame.js';

const BLOCK = { height: 34, gap: 13, between: 84, top: 34, left: 16 };
/** What a name takes of a block, in the longest that is shown whole. */
const NAME = 112;
/** A unit in a block, and from one to the next. */
const UNIT = { width: 22, height: 24, pitch: 24 };

/**
 * @typedef {{
 *   id: number, name: string, family: string, role: string, units: { id: number, kind: string, on: boolean }[],
 *   output_latency: number, remark: string | null, depth: number,
 * }} Block
 */

/** Lateness in ms. @param {number} frames */
const late = (frames) => `${((1000 * frames) / doc.session.rate).toFixed(1)} ms`;

/** Width of a block: as many units fit as the longest rack has. */
const blockWidth = () => NAME + UNIT.pitch * Math.max(2, ...doc.session.strips.map((s) => s.rack.units.length)) + 8;

/** Opens the drawing. */
export async function openSignalPath() {
  const read = () => request(`/api/sessions/${doc.id}/graph`, undefined, 'GET');
  let graph = await read();
  const close = html('button', { type: 'button', className: 'plain-button' }, 'close');
  const place = html('div', { className: 'path-drawing' });
  const dialog = html(
    'dialog',
    { className: 'path-dialog', 'aria-labelledby': 'path-title' },
    html(
      'div',
      { className: 'path-head' },
      html('h2', { id: 'path-title' }, 'Signal path'),
      html(
        'span',
        { className: 'quiet' },
        `ink: what feeds what · dashed: sends · dotted: keys · the mix lags the recordings by ` +
          `${late(graph.latency_samples)}. Click a unit to switch it, a name to mute.`,
      ),
      close,
    ),
    place,
  );
  const draw = () => place.replaceChildren(drawing(graph));
  close.addEventListener('click', () => dialog.close());
  const redraw = async () => {
    // What is switched shows at once; paths that came or went, once they are kept.
    if (graph.nodes.every((/** @type {Block} */ n) => doc.session.strips.some((s) => s.id === n.id))) draw();
    await doc.idle();
    graph = await read();
    if (dialog.open) draw();
  };
  for (const what of ['change', 'newer']) doc.addEventListener(what, redraw);
  dialog.addEventListener('close', () => {
    for (const what of ['change', 'newer']) doc.removeEventListener(what, redraw);
    dialog.remove();
  });
  document.body.append(dialog);
  draw();
  // Not modal: the keys of the page go on working while the drawing is open.
  dialog.show();
}

/** @param {{ nodes: Block[], edges: import('../../types.js').Arrow[] }} graph */
function drawing({ nodes, edges }) {
  const last = Math.max(...nodes.map((n) => n.depth));
  const wide = blockWidth();
  /** @type {Map<number, { x: number, y: number }>} */
  const places = new Map();
  const rows = Array.from({ length: last + 1 }, () => 0);
  const column = wide + BLOCK.between;
  for (const node of nodes) if (node.depth === 0) place(node, column, rows, places, null);
  for (let depth = 1; depth <= last; depth += 1) {
    // A block stands where the middle of what it hears is.
    const wanted = nodes
      .filter((n) => n.depth === depth)
      .map((node) => {
        const heard = edges.filter((e) => e.to === node.id && e.path !== 'key').map((e) => places.get(e.from)?.y ?? 0);
        return { node, y: heard.reduce((a, b) => a + b, 0) / Math.max(1, heard.length) };
      });
    wanted.sort((a, b) => a.y - b.y).forEach(({ node, y }) => place(node, column, rows, places, y));
  }
  const height = Math.max(...[...places.values()].map((p) => p.y)) + BLOCK.height + 20;
  const width = BLOCK.left + last * column + wide + 20;
  const box = svg('svg', {
    viewBox: `0 0 ${width} ${height}`,
    width,
    height,
    role: 'group',
    'aria-label': 'Blocks and paths of the session',
  });
  for (const edge of edges) box.append(line(edge, places, wide));
  for (const node of nodes) box.append(block(node, /** @type {{ x: number, y: number }} */ (places.get(node.id)), wide));
  return box;
}

/**
 * @param {Block} node @param {number} column @param {number[]} rows @param {Map<number, { x: number, y: number }>} places
 * @param {number | null} wanted
 */
function place(node, column, rows, places, wanted) {
  const y = Math.max(rows[node.depth] || BLOCK.top, wanted ?? 0);
  places.set(node.id, { x: BLOCK.left + node.depth * column, y });
  rows[node.depth] = y + BLOCK.height + BLOCK.gap;
}

/** @param {import('../../types.js').Arrow} edge @param {Map<number, { x: number, y: number }>} places @param {number} wide */
function line(edge, places, wide) {
  const [a, b] = [places.get(edge.from), places.get(edge.to)];
  if (!a || !b) return svg('g');
  const [x1, y1] = [a.x + wide, a.y + BLOCK.height / 2 + (edge.path === 'feed' ? -4 : edge.path === 'send' ? 4 : 9)];
  const [x2, y2] = [b.x, b.y + BLOCK.height / 2 + (edge.path === 'feed' ? -4 : edge.path === 'send' ? 4 : 9)];
  const bend = Math.max(30, Math.abs(x2 - x1) / 2);
  const drawn = svg(
    'g',
    { class: `path-line path-${edge.path}` },
    svg('path', { d: `M${x1} ${y1}C${x1 + bend} ${y1} ${x2 - bend} ${y2} ${x2} ${y2}` }),
  );
  const from = doc.find(edge.from);
  const level = edge.path === 'send' ? from.sends[edge.at]?.level_db : null;
  if (level !== null && level !== undefined) drawn.append(svg('text', { x: x1 + 4, y: y1 + 9 }, `${level.toFixed(1)} dB`));
  return drawn;
}

/** @param {Block} node @param {{ x: number, y: number }} at @param {number} wide */
function block(node, { x, y }, wide) {
  const strip = doc.find(node.id);
  const group = svg('g', { transform: `translate(${x} ${y})`, class: `path-block path-${node.role}` });
  if (strip.controls.muted) group.dataset.off = '';
  group.append(
    svg('title', {}, `${strip.name}: leaves ${late(node.output_latency)} after the recordings${node.remark ? `. ${node.remark}` : ''}`),
  );
  group.append(svg('rect', { width: wide, height: BLOCK.height }));
  if (node.remark) group.append(svg('text', { x: 0, y: BLOCK.height + 11, class: 'path-remark' }, 'only adds level'));
  const name = svg(
    'text',
    {
      x: 8,
      y: 19,
      class: 'path-name',
      tabindex: 0,
      role: 'button',
      'aria-pressed': String(strip.controls.muted),
      'aria-label': `${strip.name}, ${strip.controls.muted ? 'muted' : 'sounding'}: mute`,
    },
    strip.name.length > 17 ? `${strip.name.slice(0, 16)}…` : strip.name,
  );
  press(name, () => void doc.edit({ edit: 'set-control', strip: node.id, control: 'muted', value: !strip.controls.muted }));
  group.append(name);
  if (node.output_latency > 0)
    group.append(svg('text', { x: wide - 2, y: -2, class: 'path-late', 'text-anchor': 'end' }, `${late(node.output_latency)} late`));
  strip.rack.units.forEach((unit, i) => {
    const { name: kind } = kindOf(unit.kind);
    const left = wide - 8 - (strip.rack.units.length - i) * UNIT.pitch;
    // Its mark is what it does, small.
    const mark = thumb(unit, doc.session.rate);
    for (const [of, is] of Object.entries({ x: 1, y: 1, width: UNIT.width - 2, height: UNIT.height - 2 }))
      mark.setAttribute(of, String(is));
    const square = svg(
      'g',
      {
        transform: `translate(${left} 5)`,
        class: 'path-unit',
        tabindex: 0,
        role: 'button',
        'aria-pressed': String(unit.on),
        'aria-label': `${kind} ${i + 1} on ${strip.name}`,
      },
      svg('title', {}, `${kind}, ${unit.on ? 'on' : 'off'}`),
      svg('rect', { width: UNIT.width, height: UNIT.height }),
      mark,
    );
    if (!unit.on) square.dataset.off = '';
    press(square, () => void doc.edit({ edit: 'set-param', strip: node.id, unit: unit.id, param: 'on', value: !unit.on }, newGesture()));
    group.append(square);
  });
  return group;
}

/** @param {SVGElement} element @param {() => void} act */
function press(element, act) {
  element.addEventListener('click', act);
  element.addEventListener('keydown', (event) => {
    if (event.key !== 'Enter' && event.key !== ' ') return;
    event.preventDefault();
    event.stopPropagation();
    act();
  });
}
