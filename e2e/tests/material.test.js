// A new session from real recordings that no one here wrote.
import assert from 'node:assert/strict';
import { existsSync, mkdirSync, readdirSync, statSync, writeFileSync } from 'node:fs';
import { execFileSync } from 'node:child_process';
import { join } from 'node:path';
import { after, before, test } from 'node:test';
import { browser, open, ready, scratch, start } from '../tools/program.js';
import { attachRecorder, heard, readWav, rmsDb } from '../tools/sound.js';

const folder = scratch();
/** @type {Awaited<ReturnType<typeof start>>} */ let server;
/** @type {import('playwright-core').Browser} */ let b;

/** Real recordings (WAV) of a Debian package, unpacked without installing it. */
function recordings() {
  const place = join(folder.path, 'package');
  mkdirSync(place);
  execFileSync('apt-get', ['download', '-qq', 'alsa-utils'], { cwd: place, stdio: 'pipe' });
  const deb = readdirSync(place).find((f) => f.endsWith('.deb'));
  execFileSync('dpkg-deb', ['-x', join(place, String(deb)), place]);
  const sounds = join(place, 'usr/share/sounds/alsa');
  return readdirSync(sounds).filter((f) => f.endsWith('.wav')).sort().slice(0, 3).map((f) => join(sounds, f));
}

before(async () => {
  server = await start({ data: join(folder.path, 'data'), demo: false });
  b = await browser();
});
after(async () => {
  await b.close();
  await server.kill();
  folder.remove();
});

test('files no one here wrote are brought in, played, shaped and printed; bad ones are named and the rest kept', async () => {
  const files = recordings();
  assert.equal(files.length, 3);
  const flac = join(folder.path, 'second voice.flac');
  execFileSync('flac', ['--silent', '-f', '-o', flac, files[1]]);
  const text = join(folder.path, 'notes.wav');
  writeFileSync(text, 'this is not audio at all, only words');
  const cut = join(folder.path, 'cut.wav');
  writeFileSync(cut, execFileSync('head', ['-c', '9000', files[0]]));
  const { page, faults, close } = await open(b, server.url);
  await page.fill('#new-name', 'Four voices');
  await page.setInputFiles('#new-files', [files[0], flac, text, cut, files[2]]);
  await page.click('#new-start');
  await page.locator('#import-end').waitFor({ state: 'visible', timeout: 60_000 });
  const sentences = await page.locator('#import-list li').allTextContents();
  assert.match(sentences[0], /s, mono/);
  assert.match(sentences[1], /second voice\.flac: .* s, mono/);
  assert.match(sentences[2], /notes\.wav is not audio this program can read.*not imported; the other files are not affected/);
  assert.match(sentences[3], /cut\.wav is damaged or cut short/);
  assert.equal(await page.locator('#import-list li[data-state="kept"]').count(), 3);
  await page.click('#import-open');
  await ready(page);
  assert.equal(await page.locator('.desk-track').count(), 3);
  await page.click('.desk-track .desk-name a');
  await ready(page);
  await page.click('.add-unit summary');
  await page.click('[data-add="surgical-eq"]');
  await page.waitForSelector('.field-box');
  await page.click('#add-band');
  const where = page.getByLabel('band 1 where');
  await where.fill('A4');
  await where.press('Enter');
  await page.waitForFunction(() => window.zincRack.doc.session.strips[0].rack.units[0]?.params.bands[0]?.freq_hz === 440);
  await attachRecorder(page);
  await page.keyboard.press('Space');
  await page.waitForTimeout(1500);
  assert.ok(rmsDb((await heard(page))[0]) > -50, 'it sounds');
  await page.click('.head-nav a:has-text("Deliver")');
  await page.click('#print');
  const link = page.locator('#prints a');
  await link.waitFor({ timeout: 60_000 });
  const [download] = await Promise.all([page.waitForEvent('download'), link.click()]);
  const file = join(folder.path, 'mix.wav');
  await download.saveAs(file);
  assert.ok(existsSync(file) && statSync(file).size > 10_000);
  assert.equal(readWav(file).channels.length, 2);
  assert.ok(rmsDb(readWav(file).channels[0]) > -50);
  // The browser itself notes the two refused uploads; nothing else may go wrong.
  assert.deepEqual(faults.filter((f) => !f.includes('422')), []);
  await close();
});
