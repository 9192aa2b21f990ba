// Captures what a page plays, and reads and compares sound.
import { readFileSync } from 'node:fs';
import { allPrinted, ready } from './program.js';

/** Of the sessions that tests play. */
export const RATE = 48000;

/**
 * Attaches a recorder to the page's player. What is heard from now on is kept.
 * @param {import('playwright-core').Page} page
 */
export async function attachRecorder(page) {
  await page.evaluate(async () => {
    const { host } = window.zincRack;
    host.addEventListener('report', (event) => {
      window.starved = /** @type {CustomEvent} */ (event).detail.starved;
    });
    const code = `registerProcessor('tap', class extends AudioWorkletProcessor {
      process(inputs) {
        if (inputs[0].length) this.port.postMessage([inputs[0][0].slice(), (inputs[0][1] ?? inputs[0][0]).slice()]);
        return true;
      }
    });`;
    await host.context.audioWorklet.addModule(URL.createObjectURL(new Blob([code], { type: 'text/javascript' })));
    const tap = new AudioWorkletNode(host.context, 'tap', { numberOfOutputs: 0 });
    window.heard = [];
    tap.port.onmessage = (event) => window.heard.push(event.data);
    host.node.connect(tap);
  });
}

/**
 * What was heard since the last call, as two channels.
 * @param {import('playwright-core').Page} page
 * @returns {Promise<[Float32Array, Float32Array]>}
 */
export async function heard(page) {
  const text = await page.evaluate(() => {
    const blocks = window.heard.splice(0);
    const all = new Float32Array(blocks.length * 256);
    blocks.forEach(([left, right], i) => {
      all.set(left, i * 128);
      all.set(right, blocks.length * 128 + i * 128);
    });
    const bytes = new Uint8Array(all.buffer);
    let out = '';
    for (let i = 0; i < bytes.length; i += 32768) out += String.fromCharCode(...bytes.subarray(i, i + 32768));
    return btoa(out);
  });
  const bytes = Buffer.from(text, 'base64');
  const all = new Float32Array(bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + bytes.length));
  return [all.slice(0, all.length / 2), all.slice(all.length / 2)];
}

/** Blocks of the audio thread in so many seconds. @param {number} seconds */
const blocksOf = (seconds) => Math.ceil((seconds * RATE) / 128);

/**
 * Waits until so much more sound has come: counted in sound, for on a busy machine it comes slower than time goes.
 * @param {import('playwright-core').Page} page @param {number} seconds
 */
export async function come(page, seconds) {
  const until = (await page.evaluate(() => window.heard.length)) + blocksOf(seconds);
  await page.waitForFunction((blocks) => window.heard.length >= blocks, until, { polling: 50 });
}

/** Waits until so much has been kept since it first sounded. @param {import('playwright-core').Page} page @param {number} seconds */
export const sounded = (page, seconds) =>
  page.waitForFunction(
    (blocks) => {
      const first = window.heard.findIndex(([left]) => left.some((x) => Math.abs(x) > 1e-6));
      return first >= 0 && window.heard.length - first >= blocks;
    },
    blocksOf(seconds),
    { polling: 50 },
  );

/**
 * Plays the first seconds of the song over and over, so that no test hears its end, and waits until it plays.
 * @param {import('playwright-core').Page} page @param {number} [seconds]
 */
export async function playOn(page, seconds = 20) {
  await page.evaluate((end) => window.zincRack.host.loop([0, end]), seconds * RATE);
  await page.keyboard.press('Space');
  await page.waitForFunction((frames) => window.zincRack.host.playing && window.zincRack.host.position > frames, RATE / 5);
}

/** How often a song is played from its start until nothing was missing. */
const TIMES = 5;

/**
 * The first seconds of a song as a page that is ready plays it, counted from its first sound, all of it printed before:
 * on a page loaded anew where a busy machine left the player without sound on the way. It waits then, which is no claim
 * about what it plays.
 * @param {import('playwright-core').Page} page @param {number} seconds
 * @param {() => Promise<void>} [prepare] what is to be pressed on a page loaded anew
 */
export async function fromTheTop(page, seconds, prepare = async () => {}) {
  for (let n = 0; n < TIMES; n += 1) {
    if (n > 0) await page.reload();
    await ready(page);
    await prepare();
    await allPrinted(page);
    await attachRecorder(page);
    await page.keyboard.press('Space');
    // Within its first stretch, which came whole.
    await page.waitForFunction(() => window.zincRack.host.playing && window.zincRack.host.position > 4096);
    const before = await page.evaluate(() => window.starved);
    await sounded(page, seconds);
    if ((await page.evaluate(() => window.starved)) === before) return heard(page);
  }
  throw new Error(`the player was without sound each of ${TIMES} times`);
}

/**
 * The next of what is heard, after a moment in which what was just changed arrives.
 * @param {import('playwright-core').Page} page @param {number} [seconds]
 */
export async function listen(page, seconds = 0.8) {
  await heard(page);
  await come(page, 0.5);
  await heard(page);
  await come(page, seconds);
  return heard(page);
}

