// @ts-check
/** Named sets of units across tracks, judged together: made, changed and removed in one dialog. */
import { html } from '../../draw/svg.js';
import { unitName } from '../../session/unit-name.js';
import { note } from '../notes.js';
import { doc } from '../session-frame.js';

/** @typedef {import('../../session/document.js').UnitSet} UnitSet */

/** What takes a set away on the other side; of units removed meanwhile nothing comes. @param {UnitSet} set */
export const changesOf = (set) => set.units.map(({ strip, unit }) => ({ change: 'unit-off', strip, unit }));

/** @param {UnitSet[]} sets */
const keep = (sets) => void doc.edit({ edit: 'note', note: { entry: 'unit-sets', sets } });

/** Opens the dialog. @param {() => void} onChanged */
export function openUnitSets(onChanged) {
  const list = html('select', { className: 'form-select', ariaLabel: 'Set' });
  const name = html('input', {
    className: 'form-control',
    maxLength: 80,
    placeholder: 'such as: all that tames the lows',
    ariaLabel: 'Name of the set',
  });
  const boxes = doc.session.strips.flatMap((strip) =>
    strip.rack.units.map((unit, i) => {
      const box = html('input', { type: 'checkbox' });
      const row = html(
        'label',
        { className: 'choose-row' },
        box,
        html('span', { className: 'mark', data: { family: strip.family } }, strip.family),
        `${strip.name} · ${i + 1} ${unitName(unit)}`,
      );
      return { box, row, of: { strip: strip.id, unit: unit.id } };
    }),
  );
  const remove = html('button', { type: 'button', className: 'plain-button' }, 'remove');
  const done = html('button', { type: 'submit', className: 'strong-button' }, 'keep');
  const form = html(
    'form',
    { method: 'dialog' },
    list,
    name,
    html('div', { className: 'choose-list' }, ...boxes.map((b) => b.row)),
    html('div', { className: 'name-buttons' }, done, remove),
  );
  const dialog = html(
    'dialog',
    { className: 'sheet-dialog', ariaLabel: 'Sets of units' },
    html('h2', {}, 'Sets of units'),
    html('p', { className: 'quiet' }, 'Units of several tracks that do one thing together are heard and taken away together.'),
    form,
  );
  const sets = () => doc.session.notebook.unit_sets;
  const show = () => {
    const chosen = sets()[list.selectedIndex - 1];
    name.value = chosen?.name ?? '';
    remove.hidden = !chosen;
    for (const { box, of } of boxes) box.checked = chosen?.units.some((u) => u.strip === of.strip && u.unit === of.unit) ?? false;
  };
  list.append(new Option('a new set'), ...sets().map((s) => new Option(s.name)));
  list.addEventListener('change', show);
  form.addEventListener('submit', (/** @type {SubmitEvent} */ event) => {
    const units = boxes.filter((b) => b.box.checked).map((b) => b.of);
    const set = { name: name.value.trim(), units };
    const others = sets().filter((_, i) => i !== list.selectedIndex - 1);
    const why = !set.name
      ? 'Give the set a name.'
      : others.some((s) => s.name === set.name)
        ? `There is a set "${set.name}" already; choose it above or take another name.`
        : units.length === 0
          ? 'Choose at least one unit.'
          : '';
    if (why) {
      event.preventDefault();
      note(why);
      return;
    }
    keep(list.selectedIndex > 0 ? sets().map((s, i) => (i === list.selectedIndex - 1 ? set : s)) : [...sets(), set]);
    onChanged();
  });
  remove.addEventListener('click', () => {
    keep(sets().filter((_, i) => i !== list.selectedIndex - 1));
    dialog.close();
    onChanged();
  });
  dialog.addEventListener('close', () => dialog.remove());
  document.body.append(dialog);
  show();
  dialog.showModal();
}
