// Honest listening: sides, candidates, keys, passes.
import assert from 'node:assert/strict';
import { test } from 'node:test';
import { house } from '../tools/house.js';
import { api, boxOf, bringIn, open, ready } from '../tools/program.js';
import { RATE, attachRecorder, heard, heardUntil, listen, playOn, rmsDb, sounded, toneDb, wavBytes } from '../tools/sound.js';

const at = house({ demo: false });

/** A session with one track of two tones, each lifted by one band of its own. */
async function twoTones() {
  const {
    json: { id },
  } = await api(`${at.server.url}/api/sessions`, { name: 'tones', rate: RATE });
  const sound = Float32Array.from(
    { length: 40 * RATE },
    (_, i) => 0.05 * Math.sin((2 * Math.PI * 200 * i) / RATE) + 0.05 * Math.sin((2 * Math.PI * 4000 * i) / RATE),
  );
  const { strip } = await bringIn(at.server.url, id, 'tones.wav', wavBytes(RATE, [sound]));
  const bands = [
    { freq_hz: 200, gain_db: 12, q: 4 },
    { freq_hz: 4000, gain_db: 12, q: 4 },
  ];
  await at.change(id, {
    edit: 'replace-rack',
    strip,
    rack: {
      zinc_rack: 1,
      units: [
        { kind: 'surgical-eq', params: { bands } },
        { kind: 'compressor', params: { ratio: 1, makeup_db: 6 } },
      ],
    },
  });
  return { id, strip };
}

test('the untouched side may be without the rack, one unit, one band, or all that follows', async () => {
  const { id, strip } = await twoTones();
  const { page, faults, close } = await open(at.b, `${at.server.url}/sessions/${id}/bench/${strip}`);
  await ready(page);
  await page.uncheck('#matching');
  await attachRecorder(page);
  await playOn(page);
  const [worked] = await listen(page);
  await page.keyboard.press('u');
  /** @type {Record<string, [number, number]>} dB below the worked side at 200 and at 4000 Hz */
  const wanted = { rack: [18, 18], unit: [12, 12], 'so-far': [6, 6], band: [12, 0] };
  for (const [side, [low, high]] of Object.entries(wanted)) {
    await page.selectOption('#against', side);
    await heardUntil(page, (other) => {
      for (const [hz, less] of /** @type {[number, number][]} */ ([
        [200, low],
        [4000, high],
      ])) {
        const found = toneDb(worked, RATE, hz) - toneDb(other, RATE, hz);
        assert.ok(Math.abs(found - less) < 0.3, `${side} at ${hz} Hz: ${found.toFixed(2)} dB, wanted ${less}`);
      }
    });
  }
  // With matching, a level change alone is no difference.
  await page.check('#matching');
  await page.selectOption('#against', 'unit');
  await page.selectOption('#against', 'rack');
  await page.waitForFunction(() => Number(document.querySelector('#matched b')?.textContent?.replace('−', '-').replace(' LU', '')) > 10);
  await heardUntil(page, (other) => assert.ok(Math.abs(rmsDb(other) - rmsDb(worked)) < 0.3));
  assert.deepEqual(faults, []);
  await close();
});

test('sides change by themselves with the passes of a loop', async () => {
  const { id, strip } = await twoTones();
  await at.change(id, { edit: 'set-sections', sections: [{ name: 'One', start: 0, end: RATE }] });
  const { page, close } = await open(at.b, `${at.server.url}/sessions/${id}/bench/${strip}`);
  await ready(page);
  await page.uncheck('#matching');
  await page.click('.chip[data-section="0"]');
  await page.selectOption('#alternate', '2');
  await attachRecorder(page);
  await page.keyboard.press('Space');
  await sounded(page, 5.5);
  const [left] = await heard(page);
  await close();
  const start = left.findIndex((x) => Math.abs(x) > 1e-6);
  const passes = Array.from({ length: 5 }, (_, n) => rmsDb(left.slice(start + (n + 0.3) * RATE, start + (n + 0.7) * RATE)));
  assert.ok(
    passes[0] - passes[2] > 15 &&
      Math.abs(passes[0] - passes[1]) < 0.5 &&
      Math.abs(passes[2] - passes[3]) < 0.5 &&
      Math.abs(passes[4] - passes[0]) < 0.5,
    passes.map((p) => p.toFixed(1)).join(' '),
  );
});

