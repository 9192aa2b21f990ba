// @ts-check
/** Carrying over: the settings of another type that behave most alike on this part. */
import { html } from '../../draw/svg.js';
import { format, optionsOf, parameter } from '../../engine/ask.js';
import { longWork } from '../../session/work.js';
import { heardFrames } from '../compare.js';
import { doc } from '../session-frame.js';

/** The choice of an action, and what was found. @param {() => import('../../session/document.js').Unit} unit */
export function carryOver(unit) {
  const options = optionsOf(parameter('compressor', 'action'));
  const to = html('select', {
    className: 'key-choice',
    'aria-label': 'Carry over to',
    title: 'Looks for the settings of another action that behave most alike on this part',
  });
  const said = html('span', { className: 'quiet', role: 'status' });
  let asked = 0;
  const offer = () =>
    to.replaceChildren(
      new Option('carry over to…', ''),
      ...options.filter((o) => o.id !== unit().params.action).map((o) => new Option(o.label, o.id)),
    );
  const carry = async () => {
    asked += 1;
    const mine = asked;
    const [action, label] = [to.value, to.selectedOptions[0]?.label ?? ''];
    const [from, end] = heardFrames().map((frame) => frame / doc.session.rate);
    said.textContent = 'comparing…';
    try {
      const found = await longWork(
        `/api/sessions/${doc.id}/strips/${doc.strip}/carry`,
        { unit: unit().id, action, from_s: from, to_s: end },
        (_label, share) => {
          if (mine === asked) said.textContent = `comparing… ${Math.round(100 * share)} %`;
        },
      );
      if (mine !== asked || !found) return;
      const values = /** @type {[string, number | string][]} */ (found.set)
        .map(([id, value]) => `${parameter('compressor', id).label} ` + `${format('compressor', id, value)}`)
        .join(', ');
      const use = html('button', { type: 'button', className: 'plain-button' }, 'use it');
      use.addEventListener('click', () => {
        said.textContent = '';
        void doc.edit(found.edit);
      });
      said.replaceChildren(
        `${label} with ${values}: ${found.unlike_db.toFixed(1)} dB rms apart, beginnings of notes counted as ` +
          `much as all the rest (with the same figures ${found.before_db.toFixed(1)}); ` +
          `peaks ${found.peak_db < 0 ? 'lower' : 'higher'} by ` +
          `${Math.abs(found.peak_db).toFixed(1)} dB at equal RMS. `,
        use,
      );
    } catch (error) {
      if (mine === asked) said.textContent = error instanceof Error ? error.message : String(error);
    } finally {
      if (mine === asked) offer();
    }
  };
  to.addEventListener('change', () => void carry());
  offer();
  let params = JSON.stringify(unit().params);
  return {
    element: html('div', { className: 'carry-over' }, to, said),
    /** Where the unit has changed what was found for another setting is no longer so. */
    follow: () => {
      const now = JSON.stringify(unit().params);
      if (now === params) return;
      params = now;
      asked += 1;
      said.textContent = '';
      offer();
    },
  };
}
