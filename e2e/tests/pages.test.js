// The real pages in Chromium at 1280x800: play, shape, compare, keep, print.
import assert from 'node:assert/strict';
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { test } from 'node:test';
import { house } from '../tools/house.js';
import { api, bringIn, kept, open, ready, run, start } from '../tools/program.js';
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
  sounded,
  wavBytes,
} from '../tools/sound.js';

const at = house();

/** The worked session's strip of this name. @param {string} name */
async function strip(name) {
  return (await at.document(2)).session.strips.find((/** @type {any} */ s) => s.name === name);
}

/** Takes one step back and waits for it. @param {import('playwright-core').Page} page */
async function undoOnce(page) {
  const steps = await page.evaluate(() => window.zincRack.doc.undo);
  await page.keyboard.press('Control+z');
  await page.waitForFunction((n) => window.zincRack.doc.undo === n - 1, steps);
}

test('the shelf shows both demo sessions', async () => {
  const { page, faults, close } = await open(at.b, at.server.url);
  const names = await page.locator('.shelf-item h2').allTextContents();
  assert.equal(names.length, 2);
  assert.ok(names.some((n) => n.includes('as recorded')) && names.some((n) => n.includes('worked')));
  assert.deepEqual(faults, []);
  await close();
});

test('the mix played from bar 1 is the printed mix within -120 dBFS', async () => {
  const { page, faults, close } = await open(at.b, `${at.server.url}/sessions/2/desk`);
  const [left, right] = await fromTheTop(page, 10.5);
  assert.deepEqual(faults, []);
  await close();
  const main = await strip('Main');
  const print = await printed(main.id, '32f');
  const wav = readWav(print);
  assert.equal(wav.bits, 32);
  const shift = laterBy(left, wav.channels[0]);
  const frames = 10 * RATE;
  assert.ok(left.length - shift > frames, `captured ${left.length} frames from ${shift}`);
  const difference = Math.max(
    peakDifferenceDb(left.subarray(shift), wav.channels[0], frames),
    peakDifferenceDb(right.subarray(shift), wav.channels[1], frames),
  );
  assert.ok(rmsDb(left.subarray(shift, shift + frames)) > -45, 'there was sound');
  assert.ok(difference < -120, `differs by ${difference.toFixed(1)} dBFS`);
});

/** Prints a strip through the API and returns the file. @param {number} id @param {string} bits */
async function printed(id, bits) {
  const { json } = await api(`${at.server.url}/api/sessions/2/prints`, { strip: id, bits });
  for (;;) {
    const state = (await api(`${at.server.url}/api/jobs/${json.job}`, undefined, 'GET')).json;
    assert.notEqual(state.state, 'failed', state.error);
    if (state.state === 'done') {
      const file = join(at.folder.path, `${state.result.key}.wav`);
      const bytes = await (await fetch(`${at.server.url}/api/printed/${state.result.key}?name=x.wav`)).arrayBuffer();
      writeFileSync(file, Buffer.from(bytes));
      return file;
    }
    await new Promise((resolve) => setTimeout(resolve, 100));
  }
}

test('the Bench plays the same mix as the Desk prints, the rack live', async () => {
  const { id } = await strip('Cellos');
  const { page, close } = await open(at.b, `${at.server.url}/sessions/2/bench/${id}`);
  const [left] = await fromTheTop(page, 4.5);
  await close();
  const wav = readWav(await printed((await strip('Main')).id, '32f'));
  const shift = laterBy(left, wav.channels[0]);
  const difference = peakDifferenceDb(left.subarray(shift), wav.channels[0], 4 * RATE);
  assert.ok(difference < -120, `differs by ${difference.toFixed(1)} dBFS`);
});

