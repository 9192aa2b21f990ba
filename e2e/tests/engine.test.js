// The committed engine module: fresh, and the same bits as the native core.
import assert from 'node:assert/strict';
import { createHash } from 'node:crypto';
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { after, before, test } from 'node:test';
import { answerBytes, instantiate, lend } from '../../server/static/js/engine/module.js';
import { browser, root, run, scratch, start } from '../tools/program.js';
import { peakDifferenceDb, readWav, wavBytes } from '../tools/sound.js';

const SECONDS = 10;
const SHORT_SECONDS = 3;
/** Frames by which no unit is later. */
const LATEST = 12_000;
const RACK = {
  zinc_rack: 1,
  units: [
    {
      kind: 'surgical-eq',
      params: {
        bands: [
          { shape: 'high-pass', freq_hz: 74, slope_db_oct: 24 },
          { shape: 'bell', freq_hz: 441, gain_db: -11, q: 30 },
          { shape: 'high-shelf', freq_hz: 9500, gain_db: 4, q: 0.7 },
          { shape: 'low-pass', freq_hz: 15000, slope_db_oct: 12 },
        ],
      },
    },
    {
      kind: 'compressor',
      mix: 0.8,
      params: { threshold_db: -30, ratio: 4, attack_ms: 3, release_ms: 90, lookahead_ms: 1, key_low_cut_hz: 90, makeup_db: 4 },
    },
    { kind: 'compressor', params: { detect: 'rms', threshold_db: -28, ratio: 'inf', attack_ms: 0 } },
  ],
};
/** The units of tone that transform nothing, driven: the same bits too. */
const TONE = {
  zinc_rack: 1,
  units: [
    { kind: 'amp', params: { voice: 'crunch', drive_db: 20 } },
    { kind: 'amp', params: { voice: 'round', drive_db: 10, blend: 0.3 } },
    {
      kind: 'saturator',
      params: {
        character: 'transformer',
        drive_db: 12,
        bands: [
          { from_hz: 400, character: 'fold', drive_db: 12 },
          { from_hz: 3000, character: 'diode', drive_db: 18, bias: 0.3 },
        ],
      },
    },
    { kind: 'tape', params: { speed: '7.5', input_db: 12, bias: -0.5, wear: 0.3 } },
    { kind: 'console-eq', params: { input_db: 12, low_db: 4, high_mid_db: -3, high_db: 5, sides: 1, auto_level: true } },
    { kind: 'passive-eq', params: { low_boost_db: 8, low_cut_db: 5, high_boost_db: 4 } },
    { kind: 'graphic-eq', params: { gain_250_db: -4, gain_4k_db: 3 } },
    { kind: 'weight-air', params: { weight_db: 3, air_db: -2 } },
  ],
};
/** Every way of control, and what else follows the level. */
const DYNAMICS = {
  zinc_rack: 1,
  units: [
    ...['vca', 'fet', 'opto', 'vari-mu'].map((action) => ({
      kind: 'compressor',
      params: { action, threshold_db: -32, ratio: 4, attack_ms: 6, release_ms: 120, link: 0.5, makeup_db: 3 },
    })),
    {
      kind: 'compressor',
      params: {
        topology: 'feedback',
        sides: 'mid-side',
        link: 0,
        crush: true,
        edge: 'firm',
        edge_at_db: -9,
        auto_release: true,
        hold_ms: 20,
        key_tilt_db: 4,
        key_high_cut_hz: 6000,
      },
    },
    {
      kind: 'multiband',
      params: {
        bands: [
          { from_hz: 90, ratio: 4, threshold_db: -36 },
          { from_hz: 2000, ratio: 3, threshold_db: -40, place: 'left' },
        ],
      },
    },
    { kind: 'transient', params: { attack_db: 5, body_db: -4 } },
    { kind: 'gate', params: { threshold_db: -40 } },
    { kind: 'limiter', params: { ceiling_db: -6, input_db: 9, lookahead_ms: 1 } },
  ],
};
const CABINET = { zinc_rack: 1, units: [{ kind: 'cabinet', params: { cones: 4, b_on: true, room: 0.3 } }] };
const folder = scratch();
/** @type {string} */ let native;
/** @type {Float32Array[]} */ let sound;
/** The beginning of it, for racks that take long. @type {Float32Array[]} */ let short;
/** A moment of it, for every kind there is. @type {Float32Array[]} */ let moment;
/** @type {Awaited<ReturnType<typeof start>>} */ let server;

