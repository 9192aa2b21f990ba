// Milliseconds from a press on play to the first sound, with nothing printed: run by `./zinc bench`.
import { readdirSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { api, browser, open, ready, scratch, start } from './program.js';
import { attachRecorder } from './sound.js';

/** What is no sound yet. */
const SILENCE = 1e-4;
const SESSION = 2;

const folder = scratch();
const server = await start({ data: folder.path });
const b = await browser();

/** @param {string} what @param {string} where @param {boolean} [late] from the last section, not from the top */
async function measure(what, where, late = false) {
  const prints = join(folder.path, 'prints');
  for (const file of readdirSync(prints)) rmSync(join(prints, file));
  const asked = performance.now();
  const { page, close } = await open(b, `${server.url}/sessions/${SESSION}/${where}`);
  await ready(page);
  const readyMs = performance.now() - asked;
  await attachRecorder(page);
  if (late) await page.locator('.chip').last().click();
  const pressed = performance.now();
  await page.keyboard.press('Space');
  await page.waitForFunction((least) => window.heard.some(([left]) => left.some((x) => Math.abs(x) > least)), SILENCE, { polling: 10 });
  const soundMs = performance.now() - pressed;
  await close();
  console.log(`${what}: ready ${readyMs.toFixed(0)} ms after its address was asked for, sound ${soundMs.toFixed(0)} ms after play`);
}

const { session } = (await api(`${server.url}/api/sessions/${SESSION}`, undefined, 'GET')).json;
const named = (/** @type {string} */ name) => session.strips.find((/** @type {{ name: string }} */ s) => s.name === name).id;
for (const late of [false, true]) {
  const from = late ? 'from the last section' : 'from the top';
  await measure(`Desk, nothing printed, ${from}`, 'desk', late);
  for (const name of ['Kick', 'Bass DI', 'Cellos']) await measure(`Bench of ${name}, ${from}`, `bench/${named(name)}`, late);
}
await b.close();
await server.kill();
folder.remove();