test('candidates are kept, heard against each other, chosen blind and counted', async () => {
  const { id, strip } = await twoTones();
  const { page, faults, close } = await open(at.b, `${at.server.url}/sessions/${id}/bench/${strip}`);
  await ready(page);
  await page.getByRole('button', { name: 'Candidate A: keep the present rack here' }).click();
  await page.locator('[data-station="0"]').press('Delete');
  await page.waitForFunction(() => window.zincRack.doc.session.strips[0].rack.units.length === 1);
  await page.getByRole('button', { name: 'Candidate B: keep the present rack here' }).click();
  await attachRecorder(page);
  await playOn(page);
  const [present] = await listen(page);
  await page.uncheck('#matching');
  await page.getByRole('button', { name: 'Candidate A: hear' }).click();
  assert.equal(await page.textContent('[data-listen][aria-pressed="true"]'), 'candidate A', 'the lit name is what sounds');
  await heardUntil(page, (sound) => assert.ok(toneDb(sound, RATE, 200) - toneDb(present, RATE, 200) > 11, 'A still has its equaliser'));
  await page.getByRole('button', { name: 'blind round' }).click();
  assert.equal(await page.locator('.candidate:has-text("hidden")').count(), 2);
  assert.doesNotMatch((await page.textContent('.candidates')) ?? '', /\bA\b|\bB\b/);
  await page.locator('.candidate button:has-text("choose")').first().click();
  assert.match((await page.textContent('.candidates')) ?? '', /It was [AB]\./);
  assert.match((await page.textContent('.candidates')) ?? '', /1 vote/);
  await page.getByRole('button', { name: 'Candidate A: load' }).click();
  await page.waitForFunction(() => window.zincRack.doc.session.strips[0].rack.units.length === 2);
  assert.deepEqual(faults, []);
  await close();
});

