// Paths: buses in buses, returns, keys and sends play as they print; circles are refused.
import assert from 'node:assert/strict';
import { join } from 'node:path';
import { test } from 'node:test';
import { house } from '../tools/house.js';
import { api, bringIn, follow, open, ready, run } from '../tools/program.js';
import {
  RATE,
  attachRecorder,
  come,
  fromTheTop,
  heard,
  heardUntil,
  largestStep,
  laterBy,
  listen,
  onset,
  peakDifferenceDb,
  playOn,
  readWav,
  rmsDb,
  wavBytes,
} from '../tools/sound.js';

const at = house();

/** @param {number} id @param {any} edit */
const change = (id, edit) => api(`${at.server.url}/api/sessions/${id}/edits`, { version: 0, edit });

/** Prints through the API, so that the running server keeps its data to itself. @param {number} id @param {number} strip */
async function printed(id, strip) {
  const { json } = await api(`${at.server.url}/api/sessions/${id}/prints`, { strip, bits: '32f' });
  const done = await follow(at.server.url, json.job);
  assert.ok(done.key, done.error);
  return readWav(join(at.data, 'printed', `${done.key}.wav`));
}

/** Adds four buses, three returns, sends of both kinds, keys, polarity and delays to the raw demo. */
async function richSession() {
  const { session } = await at.document(1);
  const named = (/** @type {string} */ name) => session.strips.find((/** @type {any} */ s) => s.name === name).id;
  const add = async (/** @type {string} */ name, /** @type {string} */ role, /** @type {number} */ feeds) => {
    const strip = {
      id: 0,
      name,
      family: 'Fx',
      role,
      feeds,
      controls: { level_db: -6 },
      rack: { zinc_rack: 1, units: [{ kind: 'compressor', params: { threshold_db: -30, ratio: 4, lookahead_ms: 2 } }] },
    };
    return (await change(1, { edit: 'add-strip', at: 99, strip })).json.edit.strip.id;
  };
  const outer = await add('Band', 'bus', named('Main'));
  const inner = await add('Low end', 'bus', outer);
  const [body, attack, echo] = [
    await add('Body', 'return', named('Main')),
    await add('Attack', 'return', outer),
    await add('Echo', 'return', named('Main')),
  ];
  const eq = { kind: 'surgical-eq', params: { bands: [{ freq_hz: 300, gain_db: 3 }] } };
  const keyed = (/** @type {number} */ strip, tap = 'after-rack') => ({
    kind: 'compressor',
    key: { strip, tap },
    params: { threshold_db: -28, ratio: 3, attack_ms: 2, release_ms: 80 },
  });
  const send = (/** @type {number} */ to, /** @type {number} */ level_db, before_fader = false) => ({ to, level_db, before_fader });
  const edits = [
    { edit: 'set-feeds', strip: named('Bass'), to: inner },
    { edit: 'set-feeds', strip: named('Guitars'), to: outer },
    { edit: 'set-sends', strip: named('Kick'), sends: [send(body, -3)] },
    { edit: 'set-sends', strip: named('Snare'), sends: [send(body, 0, true), send(echo, -12)] },
    { edit: 'set-sends', strip: named('Rhythm left DI'), sends: [send(attack, -2)] },
    { edit: 'set-sends', strip: named('Guitars'), sends: [send(echo, -9)] },
    { edit: 'set-sends', strip: echo, sends: [send(body, -15)] },
    { edit: 'add-unit', strip: named('Bass'), at: 0, unit: keyed(named('Kick')) },
    { edit: 'add-unit', strip: attack, at: 0, unit: keyed(named('Bass'), 'before-rack') },
    { edit: 'add-unit', strip: named('Organ'), at: 0, unit: keyed(named('Electric piano')) },
    { edit: 'add-unit', strip: named('Kick'), at: 0, unit: eq },
    { edit: 'set-control', strip: named('Bass cabinet'), control: 'inverted', value: true },
    { edit: 'set-control', strip: named('Bass DI'), control: 'delay_ms', value: 0.9 },
  ];
  const made = await change(1, { edit: 'several', edits });
  assert.equal(made.status, 200, JSON.stringify(made.json));
  return (await at.document(1)).session;
}

