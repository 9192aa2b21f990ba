// @ts-check
/** Sessions: a new one from files, one by one, with a sentence for each. */
import './frame.js';
import { html } from '../draw/svg.js';
import { request } from '../session/api.js';
import { note } from './notes.js';

const form = /** @type {HTMLFormElement} */ (document.getElementById('new-session'));
const list = /** @type {HTMLOListElement} */ (document.getElementById('import-list'));

/**
 * Sends one file, with progress.
 * @param {number} session
 * @param {File} file
 * @param {HTMLProgressElement} bar
 * @returns {Promise<string>} the server's sentence
 */
function send(session, file, bar) {
  return new Promise((resolve, reject) => {
    const upload = new XMLHttpRequest();
    upload.open('POST', `/api/sessions/${session}/files?name=${encodeURIComponent(file.name)}`);
    upload.responseType = 'json';
    upload.upload.onprogress = (event) => {
      // The last tenth is reading and storing.
      if (event.lengthComputable) bar.value = (0.9 * event.loaded) / event.total;
    };
    upload.onload = () => {
      if (upload.status === 200) resolve(upload.response.sentence);
      else reject(new Error(upload.response?.error ?? `${file.name} was not taken (the server answered ${upload.status}).`));
    };
    upload.onerror = () => reject(new Error(`${file.name} could not be sent: the server cannot be reached. The files before it are kept.`));
    upload.send(file);
  });
}

form.addEventListener('submit', async (event) => {
  event.preventDefault();
  const start = /** @type {HTMLButtonElement} */ (document.getElementById('new-start'));
  const files = [...(/** @type {HTMLInputElement} */ (document.getElementById('new-files')).files ?? [])];
  start.disabled = true;
  list.replaceChildren();
  try {
    const data = new FormData(form);
    const { id } = await request('/api/sessions', { name: data.get('name'), rate: Number(data.get('rate')) });
    for (const file of files) {
      const bar = html('progress', { max: 1, value: 0 });
      const item = html('li', {}, file.name, bar);
      list.append(item);
      try {
        item.replaceChildren(await send(id, file, bar));
        item.dataset.state = 'kept';
      } catch (error) {
        item.replaceChildren(error instanceof Error ? error.message : String(error));
        item.dataset.state = 'refused';
      }
    }
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
