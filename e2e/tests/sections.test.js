// Sections of the song: made, moved, split, typed and removed on a sheet, never over each other.
import assert from 'node:assert/strict';
import { test } from 'node:test';
import { house } from '../tools/house.js';
import { boxOf, bringIn, kept, open, ready } from '../tools/program.js';
import { RATE, wavBytes } from '../tools/sound.js';

const at = house({ demo: false });
/** A bar at 120 beats a minute. */
const BAR = 2 * RATE;

async function song() {
  const id = await at.session('sections');
  const sound = Float32Array.from({ length: 64 * RATE }, (_, i) => 0.1 * Math.sin(i / 20));
  await bringIn(at.server.url, id, 'take.wav', wavBytes(RATE, [sound]));
  await at.change(id, { edit: 'set-tempo', tempo_bpm: 120, beats_per_bar: 4 });
  for (const [name, from, to] of /** @type {[string, number, number][]} */ ([
    ['Verse', 0, 8],
    ['Chorus', 8, 16],
  ]))
    await at.change(id, { edit: 'add-section', section: { id: 0, name, start: from * BAR, end: to * BAR } });
  const { page, faults, close } = await open(at.b, `${at.server.url}/sessions/${id}/desk`);
  await ready(page);
  await page.keyboard.press('s');
  const sheet = page.locator('.sections-sheet');
  await sheet.waitFor();
  const bars = async () => {
    await kept(page);
    const { session } = await at.document(id);
    return session.sections.map((/** @type {any} */ s) => [s.name, s.start / BAR, s.end / BAR]);
  };
  return { page, sheet, faults, close, bars };
}

test('sections are typed, split, named and removed; a neighbour is cut and said, what would cover one is refused', async () => {
  const { page, sheet, faults, close, bars } = await song();
  const begin = sheet.getByLabel('begin of Chorus');
  await begin.fill('bar 7.1');
  await begin.press('Enter');
  assert.deepEqual(await bars(), [
    ['Verse', 0, 6],
    ['Chorus', 6, 16],
  ]);
  await page.getByText('Cut shorter to make room: Verse').waitFor();
  const end = sheet.getByLabel('end of Verse');
  await end.fill('0:36');
  await end.press('Enter');
  await page.getByText('"Verse" would cover "Chorus"').waitFor();
  assert.equal((await bars())[0][2], 6, 'nothing was changed');
  await sheet.getByRole('button', { name: 'split Chorus' }).click();
  const name = sheet.getByLabel('name of Chorus 2');
  await name.fill('Bridge');
  await name.press('Enter');
  assert.deepEqual((await bars()).slice(1), [
    ['Chorus', 6, 11],
    ['Bridge', 11, 16],
  ]);
  await sheet.getByRole('button', { name: 'A new section' }).click();
  assert.deepEqual((await bars()).at(-1), ['Section 4', 16, 24], 'where there is room');
  await sheet.getByRole('button', { name: 'remove Bridge' }).click();
  assert.equal((await bars()).length, 3);
  assert.deepEqual(faults, []);
  await close();
});

test('sections are drawn, moved and stretched on a ruler as wide as the page, by pointer and by keys', async () => {
  const { page, sheet, faults, close, bars } = await song();
  const ruler = await boxOf(sheet.locator('.sections-ruler'));
  assert.ok(ruler.width > 1100, `${ruler.width} wide`);
  const chorus = sheet.getByRole('button', { name: /^Chorus, / });
  await chorus.focus();
  await page.keyboard.press('ArrowRight');
  await page.keyboard.press('Shift+ArrowRight');
  assert.deepEqual((await bars())[1], ['Chorus', 9, 18]);
  // Its end by the pointer, to the left by two bars.
  const box = await boxOf(chorus);
  const wide = box.width / 9;
  await page.mouse.move(box.x + box.width - 3, box.y + 10);
  await page.mouse.down();
  await page.mouse.move(box.x + box.width - 3 - 2 * wide, box.y + 10, { steps: 5 });
  await page.mouse.up();
  assert.deepEqual((await bars())[1], ['Chorus', 9, 16]);
  // A new one in the empty stretch behind.
  await page.mouse.move(box.x + 12 * wide, box.y + 10);
  await page.mouse.down();
  await page.mouse.move(box.x + 16 * wide, box.y + 10, { steps: 5 });
  await page.mouse.up();
  assert.deepEqual((await bars())[2], ['Section 3', 21, 25]);
  await sheet.getByRole('button', { name: /^Section 3, / }).press('Delete');
  assert.equal((await bars()).length, 2);
  assert.deepEqual(faults, []);
  await close();
});

test('two windows on the sheet at once: each shows what the other did, and what would cover it is refused there too', async () => {
  const { page, sheet, faults, close, bars } = await song();
  const other = await page.context().newPage();
  await other.goto(page.url());
  await ready(other);
  await other.keyboard.press('s');
  const there = other.locator('.sections-sheet');
  await there.waitFor();
  await sheet.getByRole('button', { name: 'remove Verse' }).click();
  await there.getByLabel('name of Verse').waitFor({ state: 'detached' });
  // Both at once: one begins where the other ends.
  const [begin, name] = [sheet.getByLabel('begin of Chorus'), there.getByLabel('name of Chorus')];
  await begin.fill('bar 5.1');
  await name.fill('Refrain');
  await Promise.all([begin.press('Enter'), name.press('Enter')]);
  await sheet.getByLabel('name of Refrain').waitFor();
  await kept(other);
  assert.deepEqual(await bars(), [['Refrain', 4, 16]]);
  await there.getByRole('button', { name: 'A new section' }).click();
  await sheet.getByLabel('name of Section 2').waitFor();
  await kept(other);
  assert.equal((await bars()).length, 2);
  // It lies before: where there is room.
  const first = sheet.getByLabel('begin of Refrain');
  await first.fill('bar 1.1');
  await first.press('Enter');
  await page.getByText('"Refrain" would cover "Section 2"').waitFor();
  assert.deepEqual((await bars()).at(-1), ['Refrain', 4, 16]);
  assert.deepEqual(faults, []);
  await close();
});
