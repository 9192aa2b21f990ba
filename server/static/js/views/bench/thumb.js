// @ts-check
/**
 * A unit's actual effect, small. While a unit is being turned its last picture stands: the new one is drawn once the hand
 * has rested, since a rack of them would have to be worked out for every move.
 */
import { svg } from '../../draw/svg.js';
import { pictureOf } from './pictures/registry.js';

/** Rest after which what has changed is drawn, in ms. */
const RESTED_MS = 140;
/** Pictures kept. */
const KEPT = 300;

/** By what determines them. @type {Map<string, Node[]>} */
const drawn = new Map();
/** The last of each unit, by its identity. @type {Map<number, Node[]>} */
const last = new Map();
/** What each box shows, or is about to. @type {WeakMap<SVGElement, string>} */
let shown = new WeakMap();
/** Boxes that show an older one. @type {Map<SVGElement, () => void>} */
const older = new Map();
let timer = 0;

/** @param {SVGElement} box @param {string} key @param {import('../../session/document.js').Unit} unit @param {number} rate */
function draw(box, key, unit, rate) {
  box.replaceChildren();
  pictureOf(unit.kind).thumbnail(box, unit, rate);
  const nodes = [...box.childNodes].map((node) => node.cloneNode(true));
  if (drawn.size >= KEPT) drawn.delete(/** @type {string} */ (drawn.keys().next().value));
  drawn.set(key, nodes);
  last.set(unit.id, nodes);
}

/** @param {SVGElement} box @param {() => void} show */
function drawSoon(box, show) {
  older.set(box, show);
  window.clearTimeout(timer);
  timer = window.setTimeout(() => {
    const all = [...older].filter(([of]) => of.isConnected);
    older.clear();
    all.forEach(([, run]) => run());
  }, RESTED_MS);
}

/** Pictures of what has another sound now are drawn anew. */
export function forgetPictures() {
  drawn.clear();
  last.clear();
  shown = new WeakMap();
}

/** What determines a picture. @param {import('../../session/document.js').Unit} unit @param {number} rate */
const keyOf = (unit, rate) => JSON.stringify([unit.kind, unit.params, unit.mix, unit.on, rate]);

/**
 * @param {import('../../session/document.js').Unit} unit
 * @param {number} rate
 */
export function thumb(unit, rate) {
  const box = svg('svg', { viewBox: '0 0 100 48', preserveAspectRatio: 'none', class: 'thumb', 'aria-hidden': 'true' });
  if (!unit.on) box.dataset.off = '';
  const key = keyOf(unit, rate);
  const nodes = drawn.get(key) ?? last.get(unit.id);
  if (nodes) box.append(...nodes.map((node) => node.cloneNode(true)));
  shown.set(box, key);
  if (!nodes || unit.id === 0) draw(box, key, unit, rate);
  else if (!drawn.has(key)) drawSoon(box, () => draw(box, key, unit, rate));
  return box;
}

/**
 * Brings a picture that stands there up to date, once the hand has rested.
 * @param {SVGElement} box as `thumb` made it
 * @param {import('../../session/document.js').Unit} unit
 * @param {number} rate
 */
export function thumbAgain(box, unit, rate) {
  const key = keyOf(unit, rate);
  if (shown.get(box) === key) return;
  shown.set(box, key);
  drawSoon(box, () => draw(box, key, unit, rate));
}
