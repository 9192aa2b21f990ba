// Sessions that are removed, put back, gone for good; what they took of the disk.
import assert from 'node:assert/strict';
import { readdirSync, utimesSync } from 'node:fs';
import { join } from 'node:path';
import { test } from 'node:test';
import { house } from '../tools/house.js';
import { bringIn, open } from '../tools/program.js';
import { RATE, wavBytes } from '../tools/sound.js';

const at = house({ demo: false });

/** A session with one recording of its own. @param {string} name @param {number} hz */
async function session(name, hz) {
  const id = await at.session(name);
  const sound = Float32Array.from({ length: RATE }, (_, i) => 0.2 * Math.sin((2 * Math.PI * hz * i) / RATE));
  await bringIn(at.server.url, id, `${name}.wav`, wavBytes(RATE, [sound]));
  return id;
}

const recordings = () => readdirSync(join(at.data, 'audio'));

/** As if everything had been brought in two days ago. */
function growOld() {
  const then = Date.now() / 1000 - 2 * 24 * 3600;
  for (const folder of ['audio', 'prints', 'printed'])
    for (const file of readdirSync(join(at.data, folder))) utimesSync(join(at.data, folder, file), then, then);
}

test('a removed session is put back with one press, or is gone for good with its recordings after two', async () => {
  await session('stays', 200);
  await session('goes', 300);
  const { page, faults, close } = await open(at.b, `${at.server.url}/`);
  const names = (/** @type {string} */ within) => page.locator(`${within} h2`).allTextContents();
  const item = (/** @type {string} */ name) => page.locator('.shelf-item', { hasText: name });
  await page.locator('#space', { hasText: /recordings 384 kB/ }).waitFor();
  await item('goes').getByRole('button', { name: 'remove' }).click();
  await page.locator('.note', { hasText: 'goes was removed.' }).getByRole('button', { name: 'put it back' }).click();
  await page.waitForFunction(() => document.querySelectorAll('#shelf li').length === 2);
  assert.deepEqual(await names('#shelf'), ['goes', 'stays']);
  await item('goes').getByRole('button', { name: 'remove' }).click();
  await page.getByText('Removed sessions (1)').click();
  assert.match((await item('goes').textContent()) ?? '', /can be put back for 30 days/);
  await item('goes').getByRole('button', { name: 'put back' }).click();
  await page.waitForFunction(() => document.querySelectorAll('#shelf li').length === 2);
  await item('goes').getByRole('button', { name: 'remove' }).click();
  // Its recording is not given back while it lies in the bin.
  growOld();
  await page.reload();
  await page.locator('#space', { hasText: 'On disk' }).waitFor();
  assert.equal(await page.locator('#space button').count(), 0);
  await page.getByText('Removed sessions (1)').click();
  const good = item('goes').getByRole('button', { name: /good/ });
  await good.click();
  assert.equal(await good.textContent(), 'really, for good?');
  await good.click();
  await page.locator('#space button', { hasText: 'delete 192 kB that nothing uses' }).click();
  await page.locator('.note', { hasText: '192 kB were deleted.' }).waitFor();
  await page.locator('#space', { hasText: /recordings 192 kB/ }).waitFor();
  assert.deepEqual([await names('#shelf'), await page.locator('#bin li').count(), recordings().length], [['stays'], 0, 1]);
  assert.deepEqual(faults, []);
  await close();
});
