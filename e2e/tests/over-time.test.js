// What changes with the song on the real pages: a telephone for one section, a lane drawn, typed, ridden and written while
// playing, differences copied; by pointer and by keyboard; played as printed.
import assert from 'node:assert/strict';
import { join } from 'node:path';
import { test } from 'node:test';
import { house } from '../tools/house.js';
import { api, boxOf, bringIn, follow, open, ready } from '../tools/program.js';
import { RATE, fromTheTop, laterBy, peakDifferenceDb, readWav, rmsDb, wavBytes } from '../tools/sound.js';

const at = house({ demo: false });
const SECONDS = 12;

/** Chords that change, different at any two moments; after a rest, so that their onset is that of the print. */
const chords = Float32Array.from({ length: SECONDS * RATE }, (_, i) => {
  const t = i / RATE;
  let x = 0;
  if (t < 0.2) return 0;
  for (let k = 1; k < 14; k += 1) x += (0.12 / k) * Math.sin(2 * Math.PI * 82 * k * 2 ** (Math.floor(t * 2) / 12) * t + k);
  return x * (0.6 + 0.4 * Math.sin(2 * Math.PI * 1.3 * t));
});

/** A session of one track with three sections and some units. @param {any[]} units */
async function session(units) {
  const id = await at.session('over time');
  const { strip } = await bringIn(at.server.url, id, 'keys.wav', wavBytes(RATE, [chords]));
  for (const [n, unit] of units.entries()) await at.change(id, { edit: 'add-unit', strip, at: n, unit });
  const bounds = [
    ['Verse', 0, 4],
    ['Break', 4, 8],
    ['Chorus', 8, 12],
  ];
  const sections = bounds.map(([name, from, to]) => ({ id: 0, name, start: Number(from) * RATE, end: Number(to) * RATE }));
  await at.change(id, { edit: 'set-sections', sections });
  return { id, strip, ...(await ids(id)) };
}

/** Identities of the sections, by name. @param {number} id */
async function ids(id) {
  const {
    session: { sections },
  } = await at.document(id);
  return { sections: Object.fromEntries(sections.map((/** @type {any} */ s) => [s.name, s.id])) };
}

/** @param {number} id @param {number} strip */
const stripOf = async (id, strip) => (await at.document(id)).session.strips.find((/** @type {any} */ s) => s.id === strip);
/** What changes with the song of the first unit. @param {number} id @param {number} strip */
const ofUnit = async (id, strip) => (await stripOf(id, strip)).rack.units[0].over_time ?? [];
/** @param {import('playwright-core').Page} page */
const settled = (page) =>
  page.waitForFunction(() => !window.zincRack.doc.isKeeping && document.getElementById('kept')?.textContent === 'every change kept');
const bench = (/** @type {{ id: number, strip: number }} */ { id, strip }) => `${at.server.url}/sessions/${id}/bench/${strip}`;
const telephone = {
  kind: 'surgical-eq',
  on: false,
  params: {
    bands: [
      { shape: 'high-pass', freq_hz: 450 },
      { shape: 'low-pass', freq_hz: 2800 },
    ],
  },
};

test('a filter effect for one section takes a choice and a press, shows where it holds, and is undone', async () => {
  const made = await session([telephone]);
  const { page, faults, close } = await open(at.b, bench(made));
  await ready(page);
  const begun = Date.now();
  await page.selectOption('#scope', { label: 'Break' });
  await page.getByRole('button', { name: 'on', exact: true }).first().click();
  await settled(page);
  assert.ok(Date.now() - begun < 60_000);
  assert.deepEqual(await ofUnit(made.id, made.strip), [
    { param: 'on', sections: [{ section: made.sections.Break, value: true }], points: [] },
  ]);
  assert.equal((await stripOf(made.id, made.strip)).rack.units[0].on, false, 'elsewhere it is as it was');
  assert.equal(await page.locator('#changes').textContent(), 'automation 1');
  assert.match((await page.locator('.unit-head .changes-mark').getAttribute('title')) ?? '', /differs in Break/);
  // By keyboard: a corner of its own in the Chorus.
  await page.locator('#scope').focus();
  await page.keyboard.press('ArrowDown');
  assert.equal(
    await page.evaluate(() => /** @type {HTMLSelectElement} */ (document.getElementById('scope')).selectedOptions[0].text),
    'Chorus',
  );
  const corner = page.getByRole('textbox', { name: 'band 1 frequency' });
  await corner.fill('700');
  await corner.press('Enter');
  await settled(page);
  const [frequency] = (await ofUnit(made.id, made.strip)).filter((/** @type {any} */ c) => c.param === 'bands[0].freq_hz');
  assert.deepEqual(frequency.sections, [{ section: made.sections.Chorus, value: 700 }]);
  await page.selectOption('#scope', '0');
  assert.equal(await corner.inputValue(), '450 Hz', 'elsewhere the corner is where it was');
  await page.keyboard.press('Control+z');
  await settled(page);
  assert.deepEqual(
    (await ofUnit(made.id, made.strip)).map((/** @type {any} */ c) => c.param),
    ['on'],
  );
  assert.deepEqual(faults, []);
  await close();
});

