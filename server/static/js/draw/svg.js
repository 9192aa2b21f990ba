// @ts-check
/** Small helpers for drawing. */

const NS = 'http://www.w3.org/2000/svg';

/**
 * An SVG element with attributes and children.
 * @param {string} name
 * @param {Record<string, string | number>} [attributes]
 * @param {...(Node | string)} children
 * @returns {SVGElement}
 */
export function svg(name, attributes = {}, ...children) {
  const element = document.createElementNS(NS, name);
  for (const [key, value] of Object.entries(attributes)) element.setAttribute(key, String(value));
  element.append(...children);
  return element;
}

/**
 * An HTML element with properties and children.
 * @param {string} name
 * @param {Record<string, unknown>} [properties] `data` holds data attributes
 * @param {...(Node | string)} children
 * @returns {any}
 */
export function html(name, properties = {}, ...children) {
  const element = document.createElement(name);
  for (const [key, value] of Object.entries(properties)) {
    if (key === 'data') Object.assign(element.dataset, value);
    else if (key.startsWith('aria-') || key === 'role' || key === 'for' || key === 'list') element.setAttribute(key, String(value));
    else Object.assign(element, { [key]: value });
  }
  element.append(...children);
  return element;
}

/**
 * A path through points.
 * @param {[number, number][]} points
 */
export function path(points) {
  return points.map(([x, y], i) => `${i ? 'L' : 'M'}${x.toFixed(1)} ${y.toFixed(1)}`).join('');
}

/**
 * A canvas sized to its box at the screen's resolution, cleared.
 * @param {HTMLCanvasElement} canvas
 * @param {number} [width] of its box, where known: asking lays the page out
 * @param {number} [height]
 */
export function fresh(canvas, width = canvas.clientWidth, height = canvas.clientHeight) {
  const scale = window.devicePixelRatio || 1;
  if (canvas.width !== Math.round(width * scale) || canvas.height !== Math.round(height * scale)) {
    canvas.width = Math.round(width * scale);
    canvas.height = Math.round(height * scale);
  }
  const ink = /** @type {CanvasRenderingContext2D} */ (canvas.getContext('2d'));
  ink.setTransform(scale, 0, 0, scale, 0, 0);
  ink.clearRect(0, 0, width, height);
  return { ink, width, height };
}

/** Colours asked for before, by light and token: meters ask thousands of times a second. @type {Map<string, string>} */
const known = new Map();

/** The colour of a token, as the present light has it. @param {string} name */
export function colour(name) {
  const key = `${document.documentElement.dataset.light}:${name}`;
  let found = known.get(key);
  if (found === undefined) {
    found = getComputedStyle(document.documentElement).getPropertyValue(`--${name}`).trim();
    known.set(key, found);
  }
  return found;
}

/**
 * A hatch for canvas fills: what was before.
 * @param {CanvasRenderingContext2D} ink
 * @param {string} stroke
 */
export function hatch(ink, stroke) {
  const tile = document.createElement('canvas');
  tile.width = 8;
  tile.height = 8;
  const t = /** @type {CanvasRenderingContext2D} */ (tile.getContext('2d'));
  t.strokeStyle = stroke;
  t.lineWidth = 0.8;
  t.beginPath();
  for (const o of [-8, 0, 8]) {
    t.moveTo(o, 8);
    t.lineTo(o + 8, 0);
  }
  t.stroke();
  return /** @type {CanvasPattern} */ (ink.createPattern(tile, 'repeat'));
}

/** A level with sign and one decimal. @param {number} db */
export function signed(db) {
  const text = Math.abs(db) < 0.05 ? '0.0' : Math.abs(db).toFixed(1);
  return text === '0.0' ? text : `${db < 0 ? '−' : '+'}${text}`;
}

/** A level with one decimal, a real minus, and a dash for silence. @param {number | null | undefined} db */
export function level(db) {
  if (db === null || db === undefined || db < -120) return '–';
  return `${db < -0.05 ? '−' : ''}${Math.abs(db).toFixed(1)}`;
}