test('a session of buses in buses, returns, keys and sends plays as it prints, within -120 dBFS', async () => {
  const session = await richSession();
  const main = session.strips.find((/** @type {any} */ s) => s.role === 'main').id;
  const print = await printed(1, main);
  const bass = session.strips.find((/** @type {any} */ s) => s.name === 'Kick').id;
  for (const path of ['desk', `bench/${bass}`]) {
    const { page, faults, close } = await open(at.b, `${at.server.url}/sessions/1/${path}`);
    const [left, right] = await fromTheTop(page, 6.5);
    assert.deepEqual(faults, []);
    await close();
    const shift = laterBy(left, print.channels[0]);
    const frames = Math.min(9 * RATE, left.length - shift);
    assert.ok(frames > 6 * RATE && rmsDb(left.subarray(shift, shift + frames)) > -60, `captured ${frames} frames`);
    const worst = Math.max(
      peakDifferenceDb(left.subarray(shift), print.channels[0], frames),
      peakDifferenceDb(right.subarray(shift), print.channels[1], frames),
    );
    assert.ok(worst < -120, `${path} differs by ${worst.toFixed(1)} dBFS`);
  }
});

test('a parallel return with an identical copy measures +6.02 dB, and the program says that it only adds level', async () => {
  const {
    json: { id },
  } = await api(`${at.server.url}/api/sessions`, { name: 'copy', rate: RATE });
  const tone = Float32Array.from({ length: 3 * RATE }, (_, i) => 0.2 * Math.sin((2 * Math.PI * 440 * i) / RATE));
  const { strip } = await bringIn(at.server.url, id, 'tone.wav', wavBytes(RATE, [tone]));
  const main = 1;
  const before = rmsDb((await printed(id, main)).channels[0]);
  const back = (
    await change(id, {
      edit: 'add-strip',
      at: 9,
      strip: { id: 0, name: 'Copy', family: 'Fx', role: 'return', feeds: main, controls: {}, rack: { zinc_rack: 1, units: [] } },
    })
  ).json.edit.strip.id;
  await change(id, { edit: 'set-sends', strip, sends: [{ to: back, level_db: 0, before_fader: false }] });
  const after = rmsDb((await printed(id, main)).channels[0]);
  assert.ok(Math.abs(after - before - 6.0206) < 0.001, `${after - before} dB`);
  const { json: graph } = await api(`${at.server.url}/api/sessions/${id}/graph`, undefined, 'GET');
  assert.match(graph.nodes.find((/** @type {any} */ n) => n.id === back).remark, /identical copy and only adds level: \+6\.02 dB of tone/);
  const { page, close } = await open(at.b, `${at.server.url}/sessions/${id}/desk`);
  await ready(page);
  await page.click(`[data-sends="${back}"]`);
  await page.waitForFunction(() => /only adds level/.test(document.querySelector('.strip-sheet')?.textContent ?? ''));
  await close();
});

test('a path in a circle is refused with the path shown, and nothing changes', async () => {
  const {
    json: { id },
  } = await api(`${at.server.url}/api/sessions`, { name: 'circle', rate: RATE });
  const add = async (/** @type {string} */ name) =>
    (
      await change(id, {
        edit: 'add-strip',
        at: 9,
        strip: { id: 0, name, family: 'Fx', role: 'bus', feeds: 1, controls: {}, rack: { zinc_rack: 1, units: [] } },
      })
    ).json.edit.strip.id;
  const [a, c] = [await add('Alpha'), await add('Beta')];
  await change(id, { edit: 'set-feeds', strip: a, to: c });
  const before = await at.document(id);
  const refused = await change(id, { edit: 'set-sends', strip: c, sends: [{ to: a, level_db: 0, before_fader: false }] });
  assert.equal(refused.status, 422);
  assert.match(refused.json.error, /would run in a circle: (Alpha > Beta > Alpha|Beta > Alpha > Beta)/);
  assert.deepEqual((await at.document(id)).session, before.session);
});

