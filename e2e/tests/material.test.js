// A new session from real recordings that no one here wrote.
import assert from 'node:assert/strict';
import { existsSync, mkdirSync, readdirSync, statSync, writeFileSync } from 'node:fs';
import { execFileSync } from 'node:child_process';
import { join } from 'node:path';
import { test } from 'node:test';
import { house } from '../tools/house.js';
import { api, bringIn, follow, open, ready, run } from '../tools/program.js';
import { attachRecorder, heardUntil, readWav, rmsDb, wavBytes } from '../tools/sound.js';

const at = house({ demo: false });

/** Recorded instruments (FLAC, given to the public domain) of a Debian package, unpacked without installing it. */
const WANTED = ['bass_woodsy_c.flac', 'drum_heavy_kick.flac', 'guit_em9.flac'];

function recordings() {
  const place = join(at.folder.path, 'package');
  mkdirSync(place);
  execFileSync('apt-get', ['download', '-qq', 'sonic-pi-samples'], { cwd: place, stdio: 'pipe' });
  const deb = readdirSync(place).find((f) => f.endsWith('.deb'));
  execFileSync('dpkg-deb', ['-x', join(place, String(deb)), place]);
  const all = readdirSync(place, { recursive: true }).map(String);
  return WANTED.map((name) => join(place, String(all.find((f) => f.endsWith(`/${name}`)))));
}

test('files no one here wrote are brought in, played, shaped and printed; bad ones are named and the rest kept', async () => {
  const [bass, kick, guitar] = recordings();
  const wav = join(at.folder.path, 'bass take 1.wav');
  execFileSync('flac', ['--silent', '-d', '-f', '-o', wav, bass]);
  const text = join(at.folder.path, 'notes.wav');
  writeFileSync(text, 'this is not audio at all, only words');
  const cut = join(at.folder.path, 'cut.wav');
  writeFileSync(cut, execFileSync('head', ['-c', '9000', wav]));
  const { page, faults, close } = await open(at.b, at.server.url);
  await page.fill('#new-name', 'Three recordings');
  await page.setInputFiles('#new-files', [wav, kick, text, cut, guitar]);
  await page.click('#new-start');
  await page.locator('#import-end').waitFor({ state: 'visible' });
  const sentences = await page.locator('#import-results tbody tr').allTextContents();
  // In the order of their names.
  assert.match(sentences[0], /bass take 1\.wav: .* s, (mono|stereo)\./);
  assert.match((await page.locator('#rate-said').textContent()) ?? '', /4 of 5 files were recorded at 44\.1 kHz; the session runs at that/);
  assert.match(sentences[1], /cut\.wav is damaged or cut short/);
  assert.match(sentences[2], /drum_heavy_kick\.flac: .* s, (mono|stereo)/);
  assert.match(sentences[4], /notes\.wav is not audio this program can read.*not imported; the other files are not affected/);
  assert.equal(await page.locator('#import-results tr[data-state="kept"]').count(), 3);
  await page.click('#import-open');
  await ready(page);
  assert.equal(await page.locator('.desk-track').count(), 3);
  await page.click('.desk-track .desk-name a');
  await ready(page);
  await page.click('.add-unit summary');
  await page.click('[data-add="surgical-eq"]');
  await page.waitForSelector('.field-box');
  await page.click('#add-band');
  const where = page.getByLabel('band 1 frequency');
  await where.fill('A4');
  await where.press('Enter');
  await page.waitForFunction(() => window.zincRack.doc.session.strips[0].rack.units[0]?.params.bands[0]?.freq_hz === 440);
  await attachRecorder(page);
  await page.keyboard.press('Space');
  await heardUntil(page, (sound) => assert.ok(rmsDb(sound) > -50, 'it sounds'));
  await page.click('.head-nav a:has-text("Prints")');
  await page.click('#print');
  const link = page.locator('#prints a');
  await link.waitFor();
  const [download] = await Promise.all([page.waitForEvent('download'), link.click()]);
  const file = join(at.folder.path, 'mix.wav');
  await download.saveAs(file);
  assert.ok(existsSync(file) && statSync(file).size > 10_000);
  assert.equal(readWav(file).channels.length, 2);
  assert.ok(rmsDb(readWav(file).channels[0]) > -50);
  assert.deepEqual(faults, []);
  await close();
});

