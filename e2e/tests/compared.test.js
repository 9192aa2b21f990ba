// What is set beside each other by ear and by figures: variants of a trial blind and against each other, a fault shown
// and taken away, an action carried over, one aim held four ways; what rests is dimmed; recipes and giving way.
import assert from 'node:assert/strict';
import { test } from 'node:test';
import { house } from '../tools/house.js';
import { bringIn, open, ready } from '../tools/program.js';
import { RATE, wavBytes } from '../tools/sound.js';

const at = house({ demo: false });
const SECONDS = 10;

/** Drums whose strokes a fast attack takes away. */
const drums = Float32Array.from({ length: SECONDS * RATE }, (_, i) => {
  const s = (i / RATE) % 0.5;
  return 0.8 * Math.exp(-s / 0.003) * Math.sin(2 * Math.PI * 2400 * s) + 0.25 * Math.exp(-s / 0.15) * Math.sin(2 * Math.PI * 180 * s);
});
/** A bass line under them. */
const bass = Float32Array.from({ length: SECONDS * RATE }, (_, i) => {
  const t = i / RATE;
  const s = t % 0.4;
  return 0.4 * Math.exp(-s / 0.5) * Math.min(1, s / 0.004) * Math.sin(2 * Math.PI * 82 * 2 ** ((Math.floor(t / 0.4) % 4) / 12) * t);
});
/** Held notes, with a pluck that jumps out of them twice. */
const plucked = Float32Array.from({ length: SECONDS * RATE }, (_, i) => {
  const t = i / RATE;
  const s = t % 0.75;
  const hz = 130 * 2 ** ((Math.floor(t / 0.75) % 5) / 6);
  let x = 0;
  for (let k = 1; k < 10; k += 1) x += (0.1 * Math.min(1, s / 0.05, (0.75 - s) / 0.05) * Math.sin(2 * Math.PI * hz * k * t)) / k;
  for (const pluck of [4, 8.5]) if (t >= pluck) x += 0.5 * Math.exp(-(t - pluck) / 0.08) * Math.sin(2 * Math.PI * 900 * (t - pluck));
  return x;
});

/** A session with tracks, the first with some units. @param {Record<string, Float32Array>} sounds @param {any[]} units */
async function session(sounds, units) {
  const id = await at.session('compared');
  const strips = [];
  for (const [name, sound] of Object.entries(sounds))
    strips.push((await bringIn(at.server.url, id, `${name}.wav`, wavBytes(RATE, [sound]))).strip);
  for (const [n, unit] of units.entries()) await at.change(id, { edit: 'add-unit', strip: strips[0], at: n, unit });
  return { id, strips, strip: strips[0] };
}

/** @param {number} id @param {number} strip */
const rackOf = async (id, strip) => (await at.document(id)).session.strips.find((/** @type {any} */ s) => s.id === strip).rack.units;
/** @param {import('playwright-core').Page} page */
const settled = (page) =>
  page.waitForFunction(() => !window.zincRack.doc.isKeeping && document.getElementById('kept')?.textContent === 'every change kept');
const bench = (/** @type {{ id: number, strip: number }} */ { id, strip }) => `${at.server.url}/sessions/${id}/bench/${strip}`;

