// What it costs the audio thread to take a late unit while the song plays at a heavy load, in
// Chromium: by how much longer than usual it is away from its next block, and whether sound was
// lost. The demo's Bench plays with so many moving equalisers that the thread is half busy.
import { join } from 'node:path';
import { api, browser, open, ready, scratch, start } from './program.js';
import { wavBytes } from './sound.js';

/** Equalisers of 8 moving bands that play all the time. */
const LOAD = Number(process.argv[2] ?? 10);
const folder = scratch();
const server = await start({ data: join(folder.path, 'data') });
const b = await browser();
const room = Float32Array.from({ length: 96000 }, (_, i) => Math.sin(i * i) * Math.exp(-i / 20000));
const body = wavBytes(48000, [room, room.map((x, i) => x * Math.cos(i))]);
const { hash } = await (await fetch(`${server.url}/api/sounds?name=room.wav`, { method: 'POST', body })).json();
const { json } = await api(`${server.url}/api/sessions/1`, undefined, 'GET');
const strip = json.session.strips.find((/** @type {any} */ s) => s.name === 'Acoustic').id;
const bands = Array.from({ length: 8 }, (_, i) => ({ freq_hz: 60 * 2 ** i, gain_db: 0, q: 1.2, dynamic: { threshold_db: -40 } }));
const units = Array.from({ length: LOAD }, () => ({ kind: 'surgical-eq', params: { bands } }));
await api(`${server.url}/api/sessions/1/edits`, { version: 0, edit: { edit: 'replace-rack', strip, rack: { zinc_rack: 1, units } } });
const { page, close } = await open(b, `${server.url}/sessions/1/bench/${strip}`);
await ready(page);
await page.evaluate(async () => {
  const { host } = window.zincRack;
  // The thread's own clock at every block: a stall shows as time gone by between two of them.
  const code = `registerProcessor('clock', class extends AudioWorkletProcessor {
    constructor() {
      super();
      this.last = this.begun = this.blocks = this.longest = 0;
      this.port.onmessage = () => {
        this.port.postMessage({ longest: this.longest, behind: Date.now() - this.begun - this.blocks * 128000 / sampleRate });
        this.longest = 0;
      };
    }
    process() {
      const now = Date.now();
      if (!this.begun) this.begun = now;
      else {
        this.blocks += 1;
        this.longest = Math.max(this.longest, now - this.last);
      }
      this.last = now;
      return true;
    }
  });`;
  await host.context.audioWorklet.addModule(URL.createObjectURL(new Blob([code], { type: 'text/javascript' })));
  const clock = new AudioWorkletNode(host.context, 'clock');
  clock.connect(host.context.destination);
  Object.assign(window, {
    clock,
    ask: () =>
      new Promise((resolve) => {
        clock.port.onmessage = (event) => resolve(event.data);
        clock.port.postMessage(0);
      }),
  });
});
await page.keyboard.press('Space');
await page.waitForTimeout(4000);
/** @returns {Promise<{ longest: number, behind: number }>} */
const clock = () => page.evaluate(() => /** @type {any} */ (window).ask());
const load = () => page.evaluate(() => window.zincRack.host.busy);
await clock();
await page.waitForTimeout(3000);
const usual = await clock();
console.log(`playing at ${(100 * (await load())).toFixed(0)} % of the audio thread; longest time between two blocks ${usual.longest} ms`);
for (const [name, unit] of Object.entries({
  'linear phase': { kind: 'surgical-eq', params: { bands: bands.slice(0, 4), phase: 'linear' } },
  'drawn EQ': {
    kind: 'drawn-eq',
    params: {
      points: [
        { freq_hz: 300, gain_db: 4 },
        { freq_hz: 3000, gain_db: -4 },
      ],
    },
  },
  'a response of 2 s': { kind: 'impulse', params: { sound: hash } },
  'width, with all of these carried over': { kind: 'width' },
})) {
  const before = await clock();
  await page.evaluate(
    ([s, u]) => window.zincRack.doc.edit({ edit: 'add-unit', strip: s, at: 0, unit: u }),
    /** @type {const} */ ([strip, unit]),
  );
  await page.waitForTimeout(2500);
  const after = await clock();
  console.log(
    `${name}: longest time between two blocks ${after.longest} ms; lost ` +
      `${Math.max(0, after.behind - before.behind).toFixed(0)} ms of sound`,
  );
}
await close();
await b.close();
await server.kill();
folder.remove();
