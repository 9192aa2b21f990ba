// The surgical EQ on the Bench: a region heard without boosting it, bands that move, notes and octaves typed.
import assert from 'node:assert/strict';
import { test } from 'node:test';
import { house } from '../tools/house.js';
import { bringIn, kept, open, ready } from '../tools/program.js';
import { RATE, attachRecorder, heardUntil, playOn, rmsDb, toneDb, wavBytes } from '../tools/sound.js';
import { TONE_DB, benchOfTones, listenNow } from '../tools/tones.js';

const at = house({ demo: false });

/** A Bench with one track of tones, these bands, and 12 dB behind them. @param {number[]} tones @param {any[]} bands */
const bench = (tones, bands) =>
  benchOfTones(at, tones, [
    { kind: 'surgical-eq', params: { bands } },
    { kind: 'compressor', params: { ratio: 1, makeup_db: 12 } },
  ]);

test('L plays the region of a bell without boosting it, a shelf its side, and of a cut what it removes', async () => {
  const { page, faults, close } = await bench(
    [100, 1000, 8000],
    [
      { freq_hz: 1000, gain_db: 12, q: 2 },
      { shape: 'high-pass', freq_hz: 400, slope_db_oct: 48 },
      { shape: 'high-shelf', freq_hz: 4000, gain_db: -6 },
    ],
  );
  await playOn(page);
  /**
   * What is claimed of the level of each tone while L is held on a band, against the recording.
   * @param {number} band @param {(low: number, mid: number, high: number) => void} claim
   */
  const region = async (band, claim) => {
    await page.click(`[data-row="${band}"]`);
    await page.locator(`[data-band="${band}"]`).focus();
    await page.keyboard.down('l');
    await heardUntil(page, (sound) => {
      const [low, mid, high] = [100, 1000, 8000].map((hz) => toneDb(sound, RATE, hz) - TONE_DB);
      claim(low, mid, high);
    });
    await page.keyboard.up('l');
  };
  await region(0, (low, mid, high) => {
    assert.ok(Math.abs(mid) < 0.1, `the bell's own centre at ${mid} dB`);
    assert.ok(low < -20 && high < -20, `${low}, ${high}`);
  });
  // A Butterworth of order 8: -10 log10(1 + 2.5^16) at 1 kHz.
  await region(1, (low, mid, high) =>
    assert.ok(Math.abs(low) < 0.1 && Math.abs(mid + 63.67) < 0.5 && high < -90, `removed: ${[low, mid, high]}`),
  );
  await region(2, (low, _, high) => assert.ok(low < -60 && Math.abs(high) < 0.4, `${low}, ${high}`));
  // Released, the worked sound is back: 12 dB of the bell, 12 of the unit behind.
  await heardUntil(page, (sound) => {
    const after = toneDb(sound, RATE, 1000) - TONE_DB;
    assert.ok(Math.abs(after - 24) < 0.3, `${after} dB after letting go`);
  });
  assert.deepEqual(faults, []);
  await close();
});

test('a region is heard while its band is dragged', async () => {
  const { page, faults, close } = await bench([500, 4000], [{ freq_hz: 500, gain_db: 0, q: 6 }]);
  await playOn(page);
  const peg = page.locator('[data-band="0"] rect');
  const box = await peg.boundingBox();
  const field = await page.locator('.field-box').boundingBox();
  assert.ok(box && field);
  await page.mouse.move(box.x + box.width / 2, box.y + box.height / 2);
  await page.mouse.down();
  await page.keyboard.down('l');
  const apart = (/** @type {Float32Array} */ sound) => toneDb(sound, RATE, 4000) - toneDb(sound, RATE, 500);
  await heardUntil(page, (sound) => assert.ok(apart(sound) < -25, `${apart(sound)} dB`));
  // Three octaves up: the field spans log2(22000 / 16.35) = 10.39 octaves.
  const octave = (field.width - 84) / Math.log2(22000 / 16.35);
  await page.mouse.move(box.x + box.width / 2 + 3 * octave, box.y + box.height / 2, { steps: 12 });
  await heardUntil(page, (sound) => assert.ok(apart(sound) > 25, `${apart(sound)} dB`));
  await page.keyboard.up('l');
  await page.mouse.up();
  assert.deepEqual(faults, []);
  await close();
});

