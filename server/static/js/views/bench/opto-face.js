// @ts-check
/**
 * The simple face of an action with times of its own: how much, and whether it evens out or holds.
 * How much is the threshold, read the other way round.
 */
import { tabs } from '../../controls/tabs.js';
import { html } from '../../draw/svg.js';
import { numberOf, parameter } from '../../engine/ask.js';
import { newGesture } from '../../session/document.js';

/** Ratios of both ways. */
const WAYS = [
  { id: '3', label: 'even out' },
  { id: '10', label: 'hold' },
];

/**
 * @param {() => import('../../types.js').Params} params of the unit as they are
 * @param {(part: Record<string, unknown>, gesture: string) => void} change
 */
export function optoFace(params, change) {
  const { min, max } = numberOf(parameter('compressor', 'threshold_db'));
  const amount = html('input', { type: 'range', min: 0, max: 100, step: 1, className: 'opto-amount', 'aria-label': 'Compressor: amount' });
  const figure = html('span', { className: 'figure' });
  let gesture = '';
  const shown = () => Math.round((100 * (max - params().threshold_db)) / (max - min));
  const way = tabs(WAYS, String(params().ratio), 'Compressor: what it does', (id) => change({ ratio: Number(id) }, newGesture()));
  amount.addEventListener('pointerdown', () => {
    gesture = newGesture();
  });
  amount.addEventListener('keydown', () => {
    gesture = newGesture();
  });
  amount.addEventListener('input', () => {
    gesture ||= newGesture();
    change({ threshold_db: max - ((max - min) * Number(amount.value)) / 100 }, gesture);
    follow();
  });
  const element = html(
    'div',
    { className: 'opto-face', role: 'group', 'aria-label': 'simple face' },
    html('label', {}, html('span', {}, 'amount'), amount, figure),
    way,
  );
  /** Shows the values as they are; only for the action it is the face of. */
  function follow() {
    element.hidden = params().action !== 'opto';
    amount.value = String(shown());
    figure.textContent = `${shown()} %`;
    for (const button of way.children)
      button.setAttribute('aria-pressed', String(/** @type {HTMLElement} */ (button).dataset.option === String(params().ratio)));
  }
  follow();
  return { element, follow };
}
