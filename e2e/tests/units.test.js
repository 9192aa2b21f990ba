// Every kind of unit there is, on the Bench: each control by keyboard, kept and heard.
import assert from 'node:assert/strict';
import { test } from 'node:test';
import { house } from '../tools/house.js';
import { bringIn, open, ready } from '../tools/program.js';
import { RATE, attachRecorder, heardUntil, listen, playOn, wavBytes } from '../tools/sound.js';

const at = house({ demo: false });

/** Two different sides with strokes, so that every kind has something to do. */
async function session() {
  const id = await at.session('units');
  const stroke = (/** @type {number} */ i, /** @type {number} */ hz) =>
    0.4 * Math.exp(-(i % 12000) / 4000) * Math.sin((2 * Math.PI * hz * i) / RATE);
  const sides = [220, 331].map((hz) =>
    Float32Array.from({ length: 10 * RATE }, (_, i) => stroke(i, hz) + 0.05 * Math.sin((2 * Math.PI * 3000 * i) / RATE)),
  );
  const { strip } = await bringIn(at.server.url, id, 'strokes.wav', wavBytes(RATE, sides));
  return { id, strip };
}

const kinds = async (/** @type {import('playwright-core').Page} */ page) =>
  page.evaluate(async () => (await import('/static/js/engine/ask.js')).catalogue.kinds);
/** @param {import('playwright-core').Page} page */
const kept = (page) =>
  page.waitForFunction(() => !window.zincRack.doc.isKeeping && document.getElementById('kept')?.textContent === 'every change kept');

/** The values of a unit by where they stand. @param {any} of @param {string} [path] @returns {Map<string, unknown>} */
function values(of, path = '') {
  if (of === null || typeof of !== 'object') return new Map([[path, of]]);
  return new Map(Object.entries(of).flatMap(([name, inner]) => [...values(inner, path ? `${path}.${name}` : name)]));
}

/** Levels over half a second of both sides, their difference and the top, in dB. @param {[Float32Array, Float32Array]} sides */
function figures([left, right]) {
  const db = (/** @type {(i: number) => number} */ of) => {
    let sum = 0;
    for (let i = 4; i < RATE / 2; i += 1) sum += of(i) ** 2;
    return 10 * Math.log10((2 * sum) / RATE + 1e-12);
  };
  return [db((i) => left[i]), db((i) => right[i]), db((i) => left[i] - right[i]), db((i) => left[i] - 2 * left[i - 1] + left[i - 2])];
}

