// @ts-check
/** The rows of the Desk as the server draws and groups them, read again while the page stays and plays on. */

/** What of a row can have the focus. */
const FOCUSABLE = 'a, button, input, [tabindex]';

/** Where in the rows the focus is. @returns {{ strip: string, at: number } | null} */
function focusInRows() {
  const row = /** @type {HTMLElement | null | undefined} */ (document.activeElement?.closest('[data-strip]'));
  if (!row || !document.activeElement) return null;
  return { strip: row.dataset.strip ?? '', at: [...row.querySelectorAll(FOCUSABLE)].indexOf(document.activeElement) };
}

/**
 * Puts the groups of rows that the server draws now in place of those shown.
 * @param {HTMLElement} desk
 * @param {() => void} bind what makes the new rows work; after it the focus is where it was
 */
export async function takeServedRows(desk, bind) {
  const answer = await fetch(window.location.pathname);
  if (!answer.ok) throw new Error(`The tracks could not be read again (${answer.status}). What you did is kept; load the page again.`);
  const served = new DOMParser().parseFromString(await answer.text(), 'text/html');
  const focus = focusInRows();
  for (const group of desk.querySelectorAll('.desk-group')) group.remove();
  desk.append(...served.querySelectorAll('.desk-group'));
  if (!served.querySelector('.empty')) document.querySelector('.empty')?.remove();
  bind();
  if (!focus) return;
  const row = desk.querySelector(`[data-strip="${focus.strip}"]`);
  /** @type {HTMLElement | undefined} */ (row?.querySelectorAll(FOCUSABLE)[focus.at])?.focus({ preventScroll: true });
}
