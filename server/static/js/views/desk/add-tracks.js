// @ts-check
/** Further tracks for a session: files chosen, or dropped anywhere on the Desk. */
import { html } from '../../draw/svg.js';
import { bringIn, dropOn, inOrder, results } from '../import-files.js';
import { doc } from '../session-frame.js';

/** Opens the dialog, with files at once where some were dropped. @param {File[]} [dropped] */
export function openAddTracks(dropped = []) {
  const { lines, element } = results();
  element.hidden = true;
  const picker = html('input', {
    type: 'file',
    multiple: true,
    className: 'visually-hidden',
    id: 'more-files',
    'aria-label': 'Choose files',
  });
  const drop = html(
    'div',
    { className: 'drop' },
    html('b', {}, 'Drop files or a folder here'),
    html('span', { className: 'drop-ways' }, html('label', { className: 'plain-button', htmlFor: 'more-files' }, 'choose files')),
    picker,
  );
  const close = html('button', { type: 'button', className: 'plain-button' }, 'close');
  const dialog = html(
    'dialog',
    { className: 'sheet-dialog', 'aria-label': 'Add tracks' },
    html('h2', {}, 'Add tracks'),
    drop,
    element,
    html('div', { className: 'name-buttons' }, close),
  );
  let brought = false;
  const take = async (/** @type {File[]} */ files) => {
    brought ||= files.length > 0;
    element.hidden = !brought;
    await bringIn(doc.id, inOrder(files), lines);
    close.textContent = brought ? 'show them' : 'close';
    close.focus();
  };
  picker.addEventListener('change', () => void take([...(picker.files ?? [])]));
  dropOn(drop, (files) => void take(files));
  close.addEventListener('click', () => dialog.close());
  dialog.addEventListener('close', () => {
    dialog.remove();
    if (brought) doc.look();
  });
  document.body.append(dialog);
  dialog.showModal();
  if (dropped.length) void take(dropped);
}

/** Files may be dropped anywhere on the Desk. @param {HTMLElement} desk */
export const dropAnywhere = (desk) => dropOn(desk, (files) => openAddTracks(files));