test('variants are heard against each other, as what differs, blind, and kept as candidates; an edit brings the rack back', async () => {
  const made = await session({ drums }, [{ kind: 'compressor', params: { threshold_db: -30, ratio: 8, attack_ms: 5 } }]);
  const { page, faults, close } = await open(at.b, bench(made));
  await ready(page);
  await page.keyboard.press('t');
  const sheet = page.locator('.trial-sheet');
  await sheet.getByLabel('Values, one after another').fill('0, 40');
  await page.keyboard.press('Enter');
  await sheet.locator('tbody tr').nth(2).waitFor();
  await sheet.getByRole('button', { name: 'one hit' }).click();
  const said = (await sheet.locator('figure').textContent()) ?? '';
  assert.match(said, /loudest hit, at \d/);
  assert.ok((await sheet.locator('.trial-hit .cycle').first().getAttribute('d'))?.includes('h'), 'cycles are drawn');
  await sheet.getByLabel('Heard against').selectOption({ label: '0 ms' });
  await sheet.getByRole('button', { name: 'hear 40 ms' }).click();
  assert.equal(await page.evaluate(() => window.zincRack.host.unkept), true);
  await sheet.getByLabel('Hear only what differs').check();
  assert.equal(await page.locator('[data-listen="difference"]').getAttribute('aria-pressed'), 'true');
  await sheet.getByRole('button', { name: 'keep 40 ms as a candidate' }).click();
  await settled(page);
  assert.equal((await rackOf(made.id, made.strip))[0].params.attack_ms, 5, 'nothing of it is in the rack');
  await sheet.getByRole('button', { name: 'blind round' }).click();
  assert.equal(await sheet.locator('.trial-table').getByText('40 ms').count(), 0, 'no name is seen');
  await sheet.getByRole('button', { name: 'hear number 2' }).focus();
  await page.keyboard.press('Enter');
  await sheet.getByRole('button', { name: 'choose number 2' }).click();
  await sheet.locator('.trial-form [role="status"]', { hasText: /You chose (0|40) ms/ }).waitFor();
  await sheet.getByLabel('Heard against').selectOption({ label: '0 ms' });
  await sheet.getByRole('button', { name: 'hear 40 ms' }).click();
  await at.change(made.id, {
    edit: 'set-param',
    strip: made.strip,
    unit: (await rackOf(made.id, made.strip))[0].id,
    param: 'ratio',
    value: 3,
  });
  await page.waitForFunction(() => !window.zincRack.host.unkept);
  assert.deepEqual(faults, []);
  await close();
});

test('a trial that is under way is stopped, and says that nothing was changed', async () => {
  const made = await session({ drums }, [{ kind: 'compressor', params: { threshold_db: -30, ratio: 8, attack_ms: 5 } }]);
  const { page, faults, close } = await open(at.b, bench(made));
  await ready(page);
  await page.keyboard.press('t');
  const sheet = page.locator('.trial-sheet');
  await sheet.getByLabel('Values, one after another').fill(Array.from({ length: 60 }, (_, i) => i + 1).join(', '));
  await page.keyboard.press('Enter');
  await sheet.locator('[role="status"]', { hasText: '%' }).first().waitFor();
  await sheet.getByRole('button', { name: 'stop' }).click();
  await sheet.locator('[role="status"]', { hasText: 'stopped; nothing was changed' }).waitFor();
  assert.deepEqual(faults, []);
  await close();
});

test('a fault is shown far worse and taken away, and the rack is as it was', async () => {
  const made = await session({ drums }, [
    { kind: 'compressor', params: { threshold_db: -28, ratio: 6, knee_db: 0, attack_ms: 0, release_ms: 80 } },
  ]);
  const before = await rackOf(made.id, made.strip);
  const { page, faults, close } = await open(at.b, bench(made));
  await ready(page);
  const fault = page.locator('.advice p', { hasText: 'choked' });
  await fault.waitFor();
  await fault.getByRole('button', { name: 'show me' }).focus();
  await page.keyboard.press('Enter');
  await fault.getByText('far worse than it is').waitFor();
  await page.waitForFunction(() => window.zincRack.host.playing);
  assert.equal(await page.locator('#against').inputValue(), 'tried');
  await fault.getByText('and without it').waitFor();
  await fault.getByRole('button', { name: 'show me' }).waitFor();
  assert.equal(await page.locator('[data-listen="worked"]').getAttribute('aria-pressed'), 'true');
  assert.deepEqual(await rackOf(made.id, made.strip), before);
  assert.deepEqual(faults, []);
  await close();
});

