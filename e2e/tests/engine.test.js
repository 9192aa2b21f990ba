// The committed engine module: fresh, and the same bits as the native core.
import assert from 'node:assert/strict';
import { createHash } from 'node:crypto';
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { after, before, test } from 'node:test';
import { engineDigest } from '../tools/engine-digest.js';
import { browser, root, run, scratch, start } from '../tools/program.js';
import { readWav, wavBytes } from '../tools/sound.js';

const SECONDS = 10;
const RACK = {
  zinc_rack: 1,
  units: [
    { kind: 'surgical-eq', params: { bands: [{ shape: 'high-pass', freq_hz: 74, slope_db_oct: 24 }, { shape: 'bell', freq_hz: 441, gain_db: -11, q: 30 }, { shape: 'high-shelf', freq_hz: 9500, gain_db: 4, q: 0.7 }, { shape: 'low-pass', freq_hz: 15000, slope_db_oct: 12 }] } },
    { kind: 'compressor', mix: 0.8, params: { threshold_db: -30, ratio: 4, attack_ms: 3, release_ms: 90, lookahead_ms: 1, key_low_cut_hz: 90, makeup_db: 4 } },
    { kind: 'compressor', params: { detect: 'rms', threshold_db: -28, ratio: 'inf', attack_ms: 0 } },
  ],
};
const folder = scratch();
/** @type {string} */ let native;
/** @type {Float32Array[]} */ let sound;
/** @type {Awaited<ReturnType<typeof start>>} */ let server;

before(async () => {
  server = await start({ data: join(folder.path, 'data') });
  const session = await (await fetch(`${server.url}/api/sessions/1`)).json();
  const track = session.session.strips.find((/** @type {any} */ s) => s.name === 'Acoustic');
  const bytes = SECONDS * 48000 * 8;
  const raw = await (await fetch(`${server.url}/api/audio/${track.audio.hash}`, { headers: { Range: `bytes=0-${bytes - 1}` } })).arrayBuffer();
  const all = new Float32Array(raw);
  sound = [0, 1].map((c) => all.filter((_, i) => i % 2 === c));
  const [input, output, rack] = ['in.wav', 'out.wav', 'rack.json'].map((n) => join(folder.path, n));
  writeFileSync(input, wavBytes(48000, sound));
  writeFileSync(rack, JSON.stringify(RACK));
  const { status, stderr } = run('process', input, output, '--rack', rack);
  assert.equal(status, 0, stderr);
  native = digest(readWav(output).channels);
});
after(async () => {
  await server.kill();
  folder.remove();
});

/** @param {Float32Array[]} channels */
function digest(channels) {
  const hash = createHash('sha256');
  for (const c of channels) hash.update(new Uint8Array(c.buffer, c.byteOffset, c.byteLength));
  return hash.digest('hex');
}

/** Runs the rack in a module, latency (48 frames of lookahead) taken out. Also runs inside the page. */
const throughModule = async (/** @type {BufferSource} */ wasm, /** @type {any} */ rackFile, /** @type {Float32Array[]} */ channels) => {
  const { instance } = await WebAssembly.instantiate(wasm, {});
  const e = /** @type {any} */ (instance.exports);
  const text = new TextEncoder().encode(JSON.stringify(rackFile));
  const at = e.zr_reserve(text.length);
  new Uint8Array(e.memory.buffer, at, text.length).set(text);
  const rack = e.zr_rack_new(at, text.length, 48000);
  const block = e.zr_reserve(1024);
  const latency = 48;
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
      if (frame >= 0 && frame < frames) { out[0][frame] = done[i]; out[1][frame] = done[128 + i]; }
    }
  }
  return out;
};

test('the committed engine module was built from the present sources', () => {
  const committed = readFileSync(join(root, 'server/static/engine/zinc_engine.digest'), 'utf8').trim();
  assert.equal(engineDigest(), committed, 'run ./zinc engine');
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
    const result = await page.evaluate(async ({ code, rack, url, frames }) => {
      const wasm = await (await fetch('/static/engine/zinc_engine.wasm')).arrayBuffer();
      const raw = new Float32Array(await (await fetch(url, { headers: { Range: `bytes=0-${frames * 8 - 1}` } })).arrayBuffer());
      const channels = [0, 1].map((c) => raw.filter((_, i) => i % 2 === c));
      const out = await (0, eval)(`(${code})`)(wasm, rack, channels);
      const bytes = new Uint8Array(frames * 8);
      bytes.set(new Uint8Array(out[0].buffer), 0);
      bytes.set(new Uint8Array(out[1].buffer), frames * 4);
      const hash = new Uint8Array(await crypto.subtle.digest('SHA-256', bytes));
      return [...hash].map((x) => x.toString(16).padStart(2, '0')).join('');
    }, { code: throughModule.toString(), rack: RACK, url: await audioUrl(), frames: SECONDS * 48000 }).catch((error) => { throw error; });
    assert.equal(result, native);
  } finally {
    await b.close();
  }
});

async function audioUrl() {
  const session = await (await fetch(`${server.url}/api/sessions/1`)).json();
  return `/api/audio/${session.session.strips.find((/** @type {any} */ s) => s.name === 'Acoustic').audio.hash}`;
}
