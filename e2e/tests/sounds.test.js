// Sounds as parameters: brought in on the Bench, heard, printed, missing, and from the shell.
import assert from 'node:assert/strict';
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { before, test } from 'node:test';
import { instantiate, lend, takeSound } from '../../server/static/js/engine/module.js';
import { house } from '../tools/house.js';
import { api, bringIn, follow, open, ready, root, run } from '../tools/program.js';
import { RATE, attachRecorder, heardUntil, peakDifferenceDb, playOn, readWav, wavBytes } from '../tools/sound.js';

const at = house({ demo: false });
/** Frames after which the room answers, and how much softer. */
const LATER = 4800;
const SHARE = 0.5;
const file = (/** @type {string} */ name) => join(at.folder.path, name);

/** A click, and its echo behind a wall. */
const room = () => Float32Array.from({ length: LATER + 1 }, (_, i) => (i === 0 ? 1 : i === LATER ? SHARE : 0));
/** Short strokes, half a second apart. */
const strokes = () =>
  Float32Array.from({ length: 4 * RATE }, (_, i) => (i % (RATE / 2) < 96 ? 0.25 * Math.sin((2 * Math.PI * (i % (RATE / 2))) / 48) : 0));

/** Hash of the room, as any shelf names it. */
let hash = '';
before(() => {
  writeFileSync(file('room.wav'), wavBytes(RATE, [room()]));
  writeFileSync(file('strokes.wav'), wavBytes(RATE, [strokes()]));
  const other = file('other');
  assert.equal(run('import', 'x', file('strokes.wav'), '--new', String(RATE), '--data', other).status, 0);
  const listed = run('sounds', file('room.wav'), '--data', other, '--json');
  assert.equal(listed.status, 0, listed.stderr);
  [{ hash }] = JSON.parse(listed.stdout).sounds;
});

/** A session with one track and an impulse response on it. @param {any} params */
async function session(params) {
  const id = await at.session('room');
  const { strip } = await bringIn(at.server.url, id, 'strokes.wav', wavBytes(RATE, [strokes()]));
  await at.change(id, { edit: 'add-unit', strip, at: 0, unit: { kind: 'impulse', params } });
  return { id, strip };
}

/** Level of the echo against the stroke before it, of what is heard or printed. @param {Float32Array} x */
function echo(x) {
  const first = x.findIndex(
    (v, i) => Math.abs(v) > 0.01 && x.slice(Math.max(0, i - 9600), i).every((u) => Math.abs(u) < 0.001) && i > 9600,
  );
  const loudest = (/** @type {number} */ from) => x.slice(from, from + 200).reduce((m, v) => Math.max(m, Math.abs(v)), 0);
  return loudest(first + LATER - 20) / loudest(first);
}

/** Waits until the echo is heard as loud as this against its stroke. @param {import('playwright-core').Page} page @param {number} share */
const echoes = (page, share) =>
  heardUntil(page, (sound) => assert.ok(Math.abs(echo(sound) - share) < 0.01, `an echo of ${echo(sound)}`), 1.5);

const choice = '#unit select[aria-label="Impulse response: response"]';
/** @param {import('playwright-core').Page} page @param {string} value */
const chosen = (page, value) =>
  page.waitForFunction(
    ([of, v]) => /** @type {HTMLSelectElement} */ (document.querySelector(of))?.value === v,
    /** @type {const} */ ([choice, value]),
  );

