// What is not printed yet is heard while it is made.
import assert from 'node:assert/strict';
import { readdirSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { test } from 'node:test';
import { house } from '../tools/house.js';
import { open, ready } from '../tools/program.js';
import { attachRecorder, come, playOn, sounded } from '../tools/sound.js';

const at = house();

/** The demo is printed in a sixth of it. */
const WHOLE_WITHIN_MS = 240_000;

/** Prints that are there. */
const prints = () => readdirSync(join(at.data, 'prints')).filter((name) => name.endsWith('.f32'));
const bench = async () => {
  const { session } = await at.document(2);
  return `bench/${session.strips.find((/** @type {any} */ s) => s.name === 'Cellos').id}`;
};

for (const [name, where] of /** @type {[string, () => Promise<string>][]} */ ([
  ['the Desk', async () => 'desk'],
  ['a Bench', bench],
])) {
  test(`${name} is heard before anything is printed, plays on while that changes, and all is there in the end`, async () => {
    const address = await where();
    const all = prints().length;
    assert.ok(all > 5, `${all} prints of the demo`);
    for (const print of prints()) rmSync(join(at.data, 'prints', print));
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
    const until = Date.now() + WHOLE_WITHIN_MS;
    while (prints().length < all / 2 && Date.now() < until) await new Promise((resolve) => setTimeout(resolve, 200));
    assert.ok(prints().length > there, `${prints().length} prints in the end`);
    await page.waitForFunction(() => document.getElementById('busy')?.hidden);
    assert.deepEqual(faults, []);
    await close();
  });
}

test('a section far into a song that is not printed is waited for, and nobody is told of a fault', async () => {
  for (const print of prints()) rmSync(join(at.data, 'prints', print));
  const { page, faults, close } = await open(at.b, `${at.server.url}/sessions/2/desk`);
  await ready(page);
  await page.evaluate(() => {
    const told = /** @type {string[]} */ ([]);
    Object.assign(window, { told });
    window.zincRack.host.addEventListener('trouble', (event) => told.push(String(/** @type {CustomEvent} */ (event).detail)));
  });
  await page.locator('.chip').last().click();
  await page.keyboard.press('Space');
  await page.waitForFunction(() => {
    const { host, doc } = window.zincRack;
    return host.playing && host.position > (doc.session.sections.at(-1)?.start ?? 0) + doc.session.rate / 4;
  });
  assert.deepEqual(await page.evaluate(() => /** @type {any} */ (window).told), []);
  assert.deepEqual(faults, []);
  await close();
});
