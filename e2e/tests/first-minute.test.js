// The first minute: what to press, help that is searched; lamps that stay lit; figures that are no facts any more.
import assert from 'node:assert/strict';
import { test } from 'node:test';
import { house } from '../tools/house.js';
import { bringIn, open, ready } from '../tools/program.js';
import { RATE, wavBytes } from '../tools/sound.js';

const at = house();
const desk = () => `${at.server.url}/sessions/2/desk`;

test('three lines say what to press first; each is crossed out once it is done, and closed they stay away', async () => {
  const { page, faults, close } = await open(at.b, desk());
  const steps = page.locator('#first-steps');
  await steps.waitFor();
  assert.equal(await steps.locator('li').count(), 3);
  await ready(page);
  await page.keyboard.press('Space');
  await steps.locator('[data-step="play"][data-done]').waitFor();
  assert.equal(await steps.locator('[data-done]').count(), 1);
  await page.click('#first-steps-close');
  await steps.waitFor({ state: 'hidden' });
  await page.reload();
  await ready(page);
  assert.equal(await steps.isVisible(), false);
  assert.deepEqual(faults, []);
  await close();
});

test('the help says what is where on each page, what a hand can do and the keys, and is searched', async () => {
  const { page, close } = await open(at.b, desk());
  for (const [path, region] of [
    ['desk', 'Ruler'],
    ['measure', 'Test signals'],
    ['prints', 'Printed now'],
  ]) {
    await page.goto(`${at.server.url}/sessions/2/${path}`);
    await page.waitForFunction(() => document.getElementById('help') && document.documentElement.dataset.light);
    await page.locator('#help').click();
    await page.locator('#shortcuts dt', { hasText: region }).waitFor();
    await page.getByLabel('Search the help').fill('alt tenth');
    assert.deepEqual(await page.locator('#shortcuts-list dt:visible').allTextContents(), ['Alt and drag']);
    await page.getByLabel('Search the help').fill('no such words');
    assert.equal(await page.locator('#help-none').isVisible(), true);
    await page.keyboard.press('Escape');
    await page.waitForSelector('#shortcuts[open]', { state: 'detached' });
  }
  await close();
});

test('a lamp lights where a strip passes full scale, stays lit, and leads to the place', async () => {
  const { page, faults, close } = await open(at.b, desk());
  await ready(page);
  const { session } = await at.document(2);
  const { id, name } = session.strips.find((/** @type {any} */ s) => s.name === 'Bass DI');
  const lamp = page.locator(`[data-strip="${id}"] .clip-lamp`);
  const level = session.strips.find((/** @type {any} */ s) => s.id === id).controls.level_db;
  const set = (/** @type {number} */ value) =>
    page.evaluate(([strip, db]) => window.zincRack.doc.edit({ edit: 'set-control', strip, control: 'level_db', value: db }), [id, value]);
  await set(12);
  await page.keyboard.press('Space');
  await lamp.waitFor();
  await set(level);
  assert.match((await lamp.getAttribute('aria-label')) ?? '', new RegExp(`^${name}: \\+[\\d.]+ dBFS at `));
  await page.waitForFunction(() => window.zincRack.host.position > 6 * window.zincRack.doc.session.rate);
  assert.equal(await lamp.isVisible(), true, 'it stays lit');
  const before = await page.evaluate(() => window.zincRack.host.position);
  await lamp.click();
  await lamp.waitFor({ state: 'hidden' });
  await page.waitForFunction((frame) => window.zincRack.host.position < frame, before);
  assert.deepEqual(faults, []);
  await close();
});

test('figures of an earlier setting are grey and said to be measured anew; those of other stations are not shown', async () => {
  const id = await at.session('figures');
  const sound = Float32Array.from({ length: 4 * RATE }, (_, i) => 0.2 * Math.sin(i / 20));
  const { strip } = await bringIn(at.server.url, id, 'tone.wav', wavBytes(RATE, [sound]));
  for (const gain of [6, -3])
    await at.change(id, {
      edit: 'add-unit',
      strip,
      at: 0,
      unit: { kind: 'surgical-eq', params: { bands: [{ freq_hz: 380, gain_db: gain }] } },
    });
  const { page, faults, close } = await open(at.b, `${at.server.url}/sessions/${id}/bench/${strip}`);
  await page.waitForSelector('body[data-measured]');
  const figure = page.locator('[data-station="0"] > .figure');
  assert.match((await figure.textContent()) ?? '', /LU/);
  await page.route('**/evidence', async (route) => {
    await new Promise((resolve) => setTimeout(resolve, 1500));
    await route.continue();
  });
  await page.locator('[data-station="0"]').press('b');
  await page.waitForSelector('body[data-older]', { state: 'attached' });
  assert.equal(await page.locator('.older').textContent(), 'measuring anew…');
  assert.ok(Number(await figure.evaluate((e) => getComputedStyle(e).opacity)) < 0.6);
  await page.waitForFunction(() => !document.body.hasAttribute('data-older'));
  // One station fewer: the figure of the one that went is not that of the next.
  await page.locator('[data-station="0"]').press('Delete');
  await page.waitForSelector('body[data-older]', { state: 'attached' });
  assert.doesNotMatch((await figure.textContent()) ?? '', /LU/);
  await page.waitForFunction(() => !document.body.hasAttribute('data-older'));
  assert.match((await figure.textContent()) ?? '', /LU/);
  assert.deepEqual(faults, []);
  await close();
});
