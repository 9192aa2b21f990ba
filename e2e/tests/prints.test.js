// Printing a passage, and what is said of a print that would be silent.
import assert from 'node:assert/strict';
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { test } from 'node:test';
import { house } from '../tools/house.js';
import { api, bringIn, follow, open } from '../tools/program.js';
import { RATE, readWav, wavBytes } from '../tools/sound.js';

const at = house({ demo: false });

async function song() {
  const id = await at.session('passages');
  const sound = Float32Array.from({ length: 12 * RATE }, (_, i) => 0.2 * Math.sin((i * i) / 4e6));
  const { strip } = await bringIn(at.server.url, id, 'take.wav', wavBytes(RATE, [sound]));
  const { strip: silent } = await bringIn(at.server.url, id, 'nothing.wav', wavBytes(RATE, [new Float32Array(12 * RATE)]));
  await at.change(id, {
    edit: 'add-unit',
    strip,
    at: 0,
    unit: { kind: 'compressor', params: { threshold_db: -40, ratio: 4, lookahead_ms: 5 } },
  });
  await at.change(id, { edit: 'set-tempo', tempo_bpm: 120, beats_per_bar: 4 });
  await at.change(id, { edit: 'add-section', section: { id: 0, name: 'Chorus', start: 4 * RATE + 17, end: 7 * RATE } });
  return { id, strip, silent };
}

/** @param {{ key: string, name: string }} done */
async function fetched({ key, name }) {
  const file = join(at.folder.path, `${key}.wav`);
  const bytes = await (await fetch(`${at.server.url}/api/printed/${key}?name=${encodeURIComponent(name)}`)).arrayBuffer();
  writeFileSync(file, Buffer.from(bytes));
  return readWav(file);
}

test('a section is printed as the very samples of the whole, under its name; from a typed place to another as well', async () => {
  const { id, strip } = await song();
  const whole = await follow(at.server.url, (await api(`${at.server.url}/api/sessions/${id}/prints`, { strip, bits: '32f' })).json.job);
  const all = (await fetched(whole)).channels[0];
  const { page, faults, close } = await open(at.b, `${at.server.url}/sessions/${id}/prints`);
  await page.selectOption('#what', String(strip));
  await page.selectOption('#bits', '32f');
  await page.selectOption('#passage', { label: 'Chorus' });
  await page.getByText('0:03.0 long').waitFor();
  const print = async () => {
    const [answer] = await Promise.all([page.waitForResponse(/\/prints$/), page.click('#print')]);
    return follow(at.server.url, (await answer.json()).job);
  };
  const chorus = await print();
  assert.match(chorus.name, /passages - take - Chorus\.wav$/);
  assert.deepEqual((await fetched(chorus)).channels[0], all.slice(4 * RATE + 17, 7 * RATE));
  await page.selectOption('#passage', 'typed');
  await page.getByLabel('From').fill('bar 2.1');
  await page.getByLabel('To', { exact: true }).fill('0:03');
  await page.getByLabel('To', { exact: true }).press('Tab');
  const typed = await print();
  assert.deepEqual((await fetched(typed)).channels[0], all.slice(2 * RATE, 3 * RATE));
  await page.getByLabel('To', { exact: true }).fill('0:01');
  await page.getByLabel('To', { exact: true }).press('Tab');
  await page.getByText('The passage ends before it begins.').waitFor();
  assert.deepEqual(faults, []);
  await close();
  const beyond = await api(`${at.server.url}/api/sessions/${id}/prints`, { strip, bits: '24', passage: [0, 99 * RATE] });
  assert.match((await follow(at.server.url, beyond.json.job)).error, /does not lie within the print/);
});

test('a print that would be silent is said to be before it is made', async () => {
  const { id, strip, silent } = await song();
  const { page, close } = await open(at.b, `${at.server.url}/sessions/${id}/prints`);
  const said = page.locator('#silent');
  await page.selectOption('#what', String(silent));
  await page.getByText('Silent: nothing is recorded here').waitFor();
  await page.selectOption('#what', String(strip));
  await said.waitFor({ state: 'hidden' });
  await at.change(id, { edit: 'set-control', strip, control: 'muted', value: true });
  await at.change(id, { edit: 'set-control', strip: silent, control: 'muted', value: true });
  await page.reload();
  await page.getByText('Silent: all that feeds it is muted.').waitFor();
  await page.selectOption('#what', String(strip));
  await said.waitFor({ state: 'hidden' });
  await close();
});
