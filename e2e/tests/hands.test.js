// What a hand does on the page, and how far that goes.
import assert from 'node:assert/strict';
import { test } from 'node:test';
import { house } from '../tools/house.js';
import { bringIn, open, ready } from '../tools/program.js';
import { RATE, wavBytes } from '../tools/sound.js';

const at = house({ demo: false });

/** A session with two tracks, and a compressor on the first. */
async function session() {
  const id = await at.session('hands');
  const strips = [];
  for (const hz of [200, 300]) {
    const sound = Float32Array.from({ length: 2 * RATE }, (_, i) => 0.2 * Math.sin((2 * Math.PI * hz * i) / RATE));
    strips.push((await bringIn(at.server.url, id, `${hz}.wav`, wavBytes(RATE, [sound]))).strip);
  }
  await at.change(id, { edit: 'replace-rack', strip: strips[0], rack: { zinc_rack: 1, units: [{ kind: 'compressor' }] } });
  return { id, strips };
}

/** @param {number} id @param {string} where */
async function page(id, where) {
  const opened = await open(at.b, `${at.server.url}/sessions/${id}/${where}`);
  await ready(opened.page);
  return opened;
}

test('a drag on a rule goes on from where its value is, a tenth as far with Alt, and a click moves nothing', async () => {
  const { id, strips } = await session();
  const { page: p, faults, close } = await page(id, `bench/${strips[0]}`);
  const scale = p.locator('#unit [data-path="threshold_db"] .rule-scale').first();
  const box = /** @type {{ x: number, y: number, width: number, height: number }} */ (await scale.boundingBox());
  const threshold = () => p.evaluate(() => Number(window.zincRack.doc.find(window.zincRack.doc.strip).rack.units[0].params.threshold_db));
  const start = await threshold();
  const y = box.y + box.height / 2;
  // Far from where the rider is.
  await p.mouse.move(box.x + 12, y);
  await p.mouse.down();
  await p.mouse.up();
  assert.equal(await threshold(), start, 'a click');
  const drag = async (/** @type {number} */ from, /** @type {number} */ way) => {
    const before = await threshold();
    await p.mouse.move(box.x + from, y);
    await p.mouse.down();
    await p.mouse.move(box.x + from + way, y, { steps: 4 });
    await p.mouse.up();
    return (await threshold()) - before;
  };
  const coarse = await drag(12, 20);
  assert.ok(coarse > 1 && coarse < 15, `20 pixels are ${coarse} dB`);
  assert.ok(Math.abs((await drag(box.width - 12, -20)) + coarse) < 0.3, 'as far wherever it is taken');
  await p.keyboard.down('Alt');
  const fine = await drag(12, 20);
  await p.keyboard.up('Alt');
  assert.ok(Math.abs(fine - coarse / 10) < 0.3, `${fine} dB with Alt, ${coarse} without`);
  await scale.dblclick();
  assert.equal(await threshold(), start);
  const { width } = /** @type {{ width: number }} */ (await p.locator('#unit [data-path="mix"] .rule-scale').first().boundingBox());
  assert.ok(width >= 90, `mix is ${width} pixels wide`);
  assert.deepEqual(faults, []);
  await close();
});

test('while a value is turned the wire stands, and its picture is drawn anew once the hand rests', async () => {
  const { id, strips } = await session();
  const { page: p, faults, close } = await page(id, `bench/${strips[0]}`);
  await p.waitForSelector('body[data-measured]', { state: 'attached' });
  const picture = () => p.locator('#wire .station .thumb').first().innerHTML();
  const before = await picture();
  await p.evaluate(() => {
    Object.assign(window, { madeAnew: 0 });
    const wire = /** @type {HTMLElement} */ (document.getElementById('wire'));
    new MutationObserver(() => {
      /** @type {any} */ (window).madeAnew += 1;
    }).observe(wire, { childList: true });
  });
  const scale = p.locator('#unit [data-path="threshold_db"] .rule-scale').first();
  const box = /** @type {{ x: number, y: number, width: number, height: number }} */ (await scale.boundingBox());
  const y = box.y + box.height / 2;
  const MOVES = 25;
  const threshold = () => p.evaluate(() => Number(window.zincRack.doc.find(window.zincRack.doc.strip).rack.units[0].params.threshold_db));
  const seen = new Set([await threshold()]);
  await p.mouse.move(box.x + 12, y);
  await p.mouse.down();
  for (let n = 1; n <= MOVES; n += 1) {
    await p.mouse.move(box.x + 12 + 2 * n, y);
    await p.evaluate(() => new Promise((resolve) => requestAnimationFrame(resolve)));
    seen.add(await threshold());
  }
  await p.mouse.up();
  assert.ok(seen.size > MOVES / 2, `it was turned to ${seen.size} values`);
  // With what is measured meanwhile, not with what is turned.
  const madeAnew = await p.evaluate(() => /** @type {any} */ (window).madeAnew);
  assert.ok(madeAnew <= MOVES / 4, `made anew ${madeAnew} times in ${MOVES} moves`);
  await p.waitForFunction((was) => document.querySelector('#wire .station .thumb')?.innerHTML !== was, before);
  assert.deepEqual(faults, []);
  await close();
});

