// @ts-check
/** What a change of the session asks of a Bench, by its facts: decided here, done by the page. */

/**
 * @typedef {object} Redraw
 * @property {boolean} [note] the note as it is kept
 * @property {boolean} [inHand] the unit in hand, where somebody else has changed it
 * @property {boolean} [wire] the wire, with the next picture
 * @property {boolean} [place] wire, panel and evidence, what is in hand staying there
 * @property {boolean} [prepare] what is played, where others are printed anew
 * @property {boolean} [measure] the figures of the rack
 */

/**
 * @param {Pick<import('../../session/document.js').Facts, 'strips' | 'about' | 'reach'>} facts
 * @param {number} strip the strip on the Bench
 * @param {boolean} hasPanel whether a unit is in hand
 * @returns {Redraw}
 */
export function redrawOf({ strips, about, reach }, strip, hasPanel) {
  if (about === 'notebook') return {};
  // What is printed here may have changed, and a unit there may follow one here.
  if (strips.length > 0 && !strips.includes(strip)) return { note: true, prepare: true, wire: true };
  if (about === 'words' || about === 'name') return { note: true };
  // Others that follow a unit here are printed anew.
  const prepare = reach === 'racks' && strips.length > 1;
  if (about === 'controls') return { note: true, wire: true, prepare, measure: true };
  if (about !== 'units' || !hasPanel) return { note: true, place: true, prepare, measure: about !== 'units' || reach !== 'nothing' };
  return { note: true, inHand: true, wire: true, prepare, measure: reach !== 'nothing' };
}
