// The program and a browser, started for the tests of one file and ended after them.
import { join } from 'node:path';
import { cpSync, existsSync, mkdirSync, readdirSync, renameSync, rmSync, statSync } from 'node:fs';
import { after, before } from 'node:test';
import { allKept, api, binary, browser, follow, root, scratch, start } from './program.js';

/** Making the demo and what its Desk plays takes less. */
const MADE_WITHIN_MS = 240_000;

/** Bars of the demo song that most tests have: its Intro, Verse and Lift. */
const BARS = 16;
/** All of them. */
export const WHOLE_SONG = 32;

/**
 * A data folder with so many bars of the demo in it: made once for each build of the program, and copied, since
 * playing the song takes longer than most tests. @param {string} to @param {number} bars
 */
async function copyDemo(to, bars) {
  const { mtimeMs, size } = statSync(binary);
  const all = join(root, 'target/e2e-demo');
  const build = `${Math.round(mtimeMs)}-${size}`;
  const kept = join(all, `${build}-${bars}`);
  const making = `${kept}.making`;
  mkdirSync(all, { recursive: true });
  // Two files of tests may begin at once: one makes it, the other waits. What a broken-off run left is made anew.
  for (const until = Date.now() + MADE_WITHIN_MS; !existsSync(kept) && existsSync(making);) {
    if (Date.now() > until) rmSync(making, { recursive: true, force: true });
    await new Promise((resolve) => setTimeout(resolve, 500));
  }
  if (!existsSync(kept)) {
    mkdirSync(making);
    for (const old of readdirSync(all)) if (!old.startsWith(build)) rmSync(join(all, old), { recursive: true, force: true });
    const server = await start({ data: making, bars });
    await playable(server.url, 2);
    await server.kill();
    renameSync(making, kept);
  }
  cpSync(kept, to, { recursive: true });
}

/** Prints what the Desk of a session plays, so that every copy can play it at once. @param {string} url @param {number} session */
async function playable(url, session) {
  const {
    json: { job },
  } = await api(`${url}/api/sessions/${session}/streams`, { strip: 0 });
  if (job) await follow(url, job);
}

/**
 * @param {{ demo?: boolean, bars?: number, pages?: boolean }} [options] whether the demo is there, how much of it, and
 * whether pages are opened
 */
export function house({ demo = true, bars = BARS, pages = true } = {}) {
  const folder = scratch();
  const data = join(folder.path, 'data');
  const at = {
    folder,
    data,
    /** @type {Awaited<ReturnType<typeof start>>} */ server: /** @type {any} */ (null),
    /** @type {import('playwright-core').Browser} */ b: /** @type {any} */ (null),
    /** A session with its version, once every page that is open has what it changed kept. @param {number} id */
    document: async (id) => {
      await allKept(at.b);
      return (await api(`${at.server.url}/api/sessions/${id}`, undefined, 'GET')).json;
    },
    /** One edit. @param {number} id @param {any} edit */
    change: (id, edit) => api(`${at.server.url}/api/sessions/${id}/edits`, { version: 0, edit }),
    /** A new session's number. @param {string} name @param {number} [rate] */
    session: async (name, rate = 48000) => (await api(`${at.server.url}/api/sessions`, { name, rate })).json.id,
  };
  before(async () => {
    if (demo) await copyDemo(data, bars);
    at.server = await start({ data, demo });
    if (pages) at.b = await browser();
  });
  after(async () => {
    await at.b?.close();
    await at.server.kill();
    folder.remove();
  });
  return at;
}
