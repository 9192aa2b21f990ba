// @ts-check
/** Asking for a name. */
import { html } from '../../draw/svg.js';

/**
 * Asks for a name; null when left, empty to remove.
 * @param {string} title @param {string} value @param {boolean} removable
 * @returns {Promise<string | null>}
 */
export function askName(title, value, removable) {
  return new Promise((resolve) => {
    const input = html('input', { className: 'form-control', value, maxLength: 80, 'aria-label': `${title}: name` });
    const keep = html('button', { type: 'submit', className: 'strong-button', value: 'keep' }, 'keep');
    const remove = html('button', { type: 'submit', className: 'plain-button', value: 'remove' }, 'remove');
    const form = html(
      'form',
      { method: 'dialog', className: 'name-form' },
      html('h2', {}, title),
      input,
      html('div', { className: 'name-buttons' }, keep, ...(removable ? [remove] : [])),
    );
    const dialog = html('dialog', { className: 'sheet-dialog', 'aria-label': title }, form);
    dialog.addEventListener('close', () => {
      resolve(dialog.returnValue === 'keep' ? input.value.trim() || null : dialog.returnValue === 'remove' ? '' : null);
      dialog.remove();
    });
    document.body.append(dialog);
    dialog.showModal();
    input.select();
  });
}
