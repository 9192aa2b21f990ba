// Units of tone on the real page: an amplifier driven while it plays, a microphone dragged, one band bent, a tone EQ with
// eyes closed, dirt beside a bass, a response of one's own, and the page that measures.
import assert from 'node:assert/strict';
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { test } from 'node:test';
import { house } from '../tools/house.js';
import { api, bringIn, open, ready, run } from '../tools/program.js';
import { RATE, attachRecorder, come, heard, heardUntil, listen, playOn, readWav, wavBytes } from '../tools/sound.js';

const at = house({ demo: false });

/** Plucks, half a second apart, of a note and its octave. */
const plucks = (/** @type {number} */ hz) =>
  Float32Array.from(
    { length: 20 * RATE },
    (_, i) =>
      0.3 * Math.exp(-(i % 24000) / 9000) * (Math.sin((2 * Math.PI * hz * i) / RATE) + 0.3 * Math.sin((4 * Math.PI * hz * i) / RATE)),
  );

/** A session with one track of plucks and some units. @param {any[]} units @param {number} [hz] @param {string} [name] */
async function session(units, hz = 220, name = 'plucks.wav') {
  const id = await at.session('tone');
  const { strip } = await bringIn(at.server.url, id, name, wavBytes(RATE, [plucks(hz)]));
  for (const [n, unit] of units.entries()) await at.change(id, { edit: 'add-unit', strip, at: n, unit });
  return { id, strip };
}

/** The first unit as the server keeps it. @param {number} id @param {number} strip */
const kept = async (id, strip) => (await at.document(id)).session.strips.find((/** @type {any} */ s) => s.id === strip).rack.units[0];
/** @param {import('playwright-core').Page} page */
const settled = (page) =>
  page.waitForFunction(() => !window.zincRack.doc.isKeeping && document.getElementById('kept')?.textContent === 'every change kept');

/** Two strokes of what plays, round and round. @param {import('playwright-core').Page} page */
async function strokes(page) {
  await playOn(page, 1);
  return (await listen(page, 1))[0].slice(0, RATE);
}

/** Level of one frequency in a stretch, in dB. @param {Float32Array} x @param {number} hz */
function line(x, hz) {
  let [c, s] = [0, 0];
  for (let i = 0; i < x.length; i += 1) {
    const w = 1 - Math.cos((2 * Math.PI * i) / x.length);
    c += w * x[i] * Math.cos((2 * Math.PI * hz * i) / RATE);
    s += w * x[i] * Math.sin((2 * Math.PI * hz * i) / RATE);
  }
  return 20 * Math.log10((2 * Math.hypot(c, s)) / x.length + 1e-9);
}

/** @param {Float32Array} x */
const crest = (x) =>
  20 * Math.log10(x.reduce((m, v) => Math.max(m, Math.abs(v)), 0) / Math.sqrt(x.reduce((sum, v) => sum + v * v, 0) / x.length));

test('an amplifier is chosen and driven while the part plays: flatter, never silent, every step kept', async () => {
  const { id, strip } = await session([{ kind: 'amp', params: { voice: 'clean', drive_db: 0 } }]);
  const { page, faults, close } = await open(at.b, `${at.server.url}/sessions/${id}/bench/${strip}`);
  await ready(page);
  await attachRecorder(page);
  const clean = await strokes(page);
  await page.getByRole('group', { name: 'Amp: voice' }).getByRole('button', { name: 'lead', exact: true }).click();
  await settled(page);
  const drive = page.getByRole('slider', { name: 'Amp: drive' });
  await drive.focus();
  await heard(page);
  for (let n = 0; n < 6; n += 1) await page.keyboard.press('Shift+ArrowUp');
  await come(page, 0.4);
  const meanwhile = (await heard(page))[0];
  for (let i = 0; i + 2400 <= meanwhile.length; i += 2400)
    assert.ok(
      meanwhile.subarray(i, i + 2400).some((v) => Math.abs(v) > 1e-4),
      'it goes on while it is driven',
    );
  await settled(page);
  await heardUntil(page, (driven) => assert.ok(crest(clean) - crest(driven) > 5, `crest ${crest(clean)} and ${crest(driven)}`), 1);
  const { params } = await kept(id, strip);
  assert.deepEqual([params.voice, params.drive_db], ['lead', 30]);
  await page.waitForFunction(
    () =>
      document.querySelectorAll('#unit .stage').length === 2 &&
      /headroom gained/.test(document.querySelector('.tone-box > p')?.textContent ?? ''),
  );
  await page.waitForFunction(() => /(odd|even) (\+|only)/.test(document.querySelector('.overtones p')?.textContent ?? ''));
  assert.deepEqual(faults, []);
  await close();
});

