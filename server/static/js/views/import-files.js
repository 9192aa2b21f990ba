// @ts-check
/** Files brought into a session, with progress and a sentence for each. */
import { html } from '../draw/svg.js';
import { request } from '../session/api.js';
import { follow } from '../session/work.js';

/** Files that are read at once: one for each core of a small machine. */
const AT_ONCE = 2;
/** Bytes of a file's beginning that tell its sample rate. */
const HEAD = 256 * 1024;

/** @typedef {{ sentence: string, strip: number, duplicate: boolean, guess: { label: string, sure: number, name: string } | null }} Done */

/**
 * The rate a session of these files takes, and why.
 * @param {File[]} files
 * @returns {Promise<{ rate: number, sentence: string }>}
 */
export async function rateOf(files) {
  const rates = [];
  for (const file of files) {
    const answer = await fetch('/api/rates', { method: 'POST', body: file.slice(0, HEAD) });
    rates.push(answer.ok ? (await answer.json()).rate : 0);
  }
  return request('/api/rates/of', rates);
}

/**
 * Sends one file; the job that reads it, or null when cancelled.
 * @param {number} session
 * @param {File} file
 * @param {number | null} after the job of the file before
 * @param {HTMLProgressElement} bar
 * @param {{ cancel: () => void }} stop what cancelling means now
 * @returns {Promise<number | null>}
 */
function send(session, file, after, bar, stop) {
  return new Promise((resolve, reject) => {
    const upload = new XMLHttpRequest();
    upload.open('POST', `/api/sessions/${session}/files?name=${encodeURIComponent(file.name)}${after === null ? '' : `&after=${after}`}`);
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
}

/** A table of what became of each file, and where its lines go. */
export function results() {
  const lines = html('tbody', { ariaLive: 'polite' });
  const heads = html('tr', {}, html('th', { scope: 'col' }, 'file'), html('th', { scope: 'col' }, 'what became of it'));
  return {
    lines,
    element: html('div', { className: 'import-results' }, html('table', { className: 'import-list' }, html('thead', {}, heads), lines)),
  };
}

/** A file's line in the table. @param {File} file @param {HTMLElement} list */
function lineFor(file, list) {
  const bar = html('progress', { max: 1, value: 0, 'aria-label': `${file.name}: how far it is` });
  const button = html('button', { type: 'button', className: 'plain-button', 'aria-label': `cancel ${file.name}` }, 'cancel');
  const words = html('td', {}, bar, button);
  const row = html('tr', {}, html('th', { scope: 'row', title: file.name }, file.name), words);
  list.append(row);
  row.scrollIntoView({ block: 'nearest' });
  return {
    bar,
    button,
    /** @param {string} state @param {...(string | Node)} what */
    say: (state, ...what) => {
      words.replaceChildren(...what);
      row.dataset.state = state;
    },
  };
}

/** What a track sounds like, with a name it could have. @param {number} session @param {Done} done */
function proposal(session, { guess, strip }) {
  if (!guess) return [];
  const act = html('button', { type: 'button', className: 'plain-button' }, `name it ${guess.name}`);
  act.addEventListener('click', async () => {
    act.disabled = true;
    const renamed = await request(`/api/sessions/${session}/edits`, {
      version: 0,
      edit: { edit: 'rename', strip, name: guess.name },
    }).catch(() => null);
    if (renamed) act.textContent = `named ${guess.name}`;
    else act.disabled = false;
  });
  return [` It sounds like ${guess.label} (${(100 * guess.sure).toFixed(0)} %). `, act];
}

/**
 * Brings files in, two at a time, their tracks in the files' order; a fault of one leaves the
 * others alone.
 * @param {number} session
 * @param {File[]} files
 * @param {HTMLElement} list where each gets a line
 */
export async function bringIn(session, files, list) {
  /** @type {Set<Promise<void>>} */
  const reading = new Set();
  /** @type {number | null} */
  let last = null;
  for (const file of files) {
    while (reading.size >= AT_ONCE) await Promise.race(reading);
    const line = lineFor(file, list);
    const stop = { cancel: () => {} };
    line.button.addEventListener('click', () => stop.cancel());
    const cancelled = () => line.say('refused', `Cancelled; nothing of it was kept.`);
    try {
      const job = await send(session, file, last, line.bar, stop);
      if (job === null) {
        cancelled();
        continue;
      }
      last = job;
      const read = follow(job, (_label, share, cancel) => {
        line.bar.value = 0.5 + 0.5 * share;
        stop.cancel = cancel;
      })
        .then(
          (/** @type {Done | null} */ done) => {
            if (done) line.say(done.duplicate ? 'there' : 'kept', done.sentence, ...proposal(session, done));
            else cancelled();
          },
          (error) => line.say('refused', error.message),
        )
        .finally(() => reading.delete(read));
      reading.add(read);
    } catch (error) {
      line.say('refused', error instanceof Error ? error.message : String(error));
    }
  }
  await Promise.all(reading);
}

/** Audio files in the order of their names, as a person reads numbers. @param {File[]} files */
export const inOrder = (files) =>
  files.filter((f) => !f.name.startsWith('.')).sort((a, b) => a.name.localeCompare(b.name, undefined, { numeric: true }));

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
    for (const inner of some) all.push(...(await filesOf(inner)));
  }
}
