// @ts-check
/** A new bus or return, named as it is made, with what feeds it; buses for all families. */
import { askSession } from '../../session/document.js';
import { html } from '../../draw/svg.js';
import { note } from '../notes.js';
import { doc } from '../session-frame.js';

/** Asks for a name and for what feeds it; one change. @param {'bus' | 'return'} role */
export function openNewPath(role) {
  const taken = doc.session.strips.filter((s) => s.role === role).length;
  const name = html('input', {
    className: 'form-control',
    value: `${role === 'bus' ? 'Bus' : 'Return'} ${taken + 1}`,
    maxLength: 80,
    required: true,
    'aria-label': 'Name',
  });
  const offered = doc.session.strips.filter((s) => s.role === 'track' || (role === 'return' && s.role === 'bus'));
  const boxes = offered.map((s) => {
    const box = html('input', { type: 'checkbox', value: String(s.id) });
    return {
      box,
      row: html(
        'label',
        { className: 'choose-row' },
        box,
        html('span', { className: 'mark', data: { family: s.family } }, s.family),
        s.name,
      ),
    };
  });
  const make = html('button', { type: 'submit', className: 'strong-button', value: 'make' }, 'make it');
  const close = html('button', { type: 'button', className: 'plain-button' }, 'close');
  const words = role === 'bus' ? 'What feeds it, instead of what it feeds now:' : 'What is sent to it, at 0 dB after the fader:';
  const form = html(
    'form',
    { method: 'dialog' },
    name,
    html('p', { className: 'quiet' }, words),
    html('div', { className: 'choose-list' }, ...boxes.map((b) => b.row)),
    html('div', { className: 'name-buttons' }, make, close),
  );
  const title = role === 'bus' ? 'New bus' : 'New return';
  const dialog = html('dialog', { className: 'sheet-dialog', 'aria-label': title }, html('h2', {}, title), form);
  form.addEventListener('submit', () => {
    const from = boxes.filter((b) => b.box.checked).map((b) => Number(b.box.value));
    void doc.edit(askSession({ do: 'new-path', role, name: name.value.trim() || title, from }));
  });
  close.addEventListener('click', () => dialog.close());
  dialog.addEventListener('close', () => dialog.remove());
  document.body.append(dialog);
  dialog.showModal();
  name.select();
}

/** A bus for every family; one change. */
export function busesByFamily() {
  const edit = askSession({ do: 'buses-by-family' });
  if (edit) void doc.edit(edit);
  else note('There is nothing to group: no two tracks of one family feed the main.');
}
