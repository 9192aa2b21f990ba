// Several windows that edit one session at once: what each was told is kept is so, and what all of them set is as the last set it.
import { api } from './program.js';

/** @typedef {ReturnType<typeof import('./dice.js').dice>} Dice */

/**
 * @param {string} url of the server @param {number} id of a session with so many units on its first track
 * @param {number} windows @param {number} edits of each @param {Dice} dice
 */
export async function clients(url, id, windows, edits, dice) {
  const done = { tried: 0, kept: 0, refused: 0, /** @type {string[]} */ faults: [] };
  const { session, version: first } = (await api(`${url}/api/sessions/${id}`, undefined, 'GET')).json;
  const [track] = session.strips;
  /** What a value is by the change of the highest version, by name. @type {Map<string, { version: number, value: unknown }>} */
  const last = new Map();
  const plans = Array.from({ length: windows }, (_, window) =>
    Array.from({ length: edits }, () => ({ own: dice.below(2) === 0, value: Math.round(dice.next() * 1000) / 1000, window })),
  );
  await Promise.all(
    plans.map(async (plan, window) => {
      let version = first;
      for (const [n, { own, value }] of plan.entries()) {
        const unit = track.rack.units[own ? window : windows];
        const edit = { edit: 'set-param', strip: track.id, unit: unit.id, param: 'mix', value };
        const asked = { version, window: `w${window}`, ident: `storm-${first}-${window}-${n}`, edit };
        let answer = await api(`${url}/api/sessions/${id}/edits`, asked);
        // As after a lost answer: by the same name it is made once.
        if (n % 7 === 0) answer = await api(`${url}/api/sessions/${id}/edits`, asked);
        done.tried += 1;
        if (answer.status !== 200) {
          done.faults.push(`${answer.status} ${answer.json.error}`);
          continue;
        }
        done.kept += 1;
        // The change itself has its version; the answer to one that comes again says how far the session is.
        const made = answer.json.changes.find((/** @type {any} */ change) => change.own);
        version = answer.json.version;
        if (made && made.version > (last.get(unit.id)?.version ?? -1)) last.set(unit.id, { version: made.version, value });
      }
    }),
  );
  const { session: now, version } = (await api(`${url}/api/sessions/${id}`, undefined, 'GET')).json;
  if (version - first !== done.kept) done.faults.push(`${done.kept} were kept, and the session went on by ${version - first}`);
  for (const [unit, { value }] of last) {
    const found = now.strips[0].rack.units.find((/** @type {any} */ u) => u.id === unit);
    if (found.mix !== value) done.faults.push(`unit ${unit} is ${found.mix}, and was last set to ${value}`);
  }
  return done;
}
