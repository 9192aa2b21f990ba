// @ts-check
/** A dialog in which some of a list are chosen. */
import { html } from '../draw/svg.js';

/**
 * @param {string} title
 * @param {{ id: number, mark: string, name: string }[]} offered
 * @param {number[]} chosen
 * @param {(chosen: number[]) => void} onDone
 */
export function choose(title, offered, chosen, onDone) {
  const boxes = offered.map(({ id, mark, name }) => {
    const box = html('input', { type: 'checkbox', checked: chosen.includes(id), value: String(id) });
    return {
      box,
      row: html('label', { className: 'choose-row' }, box, html('span', { className: 'mark', data: { family: mark } }, mark), name),
    };
  });
  const done = html('button', { type: 'submit', className: 'strong-button' }, 'hear them');
  const form = html('form', { method: 'dialog' }, html('div', { className: 'choose-list' }, ...boxes.map((b) => b.row)), done);
  const dialog = html('dialog', { className: 'sheet-dialog', 'aria-label': title }, html('h2', {}, title), form);
  form.addEventListener('submit', () => onDone(boxes.filter((b) => b.box.checked).map((b) => Number(b.box.value))));
  dialog.addEventListener('close', () => dialog.remove());
  document.body.append(dialog);
  dialog.showModal();
}
