// @ts-check
/** The wire: the rack as a line of stations, each showing its actual effect. */
import { lamp } from '../../controls/tabs.js';
import { unitName } from '../../session/unit-name.js';
/** @typedef {import('./add-menu.js').AddMenu} AddMenu */
import { html, level, signed } from '../../draw/svg.js';
import { thumb, thumbAgain } from './thumb.js';
import { followersOf, whereIs } from './copy-menu.js';
import { drawTrack } from '../../draw/wave.js';

/**
 * @typedef {object} Actions
 * @property {(index: number) => void} select
 * @property {(index: number, on: boolean) => void} turn
 * @property {(index: number, to: number) => void} move
 * @property {(index: number) => void} remove
 * @property {AddMenu} menu
 */

/** What each place shows but for the pictures. @type {WeakMap<HTMLElement, unknown[]>} */
const shown = new WeakMap();

/**
 * @param {HTMLElement} place
 * @param {import('../../session/document.js').Strip} strip
 * @param {number} rate
 * @param {number} selected
 * @param {import('./rack-figures.js').RackFigures} figures
 * @param {string} feeds
 * @param {Actions} actions
 */
export function drawWire(place, strip, rate, selected, figures, feeds, actions) {
  // A value that is turned changes nothing but a picture: a hand would be held up by all stations made anew.
  const { units } = strip.rack;
  const words = JSON.stringify([units.map(wordsOf), selected, strip.controls.level_db, feeds, figures.taken]);
  const now = [words, figures.treatment, figures.newest];
  const pictures = /** @type {NodeListOf<SVGElement>} */ (place.querySelectorAll('.station .thumb'));
  if (shown.get(place)?.every((it, n) => it === now[n])) {
    units.forEach((unit, i) => thumbAgain(pictures[i], unit, rate));
    return;
  }
  shown.set(place, now);
  drawStations(place, strip, rate, selected, figures, feeds, actions);
}

/** What its station says of a unit. @param {import('../../types.js').Unit} unit */
const wordsOf = (unit) => [unit.id, unitName(unit), unit.on, linkOf(unit)];

/** What it follows, or what follows it. @param {import('../../types.js').Unit} unit */
function linkOf(unit) {
  if (unit.follows) return `follows the ${whereIs(unit.follows.unit)}`;
  const followers = followersOf(unit.id);
  return followers.length ? `followed on ${followers.join(', ')}` : '';
}

/** @param {Parameters<typeof drawWire>} drawn */
function drawStations(...[place, strip, rate, selected, figures, feeds, actions]) {
  // The menu is the same one all the time: what is in hand in it stays so when it moves.
  const { activeElement } = document;
  const inMenu = activeElement instanceof HTMLElement && activeElement.closest('.add-unit') ? activeElement : null;
  const { units } = strip.rack;
  // What came in is the same whatever the stations are.
  const { treatment, newest, taken } = figures;
  const points = newest?.points ?? null;
  const pieces = [source(treatment ?? newest, selected < 0, actions)];
  units.forEach((unit, i) => {
    pieces.push(piece(points?.[i] ?? null));
    pieces.push(station(unit, i, i === selected, rate, points, actions));
  });
  pieces.push(piece(points?.[units.length] ?? null), end(strip, feeds, actions.menu, taken));
  const focused = /** @type {HTMLElement | null} */ (document.activeElement)?.dataset?.station;
  place.replaceChildren(...pieces);
  inMenu?.focus();
  if (focused !== undefined) /** @type {HTMLElement | null} */ (place.querySelector(`[data-station="${focused}"]`))?.focus();
  const wave = /** @type {HTMLCanvasElement} */ (place.querySelector('canvas'));
  const overview = treatment?.points[0].overview;
  if (overview) drawTrack(wave, overview, []);
}

/**
 * What comes in; opens the raw part.
 * @param {import('../../types.js').Treatment | null} treatment
 * @param {boolean} selected
 * @param {Actions} actions
 */
function source(treatment, selected, actions) {
  const loud = treatment ? `${level(treatment.points[0].lufs)} LUFS` : 'measuring…';
  const box = html(
    'div',
    {
      className: 'station station-in',
      tabIndex: 0,
      role: 'listitem',
      'aria-current': String(selected),
      'aria-label': 'What comes in. Enter opens the raw part.',
      data: { station: '-1' },
    },
    html('span', { className: 'station-head' }, 'Raw', live('in', 'Loudness that comes in now, in LUFS')),
    html('canvas', {}),
    html('span', { className: 'figure' }, loud),
  );
  box.addEventListener('click', () => actions.select(-1));
  box.addEventListener('keydown', (/** @type {KeyboardEvent} */ event) => {
    if (event.key !== 'Enter') return;
    actions.select(-1);
    event.preventDefault();
  });
  return box;
}