test('a band moves with the level, on screen and in the sound, and says how often it worked', async () => {
  const { page, faults, close } = await bench([1000], [{ freq_hz: 1000, gain_db: 0, q: 1 }]);
  await page.getByLabel('band 1 dynamic').click();
  await page.getByLabel('band 1 threshold').fill('-36');
  await page.keyboard.press('Enter');
  await page.getByLabel('band 1 ratio').fill('100:1');
  await page.keyboard.press('Enter');
  await page.getByLabel('band 1 max change').fill('8');
  await page.keyboard.press('Enter');
  await page.locator('[data-band="0"]').focus();
  await playOn(page);
  // 10 dB over, 100:1: 9.9 wanted, 8 allowed; the unit behind adds 12.
  await heardUntil(page, (sound) => {
    const level = toneDb(sound, RATE, 1000) - TONE_DB;
    assert.ok(Math.abs(level - 4) < 0.15, `${level} dB`);
  });
  const bar = await page.evaluate(() => {
    const line = document.querySelector('[data-move="0"]');
    return Number(line?.getAttribute('y2')) - Number(line?.getAttribute('y1'));
  });
  assert.ok(bar > 20, `the bar is ${bar} pixels long`);
  await page.getByText(/active (9\d|100) % of time, max 8\.0 dB/).waitFor();
  assert.deepEqual(faults, []);
  await close();
});

test('the first band of an EQ begins where the part has most too much, the next beside it', async () => {
  const { page, faults, close } = await bench([150, 400], []);
  await page.waitForSelector('body[data-measured]');
  const frequencies = () =>
    page.evaluate(() => {
      const units = window.zincRack.doc.session.strips.flatMap((strip) => strip.rack.units);
      return units.flatMap((unit) => (unit.params.bands ?? []).map((/** @type {any} */ band) => Math.round(band.freq_hz)));
    });
  const add = page.getByRole('button', { name: '+ band' });
  await add.click();
  assert.deepEqual(await frequencies(), [398], 'the third of an octave around 400 Hz: the lowest tone is what it stands on');
  await add.click();
  assert.deepEqual(await frequencies(), [398, 796], 'an octave beside the one in hand');
  assert.deepEqual(faults, []);
  await close();
});

test('a boost found by sweeping becomes a cut or a notch; notes and octaves are typed', async () => {
  const { id, page, faults, close } = await bench([440], [{ freq_hz: 1000, gain_db: 15, q: 30 }]);
  await page.getByLabel('band 1 note').fill('A4');
  await page.keyboard.press('Enter');
  await page.getByLabel('band 1 width in octaves').fill('0.5');
  await page.keyboard.press('Enter');
  await page.getByRole('button', { name: 'make it a cut' }).click();
  const band = async () =>
    (await at.document(id)).session.strips.find((/** @type {any} */ s) => s.role === 'track').rack.units[0].params.bands[0];
  await kept(page);
  const cut = await band();
  assert.deepEqual([cut.freq_hz, cut.gain_db], [440, -15]);
  // Bristow-Johnson: 1 / (2 sinh(ln 2 / 2 x 0.5)).
  assert.ok(Math.abs(cut.q - 1 / (2 * Math.sinh((Math.LN2 / 2) * 0.5))) < 1e-3, String(cut.q));
  await page.getByRole('button', { name: 'make it a notch' }).click();
  await kept(page);
  assert.equal((await band()).shape, 'notch');
  await page.locator('[data-band="0"]').focus();
  await playOn(page);
  await heardUntil(page, (sound) => assert.ok(toneDb(sound, RATE, 440) < -90));
  assert.deepEqual(faults, []);
  await close();
});

