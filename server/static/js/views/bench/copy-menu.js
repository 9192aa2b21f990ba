// @ts-check
/** Taking a unit or a whole rack to another track, linked or free, and out as a file. */
import { ask, kindOf } from '../../engine/ask.js';
import { askSession } from '../../session/document.js';
import { html } from '../../draw/svg.js';
import { note } from '../notes.js';
import { doc } from '../session-frame.js';

/** @typedef {import('../../session/document.js').Unit} Unit */

/** Where a unit stands, in words. @param {number} id */
export function whereIs(id) {
  for (const strip of doc.session.strips) {
    const at = strip.rack.units.findIndex((u) => u.id === id);
    if (at >= 0) return `${kindOf(strip.rack.units[at].kind).name} of ${strip.name}`;
  }
  return '';
}

/** Units that follow one, in words. @param {number} id @returns {string[]} */
export const followersOf = (id) => doc.session.strips.flatMap((s) => s.rack.units.filter((u) => u.follows?.unit === id).map(() => s.name));

/** Rows of a unit that have a gain to be turned over. @param {Unit} unit @returns {{ row: number, words: string }[]} */
function gains(unit) {
  const list = kindOf(unit.kind).lists[0];
  if (!list?.params.some((p) => p.id === 'gain_db')) return [];
  /** @type {{ row: number, band: import('../../types.js').Params }[]} */
  const rows = unit.params[list.id].map((/** @type {import('../../types.js').Params} */ band, /** @type {number} */ row) => ({
    row,
    band,
  }));
  return rows
    .filter((r) => r.band.gain_db)
    .map(({ row, band }) => ({
      row,
      words: `${row + 1}: ${Math.round(band.freq_hz)} Hz ${band.gain_db > 0 ? '+' : '−'}${Math.abs(band.gain_db)} dB`,
    }));
}

/** Opens the dialog. @param {Unit} unit */
export function openCopy(unit) {
  // The likeliest partner first: the other side of a double, the same part, the family.
  const others = askSession({ do: 'partners', strip: doc.strip }).map((/** @type {number} */ id) => doc.find(id));
  const to = html(
    'select',
    { className: 'form-select', 'aria-label': 'To' },
    ...others.map((/** @type {import('../../session/document.js').Strip} */ s) => new Option(s.name, String(s.id))),
  );
  const check = (/** @type {string} */ words, checked = false) => {
    const box = html('input', { type: 'checkbox', checked });
    return { box, row: html('label', { className: 'choose-row' }, box, words) };
  };
  const linked = check('linked: what changes here changes there', true);
  const mirrors = gains(unit).map(({ row, words }) => {
    const { box, row: line } = check(words);
    return { row, box, line };
  });
  const rack = check('the whole rack, in place of the one there');
  const done = html('button', { type: 'submit', className: 'strong-button' }, 'copy');
  const mirror = mirrors.length
    ? [
        html('p', { className: 'quiet' }, 'Turned over in the copy, so that both add up to nothing there:'),
        html('div', { className: 'choose-list short' }, ...mirrors.map((m) => m.line)),
      ]
    : [];
  const file = html(
    'a',
    { href: `/api/sessions/${doc.id}/strips/${doc.strip}/units/${unit.id}/impulse`, download: '' },
    'its impulse response as a file',
  );
  const cancel = html('button', { type: 'button', className: 'plain-button' }, 'close');
  const form = html(
    'form',
    { method: 'dialog' },
    to,
    linked.row,
    ...mirror,
    rack.row,
    html('div', { className: 'name-buttons' }, done, cancel, ...(ask({ ask: 'linear', unit }) ? [file] : [])),
  );
  const dialog = html(
    'dialog',
    { className: 'sheet-dialog', 'aria-label': 'Copy' },
    html('h2', {}, `Copy this ${kindOf(unit.kind).name} to another track`),
    form,
  );
  form.addEventListener('submit', () => {
    const target = Number(to.value);
    /** @type {import('../../session/document.js').Edit} */
    const edit = rack.box.checked
      ? { edit: 'copy-rack', strip: doc.strip, to: target, linked: linked.box.checked }
      : {
          edit: 'copy-unit',
          strip: doc.strip,
          unit: unit.id,
          to: target,
          linked: linked.box.checked,
          mirrored: mirrors.filter((m) => m.box.checked).map((m) => m.row),
        };
    void doc.edit(edit).then((done) => done && note(`Copied to ${doc.find(target).name}; undo takes it back.`));
  });
  cancel.addEventListener('click', () => dialog.close());
  dialog.addEventListener('close', () => dialog.remove());
  document.body.append(dialog);
  dialog.showModal();
}
