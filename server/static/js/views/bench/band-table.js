// @ts-check
/** The bands as a table whose values are edited in place. */
import { ask, parameter } from '../../engine/ask.js';
import { html } from '../../draw/svg.js';
import { newGesture } from '../../session/document.js';

const TABLE = 'surgical-eq/bands';
const HEADS = ['#', '', 'shape', 'where', 'note', 'gain', 'width', 'Q', 'slope, dB/oct', ''];
const WITH_GAIN = ['bell', 'low-shelf', 'high-shelf'];
const WITH_SLOPE = ['high-pass', 'low-pass', 'low-shelf', 'high-shelf'];

/**
 * @param {any[]} bands
 * @param {number} selected
 * @param {{ change: (bands: any[], gesture: string) => void, select: (index: number) => void, add: () => void }} actions
 */
export function bandTable(bands, selected, actions) {
  const body = html('tbody');
  bands.forEach((band, i) => body.append(row(band, i, i === selected, bands, actions)));
  const table = html('table', { className: 'band-table' }, html('thead', {}, html('tr', {}, ...HEADS.map((h) => html('th', { scope: 'col' }, h)))), body);
  const add = html('button', { type: 'button', className: 'plain-button', id: 'add-band' }, '+ band');
  add.addEventListener('click', actions.add);
  return html('div', { className: 'table-scroll' }, table, html('div', { style: 'padding: 0.3rem 0.5rem' }, add, html('span', { className: 'quiet' }, bands.length ? '' : '  or double-click the field')));
}

/**
 * @param {any} band
 * @param {number} i
 * @param {boolean} selected
 * @param {any[]} bands
 * @param {{ change: (bands: any[], gesture: string) => void, select: (index: number) => void }} actions
 */
function row(band, i, selected, bands, actions) {
  const set = (/** @type {any} */ part) => actions.change(bands.map((b, n) => (n === i ? { ...b, ...part } : b)), newGesture());
  const number = (/** @type {string} */ param) => numberBox(param, band[param], i, (value) => set({ [param]: value }));
  const on = html('button', { type: 'button', className: 'lamp', 'aria-pressed': String(band.on), 'aria-label': `band ${i + 1} on` });
  on.addEventListener('click', () => set({ on: !band.on }));
  const remove = html('button', { type: 'button', className: 'plain-button', 'aria-label': `remove band ${i + 1}`, title: 'remove' }, '×');
  remove.addEventListener('click', () => actions.change(bands.filter((_, n) => n !== i), newGesture()));
  const dash = '–';
  const withQ = band.shape === 'bell' || band.shape === 'notch' || (WITH_GAIN.includes(band.shape) && band.slope_db_oct === 12);
  const octaves = `${ask({ ask: 'octaves', q: band.q }).toFixed(2)} oct`;
  const cells = [
    String(i + 1), on, choice('shape', band.shape, i, (v) => set({ shape: v })), number('freq_hz'),
    html('span', { className: 'figure' }, ask({ ask: 'note', hz: band.freq_hz })), WITH_GAIN.includes(band.shape) ? number('gain_db') : dash,
    band.shape === 'bell' || band.shape === 'notch' ? html('span', { className: 'figure' }, octaves) : dash, withQ ? number('q') : dash,
    WITH_SLOPE.includes(band.shape) ? choice('slope_db_oct', String(band.slope_db_oct), i, (v) => set({ slope_db_oct: Number(v) })) : dash, remove,
  ];
  const line = html('tr', { 'aria-selected': String(selected), data: { row: String(i) } }, ...cells.map((cell) => html('td', {}, cell)));
  line.addEventListener('click', () => actions.select(i));
  return line;
}

/** @param {string} param @param {string} chosen @param {number} i @param {(id: string) => void} onChange */
function choice(param, chosen, i, onChange) {
  const { label, domain } = parameter(TABLE, param);
  const select = html('select', { 'aria-label': `band ${i + 1} ${label}` });
  for (const option of domain.options) select.append(html('option', { value: option.id, selected: option.id === chosen }, option.label));
  select.addEventListener('change', () => onChange(select.value));
  return select;
}

/** @param {string} param @param {number} value @param {number} i @param {(value: number) => void} onChange */
function numberBox(param, value, i, onChange) {
  const { label, hint } = parameter(TABLE, param);
  const shown = ask({ ask: 'format', table: TABLE, param, value });
  const box = html('input', { className: 'rule-value', value: shown, title: hint, 'aria-label': `band ${i + 1} ${label}`, autocomplete: 'off', spellcheck: false });
  const typed = () => {
    if (box.value === shown) return;
    try {
      onChange(ask({ ask: 'parse', table: TABLE, param, text: box.value, tempo_bpm: 120 }).value);
    } catch (error) {
      box.setAttribute('aria-invalid', 'true');
      box.dispatchEvent(new CustomEvent('trouble', { bubbles: true, detail: error instanceof Error ? error.message : '' }));
    }
  };
  box.addEventListener('change', typed);
  box.addEventListener('focus', () => box.select());
  box.addEventListener('keydown', (/** @type {KeyboardEvent} */ event) => {
    event.stopPropagation();
    if (event.key === 'Enter') box.blur();
    if (event.key === 'Escape') box.value = shown;
  });
  return box;
}
