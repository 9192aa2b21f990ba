// Linear phase, the drawn EQ, where an instrument begins, copies that follow, differences as an EQ.
import assert from 'node:assert/strict';
import { test } from 'node:test';
import { house } from '../tools/house.js';
import { boxOf, bringIn, kept, open, ready } from '../tools/program.js';
import { RATE, attachRecorder, come, heard, heardUntil, largestStep, playOn, toneDb, wavBytes } from '../tools/sound.js';
import { TONE_DB, benchOfTones } from '../tools/tones.js';

const at = house({ demo: false });

/** A strip of a session as it is kept. @param {number} id @param {number} strip */
async function stripOf(id, strip) {
  const { session } = await at.document(id);
  return session.strips.find((/** @type {any} */ s) => s.id === strip);
}

test('linear phase is chosen while the sound plays: no click, the same tone, and it says how late it is', async () => {
  const { page, faults, close } = await benchOfTones(
    at,
    [300],
    [{ kind: 'surgical-eq', params: { bands: [{ freq_hz: 300, gain_db: -9, q: 1 }] } }],
  );
  await playOn(page);
  const cut = (/** @type {Float32Array} */ sound) => {
    const level = toneDb(sound, RATE, 300) - TONE_DB;
    assert.ok(Math.abs(level + 9) < 0.05, `${level} dB`);
  };
  await heardUntil(page, cut);
  await heard(page);
  await page.getByRole('button', { name: 'linear' }).click();
  await come(page, 1.3);
  const [sound] = await heard(page);
  assert.ok(largestStep(sound) < 0.05 * ((2 * Math.PI * 300) / RATE) * 1.5, `a step of ${largestStep(sound)}`);
  await heardUntil(page, cut);
  // 8192 taps to the middle and a partition of 1024, at 48 kHz.
  assert.equal(await page.locator('.late').textContent(), '189 ms late');
  assert.deepEqual(faults, []);
  await close();
});

test('auto level gives back what a cut takes', async () => {
  const { page, faults, close } = await benchOfTones(
    at,
    [500],
    [{ kind: 'surgical-eq', params: { bands: [{ freq_hz: 500, gain_db: -10, q: 0.5 }] } }],
  );
  await playOn(page);
  /** @param {number} wanted @param {number} within */
  const levelOf = (wanted, within) =>
    heardUntil(page, (sound) => {
      const level = toneDb(sound, RATE, 500) - TONE_DB;
      assert.ok(Math.abs(level - wanted) < within, `${level} dB`);
    });
  await levelOf(-10, 0.1);
  await page.getByRole('button', { name: 'auto level' }).click();
  await levelOf(0, 0.3);
  assert.deepEqual(faults, []);
  await close();
});