test('a rule shows where its other values are, and what cannot differ in a section is refused in words', async () => {
  const made = await session([{ kind: 'compressor', params: { release_ms: 100 } }]);
  const { page, close } = await open(at.b, bench(made));
  await ready(page);
  await page.selectOption('#scope', { label: 'Verse' });
  const release = page.getByRole('textbox', { name: 'Compressor: release, type a value' });
  await release.fill('40');
  await release.press('Enter');
  await settled(page);
  const rule = page.locator('.rule', { has: release });
  assert.equal(await rule.locator('.elsewhere').count(), 1, 'a hollow mark where it is everywhere');
  await page.selectOption('#scope', '0');
  assert.equal(await release.inputValue(), '100 ms');
  assert.equal(await rule.locator('.elsewhere').count(), 1, 'and one where the section has it');
  // A key is one for the whole song and may be changed; the order of the rack is.
  await page.selectOption('#scope', { label: 'Verse' });
  await page.evaluate(() => {
    document.getElementById('notes')?.replaceChildren();
  });
  await page.locator('.unit-why').fill('short notes');
  await page.locator('.unit-why').blur();
  await settled(page);
  assert.equal((await stripOf(made.id, made.strip)).rack.units[0].why, 'short notes');
  await close();
});

test('pegs and choices show where they are elsewhere in the song, Prints says what changes', async () => {
  const made = await session([
    { kind: 'surgical-eq', params: { bands: [{ freq_hz: 400, gain_db: 9, on: true }] } },
    { kind: 'compressor', params: { action: 'clean' } },
  ]);
  const { page, faults, close } = await open(at.b, bench(made));
  await ready(page);
  await page.selectOption('#scope', { label: 'Chorus' });
  await page.locator('[data-station="1"]').click();
  await page.getByRole('group', { name: 'Compressor: type' }).getByRole('button', { name: 'opto' }).click();
  await settled(page);
  const clean = page.getByRole('group', { name: 'Compressor: type' }).getByRole('button', { name: 'clean' });
  assert.equal(await clean.getAttribute('aria-description'), 'set differently elsewhere in the song');
  await page.locator('[data-station="0"]').click();
  await page.locator('.peg').first().focus();
  for (let n = 0; n < 6; n += 1) await page.keyboard.press('Shift+ArrowRight');
  await settled(page);
  assert.match(String(await page.locator('.peg-elsewhere title').textContent()), /band 1 elsewhere in the song: 400 Hz, \+9\.0 dB/);
  await page.selectOption('#scope', '0');
  assert.match(String(await page.locator('.peg-elsewhere title').textContent()), /band 1 elsewhere in the song: [\d.]+ k?Hz/);
  await page.goto(`${at.server.url}/sessions/${made.id}/prints`);
  await page.selectOption('#what', String(made.strip));
  await page.locator('#length', { hasText: /Automation: .*type.*opto in Chorus/i }).waitFor();
  assert.deepEqual(faults, []);
  await close();
});