before(async () => {
  server = await start({ data: join(folder.path, 'data') });
  const session = await (await fetch(`${server.url}/api/sessions/1`)).json();
  const track = session.session.strips.find((/** @type {any} */ s) => s.name === 'Acoustic');
  const bytes = SECONDS * 48000 * 8;
  const raw = await (
    await fetch(`${server.url}/api/audio/${track.audio.hash}`, { headers: { Range: `bytes=0-${bytes - 1}` } })
  ).arrayBuffer();
  const all = new Float32Array(raw);
  sound = [0, 1].map((c) => all.filter((_, i) => i % 2 === c));
  writeFileSync(join(folder.path, 'in.wav'), wavBytes(48000, sound));
  short = sound.map((side) => side.slice(0, SHORT_SECONDS * 48000));
  writeFileSync(join(folder.path, 'short.wav'), wavBytes(48000, short));
  moment = sound.map((side) => side.slice(0, 24_000));
  writeFileSync(join(folder.path, 'moment.wav'), wavBytes(48000, moment));
  native = digest(throughNative(RACK));
});
after(async () => {
  await server.kill();
  folder.remove();
});

/** The sound through a rack natively. @param {any} rackFile @param {string} [of] */
function throughNative(rackFile, of = 'in.wav') {
  const [input, output, rack] = [of, 'out.wav', 'rack.json'].map((n) => join(folder.path, n));
  writeFileSync(rack, JSON.stringify(rackFile));
  const { status, stderr } = run('process', input, output, '--rack', rack);
  assert.equal(status, 0, stderr);
  return readWav(output).channels;
}

/** @param {Float32Array[]} channels */
function digest(channels) {
  const hash = createHash('sha256');
  for (const c of channels) hash.update(new Uint8Array(c.buffer, c.byteOffset, c.byteLength));
  return hash.digest('hex');
}

/** Runs the rack in a module, its latency in frames (48 of lookahead) taken out. Also runs inside the page. */
const throughModule = async (
  /** @type {BufferSource} */ wasm,
  /** @type {any} */ rackFile,
  /** @type {Float32Array[]} */ channels,
  latency = 48,
) => {
  const { instance } = await WebAssembly.instantiate(wasm, {});
  const e = /** @type {any} */ (instance.exports);
  const text = new TextEncoder().encode(JSON.stringify(rackFile));
  const at = e.zr_reserve(text.length);
  new Uint8Array(e.memory.buffer, at, text.length).set(text);
  const rack = e.zr_rack_new(at, text.length, 48000);
  const block = e.zr_reserve(1024);
  const frames = channels[0].length;
  const out = [new Float32Array(frames), new Float32Array(frames)];
  for (let start = 0; start < frames + latency; start += 128) {
    const io = new Float32Array(e.memory.buffer, block, 256);
    io.fill(0);
    channels.forEach((c, n) => io.set(c.subarray(start, start + 128), n * 128));
    e.zr_rack_process(rack, block);
    const done = new Float32Array(e.memory.buffer, block, 256);
    for (let i = 0; i < 128; i += 1) {
      const frame = start + i - latency;
      if (frame >= 0 && frame < frames) {
        out[0][frame] = done[i];
        out[1][frame] = done[128 + i];
      }
    }
  }
  return out;
};

test('the committed engine module was built from the present sources', () => {
  const engine = instantiate(new WebAssembly.Module(readFileSync(join(root, 'server/static/engine/zinc_engine.wasm'))));
  const catalogue = lend(engine, new TextEncoder().encode(JSON.stringify({ ask: 'catalogue' })), (at, length) => {
    engine.zr_ask(at, length);
    return JSON.parse(new TextDecoder().decode(answerBytes(engine)));
  });
  // Of the program by its long version, of the module by its catalogue.
  assert.ok(run('--version').stdout.includes(catalogue.sources), `the module is of ${catalogue.sources}: run ./zinc engine`);
});

test('ten seconds through a rack are the same bits natively and in WebAssembly under Node', async () => {
  const wasm = readFileSync(join(root, 'server/static/engine/zinc_engine.wasm'));
  assert.equal(digest(await throughModule(wasm, RACK, sound)), native);
});

test('ten seconds through a rack are the same bits in Chromium', async () => {
  const b = await browser();
  try {
    const page = await (await b.newContext({ bypassCSP: true })).newPage();
    await page.goto(`${server.url}/`);
    const result = await page
      .evaluate(
        async ({ code, rack, url, frames }) => {
          const wasm = await (await fetch('/static/engine/zinc_engine.wasm')).arrayBuffer();
          const raw = new Float32Array(await (await fetch(url, { headers: { Range: `bytes=0-${frames * 8 - 1}` } })).arrayBuffer());
          const channels = [0, 1].map((c) => raw.filter((_, i) => i % 2 === c));
          const out = await (0, eval)(`(${code})`)(wasm, rack, channels);
          const bytes = new Uint8Array(frames * 8);
          bytes.set(new Uint8Array(out[0].buffer), 0);
          bytes.set(new Uint8Array(out[1].buffer), frames * 4);
          const hash = new Uint8Array(await crypto.subtle.digest('SHA-256', bytes));
          return [...hash].map((x) => x.toString(16).padStart(2, '0')).join('');
        },
        { code: throughModule.toString(), rack: RACK, url: await audioUrl(), frames: SECONDS * 48000 },
      )
      .catch((error) => {
        throw error;
      });
    assert.equal(result, native);
  } finally {
    await b.close();
  }
});

