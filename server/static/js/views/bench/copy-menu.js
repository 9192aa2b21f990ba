// @ts-check
/** Taking a unit or a whole rack to another track, linked or free, and out as a file. */
import { ask, kindOf } from '../../engine/ask.js';
import { askSession } from '../../session/document.js';
import { unitName } from '../../session/unit-name.js';
import { html } from '../../draw/svg.js';
import { note } from '../notes.js';
import { doc } from '../session-frame.js';

/** @typedef {import('../../session/document.js').Unit} Unit */

/** Where a unit stands, in words. @param {number} id */
export function whereIs(id) {
  for (const strip of doc.session.strips) {
    const at = strip.rack.units.findIndex((u) => u.id === id);
    if (at >= 0) return `${unitName(strip.rack.units[at])} of ${strip.name}`;
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
  const check = (/** @type {string} */ words, checked = false) => {
    const box = html('input', { type: 'checkbox', checked });
    return { box, row: html('label', { className: 'choose-row' }, box, words) };
  };
  const targets = others.map((/** @type {import('../../session/document.js').Strip} */ strip) => ({ strip, ...check(strip.name) }));
  const chosen = () =>
    targets.filter((/** @type {typeof targets[0]} */ t) => t.box.checked).map((/** @type {typeof targets[0]} */ t) => t.strip);
  const linked = check('linked: what changes here changes there');
  const mirrors = gains(unit).map(({ row, words }) => {
    const { box, row: line } = check(words);
    return { row, box, line };
  });
  const rack = check('the whole rack, in place of the one there');
  const done = html('button', { type: 'submit', className: 'strong-button' }, 'copy');
  const mirror = mirrors.length
    ? [
        html('p', { className: 'quiet' }, 'Mirror these gains in the copy, so that both add up to nothing there:'),
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
    html(
      'div',
      { className: 'choose-list short', role: 'group', 'aria-label': 'To' },
      ...targets.map((/** @type {typeof targets[0]} */ t) => t.row),
    ),
    linked.row,
    ...mirror,
    rack.row,
    html('div', { className: 'name-buttons' }, done, cancel, ...(ask({ ask: 'linear', unit }) ? [file] : [])),
  );
  const dialog = html(
    'dialog',
    { className: 'sheet-dialog', 'aria-label': 'Copy' },
    html('h2', {}, `Copy ${unitName(unit)} to other strips`),
    form,
  );
  form.addEventListener('submit', () => {
    const isLinked = linked.box.checked;
    const mirrored = mirrors.filter((m) => m.box.checked).map((m) => m.row);
    /** @param {number} to @returns {import('../../session/document.js').Edit} */
    const copy = (to) =>
      rack.box.checked
        ? { edit: 'copy-rack', strip: doc.strip, to, linked: isLinked }
        : { edit: 'copy-unit', strip: doc.strip, unit: unit.id, to, linked: isLinked, mirrored };
    const strips = chosen();
    const edits = strips.map((/** @type {import('../../session/document.js').Strip} */ { id }) => copy(id));
    const names = strips.map((/** @type {import('../../session/document.js').Strip} */ { name }) => name).join(', ');
    if (edits.length === 0) return;
    void doc
      .edit(edits.length === 1 ? edits[0] : { edit: 'several', edits })
      .then((done) => done && note(`Copied to ${names}; undo removes ${edits.length === 1 ? 'it' : 'them'}.`));
  });
  const enable = () => {
    done.disabled = chosen().length === 0;
  };
  form.addEventListener('change', enable);
  enable();
  cancel.addEventListener('click', () => dialog.close());
  dialog.addEventListener('close', () => dialog.remove());
  document.body.append(dialog);
  dialog.showModal();
}
