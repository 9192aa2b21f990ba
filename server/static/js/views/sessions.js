// @ts-check
/** Sessions: a new one from files, with a sentence for each. */
import './frame.js';
import { html } from '../draw/svg.js';
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

const shelf = /** @type {HTMLElement} */ (document.getElementById('shelf'));
const bin = /** @type {HTMLElement} */ (document.getElementById('bin'));

/** Shows the sessions as they are by now, the bin as open as it was; what is being typed beside them stays. */
async function renew() {
  const page = new DOMParser().parseFromString(await (await fetch('/')).text(), 'text/html');
  const isOpen = bin.querySelector('details')?.open ?? false;
  for (const part of [shelf, bin]) part.replaceChildren(...(page.getElementById(part.id)?.childNodes ?? []));
  const details = bin.querySelector('details');
  if (details) details.open = isOpen;
}

/** Does something to a session and shows what has become of all. @param {string} path @param {'POST' | 'DELETE'} method */
async function act(path, method) {
  try {
    await request(`/api/sessions/${path}`, method === 'POST' ? {} : undefined, method);
    await renew();
    return true;
  } catch (error) {
    note(error instanceof Error ? error.message : String(error));
    return false;
  }
}

/** Puts a session into the bin. @param {HTMLButtonElement} button */
async function remove({ dataset: { remove: id, name } }) {
  if (await act(`${id}`, 'DELETE')) note(`${name} was removed.`, { label: 'put it back', run: () => void act(`${id}/put-back`, 'POST') });
}

/** Removes a session in the bin for good, pressed twice. @param {HTMLButtonElement} button */
async function removeForGood(button) {
  if (button.dataset.sure === undefined) {
    button.dataset.sure = '';
    button.textContent = 'really, for good?';
    setTimeout(() => {
      delete button.dataset.sure;
      button.textContent = 'remove for good';
    }, 4000);
    return;
  }
  if (await act(`${button.dataset.forGood}/for-good`, 'DELETE')) await showSpace();
}
for (const part of [shelf, bin])
  part.addEventListener('click', (event) => {
    const button = /** @type {HTMLElement} */ (event.target).closest('button');
    if (button?.dataset.remove) void remove(button);
    else if (button?.dataset.putBack) void act(`${button.dataset.putBack}/put-back`, 'POST');
    else if (button?.dataset.forGood) void removeForGood(button);
  });

/** Says what all of it takes of the disk, with a button for what nothing uses. */
async function showSpace() {
  const place = /** @type {HTMLElement} */ (document.getElementById('space'));
  try {
    const { said, unused } = await request('/api/space', undefined, 'GET');
    place.replaceChildren(html('span', {}, `On disk: ${said}`));
    if (unused) place.append(' ', giveBack(unused));
  } catch {
    place.textContent = '';
  }
}

/** @param {string} unused how much nothing uses */
function giveBack(unused) {
  const title = 'Recordings that no session, undo step or removed session uses, old prints and printed files';
  const button = html('button', { type: 'button', className: 'plain-button', title }, `delete ${unused} that nothing uses`);
  button.addEventListener('click', async () => {
    button.disabled = true;
    try {
      const { given_back: freed } = await request('/api/space/give-back', {});
      note(`${freed} were deleted.`);
    } catch (error) {
      note(error instanceof Error ? error.message : String(error));
    }
    await showSpace();
  });
  return button;
}
void showSpace();

/** Says how far the demo is, and shows its sessions once they are there; what is being typed beside them stays. */
async function awaitDemo() {
  const making = document.getElementById('making');
  if (!making?.dataset.job) return;
  try {
    await follow(Number(making.dataset.job), (label) => {
      if (making.textContent !== label) making.textContent = label;
    });
    await renew();
    making.remove();
  } catch (error) {
    making.textContent = error instanceof Error ? error.message : String(error);
    making.classList.add('caution');
  }
}
void awaitDemo();

// Pressed sooner, the browser would send the form itself and load the page anew.
/** @type {HTMLButtonElement} */ (document.getElementById('new-start')).disabled = false;
