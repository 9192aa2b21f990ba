// @ts-check
/**
 * The width unit's panel: how far the sides differ by third octaves, how alike they are over
 * the song, before and after; and its rules.
 */
import { catalogue } from '../../engine/ask.js';
import { html, level, path, svg } from '../../draw/svg.js';
import { thirdOctaves } from '../../draw/third-octaves.js';
import { shortName } from '../../draw/short-name.js';
import { ParamPanel } from './param-panel.js';

/** Under this many dB of side against mid a sound is mono; the core's `measure::width`. */
const MONO_DB = catalogue.mono_db;
/** What the picture of the sides shows, in dB. */
const [TOP_DB, DEEP_DB] = [20, -40];
/** Room around both pictures. */
const EDGE = { left: 62, right: 14, top: 22, bottom: 18 };
/** Width of a letter of a section's name. */
const LETTER = 5.6;
/** Figures of correlation in a second. */
const PER_SECOND = 10;

/** @typedef {{ width_db: number, third_octave: number[], side_to_mid_db: number[], correlation: (number | null)[] }} Point */

/** The rules of its table and the figures of its sides. */
export class WidthPanel extends ParamPanel {
  /** @param {import('../../types.js').Treatment | null} treatment @param {number} station */
  evidence(treatment, station) {
    super.evidence(treatment, station);
    const [before, after] = /** @type {(Point | undefined)[]} */ ([treatment?.points[station], treatment?.points[station + 1]]);
    if (!before || !after) return;
    const sides = drawn('width-sides', (wide, tall) => sidesOf(before, after, wide, tall));
    const alike = drawn('width-alike', (wide, tall) => alikeOf(before, after, wide, tall, this.session));
    this.picture.classList.add('width-box');
    this.picture.dataset.figures = '';
    this.picture.replaceChildren(said(before, after), sides, alike);
  }
}

/** @param {Point} before @param {Point} after */
function said(before, after) {
  if (before.width_db < MONO_DB)
    return html(
      'p',
      { className: 'caution' },
      'The source is mono: both sides carry the same, so width does nothing here. A double or a second ' +
        'microphone would give it something to work on.',
    );
  const figure = (/** @type {number} */ db) => (db < MONO_DB ? 'mono' : `${level(db)} dB`);
  return html(
    'p',
    { className: 'width-said' },
    'Side against middle: ',
    html('b', { className: 'width-key-before' }, `before ${figure(before.width_db)}`),
    ' · ',
    html('b', {}, `after ${figure(after.width_db)}`),
    html('span', { className: 'quiet' }, ' — check the result in mono (monitor: mono).'),
  );
}

/** A picture drawn anew when its room changes. @param {string} name @param {(wide: number, tall: number) => SVGElement} draw */
function drawn(name, draw) {
  const box = html('div', { className: name });
  new ResizeObserver(() => {
    if (box.clientWidth) box.replaceChildren(draw(box.clientWidth, box.clientHeight));
  }).observe(box);
  return box;
}

/** @param {number} wide @param {number} tall @param {string} label @param {string} title */
function sheet(wide, tall, label, title) {
  return svg(
    'svg',
    { viewBox: `0 0 ${wide} ${tall}`, role: 'img', 'aria-label': label },
    svg('text', { x: EDGE.left, y: 13, class: 'title' }, title),
  );
}

/** @param {number} wide @param {number} y @param {string} words @param {string} [kind] */
function ruled(wide, y, words, kind = 'ruled') {
  return [
    svg('line', { x1: EDGE.left, x2: wide - EDGE.right, y1: y, y2: y, class: kind }),
    svg('text', { x: EDGE.left - 6, y: y + 3, 'text-anchor': 'end' }, words),
  ];
}

/** @param {Point} before @param {Point} after @param {number} wide @param {number} tall */
function sidesOf(before, after, wide, tall) {
  const floor = tall - EDGE.bottom;
  const y = (/** @type {number} */ db) =>
    EDGE.top + ((TOP_DB - Math.max(DEEP_DB, Math.min(TOP_DB, db))) / (TOP_DB - DEEP_DB)) * (floor - EDGE.top);
  const { bands, names } = thirdOctaves(EDGE.left, wide - EDGE.right);
  const drawing = sheet(wide, tall, 'Side against middle by third octaves, before and after', 'side against middle, dB');
  for (const db of [-40, -20, 0, 20])
    drawing.append(...ruled(wide, y(db), String(db).replace('-', '−'), db === 0 ? 'ruled strong' : 'ruled'));
  // Where next to nothing plays, how wide it is says nothing.
  const loudest = Math.max(...before.third_octave);
  const plays = (/** @type {number} */ i) => before.third_octave[i] > loudest - 70;
  bands.forEach(([from, to], i) => {
    if (plays(i))
      drawing.append(
        svg('rect', {
          x: from + 1,
          y: y(after.side_to_mid_db[i]),
          width: to - from - 2,
          height: floor - y(after.side_to_mid_db[i]),
          class: 'width-after',
        }),
      );
  });
  bands.forEach(([from, to], i) => {
    if (plays(i))
      drawing.append(
        svg('line', { x1: from, x2: to, y1: y(before.side_to_mid_db[i]), y2: y(before.side_to_mid_db[i]), class: 'width-before' }),
      );
  });
  drawing.append(...names(tall - 4));
  return drawing;
}

/**
 * @param {Point} before
 * @param {Point} after
 * @param {number} wide
 * @param {number} tall
 * @param {import('../../session/document.js').Session} session
 */
function alikeOf(before, after, wide, tall, session) {
  const floor = tall - EDGE.bottom;
  const y = (/** @type {number} */ hundredths) => EDGE.top + ((100 - hundredths) / 200) * (floor - EDGE.top);
  const frames = (before.correlation.length * session.rate) / PER_SECOND;
  const x = (/** @type {number} */ frame) => EDGE.left + (frame / frames) * (wide - EDGE.left - EDGE.right);
  const drawing = sheet(wide, tall, 'Correlation of the sides over the song, before and after', 'correlation of the sides');
  drawing.append(...ruled(wide, y(100), 'correlation +1'), ...ruled(wide, y(0), '0', 'ruled strong'), ...ruled(wide, y(-100), '−1'));
  for (const { name, start, end } of session.sections) {
    const room = x(Math.min(end, frames)) - x(start);
    if (room <= 0) continue;
    const words = shortName(name, (short) => short.length * LETTER + 6 <= room);
    drawing.append(
      svg('line', { x1: x(start), x2: x(start), y1: EDGE.top, y2: floor, class: 'ruled' }),
      svg('text', { x: x(start) + 3, y: tall - 4 }, svg('title', {}, name), words),
    );
  }
  const step = session.rate / PER_SECOND;
  for (const [point, kind] of /** @type {[Point, string][]} */ ([
    [before, 'width-before'],
    [after, 'width-line'],
  ])) {
    for (const stretch of stretches(point.correlation))
      drawing.append(svg('path', { d: path(stretch.map(([i, value]) => [x((i + 0.5) * step), y(value)])), class: kind }));
  }
  return drawing;
}

/** What sounds, without the silences between. @param {(number | null)[]} trace */
function stretches(trace) {
  /** @type {[number, number][][]} */
  const out = [];
  trace.forEach((value, i) => {
    if (value === null) return;
    if (i === 0 || trace[i - 1] === null) out.push([]);
    out[out.length - 1].push([i, value]);
  });
  return out;
}