test('a curve is pulled like a ruler, heard, protected where it must not act, and moved from the keyboard', async () => {
  const { id, strip, page, faults, close } = await benchOfTones(at, [250, 4000], [{ kind: 'drawn-eq' }]);
  const box = await page.locator('.field-box > svg').boundingBox();
  assert.ok(box);
  const octave = (box.width - 84) / Math.log2(22000 / 16.35);
  const x = (/** @type {number} */ hz) => box.x + 40 + octave * Math.log2(hz / 16.35);
  const middle = box.y + 24 + (box.height - 64) / 2;
  const perDb = (box.height - 64) / 2 / 12;
  /** @param {number} hz @param {number} db */
  const pull = async (hz, db) => {
    await page.mouse.move(x(hz), middle);
    await page.mouse.down();
    await page.mouse.move(x(hz), middle - db * perDb, { steps: 8 });
    await page.mouse.up();
  };
  await pull(250, -9);
  await kept(page);
  const points = (await stripOf(id, strip)).rack.units[0].params.points;
  // The place in hand and an octave of thirds either side.
  assert.equal(points.length, 7);
  const held = points.find((/** @type {any} */ p) => Math.abs(p.freq_hz - 250) < 1);
  assert.ok(Math.abs(held.gain_db + 9) < 0.4, JSON.stringify(held));
  await playOn(page);
  /** @param {number} wanted dB that 250 Hz is moved by @param {number} within */
  const bends = (wanted, within) =>
    heardUntil(page, (sound) => {
      const [low, high] = [250, 4000].map((hz) => toneDb(sound, RATE, hz) - TONE_DB);
      assert.ok(Math.abs(low - wanted) < within && Math.abs(high) < 0.1, `${low} and ${high} dB, ${wanted} wanted`);
    });
  await bends(held.gain_db, 0.2);
  await page.locator(`[data-hz="${held.freq_hz}"]`).focus();
  for (let i = 0; i < 4; i += 1) await page.keyboard.press('ArrowUp');
  await kept(page);
  const moved = (await stripOf(id, strip)).rack.units[0].params.points.find((/** @type {any} */ p) => p.freq_hz === held.freq_hz);
  assert.ok(Math.abs(moved.gain_db - held.gain_db - 2) < 0.01, `${moved.gain_db}`);
  await page.getByRole('button', { name: 'protect a range' }).click();
  await page.mouse.move(x(150), middle);
  await page.mouse.down();
  await page.mouse.move(x(400), middle, { steps: 4 });
  await page.mouse.up();
  await kept(page);
  // The curve does not act in a protected range.
  await bends(0, 0.1);
  await page.getByRole('button', { name: 'only inside' }).click();
  await bends(moved.gain_db, 0.2);
  assert.deepEqual(faults, []);
  await close();
});

test('the sheet is looked at closely, moved along, and the view is kept from unit to unit', async () => {
  const { page, faults, close } = await benchOfTones(at, [440], [{ kind: 'surgical-eq' }, { kind: 'drawn-eq' }]);
  const firstC = () => page.locator('.field-box > svg text', { hasText: /^C0$/ }).count();
  assert.equal(await firstC(), 1);
  await page.getByRole('button', { name: 'closer: show fewer octaves' }).click();
  await page.getByRole('button', { name: 'closer: show fewer octaves' }).click();
  assert.equal(await firstC(), 0);
  await page.getByLabel('dB shown either way').selectOption('3');
  await page.getByRole('button', { name: 'locked: keep this view for every unit' }).click();
  await page.keyboard.press('2');
  await page.locator('.drawn-bending').waitFor();
  assert.equal(await firstC(), 0);
  assert.equal(await page.getByLabel('dB shown either way').inputValue(), '3');
  await page.getByRole('button', { name: 'Show all frequencies' }).click();
  assert.equal(await firstC(), 1);
  assert.deepEqual(faults, []);
  await close();
});

test('where an instrument begins: what a high-pass there takes away is heard before it is used', async () => {
  // Notes of 110 Hz and up with rests, over a rumble of 30 Hz that never stops.
  const sound = Float32Array.from({ length: 20 * RATE }, (_, i) => {
    const t = i / RATE;
    const hz = [110, 165, 220][Math.floor(t / 0.5) % 3];
    const fade = Math.max(0, 1 - (t % 0.5) / 0.4);
    return 0.05 * Math.sin(2 * Math.PI * 30 * t) + 0.1 * fade * (Math.sin(2 * Math.PI * hz * t) + 0.5 * Math.sin(4 * Math.PI * hz * t));
  });
  const id = await at.session('rumbling');
  const { strip } = await bringIn(at.server.url, id, 'rumbling.wav', wavBytes(RATE, [sound]));
  await at.change(id, { edit: 'add-unit', strip, at: 0, unit: { kind: 'surgical-eq' } });
  const { page, faults, close } = await open(at.b, `${at.server.url}/sessions/${id}/bench/${strip}?station=1`);
  await ready(page);
  await attachRecorder(page);
  await page.getByRole('button', { name: 'find the lowest note' }).click();
  await page.getByText(/Lowest note \S+( \S+)?, 1(09|10|11) Hz/).waitFor();
  await playOn(page);
  const button = page.getByRole('button', { name: 'hear what goes: keep it whole' });
  await button.hover();
  await page.mouse.down();
  const [gone] = await heardUntil(page, (sound) =>
    assert.ok(toneDb(sound, RATE, 30) > -30 && toneDb(sound, RATE, 220) < -55, `${toneDb(sound, RATE, 30)}, ${toneDb(sound, RATE, 220)}`),
  );
  await page.mouse.up();
  await page.getByRole('button', { name: 'use it: keep it whole' }).click();
  await kept(page);
  const [band] = (await stripOf(id, strip)).rack.units[0].params.bands;
  assert.ok(band.shape === 'high-pass' && band.slope_db_oct === 24 && band.freq_hz < 110 && band.freq_hz > 40, JSON.stringify(band));
  await heardUntil(page, (after) => assert.ok(toneDb(after, RATE, 30) < toneDb(gone, RATE, 30) - 10));
  assert.deepEqual(faults, []);
  await close();
});

