// @ts-check
/** A session that is damaged opens read-only: what can be done about it. */
import { request } from '../session/api.js';
import { note } from './notes.js';

const button = /** @type {HTMLButtonElement | null} */ (document.getElementById('copy-readable'));
button?.addEventListener('click', async () => {
  button.disabled = true;
  try {
    const { session } = await request(`/api/sessions/${button.dataset.session}/copy-readable`, {});
    location.assign(`/sessions/${session}/desk`);
  } catch (error) {
    note(error instanceof Error ? error.message : String(error));
    button.disabled = false;
  }
});