test('an action is carried over to another in one step; its simple face and what rests follow', async () => {
  const made = await session({ bass }, [{ kind: 'compressor', params: { threshold_db: -26, ratio: 4, attack_ms: 8, input_db: 4 } }]);
  const { page, faults, close } = await open(at.b, bench(made));
  await ready(page);
  await page.getByLabel('Carry over to').selectOption({ label: 'VCA' });
  const said = page.locator('.carry-over');
  await said.getByText(/VCA with threshold .* dB rms apart/).waitFor();
  await said.getByRole('button', { name: 'use it' }).click();
  await settled(page);
  const [{ params }] = await rackOf(made.id, made.strip);
  assert.equal(params.action, 'vca');
  await page.keyboard.press('Control+z');
  await settled(page);
  const [{ params: back }] = await rackOf(made.id, made.strip);
  assert.deepEqual([back.action, back.threshold_db, back.attack_ms], ['clean', -26, 8]);
  // Times of its own: attack and release rest, and one amount is enough.
  await page.getByRole('group', { name: 'Compressor: type' }).getByRole('button', { name: 'opto' }).click();
  await page.waitForFunction(() => document.querySelector('.rule.resting [aria-label="Compressor: attack"]'));
  const amount = page.getByRole('slider', { name: 'Compressor: amount' });
  await amount.focus();
  await page.keyboard.press('Home');
  for (let i = 0; i < 30; i += 1) await page.keyboard.press('ArrowRight');
  await page.getByRole('group', { name: 'Compressor: what it does' }).getByRole('button', { name: 'hold' }).click();
  await settled(page);
  const [{ params: opto }] = await rackOf(made.id, made.strip);
  assert.deepEqual([opto.action, opto.threshold_db, opto.ratio], ['opto', -18, 10]);
  // Coupled, the output falls by what the input is up; the offset is kept by make-up.
  await page.locator('.further > summary').click();
  await page.getByRole('button', { name: 'Compressor: link output to input' }).click();
  await page.getByRole('button', { name: 'keep the offset' }).click();
  await settled(page);
  const [{ params: coupled }] = await rackOf(made.id, made.strip);
  assert.deepEqual([coupled.couple_output, coupled.makeup_db], [true, 4]);
  assert.deepEqual(faults, []);
  await close();
});

test('one aim is held four ways, measured side by side, and one of them is taken', async () => {
  const made = await session({ plucked }, [{ kind: 'multiband' }]);
  const { page, faults, close } = await open(at.b, bench(made));
  await ready(page);
  await page.getByRole('button', { name: 'find what stands out' }).click();
  await page
    .getByRole('button', { name: /^four ways to hold/ })
    .first()
    .click();
  const rows = page.locator('.bands-ways tbody tr');
  await rows.nth(3).waitFor();
  const figures = await rows.evaluateAll((all) =>
    all.map((row) => [...row.children].slice(1, 4).map((cell) => Number(cell.textContent?.replace('−', '-')))),
  );
  for (const [down, , elsewhere] of figures.slice(0, 3)) assert.ok(down > 3 && elsewhere <= 0.3, JSON.stringify(figures));
  assert.ok(
    figures[3][0] > 3 && figures.slice(0, 3).every((way) => way[2] < figures[3][2]),
    `a static cut changes all else: ${JSON.stringify(figures)}`,
  );
  assert.ok(figures[2][1] > figures[0][1] + 2, `a plain one takes what lies beside it as well: ${JSON.stringify(figures)}`);
  await page.getByRole('button', { name: 'take the moving band of an EQ' }).focus();
  await page.keyboard.press('Enter');
  await settled(page);
  const units = await rackOf(made.id, made.strip);
  assert.deepEqual(
    units.map((/** @type {any} */ u) => u.kind),
    ['surgical-eq'],
  );
  assert.equal(units[0].params.bands[0].dynamic.on, true);
  assert.deepEqual(faults, []);
  await close();
});

