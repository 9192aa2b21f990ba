// Making room between tracks of the demo: ranked, measured, made, heard, taken back.
import assert from 'node:assert/strict';
import { test } from 'node:test';
import { house } from '../tools/house.js';
import { api, follow, kept, open, ready } from '../tools/program.js';

const at = house();

/** @param {string} name */
async function strip(name) {
  const { session } = await at.document(1);
  return session.strips.find((/** @type {any} */ s) => s.name === name);
}

test('the kick gets room beside the bass: what it brings is measured, made as ordinary bands, and taken back', async () => {
  for (const name of ['Bass DI', 'Bass cabinet']) await at.change(1, { edit: 'set-take-set', strip: (await strip(name)).id, set: 1 });
  const { page, faults, close } = await open(at.b, `${at.server.url}/sessions/1/desk`);
  await ready(page);
  await page.getByRole('button', { name: 'make room' }).click();
  await page.locator('.room-line').first().waitFor();
  assert.ok((await page.locator('.room-line').count()) >= 3);
  // Each place has its note and its frequency.
  for (const place of await page.locator('.room-line .figure:last-child').allTextContents())
    assert.match(place, /^[A-G]#?\d( [+−-]\d+c)?, \d+ Hz$/);
  const names = await page.locator('.room-line b').allTextContents();
  assert.ok(!names.includes('Bass DI · Bass cabinet'), "two recordings of one performance are not in each other's way");
  const [kick, bass] = [await strip('Kick'), await strip('Bass DI')];
  await page.getByLabel('The one that matters').selectOption(String(kick.id));
  await page.getByLabel('The one that gives way').selectOption(String(bass.id));
  await page.getByRole('button', { name: 'Kick', exact: true }).click();
  await page.getByRole('button', { name: 'only while it plays' }).click();
  const made = page.locator('.room-result .strong-button');
  await made.waitFor();
  const words = (await page.locator('.room-result').textContent()) ?? '';
  const [, hz, before, now] =
    /Kick masked by Bass DI at (\d+) Hz: .*there (-?[\d.]+) → (-?[\d.]+) dB over it/.exec(words.replaceAll('−', '-')) ?? [];
  // A dip of at most 5 dB that works while the kick plays.
  assert.ok(Number(now) - Number(before) > 0.5 && Number(now) - Number(before) < 5.5, words);
  assert.ok(Number(hz) >= 40 && Number(hz) <= 5000, words);
  await made.click();
  await kept(page);
  const unit = (await strip('Bass DI')).rack.units.at(-1);
  assert.equal(unit.key.strip, kick.id);
  assert.equal(unit.params.bands[0].dynamic.key, 'key');
  // It can be taken away on the other side as one set.
  await page.locator('#against option', { hasText: 'room for Kick' }).waitFor({ state: 'attached' });
  // Played, the bass gives way on the kick and comes back after it.
  await page.goto(`${at.server.url}/sessions/1/bench/${bass.id}?station=${(await strip('Bass DI')).rack.units.length}`);
  await ready(page);
  await page.locator('.chip').nth(1).click();
  await page.keyboard.press('Space');
  // What is not printed so far into the song is waited for.
  await page.waitForFunction(() => {
    const { host, doc } = window.zincRack;
    return host.playing && host.position > doc.session.sections[1].start + doc.session.rate / 4;
  });
  const seen = await page.evaluate(async () => {
    const moved = [];
    for (let i = 0; i < 60; i += 1) {
      await new Promise((resolve) => setTimeout(resolve, 50));
      const bar = document.querySelector('[data-move="0"]');
      moved.push(Number(bar?.getAttribute('y2')) - Number(bar?.getAttribute('y1')));
    }
    return moved;
  });
  assert.ok(Math.max(...seen) > 3 && Math.min(...seen) < Math.max(...seen) / 2, `moved by ${seen.join(', ')} pixels`);
  await page.keyboard.press('Space');
  assert.deepEqual(faults, []);
  await close();
  const { version } = await at.document(1);
  assert.equal((await api(`${at.server.url}/api/sessions/1/undo`, { version })).status, 200);
  assert.equal((await strip('Bass DI')).rack.units.length, bass.rack.units.length);
});

test('several tracks share one hole, and a pair lifts what it makes room for', async () => {
  const [voice, left, right] = [await strip('Voice'), await strip('Rhythm left DI'), await strip('Rhythm right DI')];
  const asked = await api(`${at.server.url}/api/sessions/1/room`, { greater: voice.id, lesser: [left.id, right.id], way: 'pair' });
  const found = await follow(at.server.url, asked.json.job);
  const bands = found.edit.edits.map((/** @type {any} */ e) => ({ strip: e.strip, ...e.unit.params.bands[0] }));
  assert.deepEqual(
    bands.map((/** @type {any} */ b) => [b.strip, b.freq_hz === bands[0].freq_hz, Math.sign(b.gain_db)]),
    [
      [left.id, true, -1],
      [right.id, true, -1],
      [voice.id, true, 1],
    ],
  );
  // Three dB from the others and two more for the voice in the middle of the bells, less over their third octave.
  for (const { over_after_db: now, over_before_db: before } of found.gains)
    assert.ok(now - before > 3 && now - before < 5.1, JSON.stringify(found.gains));
});

test('pairs are ranked by what is lost at the levels there are: one that is turned down far gives its place to others', async () => {
  const first = async () => {
    const asked = await api(`${at.server.url}/api/sessions/1/collisions`, {});
    const all = await follow(at.server.url, asked.json.job);
    // In the order of the figure that is shown.
    const lost = all.map((/** @type {{ heard: number[] }} */ one) => 1 - Math.min(...one.heard));
    assert.ok(
      lost.length > 1 && lost.every((/** @type {number} */ share, /** @type {number} */ n) => n === 0 || share <= lost[n - 1]),
      `${lost}`,
    );
    return all[0];
  };
  const before = await first();
  for (const strip of [before.first, before.second]) await at.change(1, { edit: 'set-control', strip, control: 'level_db', value: -50 });
  const after = await first();
  assert.ok(after.first !== before.first || after.second !== before.second, JSON.stringify([before, after]));
});
