// @ts-check
/** Files brought into a session, one after the other, with progress and a sentence for each. */
import { html } from '../draw/svg.js';
import { follow } from '../session/api.js';

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

/**
 * Brings files in one after the other; a fault of one leaves the others alone.
 * @param {number} session
 * @param {File[]} files
 * @param {HTMLElement} list where each gets a line
 */
export async function bringIn(session, files, list) {
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

/** Audio files in the order of their names, as a person reads numbers. @param {File[]} files */
export const inOrder = (files) => files.filter((f) => !f.name.startsWith('.')).sort((a, b) => a.name.localeCompare(b.name, undefined, { numeric: true }));

/**
 * Lets files and folders be dropped on a place.
 * @param {HTMLElement} place
 * @param {(files: File[]) => void} take
 */
export function dropOn(place, take) {
  place.addEventListener('dragover', (event) => {
    event.preventDefault();
    place.dataset.over = '';
  });
  place.addEventListener('dragleave', () => delete place.dataset.over);
  place.addEventListener('drop', async (event) => {
    event.preventDefault();
    delete place.dataset.over;
    const entries = [...(event.dataTransfer?.items ?? [])].map((item) => item.webkitGetAsEntry()).filter((e) => e !== null);
    take((await Promise.all(entries.map(filesOf))).flat());
  });
}

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
