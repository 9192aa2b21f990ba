// The first minute: what to press, help that is searched; lamps that stay lit; figures that are no facts any more.
import assert from 'node:assert/strict';
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { test } from 'node:test';
import { house } from '../tools/house.js';
import { bringIn, browser, open, ready, scratch, start } from '../tools/program.js';
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
  const figure = page.locator('[data-station="0"] .station-foot > .figure:not(.live)');
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

test('of a long part the section in hand is measured first and named; the whole takes over; what is turned is grey at once', async () => {
  const id = await at.session('long');
  // Soft but for twenty seconds of it, where a compressor takes 10 dB.
  const isLoud = (/** @type {number} */ i) => i >= 30 * RATE && i < 50 * RATE;
  const sound = Float32Array.from({ length: 90 * RATE }, (_, i) => (isLoud(i) ? 0.5 : 0.02) * Math.sin((2 * Math.PI * 1000 * i) / RATE));
  const { strip } = await bringIn(at.server.url, id, 'tone.wav', wavBytes(RATE, [sound]));
  const params = { threshold_db: -26, ratio: 2, knee_db: 0, detect: 'peak', attack_ms: 1, release_ms: 100, makeup_db: 0 };
  await at.change(id, { edit: 'add-unit', strip, at: 0, unit: { kind: 'compressor', params } });
  await at.change(id, { edit: 'add-section', section: { id: 0, name: 'Chorus', start: 30 * RATE, end: 50 * RATE } });
  const { page, faults, close } = await open(at.b, 'about:blank');
  let letCome = () => {};
  const hold = async () => {
    const come = new Promise((resolve) => {
      letCome = () => resolve(undefined);
    });
    await page.unroute('**/evidence');
    await page.route('**/evidence', async (route) => {
      await come;
      await route.continue();
    });
  };
  await hold();
  await page.goto(`${at.server.url}/sessions/${id}/bench/${strip}`);
  const said = page.locator('.older');
  const figure = page.locator('[data-station="0"] .station-foot > .figure:not(.live)');
  const change = async () => Number(((await figure.textContent()) ?? '').replace(' LU', '').replace('\u2212', '-'));
  await page.getByText('Of the next 20 s so far; the whole part is being measured').waitFor();
  assert.ok(Math.abs(await change()) < 0.1, 'nothing is taken where the song begins');
  letCome();
  await page.waitForSelector('body[data-measured]');
  assert.equal(await said.textContent(), '');
  // Gated, the loud part alone counts.
  assert.ok(Math.abs((await change()) + 10) < 0.3, `the whole: ${await change()}`);
  await ready(page);
  await page.click('.chip');
  await hold();
  const turn = (/** @type {number} */ value) =>
    page.evaluate(
      ([of, to]) => {
        const [unit] = window.zincRack.doc.find(of).rack.units;
        void window.zincRack.doc.edit({ edit: 'set-param', strip: of, unit: unit.id, param: 'trim_db', value: to });
      },
      [strip, value],
    );
  await turn(-3);
  await page.getByText('Of Chorus so far').waitFor();
  assert.ok(Math.abs((await change()) + 13) < 0.3, `Chorus: ${await change()}`);
  assert.equal(await page.locator('body[data-older]').count(), 0, 'what is shown is no older setting');
  await turn(-6);
  await page.waitForSelector('body[data-older]', { state: 'attached' });
  assert.equal(await said.textContent(), 'measuring anew…');
  letCome();
  await page.waitForFunction(() => !document.body.hasAttribute('data-older') && document.querySelector('.older')?.textContent === '');
  assert.ok(Math.abs((await change()) + 16) < 0.3, `the whole: ${await change()}`);
  assert.deepEqual(faults, []);
  await close();
});

