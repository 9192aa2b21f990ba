// What is captured in Chromium while a tone plays and things are done has no gap and no step.
import assert from 'node:assert/strict';
import { test } from 'node:test';
import { house } from '../tools/house.js';
import { allPrinted, bringIn, kept, open, ready } from '../tools/program.js';
import { RATE, attachRecorder, come, heard, playOn, wavBytes } from '../tools/sound.js';

const at = house({ demo: false });
const HZ = 437;
const LEVEL = 0.25;
const SECONDS = 60;

/** Two tracks of one tone into a bus with nothing on it. */
async function session() {
  const id = await at.session('unbroken');
  const strips = [];
  for (const [name, share] of /** @type {[string, number][]} */ ([
    ['one.wav', 0.4],
    ['two.wav', 0.6],
  ])) {
    const sound = Float32Array.from({ length: SECONDS * RATE }, (_, i) => share * LEVEL * Math.sin((2 * Math.PI * HZ * i) / RATE));
    const { strip } = await bringIn(at.server.url, id, name, wavBytes(RATE, [sound]));
    assert.ok(strip, name);
    strips.push(strip);
  }
  const bus = (
    await at.change(id, {
      edit: 'add-strip',
      at: 9,
      strip: { id: 0, name: 'Bus', family: 'Gt', role: 'bus', feeds: 1, controls: {}, rack: { zinc_rack: 1, units: [] } },
    })
  ).json.edit.strip.id;
  for (const strip of strips) await at.change(id, { edit: 'set-feeds', strip, to: bus });
  return { id, strips, bus };
}

/**
 * Step and gap of a captured stretch: the largest step as a share of the tone's own, and the
 * softest 5 ms against full swing, in dB.
 * @param {Float32Array} x
 */
function faultsOf(x) {
  let step = 0;
  for (let i = 1; i < x.length; i += 1) step = Math.max(step, Math.abs(x[i] - x[i - 1]));
  let softest = Infinity;
  for (let i = 0; i + 240 <= x.length; i += 240)
    softest = Math.min(
      softest,
      x.subarray(i, i + 240).reduce((m, v) => Math.max(m, Math.abs(v)), 0),
    );
  return { step: step / ((LEVEL * 2 * Math.PI * HZ) / RATE), gap: 20 * Math.log10(softest / LEVEL + 1e-9) };
}

/** @param {import('playwright-core').Page} page */
const settled = async (page) => {
  await kept(page);
  await allPrinted(page);
  await page.waitForTimeout(700);
};