test('a peg is moved by pointer and by keyboard, a frequency typed; it is heard, kept, undone after a restart', async () => {
  const { id, rack } = await strip('Electric piano');
  const { page, faults, close } = await open(at.b, `${at.server.url}/sessions/2/bench/${id}`);
  await ready(page);
  await attachRecorder(page);
  await page.click('[data-context="alone"]');
  // Two seconds and a half of the Verse, round and round: what is heard differs by the move alone.
  await page.evaluate((frames) => {
    const { host, doc } = window.zincRack;
    const { start } = doc.session.sections[1];
    host.seek(start);
    host.loop([start, start + frames]);
  }, 2.5 * RATE);
  await page.keyboard.press('Space');
  await sounded(page, 1);
  const [beforeMove] = await listen(page, 2.5);
  const box = await page.locator('[data-band="1"] rect').boundingBox();
  assert.ok(box);
  const undo = () => page.evaluate(() => window.zincRack.doc.undo);
  const steps = await undo();
  await page.mouse.move(box.x + 9, box.y + 9);
  await page.mouse.down();
  await page.mouse.move(box.x + 9, box.y - 60, { steps: 8 });
  await page.mouse.move(box.x + 9, box.y - 150, { steps: 8 });
  await page.mouse.up();
  // The bell at 410 Hz went from a cut to a lift: louder.
  await heardUntil(
    page,
    (afterMove) => assert.ok(rmsDb(afterMove) > rmsDb(beforeMove) + 2, `${rmsDb(beforeMove)} to ${rmsDb(afterMove)}`),
    2.5,
  );
  await kept(page);
  assert.equal(await undo(), steps + 1, 'a whole drag is one step');
  const gain = (await strip('Electric piano')).rack.units[0].params.bands[1].gain_db;
  assert.ok(gain > 0, `gain ${gain}`);
  await page.locator('[data-band="1"]').press('ArrowUp');
  await page.locator('[data-band="1"]').press('ArrowRight');
  await kept(page);
  const keyed = (await strip('Electric piano')).rack.units[0].params.bands[1];
  assert.equal(keyed.gain_db, Math.round((gain + 0.5) * 100) / 100);
  const where = page.getByLabel('band 2 frequency');
  await where.fill('2k');
  await where.press('Enter');
  await kept(page);
  assert.equal((await strip('Electric piano')).rack.units[0].params.bands[1].freq_hz, 2000);
  assert.deepEqual(faults, []);
  await page.reload();
  await ready(page);
  assert.equal(await page.getByLabel('band 2 frequency').inputValue(), '2 kHz');
  await at.server.kill('SIGKILL');
  at.server = await start({ data: at.data });
  await page.goto(`${at.server.url}/sessions/2/bench/${id}`);
  await ready(page);
  await undoOnce(page);
  assert.notEqual((await strip('Electric piano')).rack.units[0].params.bands[1].freq_hz, 2000);
  // Keys pressed slowly are a step each.
  while ((await undo()) > steps) await undoOnce(page);
  assert.equal((await strip('Electric piano')).rack.units[0].params.bands[1].gain_db, rack.units[0].params.bands[1].gain_db);
  await close();
});

test('worked and untouched are equally loud within 0.1 LU behind bus and main, and the difference is their difference', async () => {
  // The bass feeds a bus with an equaliser and a compressor, and the main compresses too.
  const { id } = await strip('Bass DI');
  const { page, close } = await open(at.b, `${at.server.url}/sessions/2/bench/${id}`);
  await ready(page);
  await page.waitForSelector('body[data-measured]');
  await page.click('[data-context="alone"]');
  await attachRecorder(page);
  /** @type {Record<string, [Float32Array, Float32Array]>} */
  const sides = {};
  // The Lift, once through for each side, each from the same start.
  const [from, to] = await page.evaluate(() => {
    const s = window.zincRack.doc.session.sections[2];
    return [s.start, s.end];
  });
  await page.click('.chip[data-section="2"]');
  await page.waitForFunction((key) => document.body.dataset.matched?.endsWith(key), `:${from},${to}`);
  for (const mode of ['worked', 'untouched']) {
    await page.click(`[data-listen="${mode}"]`);
    await page.evaluate((frame) => window.zincRack.host.seek(frame), from);
    await heard(page);
    await page.keyboard.press('Space');
    // The loop goes on: a busy machine that starts late still gives the whole section.
    await sounded(page, (to - from) / RATE + 0.1);
    await page.keyboard.press('Space');
    await come(page, 0.15);
    sides[mode] = await heard(page);
  }
  const loud = Object.fromEntries(
    Object.entries(sides).map(([mode, channels]) => {
      const start = onset(channels[0]);
      const file = join(at.folder.path, `${mode}.wav`);
      writeFileSync(
        file,
        wavBytes(
          RATE,
          channels.map((c) => c.slice(start, start + to - from - 4800)),
        ),
      );
      assert.ok(channels[0].length - start >= to - from - 4800, `${mode}: captured ${channels[0].length - start} frames`);
      return [mode, JSON.parse(run('measure', file, '--json').stdout).lufs_integrated];
    }),
  );
  assert.ok(Math.abs(loud.worked - loud.untouched) < 0.1, `${loud.worked} and ${loud.untouched} LUFS`);
  assert.ok(peakDifferenceDb(sides.worked[0], sides.untouched[0], RATE) > -60, 'they are not the same sound');
  await page.keyboard.press('d');
  assert.equal(await page.getAttribute('[data-listen="difference"]', 'aria-pressed'), 'true');
  await page.keyboard.press('u');
  assert.equal(await page.getAttribute('[data-listen="untouched"]', 'aria-pressed'), 'true');
  await close();
});

