// @ts-check
/** The panel of any kind of unit, made from its tables: the default, and what others build on. */
import { ask, format, kindOf, parameter } from '../../engine/ask.js';
import { redraw } from '../../draw/redraw.js';
import { html } from '../../draw/svg.js';
import { newGesture } from '../../session/document.js';
import { put, valueAt } from '../../session/values.js';
import { Panel, optionValue } from './panel.js';

/** @typedef {import('../../session/document.js').Unit} Unit */

/** Where a band begins that goes up to the next. */
const BEGINS = 'from_hz';

/** @typedef {import('../../types.js').Rows} Rows */
/** @typedef {import('../../types.js').Params} Params */

export class ParamPanel extends Panel {
  /** @param {ConstructorParameters<typeof Panel>} args */
  constructor(...args) {
    super(...args);
    const kind = kindOf(this.unit.kind);
    this.picture = html('div', { className: 'unit-picture' });
    this.lists = kind.lists.map((list) => ({ list, place: html('div', { className: 'table-scroll' }) }));
    this.rulesPlace = this.controls(kind.params);
    if (kind.takes_key) (this.rulesPlace.querySelector('.rules') ?? this.rulesPlace).append(this.keyChoice());
    this.region = html('p', { className: 'quiet unit-region' });
    this.place.replaceChildren(this.head(), this.picture, this.region, this.rulesPlace, ...this.lists.map((l) => l.place));
    this.drawRows();
  }

  drawRows() {
    for (const { list, place } of this.lists) redraw(place, () => [this.rowTable(list)]);
    this.region.textContent = this.regionWords();
    this.region.hidden = this.region.textContent === '';
  }

  /** What the unit's own controls are for, where it has bands that begin somewhere above. */
  regionWords() {
    const own = kindOf(this.unit.kind).params.map((p) => p.id);
    const has = (/** @type {Rows} */ l, /** @type {(id: string) => boolean} */ which) => l.params.some((p) => which(p.id));
    const list = this.lists.map((l) => l.list).find((l) => has(l, (id) => id === BEGINS) && has(l, (id) => own.includes(id)));
    if (!list) return '';
    const rows = /** @type {Params[]} */ (this.unit.params[list.id] ?? []);
    if (rows.length === 0) return '';
    const from = Math.min(...rows.map((row) => row[BEGINS]));
    const below = format(`${this.unit.kind}/${list.id}`, BEGINS, from);
    return `These controls work on what lies below ${below}; each ${list.label} has its own.`;
  }

  /** @param {Unit} unit */
  take(unit) {
    super.take(unit);
    this.drawRows();
    this.show();
  }

  /** The rows of a list as a table, every value edited in place. @param {import('../../types.js').Rows} list */
  rowTable(list) {
    const rows = this.unit.params[list.id] ?? [];
    // Of the rows as they are by then: another window may have changed some meanwhile.
    const set = (/** @type {(rows: Params[]) => Params[]} */ change) => {
      this.changeParams({ [list.id]: change(this.unit.params[list.id] ?? []) }, newGesture());
      this.drawRows();
      this.show();
    };
    const head = html(
      'tr',
      {},
      ...[list.label, ...list.params.map((p) => p.label), 'remove'].map((word) => html('th', { scope: 'col' }, word)),
    );
    const body = html(
      'tbody',
      {},
      ...rows.map((/** @type {Params} */ row, /** @type {number} */ i) => {
        const cells = list.params.map((param) =>
          html(
            'td',
            { data: { path: `${list.id}[${i}].${param.id}` } },
            this.cell(list, param, row, i, (value) => set((now) => now.map((r, n) => (n === i ? put(r, param.id, value) : r)))),
          ),
        );
        const remove = html('button', { type: 'button', className: 'plain-button', 'aria-label': `remove ${list.label} ${i + 1}` }, '×');
        remove.addEventListener('click', () => set((now) => now.filter((_, n) => n !== i)));
        return html('tr', {}, html('td', {}, String(i + 1)), ...cells, html('td', {}, remove));
      }),
    );
    const add = html('button', { type: 'button', className: 'plain-button', disabled: rows.length >= list.max }, `+ ${list.label}`);
    add.addEventListener('click', () => set((now) => [...now, ask({ ask: 'fresh-row', kind: this.unit.kind, list: list.id })]));
    return html('div', {}, html('table', { className: 'band-table' }, html('thead', {}, head), body), add);
  }

  /**
   * @param {import('../../types.js').Rows} list
   * @param {import('../../types.js').Param} param
   * @param {import('../../types.js').Params} row
   * @param {number} i
   * @param {(value: unknown) => void} set
   */
  cell(list, param, row, i, set) {
    const table = `${this.unit.kind}/${list.id}`;
    const label = `${list.label} ${i + 1} ${param.label}`;
    const value = valueAt(row, param.id);
    if (param.domain.type === 'switch') {
      const box = html('input', { type: 'checkbox', checked: Boolean(value), 'aria-label': label, title: param.hint });
      box.addEventListener('change', () => set(box.checked));
      return box;
    }
    if (param.domain.type === 'choice') {
      const select = html(
        'select',
        { 'aria-label': label, title: param.hint },
        ...param.domain.options.map((o) => new Option(o.label, o.id)),
      );
      select.value = String(value);
      select.addEventListener('change', () => set(optionValue(select.value)));
      return select;
    }
    const shown = format(table, param.id, value);
    const box = html('input', {
      className: 'rule-value',
      value: shown,
      'aria-label': label,
      title: parameter(table, param.id).hint,
      autocomplete: 'off',
      spellcheck: false,
      data: { shown },
    });
    box.addEventListener('change', () => {
      try {
        const typed = ask({ ask: 'parse', table, param: param.id, text: box.value, tempo_bpm: this.session.tempo_bpm }).value;
        set(typed === null ? 'inf' : typed);
      } catch (error) {
        box.setAttribute('aria-invalid', 'true');
        box.dispatchEvent(new CustomEvent('trouble', { bubbles: true, detail: error instanceof Error ? error.message : '' }));
      }
    });
    box.addEventListener('keydown', (/** @type {KeyboardEvent} */ event) => {
      event.stopPropagation();
      if (event.key === 'Enter') box.blur();
      if (event.key === 'Escape') box.value = shown;
    });
    return box;
  }
}
