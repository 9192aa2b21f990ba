// @ts-check
/** The bands as a table whose values are edited in place; under the one in hand, how it moves. */
import { ask, format, numberOf, optionsOf, parameter, rowsOf } from '../../engine/ask.js';
import { lamp } from '../../controls/tabs.js';
import { hearWhilePressed } from '../compare.js';
import { html } from '../../draw/svg.js';
import { newGesture } from '../../session/document.js';

const TABLE = 'surgical-eq/bands';
const HEADS = ['#', '', 'shape', 'frequency', 'note', 'gain', 'width', 'Q', 'slope', 'channels', 'dynamic', ''];
/** How a band moves, in order. */
const MOTION = /** @type {const} */ (['threshold_db', 'ratio', 'range_db', 'attack_ms', 'release_ms']);

/**
 * @typedef {object} Motion
 * @property {boolean} on
 * @property {number} threshold_db
 * @property {number} ratio
 * @property {number} range_db
 * @property {number} attack_ms
 * @property {number} release_ms
 * @property {string} key
 */
/**
 * @typedef {object} Band
 * @property {boolean} on
 * @property {string} shape
 * @property {number} freq_hz
 * @property {number} gain_db
 * @property {number} q
 * @property {number | string} slope_db_oct
 * @property {string} place
 * @property {Motion} dynamic
 */
/** @typedef {(param: string) => boolean} Has whether a value of a band does anything with its others */
/**
 * @typedef {object} Actions
 * @property {() => Band[]} bands as they are now
 * @property {(bands: Band[], gesture: string) => void} change
 * @property {(index: number) => void} select
 * @property {() => void} add
 * @property {() => import('../sides.js').Change | null} region what is heard of the band in hand alone
 * @property {(row: number) => string} worked how often and how far a band moved, in words
 * @property {() => HTMLElement} key the choice of the unit's key
 */

/** Whether a band has a width: a quality, and no slope. @param {Has} has */
const hasWidth = (has) => has('q') && !has('slope_db_oct');

/**
 * @param {Band[]} bands
 * @param {number} selected
 * @param {Actions} actions
 */
export function bandTable(bands, selected, actions) {
  const body = html('tbody');
  const facts = rowsOf({ kind: 'surgical-eq', params: { bands } });
  bands.forEach((band, i) => {
    const has = (/** @type {string} */ param) => !facts[i].resting.includes(param);
    // Of the bands as they are by then: another window may have moved one meanwhile.
    const set = (/** @type {Partial<Band>} */ part) =>
      actions.change(
        actions.bands().map((b, n) => (n === i ? { ...b, ...part } : b)),
        newGesture(),
      );
    body.append(row(band, has, i, i === selected, set, actions));
    if (i === selected) body.append(inHand(band, has, i, set, actions));
  });
  const table = html(
    'table',
    { className: 'band-table' },
    html('thead', {}, html('tr', {}, ...HEADS.map((h) => html('th', { scope: 'col' }, h)))),
    body,
  );
  const add = html('button', { type: 'button', className: 'plain-button', id: 'add-band' }, '+ band');
  add.addEventListener('click', actions.add);
  return html(
    'div',
    { className: 'table-scroll' },
    table,
    html(
      'div',
      { style: 'padding: 0.3rem 0.5rem' },
      add,
      html('span', { className: 'quiet' }, bands.length ? '' : '  or double-click the field'),
    ),
  );
}

/**
 * @param {Band} band
 * @param {Has} has
 * @param {number} i
 * @param {boolean} selected
 * @param {(part: Partial<Band>) => void} set
 * @param {Actions} actions
 */
function row(band, has, i, selected, set, actions) {
  const number = (/** @type {'freq_hz' | 'gain_db' | 'q'} */ param) => numberBox(param, band[param], i, (value) => set({ [param]: value }));
  const on = html('button', { type: 'button', className: 'lamp', 'aria-pressed': String(band.on), 'aria-label': `band ${i + 1} on` });
  on.addEventListener('click', () => set({ on: !band.on }));
  const remove = html('button', { type: 'button', className: 'plain-button', 'aria-label': `remove band ${i + 1}`, title: 'remove' }, '×');
  remove.addEventListener('click', () =>
    actions.change(
      actions.bands().filter((_, n) => n !== i),
      newGesture(),
    ),
  );
  const moves = lamp(band.dynamic.on, '', (dynamic) => set({ dynamic: { ...band.dynamic, on: dynamic } }), `band ${i + 1} dynamic`);
  const dash = '–';
  const slope = (/** @type {string} */ v) => set({ slope_db_oct: v === 'steepest' ? v : Number(v) });
  const cells = [
    String(i + 1),
    on,
    choice('shape', band.shape, i, (shape) => set({ shape, q: ask({ ask: 'q-with-shape', shape, q: band.q }) ?? band.q })),
    number('freq_hz'),
    noteBox(band, i, set),
    has('gain_db') ? number('gain_db') : dash,
    hasWidth(has) ? octavesBox(band, i, set) : dash,
    has('q') ? number('q') : dash,
    has('slope_db_oct') ? choice('slope_db_oct', String(band.slope_db_oct), i, slope) : dash,
    choice('place', band.place, i, (v) => set({ place: v })),
    has('dynamic.on') ? moves : dash,
    remove,
  ];
  const line = html('tr', { 'aria-current': String(selected), data: { row: String(i) } }, ...cells.map((cell) => html('td', {}, cell)));
  line.addEventListener('click', () => actions.select(i));
  return line;
}

