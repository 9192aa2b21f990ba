// Every page, dialog and unfolded menu against an automatic checker of accessibility.
import assert from 'node:assert/strict';
import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { test } from 'node:test';
import { house } from '../tools/house.js';
import { open, ready } from '../tools/program.js';

const at = house();
const checker = readFileSync(createRequire(import.meta.url).resolve('axe-core/axe.min.js'), 'utf8');

/** What the checker finds above minor, in words. @param {import('playwright-core').Page} page @returns {Promise<string[]>} */
async function faultsOf(page) {
  await page.evaluate(checker);
  return page.evaluate(async () => {
    // @ts-ignore the checker just put there
    const { violations } = await window.axe.run(document, { resultTypes: ['violations'], rules: { 'target-size': { enabled: true } } });
    return violations
      .filter((/** @type {any} */ v) => v.impact !== 'minor')
      .flatMap((/** @type {any} */ v) =>
        v.nodes.map((/** @type {any} */ n) => `${v.id} (${v.impact}): ${n.target.join(' ')} ${n.html.slice(0, 120)}`),
      );
  });
}

/** @param {string} name @param {string} path @param {(page: import('playwright-core').Page) => Promise<unknown>} [prepare] */
function checked(name, path, prepare = async () => {}) {
  test(`${name} has no fault above minor`, async () => {
    const { page, close } = await open(at.b, at.server.url + path);
    await prepare(page);
    const found = await faultsOf(page);
    await close();
    assert.deepEqual(found, []);
  });
}

/** @param {number} session @param {string} name */
async function bench(session, name) {
  const { session: document } = await at.document(session);
  return `/sessions/${session}/bench/${document.strips.find((/** @type {any} */ s) => s.name === name).id}`;
}

/**
 * @param {string} name
 * @param {number} session
 * @param {string} strip
 * @param {(page: import('playwright-core').Page) => Promise<unknown>} [prepare]
 */
function benchChecked(name, session, strip, prepare = async () => {}) {
  test(`${name} has no fault above minor`, async () => {
    const { page, close } = await open(at.b, at.server.url + (await bench(session, strip)));
    await ready(page);
    await page.waitForSelector('body[data-measured]', { state: 'attached' });
    await prepare(page);
    const found = await faultsOf(page);
    await close();
    assert.deepEqual(found, []);
  });
}

checked('the shelf of sessions', '/');
checked('the sheet of shortcuts', '/sessions/1/prints', async (page) => {
  await page.click('#help');
  await page.waitForSelector('#shortcuts[open]');
});
checked('the Desk', '/sessions/2/desk', ready);
checked('the page of prints', '/sessions/2/prints');
checked('a page that is not there', '/sessions/2/nowhere');
benchChecked('the Bench of a raw part', 1, 'Acoustic', (page) => page.waitForSelector('.raw-spectrum'));
benchChecked('the Bench with an equaliser', 2, 'Acoustic', (page) => page.waitForSelector('.field-box'));
benchChecked('the Bench with a compressor and the menu of units unfolded', 2, 'Bass DI', async (page) => {
  await page.keyboard.press('2');
  await page.click('.add-unit summary');
});
benchChecked('the Bench with the width of a stereo part', 2, 'Acoustic', (page) => page.keyboard.press('3'));
test('the Bench with an amplifier, a cabinet and a stepped tone EQ has no fault above minor', async () => {
  const { page, close } = await open(at.b, at.server.url + (await bench(2, 'Rhythm left DI')));
  await page.waitForSelector('.overtones .plot-bar');
  const found = [await faultsOf(page)];
  await page.keyboard.press('2');
  await page.waitForSelector('.cabinet-front .mic-a');
  found.push(await faultsOf(page));
  await page.evaluate(() =>
    window.zincRack.doc.edit({ edit: 'add-unit', strip: window.zincRack.doc.strip, at: 0, unit: { kind: 'console-eq' } }),
  );
  await page.keyboard.press('1');
  await page.waitForSelector('.tone-eq-controls');
  found.push(await faultsOf(page));
  await close();
  assert.deepEqual(found, [[], [], []]);
});
checked('the page Measure', '/sessions/2/measure', (page) => page.waitForSelector('#plot-step .plot-line'));

test('the dialogs of the Desk have no fault above minor', async () => {
  const { page, close } = await open(at.b, `${at.server.url}/sessions/2/desk`);
  await ready(page);
  for (const name of ['+ tracks', '+ bus', '+ return', 'signal path', 'sets of units', 'make room']) {
    await page.getByRole('button', { name, exact: true }).click();
    await page.waitForSelector('dialog[open]');
    if (name === 'make room') await page.locator('.room-line').first().waitFor();
    const found = await faultsOf(page);
    // The drawing of paths lets the page's keys go on working, so that Escape is not its own.
    if (name === 'signal path') await page.locator('.path-head button').click();
    else await page.keyboard.press('Escape');
    await page.waitForSelector('dialog[open]', { state: 'detached' });
    assert.deepEqual(found, [], name);
  }
  await close();
});
benchChecked('the dialog that copies a unit', 2, 'Acoustic', async (page) => {
  await page.getByRole('button', { name: 'copy…' }).first().click();
  await page.waitForSelector('dialog[open]');
});