/** A figure of what passes now. @param {string} of @param {string} title */
const live = (of, title) => html('span', { className: 'figure live', title, 'aria-hidden': 'true', data: { live: of } });

/** Level and crest on the wire. @param {import('../../types.js').PointFigures | null} point */
function piece(point) {
  return html(
    'span',
    { className: 'wire-piece', 'aria-hidden': 'true', title: 'loudness above, crest below the wire' },
    html('span', { className: 'figure' }, point ? level(point.lufs) : ''),
    html('span', { className: 'figure' }, point ? level(point.crest_db) : ''),
  );
}

/**
 * @param {import('../../types.js').Unit} unit
 * @param {number} i
 * @param {boolean} selected
 * @param {number} rate
 * @param {import('../../types.js').PointFigures[] | null} points
 * @param {Actions} actions
 */
function station(unit, i, selected, rate, points, actions) {
  const name = unitName(unit);
  const [before, after] = [points?.[i].lufs ?? null, points?.[i + 1].lufs ?? null];
  const change = before === null || after === null ? '' : `${signed(after - before)} LU`;
  const linked = linkOf(unit);
  const box = html(
    'div',
    {
      className: 'station',
      tabIndex: 0,
      draggable: true,
      role: 'listitem',
      'aria-current': String(selected),
      'aria-label':
        `${i + 1}, ${name}, ${unit.on ? 'on' : 'off'}. Enter opens it, B switches it, Shift ` + `with arrows moves it, Delete removes it.`,
      data: { station: String(i) },
    },
    html(
      'span',
      { className: 'station-head' },
      html('span', { className: 'station-name', title: name }, name),
      ...(linked
        ? [html('span', { className: 'link-mark', title: linked, role: 'img', 'aria-label': linked }, unit.follows ? '⟵' : '⟶')]
        : []),
      lamp(unit.on, '', (on) => actions.turn(i, on), `${name} ${i + 1} on`),
    ),
    thumb(unit, rate),
    html(
      'span',
      { className: 'station-foot' },
      html('span', { className: 'figure' }, change || '\u00a0'),
      live(`taken ${i}`, 'Gain reduction now, in dB'),
    ),
    html(
      'span',
      { className: 'station-level', 'aria-hidden': 'true', title: 'Level behind it now, -60 to 0 dBFS' },
      html('i', { data: { live: `level ${i}` } }),
    ),
  );
  if (!unit.on) box.dataset.off = '';
  box.addEventListener('click', () => actions.select(i));
  box.addEventListener('keydown', (/** @type {KeyboardEvent} */ event) => {
    if (event.target !== box) return;
    if (event.key === 'Enter') actions.select(i);
    else if (event.key === 'Delete') actions.remove(i);
    else if (event.shiftKey && event.key === 'ArrowLeft' && i > 0) actions.move(i, i - 1);
    else if (event.shiftKey && event.key === 'ArrowRight') actions.move(i, i + 1);
    else return;
    event.preventDefault();
    event.stopPropagation();
  });
  drag(box, i, actions);
  return box;
}

/** @param {HTMLElement} box @param {number} i @param {Actions} actions */
function drag(box, i, actions) {
  box.addEventListener('dragstart', (event) => event.dataTransfer?.setData('text/x-station', String(i)));
  box.addEventListener('dragover', (event) => {
    event.preventDefault();
    box.dataset.drop = '';
  });
  box.addEventListener('dragleave', () => delete box.dataset.drop);
  box.addEventListener('drop', (event) => {
    event.preventDefault();
    delete box.dataset.drop;
    const from = event.dataTransfer?.getData('text/x-station');
    if (from && Number(from) !== i) actions.move(Number(from), i);
  });
}

/**
 * @param {import('../../session/document.js').Strip} strip
 * @param {string} feeds
 * @param {AddMenu} menu
 * @param {string} taken
 */
function end(strip, feeds, menu, taken) {
  const to = feeds ? ` → ${feeds}` : '';
  return html(
    'div',
    { className: 'wire-end', role: 'listitem' },
    html(
      'span',
      { className: 'quiet wire-foot' },
      html('span', {}, `fader ${signed(strip.controls.level_db)}${to}`),
      html('span', { className: 'wire-taken', title: taken }, taken),
      live('out', 'Loudness behind the rack now, in LUFS'),
    ),
    menu.element,
  );
}
