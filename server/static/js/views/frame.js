// @ts-check
/** What every page has: light, help, notes. */
import './last-strip.js';
import './read-only.js';
import { openHelp } from './help/sheet.js';
import { shortcuts } from './shortcuts.js';
import { note } from './notes.js';

const root = document.documentElement;
root.dataset.light = localStorage.getItem('zinc-light') ?? 'sheet';

document.getElementById('dim')?.addEventListener('click', () => {
  root.dataset.light = root.dataset.light === 'dim' ? 'sheet' : 'dim';
  localStorage.setItem('zinc-light', root.dataset.light);
  window.dispatchEvent(new Event('resize'));
});
document.getElementById('help')?.addEventListener('click', openHelp);
document.addEventListener('trouble', (event) => note(/** @type {CustomEvent} */ (event).detail));
shortcuts({ keys: '?', does: 'help', run: openHelp });

// After a click with the pointer the keys belong to the page again: Space plays
// instead of pressing the same button once more. Keyboard users keep their focus.
document.addEventListener('click', (event) => {
  const { target } = event;
  if (event.detail > 0)
    /** @type {HTMLElement | null} */ (/** @type {HTMLElement} */ (target).closest('button, input[type=checkbox]'))?.blur();
});
// The same for what was chosen in the listen bar.
document.querySelector('.listen-more')?.addEventListener('change', (event) => {
  const { target } = event;
  if (target instanceof HTMLSelectElement) target.blur();
});