test('a part that comes into the amplifier too cold is said, and one press sets its input', async () => {
  const { id, strip } = await session([{ kind: 'amp', params: { input_db: -20 } }]);
  const { page, faults, close } = await open(at.b, `${at.server.url}/sessions/${id}/bench/${strip}`);
  await ready(page);
  await page.waitForSelector('.advice p:has-text("cold")');
  await page.getByRole('button', { name: 'set its input to fit' }).click();
  await settled(page);
  assert.ok((await kept(id, strip)).params.input_db > -10);
  await page.waitForFunction(() => document.querySelector('.advice')?.hasAttribute('hidden'));
  assert.deepEqual(faults, []);
  await close();
});

test('a microphone is dragged to the edge and the top goes; a drag is one step, arrows move it too', async () => {
  const { id, strip } = await session(
    [
      { kind: 'saturator', params: { character: 'diode', drive_db: 30 } },
      { kind: 'cabinet', params: { a_offset: 0, room: 0 } },
    ],
    440,
  );
  const { page, faults, close } = await open(at.b, `${at.server.url}/sessions/${id}/bench/${strip}?station=2`);
  await ready(page);
  await attachRecorder(page);
  const bright = await strokes(page);
  const undo = async () => Number(await page.textContent('#undo-count'));
  const before = await undo();
  const mic = page.locator('.cabinet-front .mic-a');
  const box = /** @type {any} */ (await mic.boundingBox());
  await page.mouse.move(box.x + box.width / 2, box.y + box.height / 2);
  await page.mouse.down();
  for (let n = 1; n <= 8; n += 1) {
    await page.mouse.move(box.x + box.width / 2 + 12 * n, box.y + box.height / 2);
    await page.waitForTimeout(60);
  }
  await page.mouse.up();
  await settled(page);
  const unit = async () => (await at.document(id)).session.strips.find((/** @type {any} */ s) => s.id === strip).rack.units[1].params;
  assert.equal((await unit()).a_offset, 1);
  assert.equal(await undo(), before + 1, 'a drag is one step');
  const top = (/** @type {Float32Array} */ x) => line(x, 440 * 9) - line(x, 440);
  await heardUntil(page, (dark) => assert.ok(top(bright) - top(dark) > 6, `${top(bright)} and ${top(dark)}`), 1);
  await page.locator('.cabinet-side .mic-a').focus();
  await page.keyboard.press('ArrowRight');
  await settled(page);
  assert.ok((await unit()).a_distance_cm > 4);
  assert.match(String(await page.getAttribute('.cabinet-side .mic-a', 'aria-valuetext')), / cm$/);
  await page.locator('.cabinet-curve p', { hasText: /dynamic at the edge/ }).waitFor();
  assert.deepEqual(faults, []);
  await close();
});

test("a second microphone and a response of one's own: both are shown, both are heard", async () => {
  const { id, strip } = await session([{ kind: 'cabinet', params: { room: 0 } }]);
  const click = wavBytes(RATE, [Float32Array.from({ length: 2400 }, (_, i) => (i === 300 ? 0.5 : 0))]);
  const { hash } = await (await fetch(`${at.server.url}/api/sounds?name=click.wav`, { method: 'POST', body: click })).json();
  const { page, faults, close } = await open(at.b, `${at.server.url}/sessions/${id}/bench/${strip}`);
  await ready(page);
  await attachRecorder(page);
  await playOn(page, 1);
  await page.getByRole('button', { name: 'Cabinet: second microphone' }).click();
  await page.waitForSelector('.cabinet-front .mic-b');
  await page.locator('.cabinet-curve p', { hasText: /; ribbon 60 % out/ }).waitFor();
  const octave = (/** @type {Float32Array} */ x) => line(x.subarray(0, RATE), 440) - line(x.subarray(0, RATE), 220);
  await heardUntil(page, (cabinet) => assert.ok(Math.abs(octave(cabinet) + 10.46) > 0.3), 1);
  await page.getByLabel('Cabinet: own response').selectOption(hash);
  await settled(page);
  await page.waitForFunction(() => /your own/.test(document.querySelector('.cabinet-curve p')?.textContent ?? ''));
  // A click lets everything through: the octave stands as it was recorded, 10.5 dB under.
  await heardUntil(page, (own) => assert.ok(Math.abs(octave(own) + 10.46) < 0.3, `${octave(own)} dB`), 1);
  assert.deepEqual(faults, []);
  await close();
});