test('what passes is said live at every station: level, reduction, loudness at both ends; and nothing once it stops', async () => {
  const id = await at.session('live');
  const sound = Float32Array.from({ length: 30 * RATE }, (_, i) => 0.5 * Math.sin((2 * Math.PI * 1000 * i) / RATE));
  const { strip } = await bringIn(at.server.url, id, 'tone.wav', wavBytes(RATE, [sound]));
  // 2:1 over 20 dB takes 10 dB; behind it 6 dB less are left by an EQ.
  for (const unit of [
    { kind: 'surgical-eq', trim_db: -6 },
    { kind: 'compressor', params: { threshold_db: -26, ratio: 2, knee_db: 0, detect: 'peak', attack_ms: 1, release_ms: 4000 } },
  ])
    await at.change(id, { edit: 'add-unit', strip, at: 0, unit });
  const { page, faults, close } = await open(at.b, `${at.server.url}/sessions/${id}/bench/${strip}`);
  await ready(page);
  const said = (/** @type {string} */ of) => page.locator(`[data-live="${of}"]`).textContent();
  const share = (/** @type {number} */ n) =>
    page.locator(`[data-live="level ${n}"]`).evaluate((bar) => new DOMMatrix(getComputedStyle(bar).transform).a);
  assert.deepEqual([await said('in'), await said('taken 0'), await said('out'), await share(1)], ['', '', '', 0]);
  await page.keyboard.press('Space');
  await page.waitForFunction(() => window.zincRack.host.position > 2 * window.zincRack.doc.session.rate);
  const number = async (/** @type {string} */ of) => Number(((await said(of)) ?? '').replace(/^GR | LUFS$/g, '').replace('\u2212', '-'));
  const near = (/** @type {number} */ found, /** @type {number} */ wanted) =>
    assert.ok(Math.abs(found - wanted) < 0.3, `${found}: ${wanted}`);
  near(await number('taken 0'), 10);
  assert.equal(await said('taken 1'), '', 'an EQ reduces nothing');
  // A tone of 1 kHz on one channel that is heard on both: as many LUFS as its peak has dBFS.
  near(await number('in'), -6);
  near(await number('out'), -22);
  near(60 * ((await share(0)) - 1), -16);
  near(60 * ((await share(1)) - 1), -22);
  await page.keyboard.press('Space');
  await page.waitForFunction(() => !window.zincRack.host.playing);
  await page.waitForFunction(() => document.querySelector('[data-live="taken 0"]')?.textContent === '');
  assert.deepEqual([await said('in'), await said('out'), await share(1)], ['', '', 0]);
  assert.deepEqual(faults, []);
  await close();
});

test('the first start serves at once, says how far its demo is, and shows it when it is made; what is typed meanwhile stays', async () => {
  const folder = scratch();
  const b = await browser();
  const server = await start({ data: folder.path, whole: false });
  const first = await (await fetch(server.url)).text();
  assert.match(first, /id="making" data-job="\d+"[^>]*>making the demo song/);
  assert.doesNotMatch(first, /class="shelf-item/);
  const { page, faults, close } = await open(b, server.url);
  await page.getByLabel('Name of the song').fill('Mine');
  await page.waitForFunction(() => document.querySelectorAll('#shelf li').length === 2);
  assert.equal(await page.locator('#making').count(), 0);
  assert.equal(await page.getByLabel('Name of the song').inputValue(), 'Mine');
  // What was put there later can be pressed as what was there.
  await page.locator('#shelf [data-remove]').first().click();
  await page.waitForFunction(() => document.querySelectorAll('#shelf li').length === 1);
  assert.deepEqual(faults, []);
  await close();
  await b.close();
  await server.kill();
  folder.remove();
});

test('where the demo cannot be made that is said on its page and the program can be used', async () => {
  const folder = scratch();
  // Where its recordings would lie there is a file.
  writeFileSync(join(folder.path, 'recordings'), 'no folder');
  const b = await browser();
  const server = await start({ data: folder.path, whole: false });
  const { page, close } = await open(b, server.url);
  await page.locator('#making.caution').waitFor();
  assert.match(
    (await page.locator('#making').textContent()) ?? '',
    /The demo could not be made .* Start the program again to try once more/,
  );
  await page.reload();
  assert.match((await page.locator('#making').textContent()) ?? '', /could not be made/);
  const made = await fetch(`${server.url}/api/sessions`, {
    method: 'POST',
    body: JSON.stringify({ name: 'Mine', rate: RATE }),
    headers: { 'Content-Type': 'application/json' },
  });
  assert.equal(made.status, 200);
  await close();
  await b.close();
  await server.kill();
  folder.remove();
});