test('a unit is found by a word of what it is for, or by its letter, and is put in by Enter', async () => {
  const { id, strips } = await session();
  const { page: p, faults, close } = await page(id, `bench/${strips[0]}`);
  await p.keyboard.press('+');
  const shown = () =>
    p.locator('.add-unit [data-add]:visible').evaluateAll((all) => all.map((b) => /** @type {HTMLElement} */ (b).dataset.add));
  const all = await shown();
  assert.ok(all.length > 15 && (await p.locator('.add-name:visible').count()) === 4, `${all.length} units in groups`);
  await p.keyboard.type('tape');
  assert.ok((await shown()).includes('tape') && (await shown()).length < all.length / 2);
  await p.keyboard.press('Control+a');
  await p.keyboard.type('no such thing');
  assert.deepEqual(await shown(), []);
  assert.ok(await p.getByText('No unit matches.').isVisible());
  await p.keyboard.press('Control+a');
  await p.keyboard.press('Delete');
  await p.keyboard.press('ArrowDown');
  await p.keyboard.press('g');
  const focused = () => p.evaluate(() => /** @type {HTMLElement} */ (document.activeElement).dataset.add);
  const first = await focused();
  await p.keyboard.press('g');
  assert.ok(first?.startsWith('g') && (await focused())?.startsWith('g') && first !== (await focused()), `${first}, ${await focused()}`);
  await p.keyboard.press('Escape');
  assert.equal(await p.locator('.add-unit[open]').count(), 0);
  await p.keyboard.press('+');
  await p.keyboard.type('wid');
  await p.keyboard.press('Enter');
  await p.waitForFunction(() => document.querySelector('.unit-head h2')?.textContent === 'Width');
  assert.deepEqual(faults, []);
  await close();
});

test('"Bench" leads to the strip last worked on, also from a page without a session, and Alt with arrows to its neighbours', async () => {
  const { id, strips } = await session();
  const { page: p, faults, close } = await page(id, `bench/${strips[0]}`);
  await p.keyboard.press('Alt+ArrowRight');
  await p.waitForURL(`**/bench/${strips[1]}`);
  await ready(p);
  for (const other of ['Desk', 'Prints']) {
    await p.locator('.head-nav').getByText(other).click();
    await p.waitForURL(`**/${other.toLowerCase()}`);
    await p.waitForFunction((to) => document.querySelector(`.head-nav a[href$="/bench/${to}"]`), strips[1]);
  }
  await p.locator('.head-nav').getByText('Bench').click();
  await p.waitForURL(`**/bench/${strips[1]}`);
  await ready(p);
  await p.keyboard.press('Alt+ArrowLeft');
  await p.waitForURL(`**/bench/${strips[0]}`);
  // One that is gone leads nowhere.
  await at.change(id, { edit: 'remove-strip', strip: strips[0] });
  await p.goto(`${at.server.url}/sessions/${id}/desk`);
  await p.waitForFunction((to) => document.querySelector(`.head-nav a[href$="/bench/${to}"]`), strips[1]);
  assert.deepEqual(faults, []);
  await close();
});

test('of a unit with at most sixteen controls none is below the fold at 1280 by 800, and no side of its head is cut', async () => {
  const { id, strips } = await session();
  const { page: p, faults, close } = await page(id, `bench/${strips[0]}`);
  await p.setViewportSize({ width: 1280, height: 800 });
  const kinds = await p.evaluate(async () => {
    const { catalogue } = await import('/static/js/engine/ask.js');
    return catalogue.kinds.map((kind) => ({ kind: kind.id, controls: kind.params.filter((param) => !param.further).length }));
  });
  const few = kinds.filter(({ controls }) => controls <= 16);
  assert.ok(few.length > 12, `${few.length} kinds`);
  /** @type {string[]} */
  const below = [];
  for (const { kind } of few) {
    await at.change(id, {
      edit: 'replace-rack',
      strip: strips[0],
      rack: { zinc_rack: 1, units: [{ kind, why: 'to be read from here to there' }] },
    });
    await p.goto(`${at.server.url}/sessions/${id}/bench/${strips[0]}`);
    await ready(p);
    await p.waitForSelector('body[data-measured]', { state: 'attached' });
    const found = await p.evaluate(() => {
      const unit = /** @type {HTMLElement} */ (document.getElementById('unit'));
      const why = /** @type {HTMLInputElement} */ (unit.querySelector('.unit-why'));
      const heads = [...unit.querySelectorAll('.unit-head :is(button, input, select)')];
      const isCut = (/** @type {Element} */ one) => one.getBoundingClientRect().right > unit.getBoundingClientRect().right;
      return { down: unit.scrollHeight - unit.clientHeight, why: why.scrollWidth - why.clientWidth, cut: heads.filter(isCut).length };
    });
    if (found.down > 1 || found.why > 0 || found.cut > 0) below.push(`${kind}: ${JSON.stringify(found)}`);
  }
  assert.deepEqual(below, []);
  assert.deepEqual(faults, []);
  await close();
});
