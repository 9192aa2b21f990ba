// Makes docs/screenshots anew from the demo.
import { mkdirSync } from 'node:fs';
import { join } from 'node:path';
import { browser, open, ready, root, scratch, start } from './program.js';

const folder = scratch();
const out = join(root, 'docs/screenshots');
mkdirSync(out, { recursive: true });
const server = await start({ data: join(folder.path, 'data') });
const b = await browser();

/** @param {string} name @param {string} path @param {(page: import('playwright-core').Page) => Promise<unknown>} [prepare] */
async function shot(name, path, prepare = async () => {}) {
  const { page, close } = await open(b, server.url + path);
  await prepare(page);
  await page.screenshot({ path: join(out, `${name}.png`) });
  console.log(`docs/screenshots/${name}.png`);
  await close();
}

const { session } = await (await fetch(`${server.url}/api/sessions/2`)).json();
const idOf = (/** @type {string} */ name) => session.strips.find((/** @type {any} */ s) => s.name === name).id;

await shot('desk', '/sessions/2/desk', async (page) => {
  await ready(page);
  await page.waitForSelector('body[data-drawn]', { state: 'attached', timeout: 120_000 });
  await page.click('.chip[data-section="3"]');
  await page.keyboard.press('Space');
  await page.waitForTimeout(4000);
});
const bench = (/** @type {string} */ name, station = 1) => `/sessions/2/bench/${idOf(name)}?station=${station}`;
await shot('bench-eq', bench('Acoustic'), async (page) => {
  await ready(page);
  await page.waitForSelector('body[data-measured]', { state: 'attached' });
  await page.locator('[data-band="3"]').focus();
  await page.waitForTimeout(300);
});
await shot('bench-compressor', bench('Bass DI', 2), async (page) => {
  await ready(page);
  await page.waitForSelector('body[data-measured]', { state: 'attached' });
  await page.click('.chip[data-section="1"]');
  await page.keyboard.press('Space');
  await page.waitForTimeout(6000);
});
await shot('bench-dim', bench('Violins'), async (page) => {
  await page.click('#dim');
  await ready(page);
  await page.waitForSelector('body[data-measured]', { state: 'attached' });
  await page.waitForTimeout(300);
});
await shot('bench-beside', bench('Kick'), async (page) => {
  await ready(page);
  await page.waitForSelector('body[data-measured]', { state: 'attached' });
  await page.getByLabel('Another part shown beside this one').selectOption(String(idOf('Bass DI')));
  await page.waitForFunction(() => (document.querySelector('.beside-said')?.textContent ?? '') !== '');
});
await shot('bench-width', bench('Acoustic', 3), async (page) => {
  await ready(page);
  await page.waitForSelector('body[data-measured]', { state: 'attached' });
  await page.waitForTimeout(300);
});
await shot('strip-sheet', '/sessions/2/desk', async (page) => {
  await ready(page);
  await page.waitForSelector('body[data-drawn]', { state: 'attached', timeout: 120_000 });
  await page.click(`[data-sends="${idOf('Kick')}"]`);
  await page.waitForTimeout(300);
});
await shot('signal-path', '/sessions/2/desk', async (page) => {
  await ready(page);
  await page.click('text=signal path');
  await page.waitForSelector('.path-block');
});
await shot('sessions', '/');
await shot('deliver', '/sessions/2/deliver', async (page) => {
  await page.click('#print');
  await page.locator('#prints a').waitFor({ timeout: 60_000 });
  await page.selectOption('#what', String(idOf('Voice')));
  await page.selectOption('#bits', '32f');
});
await shot('shortcuts', bench('Acoustic'), async (page) => {
  await ready(page);
  await page.keyboard.press('?');
});
await b.close();
await server.kill();
folder.remove();
