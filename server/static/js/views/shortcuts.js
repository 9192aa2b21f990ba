// @ts-check
/** Keys: one table that is acted on and shown on the `?` sheet. */
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

/** All keys of this page with what they do. @returns {[string, string][]} */
export const keysShown = () => table.filter((s) => s.does).map(({ keys, shown, does }) => [shown ?? keys, does]);