test('one band is bent and the lows below it stay as they were', async () => {
  const { id, strip } = await session([{ kind: 'saturator', params: { blend: 0, drive_db: 0, hold_level: false } }], 110);
  const { page, faults, close } = await open(at.b, `${at.server.url}/sessions/${id}/bench/${strip}`);
  await ready(page);
  await attachRecorder(page);
  const plain = await strokes(page);
  await page.getByRole('button', { name: '+ band' }).click();
  const type = async (/** @type {string} */ label, /** @type {string} */ text) => {
    const box = page.getByRole('textbox', { name: label });
    await box.fill(text);
    await box.press('Enter');
    await settled(page);
  };
  await type('band 1 from', '165');
  await type('band 1 drive', '36');
  // 220 Hz is bent: its third overtone comes up; 110 Hz is not.
  await heardUntil(
    page,
    (bent) => {
      assert.ok(line(bent, 660) > line(plain, 660) + 10, `${line(bent, 660)} and ${line(plain, 660)}`);
      assert.ok(Math.abs(line(bent, 110) - line(plain, 110)) < 2, `${line(bent, 110)} and ${line(plain, 110)}`);
    },
    1,
  );
  assert.deepEqual(faults, []);
  await close();
});

test('a tone EQ is set with eyes closed: curve and figures are out of sight, the sound changes', async () => {
  const { id, strip } = await session([{ kind: 'console-eq', params: { sides: 0 } }], 110);
  const { page, faults, close } = await open(at.b, `${at.server.url}/sessions/${id}/bench/${strip}`);
  await ready(page);
  await attachRecorder(page);
  const before = await strokes(page);
  await page.getByRole('button', { name: 'eyes closed' }).click();
  assert.ok(!(await page.isVisible('.tone-eq-curve')) && !(await page.isVisible('#unit .rules .rule-value')));
  const low = page.getByRole('slider', { name: 'Console EQ: low', exact: true });
  await low.focus();
  for (let n = 0; n < 2; n += 1) await page.keyboard.press('Shift+ArrowUp');
  await settled(page);
  await page.getByLabel('Console EQ: low at').selectOption('150');
  await settled(page);
  await heardUntil(page, (after) => assert.ok(line(after, 110) - line(before, 110) > 4), 1);
  await page.getByRole('button', { name: 'eyes closed' }).click();
  assert.ok(await page.isVisible('.tone-eq-curve'));
  // The control in hand shows what it does alone.
  await low.focus();
  await page.waitForSelector('.tone-eq-curve .plot-line.part');
  await page.waitForFunction(() => /(odd|even) (\+|only)/.test(document.querySelector('.overtones p')?.textContent ?? ''));
  assert.deepEqual(faults, []);
  await close();
});

test('dirt beside a bass is raised to where a small speaker gives it out beside the mix, in one press; a copy is called one', async () => {
  const { id, strip } = await session([], 55, 'bass.wav');
  const { page, faults, close } = await open(at.b, `${at.server.url}/sessions/${id}/desk`);
  await ready(page);
  const sheet = (/** @type {number} */ of) => page.click(`[data-sends="${of}"]`);
  await sheet(strip);
  await page.getByRole('button', { name: 'parallel dirt' }).click();
  await settled(page);
  const made = (await at.document(id)).session.strips.find((/** @type {any} */ s) => s.role === 'return');
  assert.deepEqual([made.name, made.controls.level_db, made.rack.units.length], ['bass dirt', -90, 2]);
  await page.reload();
  await ready(page);
  await sheet(made.id);
  await page.getByRole('button', { name: 'measure', exact: true }).click();
  const set = page.getByRole('button', { name: /^set −?[\d.]+ dB$/ });
  await set.waitFor();
  const said = (await page.textContent('.strip-sheet')) ?? '';
  assert.match(said, /Alone the part is [\d.]+ dB (under|over) the mix on a small speaker\. \d+ % of what is added lies there\./);
  assert.match(said, /At −?[\d.]+ dB it is heard there, 12 dB under the mix/);
  await set.click();
  await settled(page);
  const raised = (await at.document(id)).session.strips.find((/** @type {any} */ s) => s.id === made.id).controls.level_db;
  assert.ok(raised > -50 && raised < 6, `${raised}`);
  for (const unit of made.rack.units) await at.change(id, { edit: 'remove-unit', strip: made.id, unit: unit.id });
  await page.reload();
  await ready(page);
  await sheet(made.id);
  await page.getByRole('button', { name: 'measure', exact: true }).click();
  await page.waitForFunction(() =>
    /identical copy: it only adds level, 6 dB/.test(document.querySelector('.strip-sheet')?.textContent ?? ''),
  );
  assert.deepEqual(faults, []);
  await close();
});

