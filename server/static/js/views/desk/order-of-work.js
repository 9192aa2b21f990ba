// @ts-check
/** The order of work: a checklist kept with the session. */
import { html } from '../../draw/svg.js';
import { doc } from '../session-frame.js';

/** An order that works: foundation first, each group balanced again, ears rested. */
const ORDER = [
  'listen to everything raw, note what you hear',
  'drums',
  'bass',
  'balance again',
  'guitars',
  'keys',
  'orchestral',
  'voice',
  'balance again',
  'take a break',
  'check on a small speaker and in mono',
];

/** A light checklist, kept with the session and never in the way. @param {HTMLElement} place */
export function orderOfWork(place) {
  let done = new Set(doc.session.notebook.done);
  const count = html('summary', { className: 'plain-button' });
  const show = () => {
    count.textContent = `order of work ${done.size}/${ORDER.length}`;
  };
  const items = ORDER.map((words, i) => {
    const box = html('input', { type: 'checkbox', checked: done.has(i) });
    box.addEventListener('change', () => {
      if (box.checked) done.add(i);
      else done.delete(i);
      void doc.edit({ edit: 'note', note: { entry: 'done', steps: [...done].sort((a, b) => a - b) } });
      show();
    });
    return html('label', { className: 'choose-row' }, box, words);
  });
  show();
  const again = () => {
    done = new Set(doc.session.notebook.done);
    items.forEach((item, i) => {
      /** @type {HTMLInputElement} */ (item.querySelector('input')).checked = done.has(i);
    });
    show();
  };
  doc.addEventListener('change', (event) => {
    if (/** @type {CustomEvent} */ (event).detail.facts.about === 'notebook') again();
  });
  doc.addEventListener('newer', again);
  place.append(html('details', { className: 'order-of-work' }, count, html('div', { className: 'panel' }, ...items)));
}
