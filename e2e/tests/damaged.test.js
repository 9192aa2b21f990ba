// A session whose rows are damaged: it opens, says what is missing, takes no change, and is worked on as a copy.
import assert from 'node:assert/strict';
import { execFileSync } from 'node:child_process';
import { join } from 'node:path';
import { test } from 'node:test';
import { house } from '../tools/house.js';
import { api, bringIn, kept, open, ready, run } from '../tools/program.js';
import { RATE, wavBytes } from '../tools/sound.js';

const at = house({ demo: false });
const tone = (/** @type {number} */ hz) => Float32Array.from({ length: 4 * RATE }, (_, i) => 0.2 * Math.sin((2 * Math.PI * hz * i) / RATE));

test('a damaged session opens read-only, says what it lacks, and goes on as a copy with its journal', async () => {
  const id = await at.session('Two takes');
  await bringIn(at.server.url, id, 'Bass.wav', wavBytes(RATE, [tone(110)]));
  await bringIn(at.server.url, id, 'Keys.wav', wavBytes(RATE, [tone(440)]));
  const strip = async (/** @type {number} */ of, /** @type {string} */ name) => {
    const { session } = await (await fetch(`${at.server.url}/api/sessions/${of}`)).json();
    return session.strips.find((/** @type {{ name: string }} */ s) => s.name === name);
  };
  const [bass, keys] = [await strip(id, 'Bass'), await strip(id, 'Keys')];
  for (const kind of ['width', 'compressor']) await at.change(id, { edit: 'add-unit', strip: bass.id, at: 0, unit: { kind } });
  await at.change(id, { edit: 'set-control', strip: keys.id, control: 'level_db', value: -6 });
  const database = join(at.data, 'zinc.sqlite');
  const unit = "UPDATE units SET body = substr(body, 1, 20) WHERE kind = 'compressor'";
  execFileSync('sqlite3', [database, `${unit}; UPDATE strips SET controls = '{' WHERE name = 'Bass'`]);
  const { page, faults, close } = await open(at.b, `${at.server.url}/`);
  const item = page.locator('.shelf-item', { hasText: 'Two takes' });
  assert.match((await item.textContent()) ?? '', /opens read-only. Not readable: a unit of "Bass", the settings of "Bass"/);
  await page.getByRole('link', { name: 'Two takes' }).click();
  await ready(page);
  const banner = page.locator('.read-only');
  assert.match((await banner.textContent()) ?? '', /This session is damaged and opens read-only/);
  // Of what is heard and looked at nothing is missing but that.
  assert.equal((await strip(id, 'Bass')).rack.units.length, 1);
  await page.goto(`${at.server.url}/sessions/${id}/bench/${bass.id}`);
  await ready(page);
  const refused = await api(`${at.server.url}/api/sessions/${id}/edits`, {
    version: 0,
    edit: { edit: 'set-control', strip: keys.id, control: 'level_db', value: -9 },
  });
  assert.equal(refused.status, 409);
  // Nor does the page say that a change is kept which is not.
  await kept(page);
  assert.equal(await page.locator('#kept').textContent(), 'read-only');
  assert.match(refused.json.error, /read-only.*make a copy of what can be read/);
  assert.match(run('check', '--data', at.data).stdout, /not readable: a unit of "Bass"/);
  assert.match(run('sessions', '--data', at.data).stdout, /damaged, read-only/);
  await banner.getByRole('button', { name: 'copy what can be read' }).click();
  await page.locator('.head-session', { hasText: 'Two takes (what can be read)' }).waitFor();
  await ready(page);
  assert.equal(await banner.count(), 0);
  const copy = Number(page.url().match(/sessions\/(\d+)/)?.[1]);
  assert.equal((await strip(copy, 'Keys')).controls.level_db, -6);
  // Its journal goes back: past what speaks of the unit that is lost, when that is asked for twice.
  const undo = page.getByRole('button', { name: 'undo' });
  await undo.click();
  await kept(page);
  assert.equal((await strip(copy, 'Keys')).controls.level_db ?? 0, 0);
  await undo.click();
  await page.getByText('undo once more to skip it').waitFor();
  await undo.click();
  await kept(page);
  await undo.click();
  await kept(page);
  assert.equal((await strip(copy, 'Bass')).rack.units.length, 0);
  assert.deepEqual(
    faults.filter((fault) => !fault.includes('409')),
    [],
  );
  await close();
});
