// @ts-check
/** Sessions: a new one from files, with a sentence for each. */
import './frame.js';
import { request } from '../session/api.js';
import { follow } from '../session/work.js';
import { bringIn, dropOn, inOrder, rateOf, results } from './import-files.js';
import { note } from './notes.js';

const form = /** @type {HTMLFormElement} */ (document.getElementById('new-session'));

/** Files dropped or chosen; what was dropped last counts. @type {File[]} */
let chosen = [];
const picker = /** @type {HTMLInputElement} */ (document.getElementById('new-files'));
const folder = /** @type {HTMLInputElement} */ (document.getElementById('new-folder'));
const drop = /** @type {HTMLElement} */ (document.getElementById('drop'));

/** @param {File[]} files */
function take(files) {
  chosen = inOrder(files);
  const said = document.getElementById('drop-said');
  if (said)
    said.textContent = chosen.length
      ? `${chosen.length} ${chosen.length === 1 ? 'file' : 'files'}: ${chosen
          .slice(0, 4)
          .map((f) => f.name)
          .join(', ')}${chosen.length > 4 ? ' …' : ''}`
      : '';
  const name = /** @type {HTMLInputElement} */ (document.getElementById('new-name'));
  // A folder is mostly named like the song.
  const path = chosen[0]?.webkitRelativePath.split('/')[0];
  if (!name.value && path) name.value = path;
}
picker.addEventListener('change', () => take([...(picker.files ?? [])]));
folder.addEventListener('change', () => take([...(folder.files ?? [])]));
dropOn(drop, take);

form.addEventListener('submit', async (event) => {
  event.preventDefault();
  const start = /** @type {HTMLButtonElement} */ (document.getElementById('new-start'));
  start.disabled = true;
  try {
    const data = new FormData(form);
    const { lines, element } = results();
    document.getElementById('import-results')?.replaceChildren(...(chosen.length ? [element] : []));
    const said = /** @type {HTMLElement} */ (document.getElementById('rate-said'));
    const chosenRate = Number(data.get('rate'));
    const { rate, sentence } = chosenRate ? { rate: chosenRate, sentence: '' } : await rateOf(chosen);
    said.textContent = chosen.length ? sentence : '';
    const { id } = await request('/api/sessions', { name: data.get('name'), rate });
    await bringIn(id, chosen, lines);
    const open = /** @type {HTMLAnchorElement} */ (document.getElementById('import-open'));
    open.href = `/sessions/${id}/desk`;
    /** @type {HTMLElement} */ (document.getElementById('import-end')).hidden = false;
    open.focus();
  } catch (error) {
    note(error instanceof Error ? error.message : String(error));
  }
  start.disabled = false;
});

/** Removes a session, pressed twice. @param {HTMLButtonElement} button */
async function remove(button) {
  if (button.dataset.sure === undefined) {
    button.dataset.sure = '';
    button.textContent = 'remove for good?';
    setTimeout(() => {
      delete button.dataset.sure;
      button.textContent = 'remove';
    }, 4000);
    return;
  }
  try {
    await request(`/api/sessions/${button.dataset.remove}`, undefined, 'DELETE');
    button.closest('li')?.remove();
  } catch (error) {
    note(error instanceof Error ? error.message : String(error));
  }
}
const shelf = /** @type {HTMLElement} */ (document.getElementById('shelf'));
shelf.addEventListener('click', (event) => {
  const button = /** @type {HTMLElement} */ (event.target).closest('[data-remove]');
  if (button instanceof HTMLButtonElement) void remove(button);
});

/** Says how far the demo is, and shows its sessions once they are there; what is being typed beside them stays. */
async function awaitDemo() {
  const making = document.getElementById('making');
  if (!making?.dataset.job) return;
  try {
    await follow(Number(making.dataset.job), (label) => {
      if (making.textContent !== label) making.textContent = label;
    });
    const page = new DOMParser().parseFromString(await (await fetch('/')).text(), 'text/html');
    shelf.replaceChildren(...(page.getElementById('shelf')?.children ?? []));
    making.remove();
  } catch (error) {
    making.textContent = error instanceof Error ? error.message : String(error);
    making.classList.add('caution');
  }
}
void awaitDemo();

// Pressed sooner, the browser would send the form itself and load the page anew.
/** @type {HTMLButtonElement} */ (document.getElementById('new-start')).disabled = false;
