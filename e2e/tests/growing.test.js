// What is not printed yet is heard while it is made.
import assert from 'node:assert/strict';
import { readdirSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { test } from 'node:test';
import { house } from '../tools/house.js';
import { open, ready } from '../tools/program.js';
import { attachRecorder, come, playOn, sounded } from '../tools/sound.js';

const at = house();

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
  test(`${name} is heard before anything is printed, which goes on until all is there`, async () => {
    const address = await where();
    const all = prints().length;
    assert.ok(all > 5, `${all} prints of the demo`);
    for (const print of prints()) rmSync(join(at.data, 'prints', print));
    const { page, faults, close } = await open(at.b, `${at.server.url}/sessions/2/${address}`);
    await ready(page);
    await attachRecorder(page);
    await page.keyboard.press('Space');
    await sounded(page, 0.2);
    const there = prints().length;
    assert.ok(there < all / 2, `${there} of ${all} prints were whole when it had sounded`);
    // It says how far it is while there is something to wait for, and nothing more in the end.
    await page.waitForFunction(() => document.getElementById('busy')?.hidden);
    assert.ok(prints().length > there, 'they are whole in the end');
    assert.deepEqual(faults, []);
    await close();
  });
}

test('what is changed while it is printed is printed as it is now, and playing goes on', async () => {
  for (const print of prints()) rmSync(join(at.data, 'prints', print));
  const { page, faults, close } = await open(at.b, `${at.server.url}/sessions/2/desk`);
  await ready(page);
  await attachRecorder(page);
  await playOn(page);
  const { strip, unit } = await page.evaluate(() => {
    const { doc } = window.zincRack;
    const strip = doc.session.strips.find((s) => s.name === 'Bass DI' && s.rack.units.length > 0);
    return { strip: strip?.id ?? 0, unit: strip?.rack.units[0].id ?? 0 };
  });
  await page.evaluate(
    ([s, u]) => window.zincRack.doc.edit({ edit: 'set-param', strip: s, unit: u, param: 'on', value: false }),
    [strip, unit],
  );
  // It plays on, and the mix of now is printed to its end.
  await come(page, 1);
  await page.waitForFunction(() => document.getElementById('busy')?.hidden);
  assert.ok(await page.evaluate(() => window.zincRack.host.playing));
  assert.deepEqual(faults, []);
  await close();
});
