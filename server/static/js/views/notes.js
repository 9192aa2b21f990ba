// @ts-check
/** Sentences for the engineer, in a corner, gone by themselves. */
import { html } from '../draw/svg.js';

/** @param {string} sentence */
export function note(sentence) {
  const place = document.getElementById('notes');
  if (!place || [...place.children].some((c) => c.textContent === sentence)) return;
  const element = html('div', { className: 'note' }, sentence);
  place.append(element);
  element.addEventListener('click', () => element.remove());
  setTimeout(() => element.remove(), 9000);
}