test('a copy follows its source with gains turned over, says so on the wire, and can be freed', async () => {
  const { id, strip, page, faults, close } = await benchOfTones(
    at,
    [700],
    [{ kind: 'surgical-eq', params: { bands: [{ freq_hz: 700, gain_db: 4, q: 1 }] } }],
  );
  const { strip: partner } = await bringIn(at.server.url, id, 'partner.wav', wavBytes(RATE, [new Float32Array(2 * RATE).fill(0.01)]));
  await page.reload();
  await ready(page);
  await page.getByRole('button', { name: 'copy…' }).click();
  await page.getByRole('group', { name: 'To' }).getByLabel('partner').check();
  assert.equal(await page.getByLabel(/^linked/).isChecked(), false, 'a link is asked for');
  await page.getByLabel(/^linked/).check();
  await page.getByLabel('1: 700 Hz +4 dB').check();
  await page.getByRole('button', { name: 'copy', exact: true }).click();
  await page.getByRole('img', { name: 'followed on partner' }).waitFor();
  await page.getByLabel('band 1 gain').fill('6');
  await page.keyboard.press('Enter');
  await kept(page);
  const gain = async () => (await stripOf(id, partner)).rack.units[0].params.bands[0].gain_db;
  assert.equal(await gain(), -6);
  assert.equal((await stripOf(id, strip)).rack.units[0].params.bands[0].gain_db, 6);
  // One step back takes both.
  await page.keyboard.press('Control+z');
  await kept(page);
  assert.equal(await gain(), -4);
  await page.goto(`${at.server.url}/sessions/${id}/bench/${partner}?station=1`);
  await ready(page);
  await page.getByText('follows the Surgical EQ of tones; gains mirrored: 1').waitFor();
  // The line has a row of its own: what else the head holds stays within it.
  const head = await boxOf(page.locator('.unit-head'));
  for (const inside of [
    page.locator('.link-line'),
    page.getByRole('button', { name: 'copy…' }),
    page.locator('.unit-head .lamp').first(),
  ]) {
    const box = await boxOf(inside);
    assert.ok(box.x >= head.x && box.x + box.width <= head.x + head.width + 1, `${JSON.stringify(box)} in ${JSON.stringify(head)}`);
  }
  await page.getByRole('button', { name: 'break the link' }).click();
  await page.getByLabel('band 1 gain').fill('-1');
  await page.keyboard.press('Enter');
  await kept(page);
  assert.equal(await gain(), -1);
  assert.equal((await stripOf(id, partner)).rack.units[0].follows, undefined);
  assert.deepEqual(faults, []);
  await close();
});