test('toggling, reordering and replacing units while playing makes no click', async () => {
  const session = (await api(`${at.server.url}/api/sessions`, { name: 'steps', rate: RATE })).json.id;
  // A pure tone: any click stands out of its own largest step.
  const tone = new Float32Array(RATE * 20).map((_, i) => 0.25 * Math.sin((2 * Math.PI * 220 * i) / RATE));
  const id = (await bringIn(at.server.url, session, 'tone.wav', wavBytes(RATE, [tone]))).strip;
  const eq = {
    kind: 'surgical-eq',
    params: {
      bands: [
        { shape: 'bell', freq_hz: 220, gain_db: 6, q: 2 },
        { shape: 'high-pass', freq_hz: 60, slope_db_oct: 48 },
      ],
    },
  };
  const comp = { kind: 'compressor', params: { threshold_db: -24, ratio: 4, attack_ms: 5, release_ms: 100, lookahead_ms: 2 } };
  await api(`${at.server.url}/api/sessions/${session}/edits`, {
    version: 1,
    edit: { edit: 'replace-rack', strip: id, rack: { zinc_rack: 1, units: [eq, comp] } },
  });
  const { page, faults, close } = await open(at.b, `${at.server.url}/sessions/${session}/bench/${id}`);
  await ready(page);
  await attachRecorder(page);
  await playOn(page);
  await come(page, 0.5);
  await heard(page);
  const edits = [
    () => page.keyboard.press('b'),
    () => page.keyboard.press('b'),
    () => page.locator('[data-station="0"]').press('Shift+ArrowRight'),
    () =>
      page.evaluate(
        (strip) =>
          window.zincRack.doc.edit({
            edit: 'replace-rack',
            strip,
            rack: {
              zinc_rack: 1,
              units: [{ kind: 'surgical-eq', params: { bands: [{ shape: 'bell', freq_hz: 300, gain_db: -9, q: 1 }] } }],
            },
          }),
        id,
      ),
    () => page.keyboard.press('Control+z'),
    () => page.keyboard.press('u'),
    () => page.keyboard.press('u'),
    () => page.keyboard.press('d'),
    () => page.keyboard.press('u'),
  ];
  for (const act of edits) {
    await act();
    await come(page, 0.45);
  }
  const [left] = await heard(page);
  assert.deepEqual(faults, []);
  const peak = left.reduce((m, x) => Math.max(m, Math.abs(x)), 0);
  // A 220 Hz sine of that peak steps by at most 2 pi 220 / 48000 of it; glides add a little.
  const own = (2 * Math.PI * 220 * peak) / RATE;
  assert.ok(rmsDb(left) > -40 && left.length > 3 * RATE, 'it played on');
  assert.ok(largestStep(left) < own * 1.25, `largest step ${largestStep(left)}, the tone's own ${own}`);
  await close();
});