for (const where of ['bench', 'desk']) {
  test(`on the ${where}: phase, units, sends, buses and returns come and go while a tone plays, and it stays one tone`, async () => {
    const {
      id,
      strips: [strip, other],
      bus,
    } = await session();
    const { page, faults, close } = await open(at.b, `${at.server.url}/sessions/${id}${where === 'bench' ? `/bench/${strip}` : '/desk'}`);
    await ready(page);
    await attachRecorder(page);
    // A page that is loaded anew loses this.
    await page.evaluate(() => {
      Object.assign(window, { stayed: true });
    });
    await playOn(page, 30);
    await come(page, 0.5);
    await heard(page);
    const edit = (/** @type {any} */ change) => page.evaluate((e) => window.zincRack.doc.edit(e), change);
    const added = await edit({ edit: 'add-unit', strip, at: 0, unit: { kind: 'surgical-eq' } });
    const eq = added?.unit.id;
    await settled(page);
    for (const phase of ['linear', 'minimum']) {
      await edit({ edit: 'set-param', strip, unit: eq, param: 'phase', value: phase });
      await settled(page);
    }
    const late = await edit({ edit: 'add-unit', strip: bus, at: 0, unit: { kind: 'drawn-eq' } });
    await settled(page);
    await edit({ edit: 'add-unit', strip, at: 0, unit: { kind: 'compressor', params: { ratio: 1, lookahead_ms: 5 } } });
    await settled(page);
    await edit({ edit: 'move-unit', strip, unit: eq, to: 0 });
    await settled(page);
    for (const on of [false, true]) {
      await edit({ edit: 'set-param', strip, unit: eq, param: 'on', value: on });
      await page.waitForTimeout(60);
    }
    await settled(page);
    await edit({ edit: 'remove-unit', strip: bus, unit: late?.unit.id });
    await settled(page);
    /** @param {string} role */
    const add = async (role) => {
      const strip = { id: 0, name: `New ${role}`, family: 'Fx', role, feeds: 1, controls: {}, rack: { zinc_rack: 1, units: [] } };
      const made = await edit({ edit: 'add-strip', at: 9, strip });
      await settled(page);
      return made?.strip.id;
    };
    // So soft that the sum is the tone itself within 0.02 dB.
    await edit({ edit: 'set-sends', strip, sends: [{ to: await add('return'), level_db: -60, before_fader: false }] });
    await settled(page);
    await edit({ edit: 'set-feeds', strip: other, to: await add('bus') });
    await settled(page);
    await edit({ edit: 'rename', strip: other, name: 'Another' });
    await edit({ edit: 'add-section', section: { id: 0, name: 'A', start: 0, end: 30 * RATE } });
    await settled(page);
    assert.equal(await page.evaluate(() => window.stayed), true, 'the page was not loaded anew');
    if (where === 'desk') {
      for (const name of ['Another', 'New return', 'New bus']) await page.locator('.desk-name a', { hasText: name }).waitFor();
    }
    const [sound] = await heard(page);
    assert.ok(sound.length > 4 * RATE, `${sound.length} frames`);
    const { step, gap } = faultsOf(sound);
    assert.ok(step < 1.02 && gap > -0.3, `largest step ${step.toFixed(3)} of the tone's own, softest 5 ms ${gap.toFixed(2)} dB`);
    assert.deepEqual(faults, []);
    await close();
  });
}

test('stop fades what is heard, play begins again, and the network away for three seconds leaves no step', async () => {
  const {
    id,
    strips: [strip],
  } = await session();
  const { page, close } = await open(at.b, `${at.server.url}/sessions/${id}/bench/${strip}`);
  await ready(page);
  await page.evaluate((s) => window.zincRack.doc.edit({ edit: 'add-unit', strip: s, at: 0, unit: { kind: 'drawn-eq' } }), strip);
  await settled(page);
  await attachRecorder(page);
  await page.keyboard.press('Space');
  await page.waitForTimeout(1500);
  for (let n = 0; n < 3; n += 1) {
    await page.keyboard.press('Space');
    await page.waitForTimeout(300);
    await page.keyboard.press('Space');
    await page.waitForTimeout(700);
  }
  let [sound] = await heard(page);
  // A fade of 256 frames from full swing adds a step of 1/256 of the level.
  const fade = LEVEL / 256 / ((LEVEL * 2 * Math.PI * HZ) / RATE);
  assert.ok(faultsOf(sound).step < 1.1 + fade, `stop and start: ${faultsOf(sound).step}`);
  // Nothing more arrives; what there is runs short.
  await page.context().route('**/api/stretches**', (route) => route.abort());
  await page.waitForFunction(
    () => {
      window.zincRack.host.addEventListener(
        'report',
        (/** @type {any} */ e) => {
          window.starved = e.detail.starved;
        },
        { once: true },
      );
      return window.starved > 200;
    },
    undefined,
    { polling: 100 },
  );
  await page.waitForTimeout(3000);
  await page.context().unroute('**/api/stretches**');
  await page.waitForTimeout(4000);
  [sound] = await heard(page);
  // The fade here takes one block.
  const short = LEVEL / 128 / ((LEVEL * 2 * Math.PI * HZ) / RATE);
  assert.ok(faultsOf(sound).step < 1.1 + short, `starved: ${faultsOf(sound).step}`);
  const end = sound.subarray(sound.length - RATE);
  assert.ok(faultsOf(end).gap > -0.3, 'and plays on by itself');
  await close();
});
