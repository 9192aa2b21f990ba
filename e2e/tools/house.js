// The program and a browser, started for the tests of one file and ended after them.
import { join } from 'node:path';
import { cpSync, existsSync, mkdirSync, readdirSync, renameSync, rmSync, statSync } from 'node:fs';
import { after, before } from 'node:test';
import { api, binary, browser, root, scratch, start } from './program.js';

/**
 * A data folder with the demo in it: made once for each build of the program, and copied, since
 * playing the song takes longer than most tests. @param {string} to
 */
async function copyDemo(to) {
  const { mtimeMs, size } = statSync(binary);
  const all = join(root, 'target/e2e-demo');
  const kept = join(all, `${Math.round(mtimeMs)}-${size}`);
  if (!existsSync(kept)) {
    mkdirSync(all, { recursive: true });
    for (const old of readdirSync(all)) rmSync(join(all, old), { recursive: true, force: true });
    const making = `${kept}.making`;
    await (await start({ data: making })).kill();
    renameSync(making, kept);
  }
  cpSync(kept, to, { recursive: true });
}

/**
 * @param {{ demo?: boolean, pages?: boolean }} [options] whether the demo is there, and whether pages are opened
 */
export function house({ demo = true, pages = true } = {}) {
  const folder = scratch();
  const data = join(folder.path, 'data');
  const at = {
    folder,
    data,
    /** @type {Awaited<ReturnType<typeof start>>} */ server: /** @type {any} */ (null),
    /** @type {import('playwright-core').Browser} */ b: /** @type {any} */ (null),
    /** A session with its version. @param {number} id */
    document: async (id) => (await api(`${at.server.url}/api/sessions/${id}`, undefined, 'GET')).json,
    /** One edit. @param {number} id @param {any} edit */
    change: (id, edit) => api(`${at.server.url}/api/sessions/${id}/edits`, { version: 0, edit }),
    /** A new session's number. @param {string} name @param {number} [rate] */
    session: async (name, rate = 48000) => (await api(`${at.server.url}/api/sessions`, { name, rate })).json.id,
  };
  before(async () => {
    if (demo) await copyDemo(data);
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