test('a control moved on the page is heard within 50 ms', async () => {
  const session = (await api(`${at.server.url}/api/sessions`, { name: 'quick', rate: RATE })).json.id;
  const tone = new Float32Array(RATE * 30).map((_, i) => 0.1 * Math.sin((2 * Math.PI * 1000 * i) / RATE));
  const id = (await bringIn(at.server.url, session, 'tone.wav', wavBytes(RATE, [tone]))).strip;
  await api(`${at.server.url}/api/sessions/${session}/edits`, {
    version: 1,
    edit: {
      edit: 'replace-rack',
      strip: id,
      rack: { zinc_rack: 1, units: [{ kind: 'surgical-eq', params: { bands: [{ shape: 'bell', freq_hz: 1000, gain_db: 0, q: 1 }] } }] },
    },
  });
  const { page, close } = await open(at.b, `${at.server.url}/sessions/${session}/bench/${id}`);
  await ready(page);
  await playOn(page);
  // The tap notes, in the audio clock, when the sound first gets louder by 3 dB.
  const delays = await page.evaluate(async () => {
    const { doc, host } = window.zincRack;
    const code = `registerProcessor('onset', class extends AudioWorkletProcessor {
      process(inputs) {
        const peak = inputs[0].length ? inputs[0][0].reduce((m, x) => Math.max(m, Math.abs(x)), 0) : 0;
        if (this.last && peak > this.last * 1.41) this.port.postMessage(currentTime + 128 / sampleRate);
        this.last = Math.min(this.last ? this.last * 1.02 : peak, peak) || peak;
        return true;
      }
    });`;
    await host.context.audioWorklet.addModule(URL.createObjectURL(new Blob([code], { type: 'text/javascript' })));
    const tap = new AudioWorkletNode(host.context, 'onset', { numberOfOutputs: 0 });
    host.node.connect(tap);
    const unit = doc.session.strips[0].rack.units[0];
    const at = (/** @type {number} */ gain) => ({ ...unit, params: { bands: [{ ...unit.params.bands[0], gain_db: gain }] } });
    const found = [];
    for (let i = 0; i < 9; i += 1) {
      void doc.edit({ edit: 'set-unit', strip: doc.strip, unit: at(0) });
      await new Promise((resolve) => setTimeout(resolve, 300));
      const heard = new Promise((resolve) => {
        tap.port.onmessage = (event) => resolve(event.data);
      });
      const moved = host.context.currentTime;
      void doc.edit({ edit: 'set-unit', strip: doc.strip, unit: at(12) });
      found.push((await heard) - moved);
    }
    return found.sort((a, b) => a - b);
  });
  // The median: this machine also runs the server, the browser and the test.
  assert.ok(delays[4] < 0.05, `heard after ${delays.map((d) => `${(d * 1000).toFixed(0)} ms`).join(', ')}`);
  await close();
});

test('a section loops without a gap, and soloing hears one track', async () => {
  const { page, faults, close } = await open(at.b, `${at.server.url}/sessions/2/desk`);
  await ready(page);
  await attachRecorder(page);
  await page.click('.chip[data-section="0"]');
  await page.keyboard.press('Space');
  await sounded(page, 11);
  const [left] = await heard(page);
  const start = onset(left) + RATE;
  let silent = 0;
  let longest = 0;
  for (let i = start; i < left.length; i += 1) {
    silent = Math.abs(left[i]) < 1e-6 ? silent + 1 : 0;
    longest = Math.max(longest, silent);
  }
  // The Intro is 9.6 s: the loop's seam lies within what was heard.
  assert.ok(longest < 128, `${longest} silent frames`);
  const position = await page.evaluate(() => window.zincRack.host.position);
  const section = await page.evaluate(() => window.zincRack.doc.session.sections[0]);
  assert.ok(position >= section.start && position <= section.end, 'stays in the loop');
  const voice = await strip('Voice');
  await page.click(`[data-solo="${voice.id}"]`);
  // The voice rests in the Intro.
  await heardUntil(page, (sound) => assert.ok(rmsDb(sound) < -60), 1.5);
  assert.deepEqual(faults, []);
  await close();
});

