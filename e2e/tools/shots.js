// Makes docs/screenshots anew from the demo; those named, or all.
import { mkdirSync } from 'node:fs';
import { join } from 'node:path';
import { api, browser, open, ready, root, scratch, start } from './program.js';

const folder = scratch();
const out = join(root, 'docs/screenshots');
mkdirSync(out, { recursive: true });
const server = await start({ data: join(folder.path, 'data') });
const b = await browser();

/** @param {string} name @param {string} path @param {(page: import('playwright-core').Page) => Promise<unknown>} [prepare] */
async function shot(name, path, prepare = async () => {}) {
  if (process.argv.length > 2 && !process.argv.includes(name)) return;
  const { page, close } = await open(b, server.url);
  // What to press first is said once.
  await page.evaluate(() => localStorage.setItem('zinc-first-steps', JSON.stringify(['play', 'flip', 'open'])));
  await page.goto(server.url + path);
  await prepare(page);
  await page.screenshot({ path: join(out, `${name}.png`) });
  console.log(`docs/screenshots/${name}.png`);
  await close();
}

const { session } = await (await fetch(`${server.url}/api/sessions/2`)).json();
const idOf = (/** @type {string} */ name) => session.strips.find((/** @type {any} */ s) => s.name === name).id;

await shot('desk', '/sessions/2/desk', async (page) => {
  await ready(page);
  await page.waitForSelector('body[data-drawn]', { state: 'attached' });
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
await shot('bench-raw', bench('Acoustic').replace('/2/', '/1/'), async (page) => {
  await ready(page);
  await page.waitForSelector('.raw-moves li');
  await page.waitForTimeout(300);
});
await shot('bench-compressor', bench('Bass DI', 2), async (page) => {
  await ready(page);
  await page.waitForSelector('body[data-measured]', { state: 'attached' });
  await page.click('.chip[data-section="1"]');
  await page.keyboard.press('Space');
  await page.waitForTimeout(6000);
});
for (const [name, strip, station] of /** @type {[string, string, number][]} */ ([
  ['bench-amp', 'Rhythm left DI', 1],
  ['bench-cabinet', 'Lead DI', 2],
  ['bench-console', 'Drums', 2],
])) {
  await shot(name, bench(strip, station), async (page) => {
    await ready(page);
    await page.waitForSelector('body[data-measured]', { state: 'attached' });
    if (name === 'bench-console') await page.getByRole('slider', { name: 'Console EQ: low', exact: true }).focus();
    await page.waitForTimeout(1500);
  });
}
const firstUnit = (/** @type {string} */ name) =>
  `${idOf(name)}:${session.strips.find((/** @type {any} */ s) => s.name === name).rack.units[0].id}`;
await shot('measure', `/sessions/2/measure?of=${firstUnit('Rhythm left DI')}`, async (page) => {
  await page.locator('#measure-b').selectOption(firstUnit('Lead DI'));
  await page.waitForFunction(() => document.querySelectorAll('#plot-response .plot-line').length === 2);
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
  await page.click('.sound-menu summary');
  await page.getByLabel('Another part shown beside this one').selectOption(String(idOf('Bass DI')));
  await page.waitForFunction(() => (document.querySelector('.beside-said')?.textContent ?? '') !== '');
  await page.click('.sound-menu summary');
});
await shot('bench-multiband', bench('Cellos', 2), async (page) => {
  await ready(page);
  await page.waitForSelector('body[data-measured]', { state: 'attached' });
  await page.getByRole('button', { name: 'find what stands out' }).click();
  await page.locator('.bands-offers button').first().waitFor();
});
await shot('bench-trial', bench('Bass DI', 2), async (page) => {
  await ready(page);
  await page.waitForSelector('body[data-measured]', { state: 'attached' });
  await page.click('.chip[data-section="1"]');
  await page.keyboard.press('t');
  await page.getByRole('button', { name: 'try', exact: true }).click();
  await page.locator('.trial-table tbody tr').nth(5).waitFor();
  await page.locator('.trial-tools').getByRole('button', { name: 'one hit' }).click();
});
const curve = [
  [62.5, 0],
  [125, -4],
  [250, -5.5],
  [500, -2],
  [1000, 0],
  [2000, 1.5],
  [4000, 3.5],
  [8000, 2],
].map(([freq_hz, gain_db]) => ({ freq_hz, gain_db }));
await api(`${server.url}/api/sessions/2/edits`, {
  version: 0,
  edit: {
    edit: 'add-unit',
    strip: idOf('Organ'),
    at: 1,
    unit: {
      kind: 'drawn-eq',
      why: 'less chest, more breath',
      params: { points: curve, grid: 'octave', protect: [{ low_hz: 480, high_hz: 900 }], low_end_hz: 45 },
    },
  },
});
await shot('bench-drawn', bench('Organ', 2), async (page) => {
  await ready(page);
  await page.waitForSelector('body[data-measured]', { state: 'attached' });
  await page.waitForTimeout(300);
});
await api(`${server.url}/api/sessions/2/undo`, { version: 0 });
await shot('bench-lane', bench('Rhythm left DI', 4), async (page) => {
  await ready(page);
  await page.waitForSelector('body[data-measured]', { state: 'attached' });
  await page.getByRole('slider', { name: 'Compressor: release', exact: true }).click();
  await page.keyboard.press('n');
  await page.getByRole('group', { name: 'Stretch shown' }).getByRole('button', { name: 'song' }).last().click();
  for (const [along, up] of [
    [0.82, 0.3],
    [0.9, 0.75],
    [0.96, 0.35],
  ]) {
    const box = await page.locator('.lane-area').boundingBox();
    if (box) await page.mouse.click(box.x + box.width * along, box.y + box.height * (1 - up));
  }
  await page.waitForTimeout(1500);
});
await shot('make-room', '/sessions/2/desk', async (page) => {
  await ready(page);
  await page.getByRole('button', { name: 'make room' }).click();
  await page.locator('.room-line').first().waitFor();
  await page.locator('.room-line').nth(1).click();
  await page.getByRole('button', { name: 'only while it plays' }).click();
  await page.locator('.room-result .strong-button').waitFor();
});
await shot('strip-sheet', '/sessions/2/desk', async (page) => {
  await ready(page);
  await page.waitForSelector('body[data-drawn]', { state: 'attached' });
  await page.click(`[data-sends="${idOf('Kick')}"]`);
  await page.waitForTimeout(300);
});
await shot('signal-path', '/sessions/2/desk', async (page) => {
  await ready(page);
  await page.click('text=signal path');
  await page.waitForSelector('.path-block');
});
await shot('sessions', '/');
await shot('prints', '/sessions/2/prints', async (page) => {
  await page.click('#print');
  await page.locator('#prints a').waitFor();
  await page.selectOption('#what', String(idOf('Voice')));
  await page.selectOption('#bits', '32f');
});
await b.close();
await server.kill();
folder.remove();
