// @ts-check
/** Where a unit begins on this part: set again for the part as it is now, or put to neutral. */
import { ask } from '../../engine/ask.js';
import { html } from '../../draw/svg.js';
import { newGesture } from '../../session/document.js';
import { valueAt } from '../../session/values.js';
import { doc } from '../session-frame.js';

/** Peaks in dBFS to ask with where only what is set matters, not to what. */
const ANY_PEAK = -12;

/**
 * The buttons of a panel whose kind of unit has a beginning; nothing for another.
 * @param {import('./param-panel.js').ParamPanel} panel
 * @returns {HTMLElement[]}
 */
export function beginLine(panel) {
  const of = (/** @type {number} */ peak) => {
    const strip = doc.session.strips.find((s) => s.rack.units.some((u) => u.id === panel.unit.id));
    return ask({ ask: 'beginning', kind: panel.unit.kind, part: strip?.part ?? 'unknown', peak_db: peak });
  };
  if (!of(ANY_PEAK)) return [];
  const said = html('span', { className: 'quiet', role: 'status' });
  const set = (/** @type {Record<string, unknown>} */ values) => {
    panel.changeParams(values, newGesture());
    panel.take(panel.unit);
  };
  const fit = html(
    'button',
    { type: 'button', className: 'plain-button', title: 'Voice by the instrument, input or drive by the peaks that reach this unit' },
    'fit to the part',
  );
  fit.addEventListener('click', () => {
    const peak = panel.treatment?.points[panel.station]?.peak_db;
    const found = peak === undefined ? null : of(peak);
    if (!found) {
      said.textContent = 'The part has not been measured yet.';
      return;
    }
    set(Object.fromEntries(found.set));
    said.textContent = found.says;
  });
  const neutral = html(
    'button',
    { type: 'button', className: 'plain-button', title: 'The values that a new unit has on no part in particular' },
    'neutral',
  );
  neutral.addEventListener('click', () => {
    const fresh = ask({ ask: 'fresh', kind: panel.unit.kind }).params;
    set(Object.fromEntries(of(ANY_PEAK).set.map((/** @type {[string, unknown]} */ [id]) => [id, valueAt(fresh, id)])));
    said.textContent = '';
  });
  return [html('p', { className: 'begin-line' }, fit, neutral, said)];
}
