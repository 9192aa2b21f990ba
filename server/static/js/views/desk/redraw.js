// @ts-check
/** What a change of the session asks of a Desk, by its facts: decided here, done by the page. */

/** What an edit about one thing shows of the strips it is about. */
const ROWS = new Set(['units', 'rack', 'controls', 'sends', 'words']);

/**
 * @param {Pick<import('../../session/document.js').Facts, 'about' | 'reach'>} facts
 * @param {boolean} areThere whether each strip it is about has a row
 * @returns {{ rows?: boolean, waves?: boolean, all?: boolean, prepare?: boolean }} rows: those of its strips; all: rows
 *   came, went, moved or are called otherwise, so that they are drawn anew; prepare: a print is another now
 */
export function redrawOf({ about, reach }, areThere) {
  if (about === 'notebook') return {};
  const prepare = reach === 'racks';
  if (about === 'song') return { waves: true, prepare };
  if (ROWS.has(about) && areThere) return { rows: true, prepare };
  return { all: true };
}
