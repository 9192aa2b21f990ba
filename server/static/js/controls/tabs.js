// @ts-check
/** A choice as a row of small labelled tabs, and a switch as a lamp with a word. */
import { html } from '../draw/svg.js';

/**
 * @param {{ id: string, label: string }[]} options
 * @param {string} chosen
 * @param {string} label read aloud
 * @param {(id: string) => void} onChange
 */
export function tabs(options, chosen, label, onChange) {
  const row = html('span', { className: 'tabs', role: 'group', 'aria-label': label });
  for (const option of options) {
    const button = html(
      'button',
      { type: 'button', 'aria-pressed': String(option.id === chosen), data: { option: option.id } },
      option.label,
    );
    button.addEventListener('click', () => {
      for (const other of row.children) other.setAttribute('aria-pressed', String(other === button));
      onChange(option.id);
    });
    row.append(button);
  }
  return row;
}

/**
 * @param {boolean} on
 * @param {string} word
 * @param {(on: boolean) => void} onChange
 * @param {string} [label] read aloud in place of the word
 */
export function lamp(on, word, onChange, label = word) {
  const button = html('button', { type: 'button', className: 'lamp', 'aria-pressed': String(on), 'aria-label': label }, word);
  button.addEventListener('click', (/** @type {Event} */ event) => {
    event.stopPropagation();
    onChange(button.getAttribute('aria-pressed') !== 'true');
  });
  return button;
}