test('an amp on a bass begins round, its input by its peaks, is neutral in one press, and says what its blend and pauses do', async () => {
  const { id, strip } = await session([], 55, 'bass.wav');
  const { page, faults, close } = await open(at.b, `${at.server.url}/sessions/${id}/bench/${strip}`);
  await ready(page);
  await page.waitForSelector('body[data-measured]', { state: 'attached' });
  await page.click('.add-unit summary');
  await page.click('[data-add="amp"]');
  await settled(page);
  const begun = await kept(id, strip);
  assert.equal(begun.params.voice, 'round');
  // Plucks of 0.3 and 0.09: peaks about -9 dBFS, brought to -8.
  assert.ok(begun.params.input_db >= 0 && begun.params.input_db <= 3, `${begun.params.input_db}`);
  assert.match(begun.why, /round voice for a bass; input/);
  await page.getByRole('button', { name: 'check blend and pauses' }).press('Enter');
  await page.waitForFunction(() => /octave|phases differ/.test(document.querySelector('.amp-report')?.textContent ?? ''));
  await page.getByRole('button', { name: 'neutral' }).press('Enter');
  await settled(page);
  const neutral = await kept(id, strip);
  assert.deepEqual([neutral.params.voice, neutral.params.input_db], ['clean', 0]);
  await page.waitForSelector('body[data-measured]', { state: 'attached' });
  await page.getByRole('button', { name: 'fit to the part' }).press('Enter');
  await settled(page);
  assert.equal((await kept(id, strip)).params.voice, 'round');
  assert.deepEqual(faults, []);
  await close();
});

test('the page Measure shows a unit against its own other setting, and a hit is heard through it', async () => {
  const { id, strip } = await session([{ kind: 'saturator', params: { character: 'tube', drive_db: 12, hold_level: false } }]);
  const unit = (await kept(id, strip)).id;
  const { page, faults, close } = await open(at.b, `${at.server.url}/sessions/${id}/measure?of=${strip}:${unit}`);
  const figure = (/** @type {string} */ name, /** @type {number} */ side) =>
    page.locator('#measure-figures tr', { hasText: name }).locator('td').nth(side);
  await page.waitForFunction(() => /even|[\d.]+ dB/.test(document.querySelectorAll('#measure-figures td')[2]?.textContent ?? ''));
  assert.match((await figure('even against odd', 0).textContent()) ?? '', /^\+/);
  // Plucks of 220 Hz at 0.3 with an octave at 0.09, unless another tone is chosen.
  assert.match((await page.textContent('#measure-state')) ?? '', /^with 200 Hz at −(8|9)\.0 dBFS$/);
  const soft = parseFloat((await figure('overtones together', 0).textContent()) ?? '');
  await page.getByRole('button', { name: 'keep as the other' }).press('Enter');
  await at.change(id, { edit: 'set-param', strip, unit, param: 'drive_db', value: 24 });
  await page.waitForFunction((was) => parseFloat(document.querySelectorAll('#measure-figures td')[0]?.textContent ?? '') > was * 1.5, soft);
  assert.equal(parseFloat((await figure('overtones together', 1).textContent()) ?? ''), soft);
  for (const plot of ['response', 'levels', 'static', 'step'])
    assert.ok((await page.locator(`#plot-${plot} .plot-line`).count()) >= 2, plot);
  await page.getByRole('button', { name: 'hit at 0 dBFS' }).click();
  await page.waitForFunction(() => /heard through it/.test(document.getElementById('signal-state')?.textContent ?? ''));
  await page.getByLabel('bypassed').check();
  await page.getByRole('button', { name: 'stop' }).click();
  assert.deepEqual(faults, []);
  await close();
});

