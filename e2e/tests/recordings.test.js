// The four recordings beside the demo, brought in: what recorders leave behind is found.
import assert from 'node:assert/strict';
import { readdirSync, statSync } from 'node:fs';
import { join } from 'node:path';
import { test } from 'node:test';
import { house } from '../tools/house.js';
import { api, follow, open, ready } from '../tools/program.js';

const at = house();

test("the four recordings are brought in through the page, and each one's fault is named", async () => {
  const folder = join(at.data, 'recordings');
  const files = readdirSync(folder)
    .sort()
    .map((name) => join(folder, name));
  assert.deepEqual(
    files.map((f) => f.slice(folder.length + 1)),
    [1, 2, 3, 4].map((n) => `track0${n}-take02.wav`),
  );
  assert.ok(
    files.every((f) => statSync(f).size > 5_000_000),
    'each holds the whole song',
  );
  const { page, faults, close } = await open(at.b, at.server.url);
  await page.fill('#new-name', 'Four recordings');
  await page.setInputFiles('#new-files', files);
  await page.click('#new-start');
  await page.locator('#import-end').waitFor({ state: 'visible' });
  assert.equal(await page.locator('#import-results [data-state="kept"]').count(), 4);
  await page.click('#import-open');
  await ready(page);
  const id = Number(page.url().match(/sessions\/(\d+)/)?.[1]);
  const { json: all } = await api(`${at.server.url}/api/sessions/${id}/findings`, undefined, 'GET');
  const faultsOf = (/** @type {number} */ n) => all[n].findings.map((/** @type {any} */ f) => f.fault);
  assert.ok(faultsOf(0).includes('hot'), 'normalised to full scale');
  assert.ok(faultsOf(3).includes('mono-in-stereo'));
  const [, di, cabinet] = (await at.document(id)).session.strips.filter((/** @type {any} */ s) => s.role === 'track');
  const {
    json: { job },
  } = await api(`${at.server.url}/api/sessions/${id}/align`, { first: di.id, second: cabinet.id });
  const found = await follow(at.server.url, job);
  const { session } = await at.document(id);
  const late_ms = (1000 * found.delay_frames) / session.rate;
  assert.ok(Math.abs(late_ms - 0.93) < 0.06, `late by ${late_ms} ms`);
  assert.equal(found.inverted, true);
  assert.deepEqual(faults, []);
  await close();
});