test('a lane is drawn by pointer, moved by keyboard, typed and taken away', async () => {
  const made = await session([{ kind: 'width' }, { kind: 'compressor' }]);
  const { page, faults, close } = await open(at.b, bench(made));
  await ready(page);
  await page.keyboard.press('2');
  await page.getByRole('slider', { name: 'Compressor: threshold' }).click();
  await page.keyboard.press('n');
  const lane = page.locator('.lane-area');
  await lane.waitFor();
  assert.match((await page.locator('.lane-head b').textContent()) ?? '', /^threshold, Compressor · /);
  await page.getByRole('group', { name: 'Stretch shown' }).getByRole('button', { name: 'song' }).last().click();
  const box = await boxOf(lane);
  const course = async () => ((await stripOf(made.id, made.strip)).rack.units[1].over_time ?? [])[0] ?? { points: [] };
  await page.mouse.click(box.x + box.width * 0.25, box.y + box.height * 0.3);
  await page.mouse.click(box.x + box.width * 0.5, box.y + box.height * 0.7);
  await settled(page);
  const drawn = (await course()).points;
  assert.deepEqual(
    drawn.map((/** @type {any} */ p) => p.at),
    [3 * RATE, 6 * RATE],
    'on the beat',
  );
  assert.ok(drawn[0].value > drawn[1].value);
  await lane.press('ArrowUp');
  await lane.press('ArrowRight');
  await settled(page);
  const moved = (await course()).points;
  assert.ok(moved[1].value > drawn[1].value && moved[1].at === 6.5 * RATE, 'a beat of half a second on, a hundredth of the rule up');
  const typed = page.getByRole('textbox', { name: 'A point, typed as a place and a value' });
  await typed.fill('bar 5.1: -20 dB held');
  await typed.press('Enter');
  await settled(page);
  assert.deepEqual((await course()).points.at(-1), { at: 8 * RATE, value: -20, then: 'held' });
  await typed.fill('somewhere: loud');
  await typed.press('Enter');
  await page.waitForFunction(() => /is no place in the song|type for example/.test(document.getElementById('notes')?.textContent ?? ''));
  assert.equal((await course()).points.length, 3, 'nothing was changed');
  await lane.focus();
  await lane.press('Delete');
  await settled(page);
  assert.equal((await course()).points.length, 2);
  await page.getByRole('button', { name: 'delete automation' }).click();
  await settled(page);
  assert.deepEqual((await course()).points, []);
  assert.deepEqual(faults, []);
  await close();
});

test('a move of a control is written while it plays, thinned, as one step of undo', async () => {
  const made = await session([{ kind: 'width' }]);
  const { page, close } = await open(at.b, bench(made));
  await ready(page);
  const undo = await page.evaluate(() => window.zincRack.doc.undo);
  const slider = page.getByRole('slider', { name: 'Width: trim' });
  await slider.focus();
  await page.keyboard.press('n');
  await page.getByRole('button', { name: 'Write while it plays: the control moved is drawn' }).click();
  await page.click('#play');
  await page.waitForFunction(() => window.zincRack.host.position > 12_000);
  await slider.focus();
  // As many as the song has room for, on a machine however slow.
  let steps = 0;
  for (; steps < 24 && (await page.evaluate(() => window.zincRack.host.position)) < 10 * RATE; steps += 1) {
    await slider.press('ArrowDown');
    await page.waitForTimeout(60);
  }
  assert.ok(steps > 5, `${steps} steps while it played`);
  await page.click('#play');
  await page.waitForFunction(() => !window.zincRack.host.playing);
  await settled(page);
  const [written] = await ofUnit(made.id, made.strip);
  assert.equal(written.param, 'trim_db');
  assert.ok(written.points.length >= 2 && written.points.length < steps, `${written.points.length} points`);
  assert.equal(written.points.at(-1).value, -0.5 * steps, `${steps} steps of half a dB down`);
  assert.equal(await page.evaluate(() => window.zincRack.doc.undo), undo + 1, 'one step');
  await page.keyboard.press('Control+z');
  await settled(page);
  assert.deepEqual(await ofUnit(made.id, made.strip), []);
  await close();
});

test('a lane is drawn by hand: on the grid, thinned, over what was there, as one step of undo', async () => {
  const made = await session([{ kind: 'width' }]);
  const { page, faults, close } = await open(at.b, bench(made));
  await ready(page);
  const undo = await page.evaluate(() => window.zincRack.doc.undo);
  await page.getByRole('slider', { name: 'Width: trim' }).focus();
  await page.keyboard.press('n');
  await page.getByRole('group', { name: 'Stretch shown' }).getByRole('button', { name: 'song' }).click();
  const box = await boxOf(page.locator('.lane-area'));
  const at_ = (/** @type {number} */ share, /** @type {number} */ up) => [box.x + box.width * share, box.y + box.height * (1 - up)];
  const draw = async (/** @type {number[][]} */ ...places) => {
    await page.mouse.move(places[0][0], places[0][1]);
    await page.mouse.down();
    for (const [x, y] of places.slice(1)) await page.mouse.move(x, y, { steps: 12 });
    await page.mouse.up();
    await settled(page);
    return (await ofUnit(made.id, made.strip))[0].points;
  };
  // A straight line of eight seconds is two points, whatever passed between them.
  const line = await draw(at_(1 / 6, 0.25), at_(5 / 6, 0.75));
  const beat = (await at.document(made.id)).session.tempo_bpm / 60;
  assert.ok(line.length >= 2 && line.length <= 6, `${line.length} points`);
  for (const point of line) assert.ok(Math.abs((point.at / RATE) * beat - Math.round((point.at / RATE) * beat)) < 1e-3, 'on a beat');
  assert.ok(line[0].value < 0 && line.at(-1).value > 0 && line.at(-1).then === 'free', JSON.stringify(line));
  assert.equal(await page.evaluate(() => window.zincRack.doc.undo), undo + 1, 'one step');
  // Over its middle, from right to left.
  const over = await draw(at_(0.6, 0.5), at_(0.4, 0.5));
  const middle = over.filter((/** @type {any} */ p) => p.at > 4.5 * RATE && p.at < 7.5 * RATE);
  assert.ok(middle.length >= 2 && middle.every((/** @type {any} */ p) => Math.abs(p.value) < 1.5), JSON.stringify(over));
  assert.deepEqual([over[0], over.at(-1).at], [line[0], line.at(-1).at], 'the rest stands');
  assert.deepEqual(faults, []);
  await close();
});