/**
 * The line under the band in hand.
 * @param {Band} band
 * @param {Has} has
 * @param {number} i
 * @param {(part: Partial<Band>) => void} set
 * @param {Actions} actions
 */
function inHand(band, has, i, set, actions) {
  const button = (/** @type {string} */ words, /** @type {string} */ title, /** @type {() => void} */ act) => {
    const b = html('button', { type: 'button', className: 'plain-button', title }, words);
    b.addEventListener('click', act);
    return b;
  };
  /** @type {Node[]} */
  const parts = [];
  if (has('gain_db') && band.gain_db > 0)
    parts.push(button('make it a cut', 'What was found by boosting is taken away by as much', () => set({ gain_db: -band.gain_db })));
  if (hasWidth(has) && band.shape !== 'notch')
    parts.push(button('make it a notch', 'Takes exactly this frequency out', () => set({ shape: 'notch' })));
  const region = html(
    'button',
    { type: 'button', className: 'plain-button', title: 'Hold to hear only the region of this band (or hold L)' },
    'hear its region',
  );
  hearWhilePressed(region, actions.region);
  parts.push(region);
  if (has('dynamic.ratio')) {
    const move = (/** @type {object} */ part) => set({ dynamic: { ...band.dynamic, ...part } });
    for (const name of MOTION) {
      const value = band.dynamic[name];
      parts.push(
        html(
          'label',
          {},
          `${parameter(TABLE, `dynamic.${name}`).label} `,
          numberBox(`dynamic.${name}`, value, i, (v) => move({ [name]: v })),
        ),
      );
    }
    parts.push(
      html(
        'label',
        {},
        'by ',
        choice('dynamic.key', band.dynamic.key, i, (key) => move({ key })),
      ),
    );
    if (band.dynamic.key === 'key') parts.push(actions.key());
    parts.push(html('span', { className: 'quiet' }, actions.worked(i)));
  }
  return html('tr', { className: 'band-in-hand' }, html('td', { colSpan: HEADS.length }, html('span', {}, ...parts)));
}

/** The nearest note; another may be typed. @param {Band} band @param {number} i @param {(part: Partial<Band>) => void} set */
function noteBox(band, i, set) {
  const shown = ask({ ask: 'note', hz: band.freq_hz });
  return textBox(shown, `band ${i + 1} note`, 'The nearest note; type another, such as A4.', (text) =>
    set({ freq_hz: parsed('freq_hz', text) }),
  );
}

/** Width in octaves, exactly the Q beside it. @param {Band} band @param {number} i @param {(part: Partial<Band>) => void} set */
function octavesBox(band, i, set) {
  const shown = `${ask({ ask: 'octaves', q: band.q }).toFixed(2)} oct`;
  return textBox(shown, `band ${i + 1} width in octaves`, 'Width between half the gain on either side, in octaves.', (text) => {
    const octaves = Number.parseFloat(text.replace(',', '.'));
    if (!(octaves > 0)) throw new Error(`"${text}" is no width; type for example 0.5 or 1.2 oct.`);
    const { min, max } = numberOf(parameter(TABLE, 'q'));
    set({ q: Math.max(min, Math.min(max, Number(ask({ ask: 'quality', octaves }).toPrecision(5)))) });
  });
}

/** @param {string} param @param {string} text @returns {number} */
const parsed = (param, text) => ask({ ask: 'parse', table: TABLE, param, text, tempo_bpm: 120 }).value;

/** @param {string} param @param {string} chosen @param {number} i @param {(id: string) => void} onChange */
function choice(param, chosen, i, onChange) {
  const spec = parameter(TABLE, param);
  const select = html('select', { 'aria-label': `band ${i + 1} ${spec.label}` });
  select.dataset.path = `bands[${i}].${param}`;
  for (const option of optionsOf(spec)) select.append(html('option', { value: option.id, selected: option.id === chosen }, option.label));
  select.addEventListener('change', () => onChange(select.value));
  return select;
}

/** @param {string} param @param {number} value @param {number} i @param {(value: number) => void} onChange */
function numberBox(param, value, i, onChange) {
  const { label, hint } = parameter(TABLE, param);
  const shown = format(TABLE, param, value);
  const box = textBox(shown, `band ${i + 1} ${label}`, hint, (text) => onChange(parsed(param, text)));
  box.dataset.path = `bands[${i}].${param}`;
  return box;
}

/**
 * @param {string} shown
 * @param {string} label
 * @param {string} hint
 * @param {(text: string) => void} take throws where the text cannot be used
 */
function textBox(shown, label, hint, take) {
  const box = html('input', {
    className: 'rule-value',
    value: shown,
    title: hint,
    'aria-label': label,
    autocomplete: 'off',
    spellcheck: false,
  });
  const typed = () => {
    if (box.value === shown) return;
    try {
      take(box.value);
    } catch (error) {
      box.setAttribute('aria-invalid', 'true');
      box.dispatchEvent(new CustomEvent('trouble', { bubbles: true, detail: error instanceof Error ? error.message : '' }));
    }
  };
  box.dataset.shown = shown;
  box.addEventListener('change', typed);
  box.addEventListener('focus', () => box.select());
  box.addEventListener('keydown', (/** @type {KeyboardEvent} */ event) => {
    event.stopPropagation();
    if (event.key === 'Enter') box.blur();
    if (event.key === 'Escape') box.value = shown;
  });
  return box;
}