test('a recipe makes a return in one step, a bass gives way to the drums, and what is taken on the way is added up', async () => {
  const made = await session({ bass, drums }, [{ kind: 'compressor', params: { threshold_db: -30, ratio: 4 } }]);
  const { page, faults, close } = await open(at.b, `${at.server.url}/sessions/${made.id}/desk`);
  await ready(page);
  const count = async () => (await at.document(made.id)).session.strips.length;
  const before = await count();
  await page.click(`[data-sends="${made.strips[1]}"]`);
  const sheet = page.locator('.strip-sheet');
  await sheet.getByRole('button', { name: 'parallel thickness' }).focus();
  await page.keyboard.press('Enter');
  await page.waitForFunction((n) => window.zincRack?.doc.session.strips.length > n, before);
  const made2 = (await at.document(made.id)).session.strips.find((/** @type {any} */ s) => s.role === 'return');
  assert.ok(made2.rack.units.length > 0, 'with units');
  await page
    .getByText(/It adds at −12\.0 dB \d+\.\d LU and −?\d+\.\d dB of peaks, at −6\.0 dB .*; most about \d+ Hz/)
    .first()
    .waitFor();
  // Sent after its fader: a part that is turned down reaches its return so much softer.
  await at.change(made.id, { edit: 'set-control', strip: made.strips[1], control: 'level_db', value: -12 });
  await page.waitForFunction((n) => window.zincRack?.doc.find(n).controls.level_db === -12, made.strips[1]);
  await sheet.getByRole('button', { name: 'parallel thickness' }).click();
  await page
    .getByText(/thickness is there already/)
    .first()
    .waitFor();
  assert.equal(await count(), before + 1, 'a second press makes no second return');
  // It goes with what is sent to it, in one step, and is made anew for the part as it is now.
  const steps = await page.evaluate(() => window.zincRack.doc.undo);
  await page.click(`[data-sends="${made2.id}"]`);
  await sheet.getByRole('button', { name: 'remove', exact: true }).click();
  await page.waitForFunction((n) => window.zincRack?.doc.session.strips.length === n, before);
  assert.equal(await page.evaluate(() => window.zincRack.doc.undo), steps + 1, 'one step of undo');
  await page.click(`[data-sends="${made.strips[1]}"]`);
  await sheet.getByRole('button', { name: 'parallel thickness' }).click();
  await page.waitForFunction((n) => window.zincRack?.doc.session.strips.length > n, before);
  const again = (await at.document(made.id)).session.strips.find((/** @type {any} */ s) => s.role === 'return');
  const thresholds = [made2, again].map((/** @type {any} */ s) => s.rack.units[0].params.threshold_db);
  assert.ok(Math.abs(thresholds[0] - thresholds[1] - 12) <= 0.5, `${thresholds}`);
  await page.click(`[data-sends="${made.strip}"]`);
  await sheet.getByRole('button', { name: 'total gain reduction along the path' }).click();
  await sheet.getByText(/total GR along the path: mean bass \d/).waitFor();
  await sheet.getByLabel('at each hit of').selectOption({ label: 'drums' });
  await sheet.getByLabel('by so many dB').fill('4');
  await sheet.getByRole('button', { name: 'give way' }).click();
  await page.waitForFunction((n) => window.zincRack?.doc.find(n).rack.units.length === 2, made.strip);
  const [, gate] = await rackOf(made.id, made.strip);
  assert.deepEqual([gate.kind, gate.params.does, gate.params.range_db, gate.key.strip], ['gate', 'duck', 4, made.strips[1]]);
  assert.deepEqual(faults, []);
  await close();
});

test('a lift dragged across a compressor is measured again at once, and said either way round', async () => {
  const made = await session({ drums }, [
    { kind: 'console-eq', params: { high_db: 12 } },
    { kind: 'compressor', params: { threshold_db: -40, ratio: 8, knee_db: 0, attack_ms: 0.5, release_ms: 60 } },
  ]);
  const { page, faults, close } = await open(at.b, bench(made));
  await ready(page);
  const said = page.locator('.advice p', { hasText: 'survive' });
  await said.getByText(/survive before the reduction/).waitFor();
  await page.locator('.station[data-station="0"]').dragTo(page.locator('.station[data-station="1"]'));
  await said.getByText(/survive after the reduction/).waitFor();
  assert.deepEqual(
    (await rackOf(made.id, made.strip)).map((/** @type {any} */ u) => u.kind),
    ['compressor', 'console-eq'],
  );
  await said.getByRole('button', { name: 'put it before' }).focus();
  await page.keyboard.press('Enter');
  await said.getByText(/survive before the reduction/).waitFor();
  assert.deepEqual(faults, []);
  await close();
});
