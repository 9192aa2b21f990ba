// @ts-check
/** A unit in the row of its strip: what it does, small, with its settings as a tip; dragged to another strip. */
import { format, kindOf } from '../../engine/ask.js';
import { html } from '../../draw/svg.js';
import { unitName } from '../../session/unit-name.js';
import { thumb } from '../bench/thumb.js';
import { note } from '../notes.js';
import { doc } from '../session-frame.js';

/** @typedef {import('../../session/document.js').Unit} Unit */

/** What a drag of a unit carries. */
const CARRIED = 'text/x-unit';
/** Settings named in a tip at most. */
const MOST_FIGURES = 4;

/** Settings that are not as they come, in words. @param {Unit} unit */
function figures(unit) {
  const own = kindOf(unit.kind).params.flatMap((param) => {
    const value = unit.params?.[param.id];
    const { domain } = param;
    if (value === undefined || value === null) return [];
    if (domain.type === 'number') return value === domain.default ? [] : [`${param.label} ${format(unit.kind, param.id, value)}`];
    if (!('options' in domain)) return [];
    const option = domain.options.find((o) => o.id === value);
    return option && option !== domain.options[0] ? [`${param.label} ${option.label}`] : [];
  });
  const rows = kindOf(unit.kind).lists.flatMap((list) => {
    const count = unit.params?.[list.id]?.length ?? 0;
    return count ? [`${count} ${list.label}${count === 1 ? '' : 's'}`] : [];
  });
  return [...rows, ...own].slice(0, MOST_FIGURES).join(', ');
}

/** @param {number} strip @param {Unit} unit */
export function unitMark(strip, unit) {
  const said = [`${unitName(unit)}${unit.on ? '' : ', off'}`, figures(unit), unit.why].filter(Boolean).join('\n');
  const mark = html('span', { className: 'unit-mark', draggable: true, title: `${said}\nDrag it to another strip; with Alt a copy` });
  mark.append(thumb(unit, doc.session.rate));
  mark.addEventListener('dragstart', (/** @type {DragEvent} */ event) => {
    event.stopPropagation();
    event.dataTransfer?.setData(CARRIED, JSON.stringify({ strip, unit: unit.id }));
  });
  return mark;
}

/** Lets units of other strips be dropped on a row. @param {HTMLElement} place @param {number} to the strip */
export function takeDrops(place, to) {
  const carries = (/** @type {DragEvent} */ event) => event.dataTransfer?.types.includes(CARRIED);
  place.addEventListener('dragover', (event) => {
    if (!carries(event)) return;
    event.preventDefault();
    place.dataset.drop = '';
  });
  place.addEventListener('dragleave', () => delete place.dataset.drop);
  place.addEventListener('drop', (event) => {
    delete place.dataset.drop;
    if (!carries(event)) return;
    event.preventDefault();
    event.stopPropagation();
    const { strip, unit } = JSON.parse(event.dataTransfer?.getData(CARRIED) ?? '{}');
    if (strip === to) return;
    void bring(strip, unit, to, event.altKey);
  });
}

/** @param {number} strip @param {number} unit @param {number} to @param {boolean} stays */
async function bring(strip, unit, to, stays) {
  const found = doc.unit(strip, unit);
  if (!found) return;
  const copy = /** @type {import('../../session/document.js').Edit} */ ({
    edit: 'copy-unit',
    strip,
    unit,
    to,
    linked: false,
    mirrored: [],
  });
  const edit = stays ? copy : { edit: 'several', edits: [copy, { edit: 'remove-unit', strip, unit }] };
  const name = unitName(found);
  const done = await doc.edit(/** @type {import('../../session/document.js').Edit} */ (edit));
  if (done) note(`${name} ${stays ? 'copied' : 'moved'} to the end of ${doc.find(to).name}; undo restores it.`);
}