test('files of 88.2 and 96 kHz keep their pitch and level in a session of another rate', async () => {
  const {
    json: { id },
  } = await api(`${at.server.url}/api/sessions`, { name: 'high rates', rate: 48000 });
  for (const rate of [88200, 96000]) {
    // 1 kHz at -6.02 dBFS for three seconds.
    const tone = Float32Array.from({ length: 3 * rate }, (_, i) => 0.5 * Math.sin((2 * Math.PI * 1000 * i) / rate));
    assert.match(
      (await bringIn(at.server.url, id, `tone${rate}.wav`, wavBytes(rate, [tone]))).sentence,
      new RegExp(`resampled from ${rate / 1000} to 48 kHz`),
    );
  }
  const {
    json: { session },
  } = await api(`${at.server.url}/api/sessions/${id}`, undefined, 'GET');
  const tracks = session.strips.filter((/** @type {any} */ s) => s.role === 'track');
  assert.equal(tracks.length, 2);
  for (const { audio } of tracks) {
    assert.ok(Math.abs(audio.frames - 144_000) <= 2, `${audio.frames} frames`);
    const samples = new Float32Array(await (await fetch(`${at.server.url}/api/audio/${audio.hash}`)).arrayBuffer());
    const [re, im] = [Math.cos, Math.sin].map((f) =>
      samples.slice(24_000, 120_000).reduce((sum, x, i) => sum + x * f((2 * Math.PI * 1000 * i) / 48000), 0),
    );
    const amplitude = (2 * Math.hypot(re, im)) / 96_000;
    assert.ok(Math.abs(20 * Math.log10(amplitude / 0.5)) < 0.02, `amplitude ${amplitude}`);
  }
});

test('a print reports its progress, and one that is cancelled leaves nothing behind', async () => {
  const {
    json: { id },
  } = await api(`${at.server.url}/api/sessions`, { name: 'long', rate: 48000 });
  const noise = Float32Array.from({ length: 48000 * 240 }, (_, i) => ((i * 7919) % 1000) / 2000 - 0.25);
  const { strip } = await bringIn(at.server.url, id, 'noise.wav', wavBytes(48000, [noise]));
  const bands = Array.from({ length: 24 }, (_, i) => ({ freq_hz: 40 * 1.3 ** i, gain_db: i % 2 ? 3 : -3 }));
  const units = Array.from({ length: 8 }, () => ({ kind: 'surgical-eq', params: { bands } }));
  await api(`${at.server.url}/api/sessions/${id}/edits`, {
    version: 1,
    edit: { edit: 'replace-rack', strip, rack: { zinc_rack: 1, units } },
  });
  const before = readdirSync(join(at.data, 'printed'));
  const {
    json: { job },
  } = await api(`${at.server.url}/api/sessions/${id}/prints`, { strip, bits: '24' });
  const shares = new Set();
  const state = async () => (await api(`${at.server.url}/api/jobs/${job}`, undefined, 'GET')).json;
  while (shares.size < 2) {
    const now = await state();
    assert.equal(now.state, 'running', JSON.stringify(now));
    shares.add(now.share);
    await new Promise((resolve) => setTimeout(resolve, 50));
  }
  await api(`${at.server.url}/api/jobs/${job}/cancel`, {});
  assert.equal((await follow(at.server.url, job)).error, 'cancelled');
  assert.deepEqual(readdirSync(join(at.data, 'printed')), before);
  assert.deepEqual(readdirSync(join(at.data, 'temporary')), []);
  assert.equal(run('check', '--data', at.data, '--json').status, 0);
});