test('a file brought in on the Bench is heard, printed with its tail as it is heard, and taken back', async () => {
  const { id, strip } = await session({ hold_level: false });
  const { page, faults, close } = await open(at.b, `${at.server.url}/sessions/${id}/bench/${strip}`);
  await ready(page);
  await attachRecorder(page);
  await playOn(page, 4);
  // Nothing chosen yet: it passes.
  await echoes(page, 0);
  await page.setInputFiles('#unit input[type="file"]', file('room.wav'));
  await chosen(page, hash);
  await echoes(page, SHARE);
  assert.equal(await page.locator(`${choice} option:checked`).textContent(), 'room.wav · 100 ms');
  assert.match(String(await page.locator('#unit .unit-picture svg').getAttribute('aria-label')), /Level of the response over time/);
  const {
    json: { job },
  } = await api(`${at.server.url}/api/sessions/${id}/prints`, { strip, bits: '32f' });
  const done = await follow(at.server.url, job);
  const [printed] = readWav(join(at.data, 'printed', `${done.key}.wav`)).channels;
  assert.equal(done.missing, null);
  assert.equal(printed.length, 4 * RATE + LATER + 1, 'the room rings on after the last stroke');
  assert.ok(Math.abs(echo(printed) - SHARE) < 1e-3);
  await page.keyboard.press('Control+z');
  await chosen(page, '');
  await echoes(page, 0);
  assert.deepEqual(faults, []);
  await close();
});

test('a sound that is missing is said, its unit passes, and it sounds as soon as its file is there', async () => {
  const click = wavBytes(RATE, [Float32Array.of(1, 0, 0, -0.5)]);
  writeFileSync(file('click.wav'), click);
  const listed = JSON.parse(run('sounds', file('click.wav'), '--data', file('other'), '--json').stdout).sounds;
  const lost = listed.find((/** @type {any} */ s) => s.name === 'click.wav').hash;
  const { id, strip } = await session({ sound: lost });
  const { page, faults, close } = await open(at.b, `${at.server.url}/sessions/${id}/bench/${strip}`);
  await ready(page);
  await page.waitForFunction(() => document.querySelector('#unit [role="status"]')?.textContent?.startsWith('missing'));
  assert.match(String(await page.locator(`${choice} option:checked`).textContent()), /^missing/);
  const {
    json: { job },
  } = await api(`${at.server.url}/api/sessions/${id}/prints`, { strip, bits: '32f' });
  const without = await follow(at.server.url, job);
  assert.match(without.missing, /Impulse response on "strokes"/);
  const [passed] = readWav(join(at.data, 'printed', `${without.key}.wav`)).channels;
  assert.ok(peakDifferenceDb(passed, strokes(), 4 * RATE) < -140, 'it passes');
  const checked = run('check', '--data', at.data, '--json');
  assert.equal(checked.status, 3);
  assert.ok(
    JSON.parse(checked.stdout).missing.some((/** @type {string} */ m) => m.includes(lost)),
    'check names it',
  );
  await page.setInputFiles('#unit input[type="file"]', file('click.wav'));
  await page.waitForFunction((of) => document.querySelector(`${of} option:checked`)?.textContent?.startsWith('click.wav'), choice);
  await page.waitForFunction(() => document.querySelector('#unit [role="status"]')?.textContent === '');
  const again = await follow(at.server.url, (await api(`${at.server.url}/api/sessions/${id}/prints`, { strip, bits: '32f' })).json.job);
  assert.equal(again.missing, null);
  assert.notEqual(again.key, without.key, 'it is printed anew');
  // The browser logs the answer 404 of the sound that was not there.
  assert.deepEqual(
    faults.filter((f) => !f.includes('404')),
    [],
  );
  await close();
});

test('a file that is no response is refused in words and the choice stands', async () => {
  const { id, strip } = await session({});
  const { page, close } = await open(at.b, `${at.server.url}/sessions/${id}/bench/${strip}`);
  await ready(page);
  for (const [name, bytes, says] of /** @type {const} */ ([
    ['long.wav', wavBytes(8000, [new Float32Array(5 * 8000).fill(0.1)]), 'longer than 4 s'],
    ['silent.wav', wavBytes(8000, [new Float32Array(800)]), 'nothing but silence'],
    ['words.wav', Buffer.from('not a sound at all'), 'It was not kept'],
  ])) {
    await page.setInputFiles('#unit input[type="file"]', { name, mimeType: 'audio/wav', buffer: bytes });
    await page.waitForFunction((text) => document.body.textContent?.includes(text), says);
    assert.equal(await page.inputValue(choice), '');
  }
  await close();
});