test('paths are changed on the Desk while it plays, without a gap or a click', async () => {
  const {
    json: { id },
  } = await api(`${at.server.url}/api/sessions`, { name: 'while playing', rate: RATE });
  const tone = Float32Array.from({ length: 40 * RATE }, (_, i) => 0.2 * Math.sin((2 * Math.PI * 220 * i) / RATE));
  const { strip } = await bringIn(at.server.url, id, 'tone.wav', wavBytes(RATE, [tone]));
  const back = (
    await change(id, {
      edit: 'add-strip',
      at: 9,
      strip: {
        id: 0,
        name: 'Side',
        family: 'Fx',
        role: 'return',
        feeds: 1,
        controls: {},
        rack: { zinc_rack: 1, units: [{ kind: 'compressor', params: { lookahead_ms: 3 } }] },
      },
    })
  ).json.edit.strip.id;
  const { page, faults, close } = await open(at.b, `${at.server.url}/sessions/${id}/desk`);
  await ready(page);
  await attachRecorder(page);
  await playOn(page);
  await come(page, 0.5);
  await page.click(`[data-sends="${strip}"]`);
  await page.getByLabel('send to').selectOption(String(back));
  await come(page, 2.5);
  await page.click(`[data-sends="${strip}"]`);
  await page.click('text=signal path');
  await page.locator('.path-unit').first().click();
  await come(page, 0.8);
  await page.getByRole('button', { name: 'Side, sounding: mute' }).click();
  await come(page, 1.2);
  const [left] = await heard(page);
  const loud = (/** @type {number} */ from, /** @type {number} */ to) => rmsDb(left.slice(from, to));
  const start = onset(left) + 4800;
  assert.ok(left.length - start > 4 * RATE, 'it played on');
  // A send of -12 dB raises the tone by 20 log10(1 + 10^(-12/20)) = 1.95 dB; the mute takes it back.
  const [first, last] = [loud(start, start + 4800), loud(left.length - 4800, left.length)];
  let most = -200;
  for (let i = start; i + 4800 < left.length; i += 4800) most = Math.max(most, loud(i, i + 4800));
  assert.ok(Math.abs(most - first - 1.95) < 0.1, `raised by ${most - first}`);
  assert.ok(Math.abs(last - first) < 0.05, `back within ${last - first}`);
  const own = (2 * Math.PI * 220 * 0.2 * 1.26) / RATE;
  assert.ok(largestStep(left.slice(start)) < own * 1.25, `largest step ${largestStep(left.slice(start))}, the tone's own ${own}`);
  assert.deepEqual(faults, []);
  await close();
});

test('delay and polarity of the demo bass are measured and mended on the Desk', async () => {
  const { session } = await at.document(1);
  const [direct, cabinet] = ['Bass DI', 'Bass cabinet'].map((name) => session.strips.find((/** @type {any} */ s) => s.name === name).id);
  await change(1, { edit: 'set-control', strip: direct, control: 'delay_ms', value: 0 });
  await change(1, { edit: 'set-control', strip: cabinet, control: 'inverted', value: false });
  const { page, faults, close } = await open(at.b, `${at.server.url}/sessions/1/desk`);
  await ready(page);
  await page.click(`[data-sends="${direct}"]`);
  await page.getByLabel('same take as').selectOption(String(cabinet));
  await page.waitForFunction((n) => window.zincRack?.doc.find(n).take_set === 1, direct);
  await page.click('text=measure against Bass cabinet');
  await page.locator('text=/align: \\+/').waitFor();
  assert.match((await page.textContent('.strip-sheet')) ?? '', /Bass cabinet arrives 0\.9[0-6]? ms later than Bass DI, inverted/);
  await page.click('text=/align: \\+/');
  await page.waitForFunction((n) => window.zincRack?.doc.find(n).controls.delay_ms > 0.85, direct);
  const after = (await at.document(1)).session.strips.find((/** @type {any} */ s) => s.id === cabinet);
  assert.equal(after.controls.inverted, true);
  assert.deepEqual(faults, []);
  await close();
});

test('monitor checks are heard and never printed', async () => {
  const {
    json: { id },
  } = await api(`${at.server.url}/api/sessions`, { name: 'checks', rate: RATE });
  const low = Float32Array.from({ length: 10 * RATE }, (_, i) => 0.3 * Math.sin((2 * Math.PI * 60 * i) / RATE));
  await bringIn(at.server.url, id, 'low.wav', wavBytes(RATE, [low]));
  const { page, close } = await open(at.b, `${at.server.url}/sessions/${id}/desk`);
  await ready(page);
  await attachRecorder(page);
  await playOn(page, 10);
  const studio = rmsDb((await listen(page))[0]);
  await page.selectOption('#check', 'small-speaker');
  await heardUntil(page, (sound) => assert.ok(rmsDb(sound) < studio - 30, 'a small speaker does not play 60 Hz'));
  await close();
  assert.ok(Math.abs(rmsDb((await printed(id, 1)).channels[0]) - rmsDb(low)) < 0.01);
  assert.equal(run('check', '--data', at.data, '--json').status, 0);
});