test('every control of every kind is moved by keyboard, kept, and heard', async () => {
  const { id, strip } = await session();
  // A response for the kinds that take one.
  const room = wavBytes(RATE, [Float32Array.from({ length: 4800 }, (_, i) => Math.sin(i * i) * Math.exp(-i / 900))]);
  await fetch(`${at.server.url}/api/sounds?name=room.wav`, { method: 'POST', body: room });
  const { page, faults, close } = await open(at.b, `${at.server.url}/sessions/${id}/bench/${strip}`);
  await ready(page);
  await attachRecorder(page);
  // Two strokes, round and round.
  await playOn(page, 0.5);
  const all = await kinds(page);
  assert.ok(all.length >= 4);
  for (const kind of all) {
    // A row in each list, that of the first at work, so that all controls do something.
    const bends = (/** @type {any} */ list) => list.params.some((/** @type {any} */ p) => p.id === 'gain_db');
    const params = Object.fromEntries(
      kind.lists.map((/** @type {any} */ list, /** @type {number} */ n) => [
        list.id,
        [!n && bends(list) ? { freq_hz: 300, gain_db: 8 } : {}],
      ]),
    );
    await page.evaluate(
      ([s, unit]) => window.zincRack.doc.edit({ edit: 'replace-rack', strip: s, rack: { zinc_rack: 1, units: [unit] } }),
      /** @type {const} */ ([strip, { kind: kind.id, params }]),
    );
    await kept(page);
    await page.waitForFunction((name) => document.querySelector('.unit-head h2')?.textContent === name, kind.name);
    await page.evaluate(() =>
      document.querySelectorAll('#unit details').forEach((fold) => {
        /** @type {HTMLDetailsElement} */ (fold).open = true;
      }),
    );
    // From the first stroke, wherever taking another rack has left the playhead.
    await page.evaluate(() => window.zincRack.host.seek(0));
    const before = figures(await listen(page, 0.5));
    const unit = () => page.evaluate(() => JSON.stringify(window.zincRack.doc.find(window.zincRack.doc.strip).rack.units[0]));
    /**
     * Moves one control and finds that its parameter changed, and no other.
     * @param {string} what @param {() => Promise<unknown>} act @param {string[]} [meant] where its value may stand, if its name says so
     */
    const moves = async (what, act, meant) => {
      const was = values(JSON.parse(await unit()));
      await act();
      const is = values(JSON.parse(await unit()));
      const changed = [...new Set([...was.keys(), ...is.keys()])].filter((path) => was.get(path) !== is.get(path));
      const told = `${kind.id}: ${what} changed ${changed}`;
      assert.ok(changed.length > 0, told);
      // A place of a drawn curve takes its neighbours along; nothing else moves more than itself.
      const drawn = !meant?.length && kind.picture === 'drawn' && changed.every((path) => path.startsWith('params.points.'));
      if (!drawn) assert.equal(changed.length, 1, told);
      if (meant?.length) assert.ok(meant.includes(changed[0]), told);
    };
    /** Where the value of a control with this name stands: two microphones have a distance; none for one of a row. @param {string} label */
    const meantBy = (label) =>
      kind.params.filter((/** @type {any} */ p) => label === `${kind.name}: ${p.label}`).map((/** @type {any} */ p) => `params.${p.id}`);
    const sliders = page.locator('#unit [role="slider"]');
    for (let n = 0; n < (await sliders.count()); n += 1) {
      const slider = sliders.nth(n);
      const label = await slider.getAttribute('aria-label');
      await moves(
        String(label),
        async () => {
          await slider.focus();
          const [now, max] = await Promise.all(['aria-valuenow', 'aria-valuemax'].map((a) => slider.getAttribute(a)));
          await page.keyboard.press(Number(now) >= Number(max) ? 'Shift+ArrowDown' : 'Shift+ArrowUp');
        },
        meantBy(String(label)),
      );
    }
    for (const param of [...kind.params, { id: 'place', label: 'channels', domain: { type: 'choice' } }]) {
      if (param.domain.type === 'number') continue;
      const { label } = param;
      // By its whole name: a row of a list may hold a choice that is called the same.
      const select = page.locator(`#unit select[aria-label="${kind.name}: ${label}"]`);
      const group = page.locator(`#unit [role="group"][aria-label$="${label}"] button[aria-pressed="false"]`);
      const lamp = page.locator('#unit button.lamp', { hasText: new RegExp(`^${label}$`) });
      if (param.domain.type === 'choice' && param.domain.options?.length === 1) continue;
      // What is on the shelf is asked for while the panel is drawn.
      if (param.domain.type === 'sound')
        await page.waitForFunction(
          (of) => /** @type {HTMLSelectElement} */ (document.querySelector(of)).options.length > 1,
          `#unit select[aria-label="${kind.name}: ${label}"]`,
        );
      await moves(label, async () => {
        if (await select.count()) {
          await select.first().focus();
          await page.keyboard.press('ArrowDown');
        } else if (await group.count()) {
          await group.first().focus();
          await page.keyboard.press('Enter');
        } else {
          await lamp.first().focus();
          await page.keyboard.press('Enter');
        }
      }, [param.id === 'place' ? 'place' : `params.${param.id}`]);
    }
    await kept(page);
    const stored = (await at.document(id)).session.strips.find((/** @type {any} */ s) => s.id === strip).rack.units[0];
    assert.deepEqual(stored, JSON.parse(await unit()), `${kind.id} is kept as it is shown`);
    await page.evaluate(() => window.zincRack.host.seek(0));
    await heardUntil(
      page,
      (...sides) => {
        const after = figures(sides);
        const change = Math.max(...after.map((db, i) => Math.abs(db - before[i])));
        assert.ok(change > 0.1, `${kind.id}: heard ${before.map((x) => x.toFixed(2))} before and ${after.map((x) => x.toFixed(2))} after`);
      },
      0.5,
    );
  }
  assert.deepEqual(faults, []);
  await close();
});

test('a kind whose picture is not known has the panel of its table, with its rows, and nothing throws', async () => {
  const { id, strip } = await session();
  await at.change(id, {
    edit: 'replace-rack',
    strip,
    rack: { zinc_rack: 1, units: [{ kind: 'surgical-eq', params: { bands: [{ freq_hz: 300, gain_db: 8 }] } }] },
  });
  const { page, faults, close } = await open(at.b, `${at.server.url}/sessions/${id}/bench/${strip}`);
  await ready(page);
  await page.evaluate(async () => {
    const { catalogue } = await import('/static/js/engine/ask.js');
    catalogue.kinds.find((/** @type {any} */ k) => k.id === 'surgical-eq').picture = 'never heard of';
  });
  await page.locator('[data-station="0"]').click();
  await page.waitForSelector('#unit [aria-label="band 1 gain"]');
  const gain = page.locator('#unit [aria-label="band 1 gain"]');
  await gain.fill('-5');
  await gain.press('Enter');
  await page.locator('#unit select[aria-label="band 1 shape"]').selectOption('notch');
  await page.locator('#unit button', { hasText: '+ band' }).click();
  await kept(page);
  const { bands } = (await at.document(id)).session.strips.find((/** @type {any} */ s) => s.id === strip).rack.units[0].params;
  assert.deepEqual(
    bands.map((/** @type {any} */ b) => [b.shape, b.gain_db]),
    [
      ['notch', -5],
      ['bell', 0],
    ],
  );
  assert.deepEqual(faults, []);
  await close();
});
