// @ts-check
/** Sentences for the engineer, in a corner, gone by themselves. */
import { html } from '../draw/svg.js';

/** How long one stays; longer where it offers something. */
const STAYS_MS = 9000;
const OFFERS_MS = 30_000;

/**
 * Says something; a click on it puts it away.
 * @param {string} sentence
 * @param {{ label: string, run: () => void }} [offer] what can be done about it
 */
export function note(sentence, offer) {
  const place = document.getElementById('notes');
  if (!place || [...place.children].some((c) => c.firstChild?.textContent === sentence)) return;
  const element = html('div', { className: 'note' }, html('span', {}, sentence));
  if (offer) {
    const button = html('button', { type: 'button', className: 'plain-button' }, offer.label);
    button.addEventListener('click', () => offer.run());
    element.append(button);
  }
  place.append(element);
  element.addEventListener('click', () => element.remove());
  setTimeout(() => element.remove(), offer ? OFFERS_MS : STAYS_MS);
}
