// @ts-check
/** What a change holds for: everywhere, or one section alone. Beside the sections of the listen bar. */
import { editIn } from '../session/over-time.js';
import { html } from '../draw/svg.js';
import { note } from './notes.js';
import { doc } from './session-frame.js';

/** The section in hand, 0 for everywhere. */
let section = 0;
export const scope = () => section;
/** Tells when another section is in hand. */
export const scopeEvents = new EventTarget();

const list = html('select', {
  id: 'scope',
  'aria-label': 'What edits apply to',
  title: 'With a section chosen, edits apply to that section only',
});
const label = html('label', { className: 'scope' }, 'edits apply to ', list);
document.querySelector('.listen-more')?.prepend(label);

function fill() {
  const { sections } = doc.session;
  if (!sections.some((s) => s.id === section)) section = 0;
  list.replaceChildren(new Option('whole song', '0'), ...sections.map((s) => new Option(s.name, String(s.id))));
  list.value = String(section);
  label.hidden = sections.length === 0;
  label.classList.toggle('chosen', section !== 0);
}

/** Takes a section in hand; 0 for everywhere. @param {number} id */
export function setScope(id) {
  section = doc.session.sections.some((s) => s.id === id) ? id : 0;
  fill();
  scopeEvents.dispatchEvent(new Event('scope'));
}

/** The next of everywhere and the sections, in order. @param {number} way */
export function stepScope(way) {
  const all = [0, ...doc.session.sections.map((s) => s.id)];
  setScope(all[(all.indexOf(section) + way + all.length) % all.length]);
  note(section ? `Edits now apply to ${sectionName(section)} only.` : 'Edits now apply to the whole song.');
}

/** @param {number} id */
export const sectionName = (id) => doc.session.sections.find((s) => s.id === id)?.name ?? 'a section that is gone';

/** Makes an edit where changes hold now. @param {import('../session/document.js').Edit} edit @param {string} [gesture] */
export function editHere(edit, gesture) {
  const here = editIn(edit, section);
  if (here) return doc.edit(here, gesture);
  note(`This control cannot vary by section. Set "edits apply to" to whole song first. Nothing was changed.`);
  return Promise.resolve(null);
}

list.addEventListener('change', () => setScope(Number(list.value)));
doc.addEventListener('change', (event) => {
  if (/** @type {CustomEvent} */ (event).detail.facts.about === 'song') fill();
});
doc.addEventListener('newer', fill);
fill();
