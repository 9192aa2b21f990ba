// @ts-check
/**
 * Drawing a place anew under somebody's hands: what is being typed is never lost, and what has
 * the focus has it still afterwards.
 */

/** What is to be drawn once the typing is over, by place. @type {WeakMap<HTMLElement, () => Node[]>} */
const waiting = new WeakMap();

/** Whether text in a box differs from what it showed. @param {Element | null} box */
export const isTyped = (box) => box instanceof HTMLInputElement && box.dataset.shown !== undefined && box.value !== box.dataset.shown;

/**
 * Puts fresh nodes into a place; while something is being typed there, as soon as it no longer is.
 * @param {HTMLElement} place
 * @param {() => Node[]} make
 */
export function redraw(place, make) {
  const active = /** @type {HTMLElement | null} */ (document.activeElement);
  if (!active || !place.contains(active)) {
    place.replaceChildren(...make());
    return;
  }
  if (isTyped(active)) {
    const begun = waiting.has(place);
    waiting.set(place, make);
    if (!begun) active.addEventListener('blur', () => setTimeout(() => later(place)), { once: true });
    return;
  }
  const label = active.getAttribute('aria-label');
  const chosen = active instanceof HTMLInputElement && active.type === 'text' ? [active.selectionStart, active.selectionEnd] : null;
  place.replaceChildren(...make());
  const again =
    label &&
    /** @type {HTMLElement | undefined} */ (
      [...place.querySelectorAll('[aria-label]')].find((e) => e.getAttribute('aria-label') === label)
    );
  if (!again) return;
  again.focus();
  if (chosen && again instanceof HTMLInputElement) again.setSelectionRange(chosen[0], chosen[1]);
}

/** @param {HTMLElement} place */
function later(place) {
  const make = waiting.get(place);
  waiting.delete(place);
  if (make) redraw(place, make);
}
