// A hand's movement is there at once, whatever the server is busy with.
import assert from 'node:assert/strict';
import { readdirSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { test } from 'node:test';
import { house } from '../tools/house.js';
import { allPrinted, api, open, ready } from '../tools/program.js';

const at = house();

/** @param {string} name */
async function bench(name) {
  const { session } = await at.document(2);
  const { id } = session.strips.find((/** @type {any} */ s) => s.name === name);
  const opened = await open(at.b, `${at.server.url}/sessions/2/bench/${id}`);
  return { ...opened, strip: id };
}

test('a unit is there before the server has answered, is turned there, and is kept as it was turned', async () => {
  const { page, faults, close, strip } = await bench('Bass DI');
  await ready(page);
  /** @type {(() => void)[]} */
  const held = [];
  let holds = true;
  await page.route('**/edits', async (route) => {
    if (holds) await new Promise((resolve) => held.push(() => resolve(undefined)));
    await route.continue();
  });
  const stations = await page.locator('[data-station]').count();
  const before = await page.evaluate(() => window.zincRack.doc.find(window.zincRack.doc.strip).rack.units.length);
  await page.locator('.add-unit summary').click();
  await page.locator('[data-add="width"]').click();
  // No answer has come, nor can it.
  await page.waitForFunction((count) => document.querySelectorAll('[data-station]').length === count, stations + 1);
  const mix = page.locator('#unit [data-path="mix"] input').first();
  await mix.fill('40');
  await mix.press('Enter');
  const turned = () =>
    page.evaluate(() => window.zincRack.doc.find(window.zincRack.doc.strip).rack.units.find((unit) => unit.kind === 'width')?.mix);
  assert.equal(await turned(), 0.4);
  const { session } = (await api(`${at.server.url}/api/sessions/2`, undefined, 'GET')).json;
  assert.equal(session.strips.find((/** @type {any} */ s) => s.id === strip).rack.units.length, before);
  holds = false;
  held.forEach((letGo) => letGo());
  await page.waitForFunction(() => !window.zincRack.doc.isKeeping);
  const { units } = (await at.document(2)).session.strips.find((/** @type {any} */ s) => s.id === strip).rack;
  assert.deepEqual([units.length, units.find((/** @type {any} */ u) => u.kind === 'width').mix], [before + 1, 0.4]);
  assert.deepEqual(faults, []);
  await close();
});

test('answers that come in another order than they were asked for in leave the newest mix playing, and printed to its end', async () => {
  const { page, faults, close, strip } = await bench('Bass DI');
  await ready(page);
  await allPrinted(page);
  /** @type {(() => void)[]} */
  const held = [];
  /** @type {Set<string>} */
  const cancelled = new Set();
  page.on('request', (request) => cancelled.add(request.url().match(/jobs\/(\d+)\/cancel/)?.[1] ?? ''));
  /** @type {number[]} */
  const jobs = [];
  await page.route('**/streams', async (route) => {
    const answer = await route.fetch();
    jobs.push((await answer.json()).job);
    if (held.length === 0) await new Promise((resolve) => held.push(() => resolve(undefined)));
    await route.fulfill({ response: answer });
  });
  // Two that are printed anew: a track of the same bus, and another.
  const turn = (/** @type {string} */ name, /** @type {number} */ level_db) =>
    page.evaluate(
      ([called, value]) => {
        const { doc } = window.zincRack;
        const of = doc.session.strips.find((s) => s.name === called);
        return doc.edit({ edit: 'add-unit', strip: of.id, at: 0, unit: { kind: 'multiband', params: { output_db: value } } });
      },
      [name, level_db],
    );
  assert.ok(await turn('Cellos', -1));
  await page.waitForFunction(() => window.zincRack.printing.asked > 0 && !window.zincRack.printing.isDue);
  while (held.length === 0) await page.waitForTimeout(20);
  assert.ok(await turn('Acoustic', -1));
  await page.waitForFunction(() => window.zincRack.printing.played === window.zincRack.printing.asked);
  held.forEach((letGo) => letGo());
  await allPrinted(page);
  assert.equal(jobs.length, 2);
  assert.ok(jobs.every(Boolean), `each had something to print: ${jobs}`);
  while (!cancelled.has(String(jobs[0]))) await page.waitForTimeout(20);
  assert.ok(!cancelled.has(String(jobs[1])), 'what is played is not given up');
  const { state } = (await api(`${at.server.url}/api/jobs/${jobs[1]}`, undefined, 'GET')).json;
  assert.equal(state, 'done');
  await page.locator('#busy').waitFor({ state: 'hidden' });
  assert.ok(strip && faults.length === 0, faults.join());
  await close();
});

test('far back and far on while it plays: the song goes on there, wherever its sound still has to come from', async () => {
  const { page, faults, close } = await open(at.b, `${at.server.url}/sessions/2/desk`);
  await ready(page);
  await allPrinted(page);
  await page.keyboard.press('Space');
  await page.waitForFunction(() => window.zincRack.host.position > 4 * window.zincRack.doc.session.rate);
  for (const seconds of [20, 5, 12, 33, 32]) {
    await page.evaluate((to) => window.zincRack.host.seek(to * window.zincRack.doc.session.rate + 77), seconds);
    await page.waitForFunction((to) => {
      const { host, doc } = window.zincRack;
      const ahead = host.position / doc.session.rate - to;
      return host.playing && ahead > 0.5 && ahead < 4;
    }, seconds);
  }
  assert.deepEqual(faults, []);
  await close();
});

test('thirty changes are kept one by one while everything is printed and measured anew', async () => {
  const prints = join(at.data, 'prints');
  for (const file of readdirSync(prints)) rmSync(join(prints, file));
  const { page, faults, close } = await bench('Cellos');
  await ready(page);
  const kept = await page.evaluate(async () => {
    const { doc } = window.zincRack;
    /** @type {boolean[]} */
    const whileBusy = [];
    for (let n = 0; n < 30; n += 1) {
      await doc.edit({ edit: 'set-control', strip: doc.strip, control: 'level_db', value: -10 - n / 10 });
      whileBusy.push(!document.body.hasAttribute('data-measured'));
    }
    return whileBusy;
  });
  assert.deepEqual(
    kept,
    Array.from({ length: 30 }, () => true),
    'each was kept before the figures were there',
  );
  await page.waitForSelector('body[data-measured]', { timeout: 240_000 });
  assert.deepEqual(faults, []);
  await close();
});

/** Every piece of sound that a request asks for, as its source and where it begins. @param {string} url */
const pieces = (url) =>
  new URL(url).searchParams.getAll('of').map((piece) => {
    const [of, from] = piece.split(':');
    return { of, from: Number(from) };
  });

/** A Desk whose sound is printed, and all that it asks for after a jump to a place that it does not hold. */
async function jumped() {
  const opened = await open(at.b, `${at.server.url}/sessions/2/desk`);
  const { page } = opened;
  await ready(page);
  await allPrinted(page);
  /** @type {{ url: string, answer: (is: 'given' | 'refused') => void }[]} */
  const asked = [];
  let isOver = false;
  await page.context().route('**/api/stretches**', async (route) => {
    const is = isOver ? 'given' : await new Promise((resolve) => asked.push({ url: route.request().url(), answer: resolve }));
    if (is === 'given') await route.continue();
    else await route.fulfill({ status: 500, json: { error: 'a fault on purpose' } });
  });
  await page.evaluate(() => window.zincRack.host.seek(20 * window.zincRack.doc.session.rate + 77));
  while (asked.length === 0) await page.waitForTimeout(20);
  /** Whether a piece comes after what is heard next of its source. @param {{ of: string, from: number }} piece */
  const follows = ({ of, from }) => {
    const own = asked.flatMap(({ url }) => pieces(url)).filter((piece) => piece.of === of);
    return from > Math.min(...own.map((piece) => piece.from));
  };
  const goOn = () => {
    isOver = true;
    asked.forEach(({ answer }) => answer('given'));
  };
  return { ...opened, asked, follows, goOn };
}

test('what is heard next is asked for first, and what follows when that is there', async () => {
  const { page, close, asked, follows, goOn } = await jumped();
  // None of it is answered: nothing else is asked for but what is heard next.
  await page.waitForTimeout(500);
  const before = asked.length;
  assert.deepEqual(
    asked.map(({ url }) => follows(pieces(url)[0])),
    asked.map(() => false),
    'each begins with what is heard next',
  );
  asked.forEach(({ answer }) => answer('given'));
  while (asked.length === before) await page.waitForTimeout(20);
  assert.ok(follows(pieces(asked[before].url)[0]), 'then what follows');
  goOn();
  await close();
});

test('a source that fails again and again holds up what follows of no other', async () => {
  const { page, close, asked, follows, goOn } = await jumped();
  const [lost] = pieces(asked[0].url);
  let refused = 0;
  // Once it has been refused twice, the second time alone, others are asked for as far ahead as ever.
  for (let seen = 0; ; seen += 1) {
    while (asked.length === seen) await page.waitForTimeout(20);
    const { url, answer } = asked[seen];
    const all = pieces(url);
    const isLost = all.some(({ of }) => of === lost.of);
    if (refused > 1 && !isLost && all.every((piece) => follows(piece))) break;
    refused += Number(isLost);
    answer(isLost ? 'refused' : 'given');
  }
  goOn();
  await close();
});