test('levels, mutes and undo work from the Desk', async () => {
  const { page, faults, close } = await open(at.b, `${at.server.url}/sessions/2/desk`);
  await ready(page);
  const kick = await strip('Kick');
  const level = page.locator(`[data-strip="${kick.id}"]`).getByRole('slider', { name: 'Kick: level' });
  await level.press('ArrowLeft');
  await kept(page);
  assert.equal((await strip('Kick')).controls.level_db, kick.controls.level_db - 0.5);
  await page.click(`[data-mute="${kick.id}"]`);
  await kept(page);
  assert.equal((await strip('Kick')).controls.muted, true);
  await page.click('#undo');
  await page.waitForFunction((id) => window.zincRack.doc.find(id).controls.muted === false, kick.id);
  await page.click('#undo');
  await page.waitForFunction(([id, db]) => window.zincRack.doc.find(id).controls.level_db === db, [kick.id, kick.controls.level_db]);
  const typed = page.locator(`[data-strip="${kick.id}"]`).getByLabel('Kick: level, type a value');
  await typed.fill('99');
  await typed.press('Enter');
  await page.waitForSelector('.note');
  assert.match((await page.textContent('.note')) ?? '', /outside .* the old value was kept/);
  assert.deepEqual(faults, []);
  await close();
});

test('a track is printed and downloaded, and is what was heard of it', async () => {
  const voice = await strip('Voice');
  const { page, faults, close } = await open(at.b, `${at.server.url}/sessions/2/prints`);
  await page.selectOption('#what', String(voice.id));
  await page.selectOption('#bits', '24');
  await page.click('#print');
  const link = page.locator('#prints a');
  await link.waitFor();
  const [download] = await Promise.all([page.waitForEvent('download'), link.click()]);
  assert.match(download.suggestedFilename(), /worked - Voice\.wav$/);
  const file = join(at.folder.path, 'voice.wav');
  await download.saveAs(file);
  const wav = readWav(file);
  assert.equal(wav.bits, 24);
  assert.deepEqual(faults, []);
  await page.goto(`${at.server.url}/sessions/2/bench/${voice.id}`);
  await ready(page);
  // Fader, bus and main at rest, so that only the rack is between track and ear.
  await page.evaluate((id) => window.zincRack.doc.edit({ edit: 'set-control', strip: id, control: 'level_db', value: 0 }), voice.id);
  const main = await strip('Main');
  await page.evaluate((id) => window.zincRack.doc.edit({ edit: 'replace-rack', strip: id, rack: { zinc_rack: 1, units: [] } }), main.id);
  await kept(page);
  await page.reload();
  // The voice begins late in the song; of its singing three seconds are enough.
  const begins = onset(wav.channels[0], 0.02);
  const [left] = await fromTheTop(page, begins / RATE + 3, () => page.click('[data-context="alone"]'));
  // Silence before the voice: align on a loud sample of both.
  const shift = onset(left, 0.02) - begins;
  // A busy machine starts late: compare what was captured, at least a second of singing.
  const frames = Math.min(12 * RATE, left.length - shift);
  assert.ok(frames > begins + RATE, `captured ${frames} frames, the voice begins at ${begins}`);
  const difference = peakDifferenceDb(left.subarray(shift), wav.channels[0], frames);
  assert.ok(difference < -130, `differs by ${difference.toFixed(1)} dBFS (24 bits round at -144)`);
  await close();
});

test('every control has a name, the ? sheet lists the keys, the dim room is remembered', async () => {
  const { id } = await strip('Acoustic');
  const { page, close } = await open(at.b, `${at.server.url}/sessions/2/bench/${id}?station=2`);
  await page.waitForSelector('.rules .rule');
  const nameless = await page.evaluate(() =>
    [...document.querySelectorAll('button, input, select, [role="slider"]')]
      .filter(
        (e) =>
          !(
            e.getAttribute('aria-label') ||
            e.textContent?.trim() ||
            e.getAttribute('title') ||
            /** @type {HTMLInputElement} */ (e).labels?.length
          ),
      )
      .map((e) => e.outerHTML.slice(0, 80)),
  );
  assert.deepEqual(nameless, []);
  const sideways = await page.evaluate(() => document.documentElement.scrollWidth > window.innerWidth);
  assert.equal(sideways, false);
  await page.keyboard.press('?');
  assert.match((await page.textContent('#shortcuts-list')) ?? '', /Space.*play or stop/s);
  await page.keyboard.press('Escape');
  await page.click('#dim');
  await page.reload();
  assert.equal(await page.evaluate(() => document.documentElement.dataset.light), 'dim');
  await close();
});
