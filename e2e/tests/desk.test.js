// What is done on the Desk beside faders: files dropped, tempo, sections, sets, takes, warnings.
import assert from 'node:assert/strict';
import { mkdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { test } from 'node:test';
import { house } from '../tools/house.js';
import { bringIn, kept, open, ready } from '../tools/program.js';
import { RATE, attachRecorder, heardUntil, listen, playOn, rmsDb, toneDb, wavBytes } from '../tools/sound.js';

const at = house({ demo: false });

/** @param {number} hz @param {number} [gain] @param {number} [seconds] */
const tone = (hz, gain = 0.1, seconds = 40) =>
  Float32Array.from({ length: seconds * RATE }, (_, i) => gain * Math.sin((2 * Math.PI * hz * i) / RATE));

/** A session with a track for each tone, each lifted by 12 dB. @param {number[]} tones */
async function tones(tones) {
  const id = await at.session('tones');
  /** @type {number[]} */
  const strips = [];
  for (const hz of tones) strips.push((await bringIn(at.server.url, id, `tone ${hz}.wav`, wavBytes(RATE, [tone(hz)]))).strip);
  for (const strip of strips) {
    const rack = { zinc_rack: 1, units: [{ kind: 'compressor', params: { ratio: 1, makeup_db: 12 } }] };
    assert.equal((await at.change(id, { edit: 'replace-rack', strip, rack })).status, 200);
  }
  return { id, strips };
}

/** The Desk of a session, ready to play. @param {number} id */
async function desk(id) {
  const opened = await open(at.b, `${at.server.url}/sessions/${id}/desk`);
  await ready(opened.page);
  await opened.page.waitForSelector('body[data-drawn]');
  return opened;
}

test('a folder dropped on the Desk brings its files in, by name order, and says what each is', async () => {
  const { id } = await tones([300]);
  const folder = join(at.folder.path, 'takes');
  mkdirSync(join(folder, 'more'), { recursive: true });
  for (const name of ['10 last.wav', '2 first.wav', 'more/3 middle.wav'])
    writeFileSync(join(folder, name), wavBytes(RATE, [tone(Number.parseInt(name.split('/').at(-1) ?? '', 10) * 100, 0.1, 1)]));
  writeFileSync(join(folder, 'notes.txt'), 'not sound');
  const { page, faults, close } = await desk(id);
  const client = await page.context().newCDPSession(page);
  const data = { items: [], files: [folder], dragOperationsMask: 1 };
  for (const type of /** @type {const} */ (['dragEnter', 'dragOver', 'drop']))
    await client.send('Input.dispatchDragEvent', { type, x: 600, y: 300, data });
  await page.waitForFunction(() => document.querySelectorAll('.import-list [data-state]').length === 4);
  const lines = await page.locator('.import-list tbody tr').allTextContents();
  assert.ok(
    lines.some((l) => l.includes('notes.txt') && /not/.test(l)),
    lines.join('\n'),
  );
  await page.getByRole('button', { name: 'show them' }).click();
  await page.waitForFunction(() => document.querySelectorAll('[data-strip]').length >= 5);
  const { session } = await at.document(id);
  assert.deepEqual(
    session.strips.filter((/** @type {any} */ s) => s.role === 'track').map((/** @type {any} */ s) => s.name),
    ['tone 300', '2 first', '3 middle', '10 last'],
  );
  assert.deepEqual(faults, []);
  await close();
});

test('tempo is tapped, a section is drawn with the pointer, the order of work is kept with the session', async () => {
  const { id } = await tones([300]);
  const { page, faults, close } = await desk(id);
  const tap = page.getByRole('button', { name: 'tap', exact: true });
  await tap.waitFor();
  // Taps every 0.5 s as the page's clock sees them: 120 a minute.
  await page.evaluate(() => {
    const button = /** @type {HTMLElement} */ ([...document.querySelectorAll('button')].find((b) => b.textContent === 'tap'));
    const real = performance.now.bind(performance);
    let now = real();
    performance.now = () => now;
    for (let i = 0; i < 5; i += 1, now += 500) button.click();
    performance.now = real;
  });
  // The page is loaded anew: bars are drawn everywhere.
  await page.waitForFunction(() => window.zincRack?.doc.session.tempo_bpm === 120);
  await kept(page);
  await ready(page);
  const box = await page.locator('.desk-ruler').boundingBox();
  assert.ok(box);
  // A quarter to a half of 40 s: bars 6 to 11 at 120.
  await page.mouse.move(box.x + box.width * 0.25, box.y + 8);
  await page.mouse.down();
  await page.mouse.move(box.x + box.width * 0.5, box.y + 8, { steps: 4 });
  await page.mouse.up();
  await page.getByLabel('New section: name').fill('Refrain');
  await page.getByRole('button', { name: 'keep', exact: true }).click();
  await page.waitForFunction(() => window.zincRack?.doc.session.sections.length === 1);
  await ready(page);
  await page.locator('.order-of-work summary').click();
  await page.getByText('bass', { exact: true }).click();
  await kept(page);
  await page.reload();
  await ready(page);
  const { session } = await at.document(id);
  assert.deepEqual(session.sections, [{ id: session.sections[0].id, name: 'Refrain', start: 10 * RATE, end: 20 * RATE }]);
  assert.equal(await page.locator('.order-of-work summary').textContent(), 'order of work 1/11');
  assert.deepEqual(session.notebook.done, [2]);
  // Rack, tempo, section; a tick is no step of undo.
  assert.equal(await page.evaluate(() => window.zincRack.doc.undo), 3);
  assert.deepEqual(faults, []);
  await close();
});

test('a named set of units across tracks is taken away and nothing else', async () => {
  const { id } = await tones([300, 1000, 3000]);
  const { page, faults, close } = await desk(id);
  await page.getByRole('button', { name: 'sets of units' }).click();
  await page.getByPlaceholder('such as: all that tames the lows').fill('outer two');
  await page.getByText('tone 300 · 1').click();
  await page.getByText('tone 3000 · 1').click();
  await page.getByRole('button', { name: 'keep', exact: true }).click();
  await kept(page);
  await page.reload();
  await ready(page);
  await page.uncheck('#matching');
  await page.selectOption('#against', { label: 'without "outer two"' });
  await attachRecorder(page);
  await playOn(page);
  const [worked] = await listen(page);
  await page.keyboard.press('u');
  await heardUntil(page, (without) => {
    for (const [hz, less] of [
      [300, 12],
      [1000, 0],
      [3000, 12],
    ]) {
      const found = toneDb(worked, RATE, hz) - toneDb(without, RATE, hz);
      assert.ok(Math.abs(found - less) < 0.1, `${hz} Hz: ${found.toFixed(2)} dB, wanted ${less}`);
    }
  });
  assert.deepEqual(faults, []);
  await close();
});

test('of two recordings of one take each is heard alone, and the ratio keeps their sum', async () => {
  const { id, strips } = await tones([500, 2000]);
  await at.change(id, { edit: 'several', edits: strips.map((strip) => ({ edit: 'set-take-set', strip, set: 1 })) });
  const { page, faults, close } = await desk(id);
  await page.locator(`[data-strip="${strips[0]}"] [data-sends]`).click();
  await attachRecorder(page);
  await playOn(page);
  await page.getByRole('button', { name: 'partner', exact: true }).click();
  await heardUntil(page, (partner) => assert.ok(toneDb(partner, RATE, 500) < -100 && toneDb(partner, RATE, 2000) > -30));
  await page.getByRole('button', { name: 'both', exact: true }).click();
  const [both] = await heardUntil(page, (sound) => assert.ok(toneDb(sound, RATE, 500) > -30 && toneDb(sound, RATE, 2000) > -30));
  const gain = (/** @type {Float32Array} */ sound) => [500, 2000].map((hz) => 10 ** (toneDb(sound, RATE, hz) / 20));
  await page.getByRole('slider', { name: /: ratio$/ }).focus();
  for (let i = 0; i < 25; i += 1) await page.keyboard.press('ArrowRight');
  await kept(page);
  await heardUntil(page, (moved) => {
    const [[a, b], [c, d]] = [gain(both), gain(moved)];
    assert.ok(Math.abs(d / (c + d) - 0.75) < 0.01, `share ${d / (c + d)}`);
    assert.ok(Math.abs((c + d) / (a + b) - 1) < 0.01, `sum ${(c + d) / (a + b)}`);
  });
  assert.deepEqual(faults, []);
  await close();
});

test('what drives a compressor is heard in its place', async () => {
  const { id, strips } = await tones([400, 1500]);
  const unit = {
    kind: 'compressor',
    key: { strip: strips[1], tap: 'before-rack' },
    params: { threshold_db: -60, ratio: 20, key_low_cut_hz: 1500 },
  };
  await at.change(id, { edit: 'add-unit', strip: strips[0], at: 0, unit });
  const { page, faults, close } = await open(at.b, `${at.server.url}/sessions/${id}/bench/${strips[0]}?station=1`);
  await ready(page);
  await attachRecorder(page);
  await page.getByRole('button', { name: 'alone' }).click();
  await page.getByRole('button', { name: 'hear it' }).click();
  await playOn(page);
  // Butterworth: 3 dB less at the low cut itself; a mono track in the centre.
  const wanted = 20 * Math.log10(0.1) - 3.01;
  await heardUntil(page, (key) => {
    assert.ok(Math.abs(toneDb(key, RATE, 1500) - wanted) < 0.3, `${toneDb(key, RATE, 1500)} dB, wanted ${wanted}`);
    assert.ok(toneDb(key, RATE, 400) < -100);
  });
  assert.ok((await page.evaluate(() => document.querySelectorAll('#against option[value="key"]').length)) === 1);
  assert.deepEqual(faults, []);
  await close();
});

test('an overload is said with its size, and long listening alone is reminded of once', async () => {
  const { id, strips } = await tones([700]);
  await at.change(id, { edit: 'set-control', strip: strips[0], control: 'level_db', value: 12 });
  const { page, close } = await desk(id);
  await page.keyboard.press('Space');
  // 0.1 lifted by 12 dB twice: 4.0 dB over full scale.
  await page.waitForFunction(() => /over full scale by 4\.0 dB/.test(document.getElementById('warning')?.textContent ?? ''));
  await close();
  const { page: bench, close: closeBench } = await open(at.b, `${at.server.url}/sessions/${id}/bench/${strips[0]}`);
  await ready(bench);
  await bench.getByRole('button', { name: 'alone' }).click();
  await bench.keyboard.press('Space');
  await bench.waitForTimeout(500);
  assert.equal(await bench.getByText('listened alone for five minutes').count(), 0);
  await bench.evaluate(() => {
    const real = performance.now.bind(performance);
    performance.now = () => real() + 5 * 60_000;
  });
  await bench.getByText('listened alone for five minutes').waitFor();
  await closeBench();
});

test('stretches of many tracks come in one answer, and an unreadable request is refused', async () => {
  const { id } = await tones([300, 900]);
  const { session } = await at.document(id);
  const hashes = session.strips.filter((/** @type {any} */ s) => s.audio).map((/** @type {any} */ s) => s.audio.hash);
  const get = (/** @type {string} */ path) => fetch(`${at.server.url}${path}`);
  const one = await Promise.all(
    hashes.map(async (/** @type {string} */ hash) =>
      Buffer.from(await (await fetch(`${at.server.url}/api/audio/${hash}`, { headers: { Range: 'bytes=800-1599' } })).arrayBuffer()),
    ),
  );
  const both = Buffer.from(
    await (await get(`/api/stretches?${hashes.map((/** @type {string} */ hash) => `of=audio/${hash}:800:1599`).join('&')}`)).arrayBuffer(),
  );
  assert.ok(
    both.equals(Buffer.concat(one)) && rmsDb(new Float32Array(both.buffer.slice(both.byteOffset, both.byteOffset + both.length))) > -40,
  );
  for (const [query, status] of /** @type {[string, number][]} */ ([
    ['', 422],
    ['of=audio/x:0:9', 404],
    [`of=audio/${hashes[0]}:a:9`, 422],
    [`of=audio/${hashes[0]}:9`, 422],
    [`of=other/${hashes[0]}:0:9`, 404],
    [`of=audio/${hashes[0]}:999999999:999999999`, 416],
    [Array.from({ length: 65 }, () => `of=audio/${hashes[0]}:0:9`).join('&'), 422],
  ])) {
    const refused = await get(`/api/stretches?${query}`);
    assert.equal(refused.status, status, query.slice(0, 60));
    assert.ok((await refused.json()).error.length > 10);
  }
});