test('a key is chosen on the Bench and ducks while it plays; another part is shown beside this one', async () => {
  const {
    json: { id },
  } = await api(`${at.server.url}/api/sessions`, { name: 'ducked', rate: RATE });
  const steady = Float32Array.from({ length: 30 * RATE }, (_, i) => 0.05 * Math.sin((2 * Math.PI * 300 * i) / RATE));
  const beats = Float32Array.from(
    { length: 30 * RATE },
    (_, i) => (i % RATE < RATE / 2 ? 0.5 : 0) * Math.sin((2 * Math.PI * 60 * i) / RATE),
  );
  const bass = (await bringIn(at.server.url, id, 'bass.wav', wavBytes(RATE, [steady]))).strip;
  const kick = (await bringIn(at.server.url, id, 'kick.wav', wavBytes(RATE, [beats]))).strip;
  await at.change(id, {
    edit: 'replace-rack',
    strip: bass,
    rack: {
      zinc_rack: 1,
      units: [
        { kind: 'compressor', params: { threshold_db: -20, ratio: 'inf', attack_ms: 1, release_ms: 30, knee_db: 0 } },
        { kind: 'surgical-eq', params: { bands: [{ freq_hz: 300, gain_db: 0.1 }] } },
      ],
    },
  });
  const { page, faults, close } = await open(at.b, `${at.server.url}/sessions/${id}/bench/${bass}`);
  await ready(page);
  await page.click('[data-context="alone"]');
  await attachRecorder(page);
  await playOn(page);
  const [before] = await listen(page);
  await page.getByLabel('key: what drives the reduction').selectOption(String(kick));
  await page.waitForFunction((k) => window.zincRack.doc.session.strips[0].rack.units[0].key?.strip === k, kick);
  // The kick peaks 14 dB over the threshold half of the time; alone, the bass is still ducked by it.
  await heardUntil(
    page,
    (after) => {
      const slices = Array.from({ length: 18 }, (_, n) => rmsDb(after.slice(n * 4800, (n + 1) * 4800)));
      assert.ok(Math.abs(Math.max(...slices) - rmsDb(before)) < 0.5, `${Math.max(...slices)} and ${rmsDb(before)}`);
      assert.ok(Math.abs(Math.min(...slices) - rmsDb(before) + 14) < 1, `${Math.min(...slices) - rmsDb(before)}`);
    },
    2.2,
  );
  await page.keyboard.press('2');
  await page.click('.sound-menu summary');
  await page.getByLabel('Another part shown beside this one').selectOption(String(kick));
  await page.waitForFunction(() =>
    /(each other's way at|leave each other alone)/.test(document.querySelector('.beside-said')?.textContent ?? ''),
  );
  assert.deepEqual(faults, []);
  await close();
});

test('hearing a strip with chosen others leaves the rest out', async () => {
  const {
    json: { id },
  } = await api(`${at.server.url}/api/sessions`, { name: 'chosen', rate: RATE });
  const tone = (/** @type {number} */ hz) =>
    wavBytes(RATE, [Float32Array.from({ length: 30 * RATE }, (_, i) => 0.1 * Math.sin((2 * Math.PI * hz * i) / RATE))]);
  const one = (await bringIn(at.server.url, id, 'one.wav', tone(300))).strip;
  await bringIn(at.server.url, id, 'two.wav', tone(700));
  await bringIn(at.server.url, id, 'three.wav', tone(1500));
  const { page, faults, close } = await open(at.b, `${at.server.url}/sessions/${id}/bench/${one}`);
  await ready(page);
  await attachRecorder(page);
  await playOn(page);
  await heardUntil(page, (sound) => assert.ok(toneDb(sound, RATE, 1500) > -21));
  await page.click('[data-context="with"]');
  await page.getByLabel('two').check();
  await page.click('text=hear them');
  await heardUntil(page, (sound) => {
    const [one, two, three] = [300, 700, 1500].map((hz) => toneDb(sound, RATE, hz));
    assert.ok(one > -21 && two > -21 && three < -80, `${one} ${two} ${three}`);
  });
  assert.deepEqual(faults, []);
  await close();
});

test('on a screen 1024 wide the listen bar is whole: nothing cut off, nothing over another', async () => {
  const { id, strip } = await twoTones();
  const { page, faults, close } = await open(at.b, `${at.server.url}/sessions/${id}/bench/${strip}`);
  await page.setViewportSize({ width: 1024, height: 768 });
  await ready(page);
  const bar = await boxOf(page.locator('#listen-bar'));
  assert.ok(bar.x >= 0 && bar.x + bar.width <= 1024 && bar.y + bar.height <= 768, JSON.stringify(bar));
  const boxes = [];
  for (const control of await page.locator('#listen-bar').locator('button:visible, select:visible, input:visible').all())
    boxes.push(await boxOf(control));
  assert.ok(boxes.length > 8, `${boxes.length} controls`);
  for (const [i, a] of boxes.entries()) {
    assert.ok(
      a.x >= bar.x && a.x + a.width <= bar.x + bar.width && a.y >= bar.y - 1 && a.y + a.height <= bar.y + bar.height + 1,
      `${JSON.stringify(a)} in ${JSON.stringify(bar)}`,
    );
    for (const b of boxes.slice(i + 1)) {
      const [wide, high] = [
        Math.min(a.x + a.width, b.x + b.width) - Math.max(a.x, b.x),
        Math.min(a.y + a.height, b.y + b.height) - Math.max(a.y, b.y),
      ];
      assert.ok(wide < 1 || high < 1, `${JSON.stringify(a)} over ${JSON.stringify(b)}`);
    }
  }
  assert.deepEqual(faults, []);
  await close();
});
