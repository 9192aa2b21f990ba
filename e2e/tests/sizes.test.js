// Every page from 640 x 400 (a 1280 x 800 window at 200 %) up to wide screens.
import assert from 'node:assert/strict';
import { test } from 'node:test';
import { house } from '../tools/house.js';
import { boxOf, patient, ready } from '../tools/program.js';

const at = house();
const SIZES = [
  [640, 400],
  [960, 600],
  [1024, 640],
  [1100, 720],
  [1280, 800],
  [1920, 1080],
];

/** @param {string} name */
async function bench(name) {
  const { session } = await at.document(2);
  return `/sessions/2/bench/${session.strips.find((/** @type {any} */ s) => s.name === name).id}`;
}

/** @param {string} path @param {number[]} size */
async function opened(path, [width, height]) {
  const context = await patient(at.b, { viewport: { width, height } });
  const page = await context.newPage();
  await page.goto(at.server.url + path);
  if (path.includes('/desk') || path.includes('/bench')) await ready(page);
  /** The window is drawn to another size; what is drawn by what there is for it follows. @param {number[]} to */
  const resize = async ([across, down]) => {
    await page.setViewportSize({ width: across, height: down });
    await page.evaluate(() => new Promise((resolve) => requestAnimationFrame(() => requestAnimationFrame(resolve))));
  };
  return { page, resize, close: () => context.close() };
}

/** What is wider than the window, or begins or ends outside it. @param {import('playwright-core').Page} page */
const sideways = (page) =>
  page.evaluate(() => {
    const wide = innerWidth + 1;
    const out = document.documentElement.scrollWidth > wide ? [`the page is ${document.documentElement.scrollWidth} wide`] : [];
    for (const one of document.querySelectorAll('button, input:not(.visually-hidden), select, a, h1, h2')) {
      const box = one.getBoundingClientRect();
      if (
        box.width < 2 ||
        !one.checkVisibility({ contentVisibilityAuto: true }) ||
        one.closest('.visually-hidden, .visually-hidden-focusable, .table-scroll')
      )
        continue;
      if (box.right > wide || box.left < -1)
        out.push(`${one.tagName} ${one.id || one.textContent?.slice(0, 30)} from ${box.left.toFixed(0)} to ${box.right.toFixed(0)}`);
    }
    return out;
  });

const PAGES = ['/', '/sessions/2/desk', 'Acoustic', 'Bass DI?station=2', 'Cellos?station=0', '/sessions/2/prints'];

for (const name of PAGES) {
  test(`nothing is cut at the sides of ${name} at any size`, async () => {
    const [strip, query] = name.split('?');
    const path = name.startsWith('/') ? name : `${await bench(strip)}${query ? `?${query}` : ''}`;
    const { page, resize, close } = await opened(path, SIZES[0]);
    // With its menu unfolded.
    if (path.endsWith('/desk')) await page.click('.order-of-work summary');
    for (const size of SIZES) {
      await resize(size);
      assert.deepEqual(await sideways(page), [], `${name} at ${size.join(' x ')}`);
    }
    await close();
  });
}

for (const name of ['/sessions/2/desk', 'Bass DI']) {
  test(`no control of the head and the listen bar of ${name} is outside the window or under something, at any size`, async () => {
    const { page, resize, close } = await opened(name.startsWith('/') ? name : await bench(name), SIZES[0]);
    for (const size of SIZES) {
      await resize(size);
      for (const unfolded of [false, true]) {
        await page.evaluate((is) => document.getElementById('listen-bar')?.classList.toggle('unfolded', is), unfolded);
        const lost = await page.evaluate(() => {
          const all = [...document.querySelectorAll(':is(.head, .listen-bar) :is(button, select, a, input)')];
          const seen = all.filter((one) => one.checkVisibility() && one.getBoundingClientRect().width > 2);
          const isLost = (/** @type {Element} */ one) => {
            const { left, right, top, bottom } = one.getBoundingClientRect();
            const at = document.elementFromPoint((left + right) / 2, (top + bottom) / 2);
            return bottom > innerHeight + 1 || right > innerWidth + 1 || top < -1 || !(one.contains(at) || at?.contains(one));
          };
          return { seen: seen.length, lost: seen.filter(isLost).map((one) => one.id || one.textContent?.trim()) };
        });
        assert.ok(lost.seen > 8, `${lost.seen} controls`);
        assert.deepEqual(lost.lost, [], `${size.join(' x ')}${unfolded ? ', unfolded' : ''}`);
      }
    }
    await close();
  });
}

test('the field of an equaliser can be seen and worked at any size, and dialogs fit', async () => {
  const { page, resize, close } = await opened(await bench('Acoustic'), SIZES[0]);
  for (const size of SIZES) {
    const words = size.join(' x ');
    await resize(size);
    await page.locator('.field-box').scrollIntoViewIfNeeded();
    const peg = page.locator('[data-band="2"] rect').first();
    await peg.scrollIntoViewIfNeeded();
    await page.evaluate(() => document.querySelector('[data-band="2"]')?.scrollIntoView({ block: 'center' }));
    const box = await boxOf(peg);
    const hit = await page.evaluate(
      ([x, y]) => Boolean(document.elementFromPoint(x, y)?.closest('.field-box')),
      [box.x + box.width / 2, box.y + box.height / 2],
    );
    assert.ok(hit, `nothing lies over it at ${words}`);
    const bar = await boxOf(page.locator('#listen-bar'));
    assert.ok(bar.y + bar.height <= size[1] + 1 && bar.height < size[1] / 4, `the listen bar is ${bar.height} high at ${words}`);
    await page.locator('#help').click();
    const dialog = await boxOf(page.locator('#shortcuts'));
    assert.ok(
      dialog.x >= 0 && dialog.y >= 0 && dialog.x + dialog.width <= size[0] && dialog.y + dialog.height <= size[1],
      `${words}: ${JSON.stringify(dialog)}`,
    );
    await page.keyboard.press('Escape');
    await page.waitForSelector('#shortcuts[open]', { state: 'detached' });
  }
  await close();
});

test('in a small window the listen bar is one line, and the rest of it behind a button', async () => {
  const { page, close } = await opened('/sessions/2/desk', [640, 400]);
  assert.ok((await boxOf(page.locator('#listen-bar'))).height < 60);
  assert.equal(await page.locator('#check').isVisible(), false);
  await page.click('#listen-fold');
  assert.equal(await page.locator('#check').isVisible(), true);
  assert.equal(await page.locator('#listen-fold').getAttribute('aria-expanded'), 'true');
  await page.click('#listen-fold');
  assert.equal(await page.locator('.sections').isVisible(), false);
  await close();
});
