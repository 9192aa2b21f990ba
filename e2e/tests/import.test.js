// Anyone's files: every format, every fault, and being killed half-way.
import assert from 'node:assert/strict';
import { execFileSync } from 'node:child_process';
import { readFileSync, readdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { test } from 'node:test';
import { house } from '../tools/house.js';
import { bringIn, open, ready, run, start } from '../tools/program.js';
import { wavBytes } from '../tools/sound.js';

const at = house({ demo: false });

/** @param {number} id @returns {Promise<any[]>} */
const tracks = async (id) => (await at.document(id)).session.strips.filter((/** @type {any} */ s) => s.role === 'track');

/**
 * Two seconds of a 500 Hz tone at -12 dBFS, as sox makes it.
 * @param {string} file
 * @param {string[]} format
 * @param {number} rate
 * @param {number} channels
 */
function encoded(file, format, rate, channels) {
  const path = join(at.folder.path, file);
  execFileSync('sox', ['-n', '-r', String(rate), '-c', String(channels), ...format, path, 'synth', '2', 'sine', '500', 'vol', '0.25']);
  return path;
}

test('files of every format, depth and rate come in with pitch, level and length', async () => {
  const id = await at.session('formats');
  /** @type {[string, string[], number, number, number][]} file, sox options, rate, channels, dB off that is allowed */
  const cases = [
    ['eight.wav', ['-b', '8', '-e', 'unsigned'], 48000, 1, 0.2],
    ['sixteen.wav', ['-b', '16'], 44100, 2, 0.01],
    ['extensible.wav', ['-b', '24'], 48000, 2, 0.01],
    ['thirtytwo.wav', ['-b', '32', '-e', 'signed'], 96000, 1, 0.01],
    ['float.wav', ['-b', '32', '-e', 'float'], 48000, 1, 0.01],
    ['double.wav', ['-b', '64', '-e', 'float'], 48000, 1, 0.01],
    ['fast.wav', ['-b', '24'], 192000, 1, 0.01],
    ['apple.aiff', ['-b', '24'], 44100, 2, 0.01],
    ['packed.flac', ['-b', '24'], 88200, 1, 0.01],
    ['pressed.ogg', ['-C', '6'], 44100, 2, 0.3],
    ['small.mp3', ['-C', '192'], 44100, 2, 0.3],
  ];
  for (const [file, format, rate, channels, tolerance] of cases) {
    const done = await bringIn(at.server.url, id, file, readFileSync(encoded(file, format, rate, channels)));
    assert.match(done.sentence ?? done.error, rate === 48000 ? /s, (mono|stereo)/ : /resampled from/, file);
    const track = (await tracks(id)).find((t) => t.id === done.strip);
    assert.equal(track.audio.channels, channels, file);
    // Lossy formats pad; their length is right within a few hundredths of a second.
    assert.ok(Math.abs(track.audio.frames - 96000) < (tolerance > 0.25 ? 6000 : 3), `${file}: ${track.audio.frames} frames`);
    const all = new Float32Array(await (await fetch(`${at.server.url}/api/audio/${track.audio.hash}`)).arrayBuffer());
    const left = all.filter((_, i) => i % channels === 0).slice(24000, 72000);
    const [re, im] = [Math.cos, Math.sin].map((f) => left.reduce((sum, x, i) => sum + x * f((2 * Math.PI * 500 * i) / 48000), 0));
    const db = 20 * Math.log10((2 * Math.hypot(re, im)) / left.length / 0.25);
    assert.ok(Math.abs(db) < tolerance, `${file}: ${db.toFixed(3)} dB off`);
  }
  assert.equal((await tracks(id)).length, cases.length);
});

test('what cannot be used is refused with a sentence of its own, and the rest is kept', async () => {
  const id = await at.session('faults');
  const good = readFileSync(encoded('good.flac', [], 48000, 1));
  const wav = readFileSync(encoded('whole.wav', ['-b', '16'], 48000, 1));
  const hostile = Buffer.from(wav);
  hostile.writeUInt32LE(0xffffffff, 4);
  hostile.writeUInt32LE(0xfffffff0, 40);
  hostile.writeUInt16LE(65535, 22);
  /** @type {[string, Buffer, RegExp][]} */
  const faults = [
    ['nothing.wav', Buffer.alloc(0), /empty: it holds no bytes/],
    ['words.wav', Buffer.from('only words'.repeat(50)), /is not audio this program can read/],
    ['cut.wav', wav.subarray(0, 60_000), /is damaged or cut short: only 0\.\d s/],
    ['eight.wav', readFileSync(encoded('eight channels.wav', ['-b', '16'], 48000, 8)), /has 8 channels; mono and stereo/],
    ['hostile.wav', hostile, /is (not audio|damaged)|has \d+ channels/],
  ];
  for (const [name, bytes, sentence] of faults) {
    const { error } = await bringIn(at.server.url, id, name, bytes);
    assert.match(error, sentence, name);
    assert.match(error, /was not imported/i, name);
  }
  // A file is what it holds, not what it is called.
  assert.match((await bringIn(at.server.url, id, 'called wav.wav', good)).sentence, /2\.0 s, mono/);
  const again = await bringIn(at.server.url, id, 'copy of it.flac', good);
  assert.match(again.sentence, /the same sound, sample for sample, as "called wav"; it was not brought in twice/);
  assert.equal((await tracks(id)).length, 1);
  assert.equal(run('check', '--data', at.data, '--json').status, 0);
});

test('start times place tracks against each other and markers become sections', async () => {
  const id = await at.session('field recorder');
  const chunk = (/** @type {string} */ name, /** @type {Buffer} */ body) =>
    Buffer.concat([Buffer.from(name), Buffer.from(Uint32Array.of(body.length).buffer), body, Buffer.alloc(body.length % 2)]);
  const broadcast = (/** @type {number} */ seconds, /** @type {number} */ tone, cues = Buffer.alloc(0)) => {
    const plain = wavBytes(48000, [Float32Array.from({ length: 48000 }, (_, i) => 0.2 * Math.sin(i * tone))]);
    const bext = Buffer.alloc(602);
    bext.writeBigUInt64LE(BigInt(48000 * seconds), 338);
    const body = Buffer.concat([plain.subarray(12), chunk('bext', bext), cues]);
    return Buffer.concat([Buffer.from('RIFF'), Buffer.from(Uint32Array.of(body.length + 4).buffer), Buffer.from('WAVE'), body]);
  };
  const point = (/** @type {number} */ n, /** @type {number} */ at) => Buffer.from(Uint32Array.of(n, at, 0x61746164, 0, 0, at).buffer);
  const cues = Buffer.concat([
    chunk('cue ', Buffer.concat([Buffer.from(Uint32Array.of(2).buffer), point(1, 0), point(2, 24000)])),
    chunk(
      'LIST',
      Buffer.concat([Buffer.from('adtl'), chunk('labl', Buffer.concat([Buffer.from(Uint32Array.of(2).buffer), Buffer.from('Chorus\0')]))]),
    ),
  ]);
  await bringIn(at.server.url, id, 'later.wav', broadcast(3605, 0.05));
  await bringIn(at.server.url, id, 'first.wav', broadcast(3600, 0.06, cues));
  const all = await tracks(id);
  assert.deepEqual(
    all.map((t) => [t.name, t.audio.start]),
    [
      ['later', 5 * 48000],
      ['first', 0],
    ],
  );
  const { sections } = (await at.document(id)).session;
  const [first, second] = sections.map((/** @type {any} */ s) => s.id);
  assert.deepEqual(sections, [
    { id: first, name: 'Marker 1', start: 0, end: 24000 },
    { id: second, name: 'Chorus', start: 24000, end: 48000 },
  ]);
});

test('parts are guessed from the name, shown as guesses, corrected in place and remembered', async () => {
  const id = await at.session('guesses');
  const sound = (/** @type {number} */ f) => wavBytes(48000, [Float32Array.from({ length: 96000 }, (_, i) => 0.2 * Math.sin(i * f))]);
  await bringIn(at.server.url, id, 'Kick in.wav', sound(0.01));
  await bringIn(at.server.url, id, 'Zither 1.wav', sound(0.02));
  const { page, faults, close } = await open(at.b, `${at.server.url}/sessions/${id}/desk`);
  await ready(page);
  const [kick, zither] = await tracks(id);
  assert.deepEqual([kick.part, kick.family, kick.guessed], ['kick', 'Dr', true]);
  await page.click(`[data-sends="${zither.id}"]`);
  assert.match((await page.textContent('.strip-sheet')) ?? '', /A guess from its name or its sound/);
  await page.getByLabel('is a', { exact: true }).selectOption('acoustic-guitar');
  await page.waitForLoadState('load');
  await page.waitForFunction((n) => window.zincRack?.doc.find(n).part === 'acoustic-guitar', zither.id);
  assert.equal((await tracks(id))[1].guessed, false);
  await bringIn(at.server.url, id, 'zither 2.wav', sound(0.03));
  assert.equal((await tracks(id))[2].part, 'acoustic-guitar');
  assert.deepEqual(faults, []);
  await close();
});

test('the import check names faults on the Desk and mends them as one change that can be undone', async () => {
  const id = await at.session('checked');
  const tone = (/** @type {number} */ i) => Math.sin((2 * Math.PI * 220 * i) / 48000);
  const hot = Float32Array.from({ length: 96000 }, (_, i) => Math.max(-1, Math.min(1, 1.6 * tone(i))));
  await bringIn(at.server.url, id, 'gtr hot.wav', wavBytes(48000, [hot]));
  const same = Float32Array.from({ length: 96000 }, (_, i) => 0.3 * tone(i));
  await bringIn(at.server.url, id, 'gtr same.wav', wavBytes(48000, [same, same]));
  const { page, faults, close } = await open(at.b, `${at.server.url}/sessions/${id}/desk`);
  await ready(page);
  await page.locator('#check-all').waitFor();
  assert.match((await page.textContent('#check-all')) ?? '', /found 2 things/);
  await page.click('#check-all button');
  await page.waitForFunction(() => window.zincRack?.doc.session.strips[0].controls.input_db === -6);
  assert.equal((await tracks(id))[1].controls.image, 'mono');
  await ready(page);
  await page.keyboard.press('Control+z');
  await page.waitForFunction(() => window.zincRack?.doc.session.strips[0].controls.input_db === 0);
  assert.equal((await tracks(id))[1].controls.image, 'as-recorded');
  assert.deepEqual(faults, []);
  await close();
});

test('SIGKILL during an import of twenty files leaves each wholly there or not at all', async () => {
  const id = await at.session('twenty');
  const files = Array.from({ length: 20 }, (_, n) =>
    wavBytes(44100, [Float32Array.from({ length: 441_000 }, (_, i) => 0.2 * Math.sin(i * (0.01 + n / 1000)))]),
  );
  const importing = files.map((bytes, n) => bringIn(at.server.url, id, `part ${n}.wav`, bytes).catch(() => null));
  await new Promise((resolve) => setTimeout(resolve, 700));
  await at.server.kill('SIGKILL');
  await Promise.allSettled(importing);
  at.server = await start({ data: at.data, demo: false });
  const kept = await tracks(id);
  for (const { audio } of kept) {
    const bytes = await (await fetch(`${at.server.url}/api/audio/${audio.hash}`)).arrayBuffer();
    assert.equal(bytes.byteLength, audio.frames * 4);
  }
  assert.equal(run('check', '--data', at.data, '--json').status, 0);
  assert.deepEqual(readdirSync(join(at.data, 'temporary')), []);
  for (const [n, bytes] of files.entries()) await bringIn(at.server.url, id, `part ${n}.wav`, bytes);
  assert.equal((await tracks(id)).length, 20, 'the rest comes in afterwards, nothing twice');
});

test('the shell imports, lists, draws and prints', async () => {
  await at.server.kill();
  const files = [encoded('shell bass.wav', ['-b', '16'], 48000, 1), encoded('shell gtr.flac', [], 44100, 2)];
  const bad = join(at.folder.path, 'bad.wav');
  writeFileSync(bad, 'no');
  const made = run('import', 'From the shell', ...files, bad, '--new', '48000', '--data', at.data, '--json');
  assert.equal(made.status, 2);
  assert.deepEqual(
    JSON.parse(made.stdout).files.map((/** @type {any} */ f) => f.kept),
    [true, true, false],
  );
  const listed = JSON.parse(run('sessions', '--data', at.data, '--json').stdout);
  assert.equal(listed.find((/** @type {any} */ s) => s.name === 'From the shell').tracks, 2);
  const graph = JSON.parse(run('graph', 'From the shell', '--data', at.data, '--json').stdout);
  assert.deepEqual([graph.nodes.length, graph.edges.length, graph.latency_samples], [3, 2, 0]);
  const out = join(at.folder.path, 'out.wav');
  const printed = run('print', 'From the shell', out, '--what', 'track:shell bass', '--bits', '32f', '--data', at.data);
  assert.equal(printed.status, 0, printed.stderr);
  assert.ok(Math.abs(JSON.parse(run('measure', out, '--json').stdout).sample_peak_dbfs + 12.04) < 0.1);
  const wrong = run('print', 'From the shell', out, '--what', 'bus:Horns', '--data', at.data);
  assert.equal(wrong.status, 2);
  assert.match(wrong.stderr, /There is no bus "Horns" in this session.*Nothing was written/);
  at.server = await start({ data: at.data, demo: false });
});