/** What is claimed of a sound holds within, or the claim has failed. */
const HOLDS_WITHIN_MS = 60_000;

/**
 * Listens anew until what is claimed of the sound holds, and holds once more: when a change is heard is the machine's
 * affair; that it comes to be heard, and stays so, is the claim.
 * @param {import('playwright-core').Page} page
 * @param {(left: Float32Array, right: Float32Array) => void} claim throws where it does not hold
 * @param {number} [seconds] heard at once
 */
export async function heardUntil(page, claim, seconds) {
  let held = false;
  for (const until = Date.now() + HOLDS_WITHIN_MS; ;) {
    const sound = await listen(page, seconds);
    try {
      claim(...sound);
      if (held) return sound;
      held = true;
    } catch (error) {
      held = false;
      if (Date.now() > until) throw error;
    }
  }
}

/** Samples of a WAV file (24-bit or 32-bit float). @param {string} path */
export function readWav(path) {
  const b = readFileSync(path);
  let at = 12;
  let channels = 0;
  let bits = 0;
  let rate = 0;
  while (at < b.length) {
    const id = b.toString('latin1', at, at + 4);
    const size = b.readUInt32LE(at + 4);
    if (id === 'fmt ') {
      channels = b.readUInt16LE(at + 10);
      rate = b.readUInt32LE(at + 12);
      bits = b.readUInt16LE(at + 22);
    }
    if (id === 'data') {
      const frames = size / (channels * (bits / 8));
      const out = Array.from({ length: channels }, () => new Float32Array(frames));
      for (let i = 0; i < frames * channels; i += 1) {
        const o = at + 8 + i * (bits / 8);
        out[i % channels][Math.floor(i / channels)] = bits === 32 ? b.readFloatLE(o) : b.readIntLE(o, 3) / 8388608;
      }
      return { rate, bits, channels: out };
    }
    at += 8 + size + (size % 2);
  }
  throw new Error(`${path} has no data`);
}

/** Writes a 32-bit float WAV. @param {number} rate @param {Float32Array[]} channels */
export function wavBytes(rate, channels) {
  const frames = channels[0].length;
  const size = frames * channels.length * 4;
  const b = Buffer.alloc(44 + size);
  b.write('RIFF', 0, 'latin1');
  b.writeUInt32LE(36 + size, 4);
  b.write('WAVEfmt ', 8, 'latin1');
  b.writeUInt32LE(16, 16);
  b.writeUInt16LE(3, 20);
  b.writeUInt16LE(channels.length, 22);
  b.writeUInt32LE(rate, 24);
  b.writeUInt32LE(rate * channels.length * 4, 28);
  b.writeUInt16LE(channels.length * 4, 32);
  b.writeUInt16LE(32, 34);
  b.write('data', 36, 'latin1');
  b.writeUInt32LE(size, 40);
  for (let i = 0; i < frames; i += 1) channels.forEach((c, n) => b.writeFloatLE(c[i], 44 + (i * channels.length + n) * 4));
  return b;
}

/** RMS in dBFS. @param {ArrayLike<number>} samples */
export function rmsDb(samples) {
  let sum = 0;
  for (let i = 0; i < samples.length; i += 1) sum += samples[i] * samples[i];
  return 10 * Math.log10(sum / Math.max(1, samples.length) + 1e-30);
}

/** Largest step between neighbouring samples. @param {ArrayLike<number>} x */
export function largestStep(x) {
  let most = 0;
  for (let i = 1; i < x.length; i += 1) most = Math.max(most, Math.abs(x[i] - x[i - 1]));
  return most;
}

/** First sample above a magnitude. @param {ArrayLike<number>} x @param {number} over */
export function onset(x, over = 1e-7) {
  for (let i = 0; i < x.length; i += 1) if (Math.abs(x[i]) > over) return i;
  return -1;
}

/**
 * Frames by which what was captured is later than what was printed: by the first loud sample of both, since what rings ahead
 * of a song's first sample is played and not printed. @param {ArrayLike<number>} captured @param {ArrayLike<number>} printed
 */
export const laterBy = (captured, printed) => onset(captured, 0.01) - onset(printed, 0.01);

/** Peak difference in dBFS of two runs. @param {Float32Array} a @param {Float32Array} b @param {number} frames */
export function peakDifferenceDb(a, b, frames) {
  let most = 0;
  for (let i = 0; i < frames; i += 1) most = Math.max(most, Math.abs(a[i] - b[i]));
  return 20 * Math.log10(most + 1e-12);
}

/** Level of one tone in a sound, in dB of its amplitude. @param {Float32Array} sound @param {number} rate @param {number} hz */
export function toneDb(sound, rate, hz) {
  const n = Math.floor(sound.length / (rate / 10)) * (rate / 10);
  const [re, im] = [Math.cos, Math.sin].map((f) => sound.slice(0, n).reduce((sum, v, i) => sum + v * f((2 * Math.PI * hz * i) / rate), 0));
  return 20 * Math.log10((2 * Math.hypot(re, im)) / n + 1e-12);
}