test('rings are looked for, marked, heard before they are cut, and what is none stays away', async () => {
  // Noise with one resonance at 900 Hz, Q 90: a two-pole filter's own shape.
  let seed = 3;
  const white = () => {
    seed = (Math.imul(seed, 1664525) + 1013904223) >>> 0;
    return seed / 4294967296 - 0.5;
  };
  const [turn, keep] = [Math.cos((2 * Math.PI * 900) / RATE), Math.exp((-Math.PI * 10) / RATE)];
  let [y1, y2] = [0, 0];
  const sound = Float32Array.from({ length: 20 * RATE }, () => {
    const x = 0.2 * white();
    const y = 0.004 * x + 2 * keep * turn * y1 - keep * keep * y2;
    [y2, y1] = [y1, y];
    return 0.3 * x + 2 * y;
  });
  const id = await at.session('ringing');
  const { strip } = await bringIn(at.server.url, id, 'ringing.wav', wavBytes(RATE, [sound]));
  await at.change(id, { edit: 'add-unit', strip, at: 0, unit: { kind: 'surgical-eq' } });
  const { page, faults, close } = await open(at.b, `${at.server.url}/sessions/${id}/bench/${strip}?station=1`);
  await ready(page);
  await page.getByRole('button', { name: 'look for rings' }).click();
  await page.locator('.ring-line').first().waitFor();
  assert.equal(await page.locator('.ring-line').count(), 1);
  const hz = Number.parseFloat((await page.locator('.ring-line .figure').first().textContent()) ?? '');
  assert.ok(Math.abs(hz / 900 - 1) < 0.015, `${hz} Hz`);
  assert.equal(await page.locator('.ring-mark').count(), 1);
  // Held on its mark, the ring is heard by itself: most of the noise goes, the ring stays.
  await attachRecorder(page);
  await playOn(page);
  const noise = await listenNow(page);
  await page.locator('.ring-hold').hover();
  await page.mouse.down();
  // Highs show in the steps from sample to sample; the first has none before it. A ring and nothing else steps by
  // 2 sin(pi f / rate) of itself: were the noise's highs only 10 dB under what they are, the steps were 3 dB larger.
  const highs = (/** @type {Float32Array} */ sound) => rmsDb(sound.map((x, i) => x - (sound[i - 1] ?? x)));
  const ofRing = 20 * Math.log10(2 * Math.sin((Math.PI * 900) / RATE));
  assert.ok(highs(noise) - rmsDb(noise) > ofRing + 6, 'there is noise beside it');
  await heardUntil(page, (alone) => {
    assert.ok(rmsDb(alone) > rmsDb(noise) - 6, `${rmsDb(noise)}, ${rmsDb(alone)}`);
    assert.ok(Math.abs(highs(alone) - rmsDb(alone) - ofRing) < 0.5, `${highs(alone) - rmsDb(alone)} dB, a ring alone ${ofRing}`);
  });
  await page.mouse.up();
  await page.keyboard.press('Space');
  await page.getByRole('button', { name: /^cut it/ }).click();
  await kept(page);
  const { session } = await at.document(id);
  const [band] = session.strips.find((/** @type {any} */ s) => s.id === strip).rack.units[0].params.bands;
  assert.ok(band.on && band.gain_db < -3 && Math.abs(band.freq_hz / 900 - 1) < 0.015, JSON.stringify(band));
  await page.getByRole('button', { name: /^not a ring/ }).click();
  await page.getByText('No rings').waitFor();
  await page.reload();
  await ready(page);
  await page.getByRole('button', { name: 'look for rings' }).click();
  await page.getByText('No rings').waitFor();
  // The raw part keeps to it as well.
  await page.keyboard.press('0');
  await page.locator('.raw-facts', { hasText: /ringsnothing found/ }).waitFor();
  assert.equal(await page.locator('.raw-moves li', { hasText: 'rings' }).count(), 0);
  assert.deepEqual(faults, []);
  await close();
});
