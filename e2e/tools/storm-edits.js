// Edits that nobody would make: real ones with something in them broken. Each is kept or refused in words; the session still
// opens after each of them.
import { api } from './program.js';

/** What may stand where something else was. */
const ODD = [
  null, true, '', 'x'.repeat(3000), ' ', '\u0000', '../../etc', -1, 0, 0.5, 1e308, -1e308, 2 ** 31 - 1, 2 ** 31, 2 ** 32, 2 ** 53, 2 ** 63,
  [], {}, [[[[]]]], { edit: 'several', edits: [] },
]; // prettier-ignore

/** @typedef {ReturnType<typeof import('./dice.js').dice>} Dice */

/** One edit of each sort, on a session with a track and a bus. @param {any} session */
function sorts({ strips }) {
  const [track, bus] = strips;
  const [first] = track.rack.units;
  const { id: strip } = track;
  const { id: unit } = first;
  return [
    { edit: 'set-control', strip, control: 'level_db', value: -3 },
    { edit: 'rename', strip, name: 'Other' },
    { edit: 'set-note', strip, note: 'a note' },
    { edit: 'add-unit', strip, at: 0, unit: { kind: 'compressor', params: { ratio: 4 } } },
    { edit: 'set-unit', strip, unit: first },
    { edit: 'move-unit', strip, unit, to: 0 },
    { edit: 'set-param', strip, unit, param: 'bands[0].gain_db', value: 3 },
    { edit: 'add-row', strip, unit, list: 'bands', at: 0, row: { freq_hz: 300 } },
    { edit: 'set-here', strip, unit, param: 'mix', section: 1, value: 0.5 },
    {
      edit: 'set-lane',
      strip,
      unit: 0,
      param: 'level_db',
      points: [{ at: 0, value: -3, then: 'held' }],
      over: { tempo_bpm: 90, points: [] },
    },
    { edit: 'set-points-on', beats: true },
    { edit: 'name-unit', strip, unit, name: 'n' },
    { edit: 'set-why', strip, unit, why: 'w' },
    { edit: 'set-key', strip, unit, key: { strip: bus.id, tap: 'after-rack' } },
    { edit: 'set-follows', strip, unit, follows: null },
    { edit: 'copy-unit', strip, unit, to: bus.id, linked: true },
    { edit: 'copy-rack', strip, to: bus.id, linked: false },
    { edit: 'replace-rack', strip, rack: track.rack },
    { edit: 'add-strip', at: 0, strip: { ...bus, id: 0 } },
    { edit: 'move-strip', strip, to: 1 },
    { edit: 'set-feeds', strip, to: bus.id },
    { edit: 'set-sends', strip, sends: [{ to: bus.id, level_db: -6 }] },
    { edit: 'set-part', strip, part: track.part, family: track.family },
    { edit: 'set-take-set', strip, set: 1 },
    { edit: 'set-start', strip, start: 4800 },
    { edit: 'set-tempo', tempo_bpm: 100, beats_per_bar: 4 },
    { edit: 'add-section', section: { name: 'Verse', start: 0, end: 48000 } },
    { edit: 'set-sections', sections: [{ name: 'Verse', start: 0, end: 48000 }] },
    { edit: 'several', edits: [{ edit: 'set-control', strip, control: 'pan', value: 0.5 }] },
  ];
}

/** Breaks one thing somewhere in it. @param {any} value @param {Dice} dice @returns {any} */
function broken(value, dice) {
  // Half of all numbers are only other numbers, so that more than a few are kept.
  if (typeof value === 'number' && dice.below(2) === 0) return Math.round(value * (4 * dice.next() - 1) * 8) / 8;
  if (value === null || typeof value !== 'object' || dice.below(5) === 0) return dice.of(ODD);
  const keys = Object.keys(value);
  const copy = Array.isArray(value) ? [...value] : { ...value };
  if (keys.length === 0) return dice.of(ODD);
  const key = dice.of(keys);
  if (dice.below(6) === 0) delete copy[key];
  else if (dice.below(12) === 0) copy[`${key}s`] = dice.of(ODD);
  else copy[key] = broken(value[key], dice);
  return copy;
}

/**
 * @param {string} url of the server @param {number} id of a session with a track that has an equaliser first
 * @param {number} count @param {Dice} dice
 */
export async function mutatedEdits(url, id, count, dice) {
  const done = { tried: 0, kept: 0, refused: 0, /** @type {string[]} */ faults: [] };
  const read = () => api(`${url}/api/sessions/${id}`, undefined, 'GET');
  let { session } = (await read()).json;
  for (; done.tried < count; done.tried += 1) {
    let edit = dice.of(sorts(session));
    for (let n = 0; n <= dice.below(3); n += 1) edit = broken(edit, dice);
    const { status, json } = await api(`${url}/api/sessions/${id}/edits`, { version: 0, edit });
    if (status === 200) done.kept += 1;
    else if (status >= 400 && status < 500 && (json.error ?? '').length > 20) done.refused += 1;
    else done.faults.push(`${status} ${JSON.stringify(json).slice(0, 200)} to ${JSON.stringify(edit).slice(0, 300)}`);
    if (status !== 200) continue;
    const now = await read();
    if (now.status !== 200) {
      done.faults.push(`the session does not open after ${JSON.stringify(edit).slice(0, 300)}: ${now.json.error}`);
      break;
    }
    const taken = await api(`${url}/api/sessions/${id}/undo`, { version: 0 });
    // Words beside the sound are no step.
    if (taken.status !== 200 && taken.status !== 409) done.faults.push(`not undone: ${JSON.stringify(edit).slice(0, 300)}`);
    ({ session } = (await read()).json);
  }
  return done;
}
