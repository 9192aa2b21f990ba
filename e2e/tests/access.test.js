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
    const { violations } = await window.axe.run(document, { resultTypes: ['violations'] });
    return violations.filter((/** @type {any} */ v) => v.impact !== 'minor').flatMap((/** @type {any} */ v) => v.nodes.map((/** @type {any} */ n) => `${v.id} (${v.impact}): ${n.target.join(' ')} ${n.html.slice(0, 120)}`));
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

/** @param {string} name @param {number} session @param {string} strip @param {(page: import('playwright-core').Page) => Promise<unknown>} [prepare] */
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