test('from the shell a rack finds its sounds in files or in a data folder, and says which are missing', () => {
  const rack = file('rack.json');
  writeFileSync(rack, JSON.stringify({ zinc_rack: 1, units: [{ kind: 'impulse', params: { sound: hash, hold_level: false } }] }));
  const [input, out] = [file('strokes.wav'), file('out.wav')];
  const nowhere = ['--data', file('nowhere')];
  for (const from of [
    ['--sound', file('room.wav'), ...nowhere],
    ['--data', file('other')],
  ]) {
    const { status, stdout, stderr } = run('process', input, out, '--rack', rack, '--tail', '--json', ...from);
    assert.equal(status, 0, stderr);
    const report = JSON.parse(stdout);
    assert.deepEqual([report.frames, report.missing_sounds], [4 * RATE + LATER + 1, []]);
    assert.ok(Math.abs(echo(readWav(out).channels[0]) - SHARE) < 1e-4);
  }
  const without = run('process', input, out, '--rack', rack, ...nowhere);
  assert.equal(without.status, 0);
  assert.match(without.stderr, new RegExp(`unit 1 \\(impulse\\) names the sound ${hash}, which is missing`));
  assert.ok(peakDifferenceDb(readWav(out).channels[0], strokes(), 4 * RATE) < -140);
  writeFileSync(file('endless.wav'), wavBytes(8000, [new Float32Array(5 * 8000).fill(0.1)]));
  const long = run('process', input, file('never.wav'), '--rack', rack, '--sound', file('endless.wav'), ...nowhere);
  assert.notEqual(long.status, 0);
  assert.match(long.stderr, /endless\.wav is longer than 4 s.*Nothing was written/);
  const probed = JSON.parse(run('probe', '--rack', rack, '--json', ...nowhere).stdout);
  assert.deepEqual(probed.missing_sounds, [hash]);
  assert.ok(probed.response.every((/** @type {any} */ p) => p.db === 0));
});

test('a response in WebAssembly is within -120 dBFS of the native one', () => {
  const long = Float32Array.from({ length: 30_000 }, (_, i) => Math.sin(i * i) * Math.exp(-i / 6000));
  writeFileSync(file('long.wav'), wavBytes(RATE, [long, long.map((v, i) => v * Math.cos(i))]));
  const listed = JSON.parse(run('sounds', file('long.wav'), '--data', file('other'), '--json').stdout).sounds;
  const name = listed.find((/** @type {any} */ s) => s.name === 'long.wav').hash;
  const rackFile = JSON.stringify({ zinc_rack: 1, units: [{ kind: 'impulse', params: { sound: name } }] });
  writeFileSync(file('rack.json'), rackFile);
  assert.equal(run('process', file('strokes.wav'), file('out.wav'), '--rack', file('rack.json'), '--data', file('other')).status, 0);
  const native = readWav(file('out.wav')).channels;
  const engine = /** @type {any} */ (
    instantiate(new WebAssembly.Module(readFileSync(join(root, 'server/static/engine/zinc_engine.wasm'))))
  );
  const both = new Float32Array(2 * long.length);
  readWav(file('long.wav')).channels.forEach((side, n) =>
    side.forEach((v, i) => {
      both[2 * i + n] = v;
    }),
  );
  takeSound(engine, new TextEncoder().encode(name), both, RATE);
  const rack = lend(engine, new TextEncoder().encode(rackFile), (text, length) => engine.zr_rack_new(text, length, RATE));
  const block = engine.zr_reserve(1024);
  const input = strokes();
  const out = [new Float32Array(input.length), new Float32Array(input.length)];
  for (let start = 0; start < input.length; start += 128) {
    const io = new Float32Array(engine.memory.buffer, block, 256);
    [0, 128].forEach((side) => io.set(input.subarray(start, start + 128), side));
    engine.zr_rack_process(rack, block);
    const done = new Float32Array(engine.memory.buffer, block, 256);
    out.forEach((side, n) => side.set(done.subarray(128 * n, 128 * n + 128), start));
  }
  out.forEach((side, n) => assert.ok(peakDifferenceDb(side, native[n], input.length) < -120));
});
