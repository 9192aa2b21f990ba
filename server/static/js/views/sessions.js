// @ts-check
/** Sessions: a new one from files, one by one, with a sentence for each. */
import './frame.js';
import { html } from '../draw/svg.js';
import { follow, request } from '../session/api.js';
import { note } from './notes.js';

const form = /** @type {HTMLFormElement} */ (document.getElementById('new-session'));
const list = /** @type {HTMLOListElement} */ (document.getElementById('import-list'));

/**
 * Sends one file and follows it until it is read in.
 * @param {number} session
 * @param {File} file
 * @param {HTMLProgressElement} bar
 * @param {{ cancel: () => void }} stop what cancelling means now
 * @returns {Promise<{ sentence: string, duplicate: boolean } | null>} null when cancelled
 */
async function send(session, file, bar, stop) {
  const job = await new Promise((resolve, reject) => {
    const upload = new XMLHttpRequest();
    upload.open('POST', `/api/sessions/${session}/files?name=${encodeURIComponent(file.name)}`);
    upload.responseType = 'json';
    upload.upload.onprogress = (event) => {
      // Half for sending, half for reading.
      if (event.lengthComputable) bar.value = (0.5 * event.loaded) / event.total;
    };
    upload.onload = () => {
      if (upload.status === 200) resolve(upload.response.job);
      else reject(new Error(upload.response?.error ?? `${file.name} was not taken (the server answered ${upload.status}).`));
    };
    upload.onerror = () => reject(new Error(`${file.name} could not be sent: the server cannot be reached. The files before it are kept.`));
    upload.onabort = () => resolve(null);
    stop.cancel = () => upload.abort();
    upload.send(file);
  });
  if (job === null) return null;
  return follow(job, (_label, share, cancel) => {
    bar.value = 0.5 + 0.5 * share;
    stop.cancel = cancel;
  });
}

/** Brings files in one after the other; a fault of one leaves the others alone. @param {number} session @param {File[]} files */
async function bringIn(session, files) {
  for (const file of files) {
    const bar = html('progress', { max: 1, value: 0 });
    const stop = { cancel: () => {} };
    const button = html('button', { type: 'button', className: 'plain-button' }, 'cancel');
    button.addEventListener('click', () => stop.cancel());
    const item = html('li', {}, file.name, bar, button);
    list.append(item);
    item.scrollIntoView({ block: 'nearest' });
    try {
      const done = await send(session, file, bar, stop);
      item.replaceChildren(done ? done.sentence : `${file.name} was cancelled; nothing of it was kept.`);
      item.dataset.state = !done ? 'refused' : done.duplicate ? 'there' : 'kept';
    } catch (error) {
      item.replaceChildren(error instanceof Error ? error.message : String(error));
      item.dataset.state = 'refused';
    }
  }
}

/** Files dropped or chosen; what was dropped last counts. @type {File[]} */
let chosen = [];
const picker = /** @type {HTMLInputElement} */ (document.getElementById('new-files'));
const folder = /** @type {HTMLInputElement} */ (document.getElementById('new-folder'));
const drop = /** @type {HTMLElement} */ (document.getElementById('drop'));

/** @param {File[]} files */
function take(files) {
  chosen = files.filter((f) => !f.name.startsWith('.')).sort((a, b) => a.name.localeCompare(b.name, undefined, { numeric: true }));
  const said = document.getElementById('drop-said');
  if (said) said.textContent = chosen.length ? `${chosen.length} ${chosen.length === 1 ? 'file' : 'files'}: ${chosen.slice(0, 4).map((f) => f.name).join(', ')}${chosen.length > 4 ? ' …' : ''}` : '';
  const name = /** @type {HTMLInputElement} */ (document.getElementById('new-name'));
  // A folder is mostly named like the song.
  const path = chosen[0]?.webkitRelativePath.split('/')[0];
  if (!name.value && path) name.value = path;
}
picker.addEventListener('change', () => take([...(picker.files ?? [])]));
folder.addEventListener('change', () => take([...(folder.files ?? [])]));
drop.addEventListener('dragover', (event) => {
  event.preventDefault();
  drop.dataset.over = '';
});
drop.addEventListener('dragleave', () => delete drop.dataset.over);
drop.addEventListener('drop', async (event) => {
  event.preventDefault();
  delete drop.dataset.over;
  const entries = [...(event.dataTransfer?.items ?? [])].map((item) => item.webkitGetAsEntry()).filter((e) => e !== null);
  take((await Promise.all(entries.map(filesOf))).flat());
});

/** All files of a dropped file or folder. @param {FileSystemEntry} entry @returns {Promise<File[]>} */
async function filesOf(entry) {
  if (entry.isFile) return [await new Promise((resolve, reject) => /** @type {FileSystemFileEntry} */ (entry).file(resolve, reject))];
  const reader = /** @type {FileSystemDirectoryEntry} */ (entry).createReader();
  /** @type {File[]} */
  const all = [];
  for (;;) {
    /** @type {FileSystemEntry[]} */
    const some = await new Promise((resolve, reject) => reader.readEntries(resolve, reject));
    if (some.length === 0) return all;
    for (const inner of some) all.push(...await filesOf(inner));
  }
}

form.addEventListener('submit', async (event) => {
  event.preventDefault();
  const start = /** @type {HTMLButtonElement} */ (document.getElementById('new-start'));
  start.disabled = true;
  list.replaceChildren();
  try {
    const data = new FormData(form);
    const { id } = await request('/api/sessions', { name: data.get('name'), rate: Number(data.get('rate')) });
    await bringIn(id, chosen);
    const open = /** @type {HTMLAnchorElement} */ (document.getElementById('import-open'));
    open.href = `/sessions/${id}/desk`;
    /** @type {HTMLElement} */ (document.getElementById('import-end')).hidden = false;
    open.focus();
  } catch (error) {
    note(error instanceof Error ? error.message : String(error));
  }
  start.disabled = false;
});

for (const button of /** @type {NodeListOf<HTMLButtonElement>} */ (document.querySelectorAll('[data-remove]'))) {
  button.addEventListener('click', async () => {
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
  });
}
