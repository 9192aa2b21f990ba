// @ts-check
/** Keys: one table that is acted on and shown on the `?` sheet. */
import { html } from '../draw/svg.js';

/** @typedef {{ keys: string, shown?: string, does: string, run: () => void }} Shortcut */

/** @type {Shortcut[]} */
const table = [];

/** @param {...Shortcut} more */
export function shortcuts(...more) {
  table.push(...more);
}

/** @param {KeyboardEvent} event */
function nameOf(event) {
  const parts = [];
  if (event.ctrlKey || event.metaKey) parts.push('Ctrl');
  if (event.altKey) parts.push('Alt');
  if (event.shiftKey && event.key.length > 1) parts.push('Shift');
  else if (event.shiftKey && (event.ctrlKey || event.metaKey)) parts.push('Shift');
  const key = event.key === ' ' ? 'Space' : event.key.length === 1 ? event.key.toUpperCase() : event.key;
  return [...parts, key].join('+');
}

document.addEventListener('keydown', (event) => {
  const target = /** @type {HTMLElement} */ (event.target);
  if (target.matches('input:not([type=checkbox]), select, textarea')) return;
  // A focused button or box answers to Space itself.
  if (event.key === ' ' && target.matches('button, summary, input')) return;
  if (document.querySelector('dialog[open]')) return;
  const found = table.find((s) => s.keys === nameOf(event));
  if (!found) return;
  event.preventDefault();
  found.run();
});

export function showShortcuts() {
  const list = html('dl');
  for (const { keys, shown, does } of table.filter((s) => s.does)) list.append(html('dt', {}, shown ?? keys), html('dd', {}, does));
  document.getElementById('shortcuts-list')?.replaceChildren(list);
  const dialog = /** @type {HTMLDialogElement | null} */ (document.getElementById('shortcuts'));
  dialog?.showModal();
}
