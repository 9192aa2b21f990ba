// @ts-check
/** The first minute on the demo's Desk: three lines, each gone once it is done, all of them once they are closed. */
import { host } from '../listen-bar.js';

const KEPT = 'zinc-first-steps';

/** @type {Set<string>} */
const done = new Set(JSON.parse(localStorage.getItem(KEPT) ?? '[]'));

/** Shows what is left of them. */
export function firstSteps() {
  const place = document.getElementById('first-steps');
  if (!place) return;
  const steps = /** @type {HTMLElement[]} */ ([...place.querySelectorAll('[data-step]')]);
  const show = () => {
    steps.forEach((step) => step.toggleAttribute('data-done', done.has(step.dataset.step ?? '')));
    place.hidden = steps.every((step) => done.has(step.dataset.step ?? ''));
  };
  const take = (/** @type {string[]} */ ...names) => {
    if (names.every((name) => done.has(name))) return;
    names.forEach((name) => done.add(name));
    localStorage.setItem(KEPT, JSON.stringify([...done]));
    show();
  };
  host.addEventListener('report', (event) => {
    const { playing, side } = /** @type {CustomEvent} */ (event).detail;
    if (playing) take('play');
    if (playing && side === 1) take('flip');
  });
  document.querySelector('.desk')?.addEventListener('click', (event) => {
    if (/** @type {HTMLElement} */ (event.target).closest('a')) take('open');
  });
  document.getElementById('first-steps-close')?.addEventListener('click', () => take(...steps.map((step) => step.dataset.step ?? '')));
  show();
}
