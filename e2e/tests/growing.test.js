// What is not printed yet is heard while it is made.
import assert from 'node:assert/strict';
import { readdirSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { test } from 'node:test';
import { house } from '../tools/house.js';
import { allPrinted, api, bringIn, open, ready } from '../tools/program.js';
import { RATE, attachRecorder, come, playOn, sounded, wavBytes } from '../tools/sound.js';

// So many that the last section begins behind the longest run-in.
const at = house({ bars: 20 });

/** The demo is printed in a sixth of it. */
const WHOLE_WITHIN_MS = 240_000;

/** Prints that are there. */
const prints = () => readdirSync(join(at.data, 'prints')).filter((name) => name.endsWith('.f32'));
const bench = async () => {
  const { session } = await at.document(2);
  return `bench/${session.strips.find((/** @type {any} */ s) => s.name === 'Cellos').id}`;
};

/** The names and lengths of what the Desk, or the Bench of a strip, plays, where it is still to be made. */
const toCome = async (/** @type {string} */ name) => {
  const { session } = await at.document(2);
  const strip = session.strips.find((/** @type {any} */ s) => s.name === name)?.id ?? 0;
  const { json } = await api(`${at.server.url}/api/sessions/2/streams`, { strip, with: [] });
  const lanes = json.lanes.filter((/** @type {any} */ lane) => lane.url.startsWith('/api/sides/'));
  return { session, job: json.job, lanes };
};

/**
 * One stretch and the mark after it; asked for again, as a page does, where a slow machine has not come so far in time.
 * @param {string} kind @param {string} of @param {number} from @param {number} frames
 */
async function stretch(kind, of, from, frames) {
  const until = Date.now() + WHOLE_WITHIN_MS;
  for (;;) {
    const answer = await fetch(`${at.server.url}/api/stretches?of=${kind}/${of}:${from * 8}:${(from + frames) * 8 - 1}`);
    const bytes = await answer.arrayBuffer();
    if (bytes.byteLength === 0 && Date.now() < until) continue;
    assert.equal(bytes.byteLength, frames * 8 + 4);
    return { sound: new Float32Array(bytes, 0, frames * 2), isPassage: new Uint32Array(bytes, frames * 8, 1)[0] === 1 };
  }
}

/** @param {Float32Array} sound */
const power = (sound) => sound.reduce((sum, x) => sum + x * x, 0);

/** Waits for a job. @param {number} job */
async function done(job) {
  for (;;) {
    const { json } = await api(`${at.server.url}/api/jobs/${job}`, undefined, 'GET');
    if (json.state !== 'running') return json.state;
    await new Promise((resolve) => setTimeout(resolve, 200));
  }
}

/**
 * Two seconds far into the song of all that a page plays, before anything of it is printed; and by how much they differ
 * from what is printed in the end, in dB.
 * @param {string} name
 */
async function farIn(name) {
  const { session, job, lanes } = await toCome(name);
  const from = session.sections.at(-1).start;
  const frames = 2 * session.rate;
  const names = lanes.map((/** @type {any} */ lane) => lane.url.replace('/api/sides/', ''));
  const atOnce = await Promise.all(names.map((/** @type {string} */ name) => stretch('sides', name, from, frames)));
  assert.ok(
    atOnce.every(({ isPassage }) => isPassage),
    'all of it comes from a run-in',
  );
  const apart = async () => {
    assert.equal(await done(job), 'done');
    const exact = await Promise.all(names.map((/** @type {string} */ name) => stretch('sides', name, from, frames)));
    return exact.map(({ sound, isPassage }, n) => {
      assert.ok(!isPassage && power(sound) > 0);
      return Math.round(10 * Math.log10(power(sound.map((x, i) => x - atOnce[n].sound[i])) / power(sound)));
    });
  };
  return { lanes: lanes.length, apart };
}

for (const [name, where, least] of /** @type {[string, () => Promise<string>, number][]} */ ([
  ['the Desk', async () => 'desk', 6],
  ['Cellos', bench, 1],
])) {
  test(`${name}: from a run-in within -60 dB of the print on every lane, heard before that is made and while it changes`, async () => {
    const address = await where();
    const all = prints().length;
    assert.ok(all > 5, `${all} prints of the demo`);
    for (const print of prints()) rmSync(join(at.data, 'prints', print));
    const { lanes, apart } = await farIn(name);
    assert.ok(lanes >= least, `${lanes} lanes to be printed`);
    const { page, faults, close } = await open(at.b, `${at.server.url}/sessions/2/${address}`);
    await ready(page);
    await attachRecorder(page);
    await playOn(page);
    await sounded(page, 0.2);
    const there = prints().length;
    assert.ok(there < all / 2, `${there} of ${all} prints were whole when it had sounded`);
    // What is changed meanwhile is printed as it is now.
    await page.evaluate(() => {
      const { doc } = window.zincRack;
      const strip = doc.session.strips.find((s) => s.name === 'Bass DI');
      const unit = strip?.rack.units[0];
      if (strip && unit) void doc.edit({ edit: 'set-param', strip: strip.id, unit: unit.id, param: 'on', value: !unit.on });
    });
    await come(page, 1);
    // All of it is whole in the end, and nothing more is said of it.
    await allPrinted(page);
    assert.ok(prints().length > there, `${prints().length} prints in the end`);
    await page.locator('#busy').waitFor({ state: 'hidden' });
    const apartDb = await apart();
    assert.ok(
      apartDb.every((db) => db < -60),
      `they differ by ${apartDb.join(', ')} dB`,
    );
    assert.deepEqual(faults, []);
    await close();
  });
}

/** A song of more than a minute whose racks take long to print, with a section at its end. */
async function longSong() {
  const id = await at.session('long');
  for (const [n, seed] of [7, 11].entries()) {
    const sound = Float32Array.from({ length: 70 * RATE }, (_, i) => 0.2 * Math.sin(i * i * 1e-6 * seed));
    const { strip } = await bringIn(at.server.url, id, `take ${n}.wav`, wavBytes(RATE, [sound]));
    for (let k = 0; k < 3; k += 1) await at.change(id, { edit: 'add-unit', strip, at: k, unit: { kind: 'amp' } });
  }
  await at.change(id, { edit: 'add-section', section: { id: 0, name: 'End', start: 62 * RATE, end: 69 * RATE } });
  return id;
}

test('a section far into an unprinted song sounds before its print, is said to settle, and nobody is told of a fault', async () => {
  const { page, faults, close } = await open(at.b, `${at.server.url}/sessions/${await longSong()}/desk`);
  await ready(page);
  await page.evaluate(() => {
    const told = /** @type {string[]} */ ([]);
    Object.assign(window, { told });
    const { host } = window.zincRack;
    host.addEventListener('trouble', (event) => told.push(String(/** @type {CustomEvent} */ (event).detail)));
    host.addEventListener('settling', (event) => told.push(`settling ${/** @type {CustomEvent} */ (event).detail}`));
  });
  await page.locator('.chip').last().click();
  await page.keyboard.press('Space');
  await page.waitForFunction(() => {
    const { host, doc } = window.zincRack;
    return host.playing && host.position > (doc.session.sections.at(-1)?.start ?? 0) + doc.session.rate / 4;
  });
  // It goes over to the print as soon as that has come, while it plays on.
  await page.waitForFunction(() => /** @type {any} */ (window).told.length >= 2, undefined, { timeout: WHOLE_WITHIN_MS });
  assert.deepEqual(await page.evaluate(() => /** @type {any} */ (window).told), ['settling true', 'settling false']);
  assert.equal(await page.locator('#settling').isVisible(), false);
  assert.deepEqual(faults, []);
  await close();
});
