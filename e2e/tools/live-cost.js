// What a live set of 12 units costs the audio thread in Chromium: time per block
// of 128 frames, measured in the page over twenty seconds of sound.
import { join } from 'node:path';
import { browser, scratch, start } from './program.js';

const folder = scratch();
const server = await start({ data: join(folder.path, 'data') });
const b = await browser();
const page = await (await b.newContext({ bypassCSP: true })).newPage();
await page.goto(`${server.url}/`);
const cost = await page.evaluate(async () => {
  const { instance } = await WebAssembly.instantiate(await (await fetch('/static/engine/zinc_engine.wasm')).arrayBuffer(), {});
  const e = /** @type {any} */ (instance.exports);
  const bands = Array.from({ length: 8 }, (_, i) => ({ freq_hz: 60 * 2 ** i, gain_db: i % 2 ? -4 : 4, q: 1.2 }));
  const eq = { kind: 'surgical-eq', params: { bands } };
  const moving = { kind: 'surgical-eq', params: { bands: bands.map((band) => ({ ...band, gain_db: 0, dynamic: { threshold_db: -40 } })) } };
  const linear = { kind: 'surgical-eq', params: { bands, phase: 'linear' } };
  const drawn = {
    kind: 'drawn-eq',
    params: { points: Array.from({ length: 20 }, (_, i) => ({ freq_hz: 30 * 1.4 ** i, gain_db: i % 2 ? -3 : 3 })) },
  };
  // A room of two seconds, both sides different.
  const name = new TextEncoder().encode('0'.repeat(64));
  const [nameAt, roomAt] = [e.zr_reserve(64), e.zr_reserve(4 * 2 * 96000)];
  new Uint8Array(e.memory.buffer, nameAt, 64).set(name);
  new Float32Array(e.memory.buffer, roomAt, 2 * 96000).set(
    Float32Array.from({ length: 2 * 96000 }, (_, i) => (Math.random() - 0.5) * Math.exp(-i / 30000)),
  );
  e.zr_sound(nameAt, 64, roomAt, 2 * 96000, 48000);
  const room = { kind: 'impulse', params: { sound: '0'.repeat(64) } };
  const comp = { kind: 'compressor', params: { threshold_db: -30, ratio: 4 } };
  /** @param {unknown[]} units */
  const time = (units) => {
    const text = new TextEncoder().encode(JSON.stringify({ zinc_rack: 1, units }));
    const asked = performance.now();
    const at = e.zr_reserve(text.length);
    new Uint8Array(e.memory.buffer, at, text.length).set(text);
    const rack = e.zr_rack_new(at, text.length, 48000);
    const block = e.zr_reserve(1024);
    const noise = Float32Array.from({ length: 256 }, () => Math.random() - 0.5);
    const blocks = 7500;
    let longest = 0;
    const begun = performance.now();
    for (let n = 0; n < blocks; n += 1) {
      new Float32Array(e.memory.buffer, block, 256).set(noise);
      const from = performance.now();
      e.zr_rack_process(rack, block);
      // The clock of a page has steps of 0.1 ms.
      longest = Math.max(longest, performance.now() - from);
    }
    return { mean: (performance.now() - begun) / blocks, longest, built: begun - asked };
  };
  const amp = { kind: 'amp', params: { voice: 'lead', drive_db: 40 } };
  const tone = [amp, { kind: 'cabinet' }, { kind: 'console-eq', params: { input_db: 12, low_db: 4, high_db: 3 } }, comp];
  const held = [{ from_hz: 60 }, { from_hz: 300 }, { from_hz: 2000 }, { from_hz: 7000 }].map((band) => ({
    ...band,
    ratio: 4,
    threshold_db: -40,
  }));
  const dynamics = [
    eq,
    ...['fet', 'opto'].map((action) => ({ kind: 'compressor', params: { action, threshold_db: -30, ratio: 4 } })),
    { kind: 'multiband', params: { bands: held } },
    { kind: 'limiter', params: { input_db: 9 } },
  ];
  time([eq, comp]);
  return {
    eq: time([eq]),
    'eq, 8 moving bands': time([moving]),
    'eq, linear phase': time([linear]),
    'drawn eq': time([drawn]),
    'a response of 2 s': time([room]),
    compressor: time([comp]),
    'amp at full drive, cabinet, console, compressor': time(tone),
    'eq, fet, opto, multiband, limiter': time(dynamics),
    twelve: time(Array.from({ length: 6 }, () => [eq, comp]).flat()),
  };
});
const blockMs = (128 / 48000) * 1000;
for (const [name, { mean, longest, built }] of Object.entries(cost)) {
  console.log(
    `wasm in Chromium, ${name}: ${(mean * 1000).toFixed(1)} us a block, ${(blockMs / mean).toFixed(0)} x ` +
      `real time, ${((100 * mean) / blockMs).toFixed(1)} % of the audio thread; ` +
      `longest block ${longest.toFixed(1)} ms, built in ${built.toFixed(1)} ms`,
  );
}
await b.close();
await server.kill();
folder.remove();