/** The beginning of the sound through both. @param {any} rackFile */
async function both(rackFile) {
  const wasm = readFileSync(join(root, 'server/static/engine/zinc_engine.wasm'));
  const out = throughNative(rackFile, 'short.wav');
  const { latency_samples: latency } = JSON.parse(run('probe', '--rack', join(folder.path, 'rack.json'), '--json').stdout);
  return { here: await throughModule(wasm, rackFile, short, latency), there: out };
}

test('the units of tone, driven, are the same bits natively and in WebAssembly', async () => {
  const { here, there } = await both(TONE);
  assert.ok(
    here[0].some((x) => Math.abs(x) > 0.01),
    'there was sound',
  );
  assert.equal(digest(here), digest(there));
});

test('every way of control and what else follows the level has the same bits natively and in the module', async () => {
  const { here, there } = await both(DYNAMICS);
  assert.ok(
    here[0].some((x) => Math.abs(x) > 0.01),
    'there was sound',
  );
  assert.equal(digest(here), digest(there));
});

test('a cabinet, which transforms, differs by less than -120 dBFS', async () => {
  const { here, there } = await both(CABINET);
  assert.ok(
    here[0].some((x) => Math.abs(x) > 0.01),
    'there was sound',
  );
  for (const side of [0, 1]) assert.ok(peakDifferenceDb(here[side], there[side], here[0].length) < -120);
});

/** The kinds there are, as the page's own catalogue has them. @returns {Promise<any[]>} */
async function kinds() {
  const b = await browser();
  try {
    const page = await (await b.newContext({ bypassCSP: true })).newPage();
    await page.goto(`${server.url}/`);
    return await page.evaluate(async () => (await import('/static/js/engine/ask.js')).catalogue.kinds);
  } finally {
    await b.close();
  }
}

/**
 * Whether a sound is the other, later by any number of frames, within -120 dBFS.
 * @param {Float32Array[]} here @param {Float32Array[]} there
 */
function isLaterCopy(here, there) {
  const same = (/** @type {number} */ by) => there.every((side, c) => side.every((x, i) => Math.abs(x - here[c][i + by]) < 1e-6));
  for (let by = 0; by <= LATEST; by += 1) if (same(by)) return true;
  return false;
}

/** Values of a table: of each choice the option of this number, and every switch on. @param {any[]} params @param {number} n */
const chosen = (params, n) =>
  Object.fromEntries(
    params.flatMap((/** @type {any} */ { id, domain }) => {
      if (domain.type === 'choice') return [[id, domain.options[n % domain.options.length].id]];
      return domain.type === 'switch' ? [[id, true]] : [];
    }),
  );

test('every kind there is, at every choice it has, gives the same sound natively and in the module', async () => {
  const all = await kinds();
  const wasm = readFileSync(join(root, 'server/static/engine/zinc_engine.wasm'));
  // With room behind it for the latest unit there is.
  const late = moment.map((side) => Float32Array.from({ length: side.length + LATEST }, (_, i) => side[i] ?? 0));
  const quiet = [];
  for (const kind of all) {
    const choices = [kind, ...kind.lists].flatMap((table) => table.params.map((/** @type {any} */ p) => p.domain.options?.length ?? 1));
    for (let n = 0; n < Math.max(...choices, 1); n += 1) {
      const rows = kind.lists.map((/** @type {any} */ list) => [list.id, [chosen(list.params, n)]]);
      const params = { ...chosen(kind.params, n), ...Object.fromEntries(rows) };
      const rack = { zinc_rack: 1, units: [{ kind: kind.id, params }] };
      const there = throughNative(rack, 'moment.wav');
      const here = await throughModule(wasm, rack, late, 0);
      assert.ok(isLaterCopy(here, there), `${kind.id}, choice ${n}`);
      if (!there[0].some((x) => Math.abs(x) > 0.001)) quiet.push(`${kind.id} ${n}`);
    }
  }
  assert.ok(all.length >= 17 && quiet.length <= 2, `${all.length} kinds; nothing to hear of ${quiet}`);
});

async function audioUrl() {
  const session = await (await fetch(`${server.url}/api/sessions/1`)).json();
  return `/api/audio/${session.session.strips.find((/** @type {any} */ s) => s.name === 'Acoustic').audio.hash}`;
}
