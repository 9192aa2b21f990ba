// @ts-check
/** The `?` sheet: what is where on this page, gestures, keys; searched while it is typed. */
import { html } from '../../draw/svg.js';
import { keysShown } from '../shortcuts.js';
import { GESTURES, REGIONS } from './pages.js';

/** Which page this is, by its address. */
function pageName() {
  const { pathname } = window.location;
  return Object.keys(REGIONS).find((name) => pathname.split('/').includes(name) && name !== 'sessions') ?? 'sessions';
}

/** @param {string} title @param {import('./pages.js').Line[]} lines */
const part = (title, lines) =>
  html(
    'section',
    {},
    html('h3', {}, title),
    html('dl', {}, ...lines.map(([name, does]) => html('div', {}, html('dt', {}, name), html('dd', {}, does)))),
  );

/** Leaves the lines that hold all words of what is typed. @param {HTMLElement} list @param {string} typed */
function search(list, typed) {
  const words = typed.toLowerCase().split(/\s+/).filter(Boolean);
  let found = 0;
  for (const line of /** @type {NodeListOf<HTMLElement>} */ (list.querySelectorAll('dl > div'))) {
    const text = (line.textContent ?? '').toLowerCase();
    line.hidden = !words.every((word) => text.includes(word));
    found += Number(!line.hidden);
  }
  for (const section of list.querySelectorAll('section')) section.hidden = !section.querySelector('dl > div:not([hidden])');
  /** @type {HTMLElement} */ (document.getElementById('help-none')).hidden = found > 0;
}

/** Opens it. */
export function openHelp() {
  const dialog = /** @type {HTMLDialogElement} */ (document.getElementById('shortcuts'));
  const list = /** @type {HTMLElement} */ (document.getElementById('shortcuts-list'));
  const box = /** @type {HTMLInputElement} */ (document.getElementById('help-search'));
  list.replaceChildren(part('On this page', REGIONS[pageName()]), part('Keys', keysShown()), part('By hand', GESTURES));
  box.value = '';
  search(list, '');
  box.oninput = () => search(list, box.value);
  dialog.showModal();
}