test('a level that cannot be measured at is refused in words, and so is what is not there', async () => {
  const { id, strip } = await session([]);
  const url = `${at.server.url}/api/sessions/${id}/strips`;
  for (const [path, body, status] of /** @type {[string, any, number][]} */ ([
    [`${strip}/probe`, { unit: null, level_db: 99, tone_hz: 1000 }, 422],
    [`${strip}/probe`, { unit: 77, level_db: -6, tone_hz: 1000 }, 404],
    [`999/probe`, { unit: null, level_db: -6, tone_hz: 1000 }, 404],
  ])) {
    const answer = await api(`${url}/${path}`, body);
    assert.equal(answer.status, status, path);
    assert.match(answer.json.error, /\.$/);
  }
  assert.equal((await fetch(`${url}/${strip}/signal/hum`)).status, 404);
  // An address costs whoever asks nothing: many of them do not cost the server more than a few.
  const sweeps = await Promise.all(Array.from({ length: 40 }, (_, n) => fetch(`${url}/${strip}/signal/sweep?level_db=-${n}`)));
  const busy = sweeps.filter((answer) => answer.status === 503);
  assert.ok(busy.length > 20 && sweeps.every((answer) => [200, 503].includes(answer.status)), `${busy.length} turned away`);
  assert.match((await busy[0].json()).error, /works out other files just now. Nothing was changed; try again in a few seconds\./);
  assert.equal((await fetch(`${url}/${strip}/signal/sweep?level_db=-1`)).status, 200, 'the next has its turn');
});

test('the shell gives distortion, balance and intermodulation at a level, and test signals through a rack', () => {
  const file = (/** @type {string} */ name) => join(at.folder.path, name);
  writeFileSync(
    file('rack.json'),
    JSON.stringify({ zinc_rack: 1, units: [{ kind: 'saturator', params: { character: 'tube', drive_db: 12, hold_level: false } }] }),
  );
  const probe = (/** @type {string} */ level) =>
    JSON.parse(run('probe', '--rack', file('rack.json'), '--level-db', level, '--json').stdout);
  const [soft, loud] = [probe('-24'), probe('-6')];
  assert.ok(loud.thd_percent > 3 * soft.thd_percent && soft.even_odd_db > loud.even_odd_db && loud.imd_db > soft.imd_db);
  assert.equal(run('signal', 'hit', file('hit.wav'), '--rack', file('rack.json')).status, 0);
  assert.equal(run('signal', 'hit', file('plain.wav')).status, 0);
  const [through, plain] = ['hit.wav', 'plain.wav'].map((name) => readWav(file(name)).channels[0]);
  const peak = (/** @type {Float32Array} */ x) => x.reduce((m, v) => Math.max(m, Math.abs(v)), 0);
  assert.ok(Math.abs(peak(plain) - 1) < 1e-6 && Math.abs(peak(through) - 1) > 0.05 && through.length > plain.length);
  assert.notEqual(run('signal', 'hit', file('no/such/folder.wav')).status, 0);
  assert.notEqual(run('probe', '--rack', file('rack.json'), '--level-db', 'loud').status, 0);
});

test('a held level is set by hand over the whole part in one step', async () => {
  const { id, strip } = await session([{ kind: 'amp', params: { voice: 'crunch', drive_db: 24 } }]);
  const { page, faults, close } = await open(at.b, `${at.server.url}/sessions/${id}/bench/${strip}`);
  await ready(page);
  const before = Number(await page.textContent('#undo-count'));
  await page.getByRole('button', { name: 'fit output' }).focus();
  await page.keyboard.press('Enter');
  await page.getByText(/As loud as it came with a trim of [+−]\d+\.\d dB/).waitFor();
  await settled(page);
  const [unit] = (await at.document(id)).session.strips.find((/** @type {any} */ s) => s.id === strip).rack.units;
  assert.equal(unit.params.hold_level, false);
  assert.ok(Math.abs(unit.trim_db) > 1, `${unit.trim_db}`);
  assert.equal(Number(await page.textContent('#undo-count')), before + 1);
  await page.waitForFunction(() => document.querySelector('[data-station="0"] .station-foot > .figure')?.textContent === '0.0 LU');
  assert.equal(await page.getByRole('button', { name: 'Amp: match loudness' }).getAttribute('aria-pressed'), 'false');
  assert.deepEqual(faults, []);
  await close();
});