test('a stretch of a fader is ridden in one gesture on the Desk, and its row says that something changes', async () => {
  const made = await session([]);
  const { page, faults, close } = await open(at.b, `${at.server.url}/sessions/${made.id}/desk`);
  await ready(page);
  await page.getByRole('slider', { name: /keys: level/i }).focus();
  await page.keyboard.press('n');
  await page.getByRole('group', { name: 'Stretch shown' }).getByRole('button', { name: 'song' }).click();
  const box = await boxOf(page.locator('.lane-area'));
  await page.keyboard.down('Shift');
  await page.mouse.move(box.x + box.width / 3, box.y + 20);
  await page.mouse.down();
  await page.mouse.move(box.x + box.width / 2, box.y + 20, { steps: 4 });
  await page.mouse.up();
  await page.keyboard.up('Shift');
  const by = page.getByRole('textbox', { name: 'Write the marked stretch by so many dB' });
  await by.fill('-4');
  await by.press('Enter');
  await settled(page);
  const [ride] = (await stripOf(made.id, made.strip)).over_time;
  assert.equal(ride.param, 'level_db');
  assert.deepEqual(
    ride.points.map((/** @type {any} */ p) => [p.at / RATE, p.value]),
    [
      [4, 0],
      [4.02, -4],
      [5.98, -4],
      [6, 0],
    ],
  );
  assert.equal(await page.locator('.changes-count').textContent(), '1');
  assert.deepEqual(faults, []);
  await close();
});

test("all that changes is listed in order of time; a section's differences are copied and taken away", async () => {
  const made = await session([{ kind: 'compressor' }]);
  const unit = (await stripOf(made.id, made.strip)).rack.units[0].id;
  const here = (/** @type {number} */ section, /** @type {string} */ param, /** @type {any} */ value) =>
    at.change(made.id, { edit: 'set-here', strip: made.strip, unit, param, section, value });
  await here(made.sections.Break, 'ratio', 8);
  await here(made.sections.Break, 'action', 'fet');
  await at.change(made.id, {
    edit: 'set-lane',
    strip: made.strip,
    unit: 0,
    param: 'pan',
    points: [
      { at: 2 * RATE, value: -0.5 },
      { at: 3 * RATE, value: 0.5 },
    ],
  });
  const { page, faults, close } = await open(at.b, bench(made));
  await ready(page);
  await page.keyboard.press('c');
  const rows = page.locator('.changes-sheet tbody tr');
  assert.equal(await rows.count(), 3);
  assert.match((await rows.nth(0).textContent()) ?? '', /bar 2\.1lane.*pan.*lane: 2 points/);
  assert.match((await page.locator('.changes-sheet').textContent()) ?? '', /bar 3\.1Break.*type, CompressorFET/);
  await page.selectOption('[aria-label="Section to copy from"]', { label: 'Break' });
  await page.selectOption('[aria-label="Section to copy to"]', { label: 'Chorus' });
  await page.getByRole('button', { name: 'copy to' }).click();
  await settled(page);
  const both = (await ofUnit(made.id, made.strip)).map((/** @type {any} */ c) => [c.param, c.sections.length]);
  assert.deepEqual(both, [
    ['action', 2],
    ['ratio', 2],
  ]);
  await page.selectOption('[aria-label="Section to copy from"]', { label: 'Break' });
  await page.getByRole('button', { name: 'as whole song' }).click();
  await settled(page);
  assert.deepEqual(
    (await ofUnit(made.id, made.strip)).map((/** @type {any} */ c) => c.sections.map((/** @type {any} */ h) => h.section)),
    [[made.sections.Chorus], [made.sections.Chorus]],
  );
  await page.selectOption('[aria-label="When the tempo changes"]', { label: 'stay on their beats' });
  await settled(page);
  // What was edited last is marked when the list is opened again.
  await rows.nth(1).getByRole('button', { name: 'edit' }).click();
  await page.keyboard.press('c');
  assert.equal(await page.locator('.changes-sheet tr[data-last]').count(), 1);
  assert.equal(await rows.nth(1).getAttribute('data-last'), '');
  await at.change(made.id, { edit: 'set-tempo', tempo_bpm: 60, beats_per_bar: 4 });
  assert.deepEqual(
    (await stripOf(made.id, made.strip)).over_time[0].points.map((/** @type {any} */ p) => p.at),
    [4 * RATE, 6 * RATE],
  );
  assert.deepEqual(faults, []);
  await close();
});

