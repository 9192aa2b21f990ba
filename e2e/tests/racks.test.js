// Units by name, on several strips, and from strip to strip.
import assert from 'node:assert/strict';
import { test } from 'node:test';
import { house } from '../tools/house.js';
import { bringIn, kept, open, ready } from '../tools/program.js';
import { RATE, wavBytes } from '../tools/sound.js';

const at = house({ demo: false });

/** Three tracks; the first has some units. @param {any[]} units */
async function three(units) {
  const id = await at.session('racks');
  const strips = [];
  for (const [n, name] of ['one', 'two', 'three'].entries()) {
    const sound = Float32Array.from({ length: 4 * RATE }, (_, i) => 0.1 * Math.sin(i / (20 + n)));
    strips.push((await bringIn(at.server.url, id, `${name}.wav`, wavBytes(RATE, [sound]))).strip);
  }
  for (const [n, unit] of units.entries()) await at.change(id, { edit: 'add-unit', strip: strips[0], at: n, unit });
  const kinds = async () => {
    const { session } = await at.document(id);
    return strips.map((of) =>
      session.strips.find((/** @type {any} */ s) => s.id === of).rack.units.map((/** @type {any} */ u) => u.name ?? u.kind),
    );
  };
  return { id, strips, kinds };
}

test('a unit is renamed with R, is called so on the wire, and is called by its kind again with an empty name', async () => {
  const { id, strips, kinds } = await three([{ kind: 'compressor' }]);
  const { page, faults, close } = await open(at.b, `${at.server.url}/sessions/${id}/bench/${strips[0]}`);
  await ready(page);
  await page.keyboard.press('r');
  const box = page.getByLabel('Name of this unit');
  await box.fill('Glue');
  await box.press('Enter');
  assert.equal(await page.locator('.station-name').textContent(), 'Glue');
  assert.equal(await page.locator('#unit h2').textContent(), 'Glue');
  await kept(page);
  assert.deepEqual((await kinds())[0], ['Glue']);
  await page.locator('#unit h2').dblclick();
  await box.fill('');
  await box.press('Enter');
  await kept(page);
  assert.equal(await page.locator('.station-name').textContent(), 'Compressor');
  await page.keyboard.press('Control+z');
  await kept(page);
  assert.deepEqual((await kinds())[0], ['Glue']);
  assert.deepEqual(faults, []);
  await close();
});

test('a unit is copied to several strips at once, free unless a link is asked for, as one step', async () => {
  const { id, strips, kinds } = await three([{ kind: 'saturator' }]);
  const { page, close } = await open(at.b, `${at.server.url}/sessions/${id}/bench/${strips[0]}`);
  await ready(page);
  await page.getByRole('button', { name: 'copy…' }).click();
  const copy = page.getByRole('button', { name: 'copy', exact: true });
  assert.equal(await copy.isDisabled(), true, 'to nobody');
  for (const name of ['two', 'three']) await page.getByRole('group', { name: 'To' }).getByLabel(name).check();
  await copy.click();
  await page.getByText(/Copied to (two, three|three, two)/).waitFor();
  await kept(page);
  assert.deepEqual(await kinds(), [['saturator'], ['saturator'], ['saturator']]);
  const { session } = await at.document(id);
  assert.ok(session.strips.every((/** @type {any} */ s) => s.rack.units.every((/** @type {any} */ u) => !u.follows)));
  await page.keyboard.press('Control+z');
  await kept(page);
  assert.deepEqual(await kinds(), [['saturator'], [], []]);
  await close();
});

test('the Desk shows every unit of a rack with its settings as a tip, and one is dragged to another strip', async () => {
  const units = ['surgical-eq', 'compressor', 'saturator', 'tape', 'width', 'gate', 'limiter', 'transient', 'console-eq'];
  const all = units.map((kind) => (kind === 'compressor' ? { kind, params: { ratio: 8 } } : { kind }));
  const { id, strips, kinds } = await three(all);
  const { page, faults, close } = await open(at.b, `${at.server.url}/sessions/${id}/desk`);
  await ready(page);
  const marks = (/** @type {number} */ strip) => page.locator(`[data-wire="${strip}"] .unit-mark`);
  assert.equal(await marks(strips[0]).count(), units.length);
  const place = await page.locator(`[data-wire="${strips[0]}"]`).boundingBox();
  const last = await marks(strips[0]).last().boundingBox();
  assert.ok(place && last && last.width > 6 && last.x + last.width <= place.x + place.width + 1, JSON.stringify([place, last]));
  assert.match((await marks(strips[0]).nth(1).getAttribute('title')) ?? '', /^Compressor\nratio 8:1/);
  await marks(strips[0])
    .nth(2)
    .dragTo(page.locator(`[data-wire="${strips[1]}"]`));
  await page.getByText(/moved to the end of two/).waitFor();
  await kept(page);
  assert.deepEqual((await kinds())[1], ['saturator']);
  assert.equal((await kinds())[0].length, units.length - 1);
  assert.equal(await marks(strips[1]).count(), 1);
  await page.keyboard.press('Control+z');
  await kept(page);
  assert.deepEqual((await kinds())[1], []);
  assert.deepEqual(faults, []);
  await close();
});
