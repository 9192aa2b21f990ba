// SIGKILL in the middle of edits, imports, new sessions and prints: what was acknowledged is there, once, and nothing is half
// there.
import { readdirSync } from 'node:fs';
import { join } from 'node:path';
import { api, bringIn, run, start } from './program.js';
import { wavBytes } from './sound.js';

/** @typedef {ReturnType<typeof import('./dice.js').dice>} Dice */

/**
 * @param {string} data folder, in which nothing works and a first session has a track
 * @param {number} count @param {Dice} dice
 */
export async function kills(data, count, dice) {
  const done = { tried: 0, kept: 0, refused: 0, /** @type {string[]} */ faults: [] };
  for (; done.tried < count; done.tried += 1) {
    const server = await start({ data, demo: false });
    /** @type {Promise<void> | undefined} */
    let killed;
    const end = (/** @type {number} */ later) =>
      setTimeout(() => {
        killed = server.kill('SIGKILL');
      }, later);
    const acknowledged = await storm(server.url, done.tried, dice, end);
    await killed;
    done.kept += acknowledged.edits.length + acknowledged.tracks.length + acknowledged.sessions.length;
    const checked = run('check', '--data', data, '--json');
    const report = JSON.parse(checked.stdout);
    for (const of of ['missing', 'damaged', 'database_faults'])
      if (report[of].length > 0) done.faults.push(`after kill ${done.tried}: ${of} ${report[of]}`);
    done.faults.push(...(await lost(data, acknowledged)).map((what) => `after kill ${done.tried}: ${what}`));
  }
  return done;
}

/** Everything at once until the server is gone; what it had acknowledged. */
async function storm(
  /** @type {string} */ url,
  /** @type {number} */ round,
  /** @type {Dice} */ dice,
  /** @type {(ms: number) => void} */ end,
) {
  const acknowledged = {
    /** @type {string[]} notes, in order */ edits: [],
    /** @type {string[]} */ asked: [],
    /** @type {string[]} */ tracks: [],
    /** @type {string[]} */ sessions: [],
  };
  const sound = (/** @type {number} */ n) =>
    Float32Array.from({ length: 4800 }, (_, i) => 0.1 * Math.sin(i * (0.01 + n / 1000 + round / 97)));
  const until = async (/** @type {(n: number) => Promise<void>} */ act) => {
    try {
      for (let n = 0; ; n += 1) await act(n);
    } catch {
      // The server is gone.
    }
  };
  end(150 + dice.below(500));
  await Promise.all([
    until(async (n) => {
      const note = `${round} ${n}`;
      acknowledged.asked.push(note);
      const { status } = await api(`${url}/api/sessions/1/edits`, { version: 0, edit: { edit: 'set-note', strip: 1, note } });
      if (status === 200) acknowledged.edits.push(note);
    }),
    until(async (n) => {
      const name = `take ${round} ${n}.wav`;
      if ((await bringIn(url, 1, name, wavBytes(48000, [sound(n)]))).strip) acknowledged.tracks.push(`take ${round} ${n}`);
    }),
    until(async (n) => {
      const name = `session ${round} ${n}`;
      if ((await api(`${url}/api/sessions`, { name, rate: 48000 })).status === 200) acknowledged.sessions.push(name);
    }),
    until(async () => {
      await api(`${url}/api/sessions/1/prints`, { strip: 1, bits: '24' });
      await new Promise((resolve) => setTimeout(resolve, 40));
    }),
  ]);
  return acknowledged;
}

/**
 * What had been acknowledged and is not there, or there twice, or half there.
 * @param {string} data
 * @param {Awaited<ReturnType<typeof storm>>} acknowledged
 */
async function lost(data, { edits, asked, tracks, sessions }) {
  const server = await start({ data, demo: false });
  const faults = [];
  const { session } = (await api(`${server.url}/api/sessions/1`, undefined, 'GET')).json;
  const { note } = session.strips.find((/** @type {any} */ strip) => strip.id === 1);
  const last = edits.at(-1);
  // The one on its way when the server was killed may be there or not.
  if (last && note !== last && note !== asked[asked.indexOf(last) + 1]) faults.push(`the note is "${note}", acknowledged was "${last}"`);
  const names = session.strips.map((/** @type {any} */ strip) => strip.name);
  for (const name of tracks) {
    const times = names.filter((/** @type {string} */ known) => known === name).length;
    if (times !== 1) faults.push(`track ${name} is there ${times} times`);
  }
  const listed = JSON.parse(run('sessions', '--data', data, '--json').stdout).map((/** @type {any} */ row) => row.name);
  for (const name of sessions) if (!listed.includes(name)) faults.push(`session ${name} is gone`);
  // What this server writes itself, as the copy of its database, is on its way.
  const half = readdirSync(join(data, 'temporary')).filter((name) => !name.startsWith(`${server.pid}-`));
  if (half.length > 0) faults.push(`half files after a start: ${half}`);
  // So that the next storm does not grow without end.
  for (const strip of session.strips.filter((/** @type {any} */ s) => s.name.startsWith('take ')))
    await api(`${server.url}/api/sessions/1/edits`, { version: 0, edit: { edit: 'remove-strip', strip: strip.id } });
  await server.kill();
  return faults;
}