test('what a unit does to the tone becomes a drawn EQ, or a few bands that say how near they come', async () => {
  // Steps of noise, so that every band is known; the EQ in question is a bell.
  let seed = 1;
  const white = () => {
    seed = (seed * 1664525 + 1013904223) % 4294967296;
    return seed / 2147483648 - 1;
  };
  const id = await at.session('noise');
  const { strip } = await bringIn(
    at.server.url,
    id,
    'noise.wav',
    wavBytes(RATE, [Float32Array.from({ length: 10 * RATE }, () => 0.1 * white())]),
  );
  await at.change(id, {
    edit: 'add-unit',
    strip,
    at: 0,
    unit: { kind: 'surgical-eq', params: { bands: [{ freq_hz: 1000, gain_db: 8, q: 1 }] } },
  });
  const { page, faults, close } = await open(at.b, `${at.server.url}/sessions/${id}/bench/${strip}?station=1`);
  await ready(page);
  await page.getByText(/bands come within 0\.\d dB/).waitFor();
  await page.getByLabel('Number of bands').selectOption('2');
  await page.getByRole('button', { name: 'as bands' }).click();
  await page.waitForSelector('[data-station="1"]');
  await kept(page);
  const [, fitted] = (await stripOf(id, strip)).rack.units;
  const bell = fitted.params.bands.find((/** @type {any} */ b) => Math.abs(b.freq_hz / 1000 - 1) < 0.05);
  assert.ok(bell && Math.abs(bell.gain_db - 8) < 1 && Math.abs(bell.q - 1) < 0.25, JSON.stringify(fitted.params.bands));
  await page.keyboard.press('1');
  await page.getByRole('button', { name: 'as a drawn EQ' }).click();
  await page.locator('.drawn-bending').waitFor();
  await kept(page);
  const drawn = (await stripOf(id, strip)).rack.units.find((/** @type {any} */ u) => u.kind === 'drawn-eq');
  const at1k = drawn.params.points.find((/** @type {any} */ p) => p.freq_hz === 1000).gain_db;
  const at100 = drawn.params.points.find((/** @type {any} */ p) => Math.abs(p.freq_hz - 99.21) < 0.1).gain_db;
  assert.ok(Math.abs(at1k - at100 - 8) < 0.7, `${at1k}, ${at100}`);
  assert.deepEqual(faults, []);
  await close();
});

test('a lift before a compressor is explained with what is left of it, and moved behind it in one action', async () => {
  const { id, strip, page, faults, close } = await benchOfTones(
    at,
    [1000],
    [
      { kind: 'surgical-eq', params: { bands: [{ freq_hz: 1000, gain_db: 8, q: 0.7 }] } },
      { kind: 'compressor', params: { threshold_db: -40, ratio: 4 } },
    ],
  );
  await page.getByText(/only 2\.0 of 8\.0 dB/).waitFor();
  await page.getByRole('button', { name: 'move the lift behind the compressor' }).click();
  await page.waitForSelector('[data-station="2"]');
  await kept(page);
  const { units } = (await stripOf(id, strip)).rack;
  assert.deepEqual(
    units.map((/** @type {any} */ u) => u.kind),
    ['surgical-eq', 'compressor', 'surgical-eq'],
  );
  assert.deepEqual([units[0].params.bands.length, units[2].params.bands[0].gain_db], [0, 8]);
  assert.deepEqual(faults, []);
  await close();
});

test('the impulse response of a unit is fetched as a file, and refused with a reason where none can be true', async () => {
  const { id, strip, close } = await benchOfTones(
    at,
    [700],
    [{ kind: 'drawn-eq', params: { points: [{ freq_hz: 500, gain_db: 6 }] } }, { kind: 'compressor' }],
  );
  const [drawn, compressor] = (await stripOf(id, strip)).rack.units;
  const url = (/** @type {number} */ unit) => `${at.server.url}/api/sessions/${id}/strips/${strip}/units/${unit}/impulse`;
  const file = await fetch(url(drawn.id));
  assert.equal(file.status, 200);
  assert.equal(
    Buffer.from(await file.arrayBuffer())
      .subarray(0, 4)
      .toString(),
    'RIFF',
  );
  const refused = await fetch(url(compressor.id));
  assert.equal(refused.status, 422);
  assert.match((await refused.json()).error, /Compressor as it is set treats loud and soft differently/);
  await close();
});