test('what is drawn in two windows on two values stands, and on one value both are told', async () => {
  const made = await session([{ kind: 'compressor' }]);
  const unit = (await stripOf(made.id, made.strip)).rack.units[0].id;
  const { version } = await at.document(made.id);
  const send = (/** @type {string} */ window, /** @type {any} */ edit) =>
    api(`${at.server.url}/api/sessions/${made.id}/edits`, { version, window, ident: `${window}-${JSON.stringify(edit).length}`, edit });
  const lane = (/** @type {string} */ param, /** @type {number} */ value) => ({
    edit: 'set-lane',
    strip: made.strip,
    unit,
    param,
    points: [{ at: 0, value }],
  });
  await send('a', lane('ratio', 2));
  assert.equal(
    (await send('b', { edit: 'set-here', strip: made.strip, unit, param: 'ratio', section: made.sections.Verse, value: 3 })).status,
    200,
  );
  const met = await send('c', lane('ratio', 6));
  assert.deepEqual(met.json.overtook, ['a']);
  const [ratio] = await ofUnit(made.id, made.strip);
  assert.deepEqual([ratio.points[0].value, ratio.sections[0].value], [6, 3]);
});

test('lanes and section values are played as they are printed, within -120 dBFS, from the top', async () => {
  const made = await session([
    { kind: 'surgical-eq', params: { bands: [{ freq_hz: 300, gain_db: 6 }] } },
    { kind: 'compressor', params: { threshold_db: -30, ratio: 4 } },
    { kind: 'saturator', params: { hold_level: false } },
  ]);
  const [eq, compressor, saturator] = (await stripOf(made.id, made.strip)).rack.units.map((/** @type {any} */ u) => u.id);
  const lane = (/** @type {number} */ unit, /** @type {string} */ param, /** @type {[number, number][]} */ points) =>
    at.change(made.id, { edit: 'set-lane', strip: made.strip, unit, param, points: points.map(([s, value]) => ({ at: s * RATE, value })) });
  const here = (/** @type {number} */ unit, /** @type {string} */ param, /** @type {any} */ value) =>
    at.change(made.id, { edit: 'set-here', strip: made.strip, unit, param, section: made.sections.Break, value });
  await lane(eq, 'bands[0].freq_hz', [
    [1, 300],
    [6, 3000],
  ]);
  await lane(compressor, 'release_ms', [
    [1, 40],
    [7, 400],
  ]);
  await lane(saturator, 'drive_db', [
    [0, 0],
    [8, 18],
  ]);
  await lane(0, 'level_db', [
    [0, -12],
    [5, 0],
  ]);
  await here(compressor, 'lookahead_ms', 3);
  await here(compressor, 'action', 'fet');
  await here(saturator, 'character', 'tube');
  await here(0, 'pan', 0.6);
  const {
    json: { job },
  } = await api(`${at.server.url}/api/sessions/${made.id}/prints`, { strip: 1, bits: '32f' });
  const { key } = await follow(at.server.url, job);
  const print = readWav(join(at.data, 'printed', `${key}.wav`));
  const { page, faults, close } = await open(at.b, bench(made));
  const [left, right] = await fromTheTop(page, 9.5);
  assert.deepEqual(faults, []);
  await close();
  const shift = laterBy(left, print.channels[0]);
  const frames = Math.min(9 * RATE, left.length - shift);
  assert.ok(frames > 8 * RATE && rmsDb(left.subarray(shift, shift + frames)) > -60, `captured ${frames} frames`);
  const worst = Math.max(
    peakDifferenceDb(left.subarray(shift), print.channels[0], frames),
    peakDifferenceDb(right.subarray(shift), print.channels[1], frames),
  );
  assert.ok(worst < -120, `differs by ${worst.toFixed(1)} dBFS`);
});
