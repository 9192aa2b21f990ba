// @ts-check
/**
 * The feeder: fetches stretches of printed sound ahead of the playhead and hands
 * them to the audio thread. Memory grows with sources x seconds ahead; a looped
 * stretch stays.
 */

/** Frames in a stretch, as the engine says. */
let chunkFrames = 0;
/** Stretches fetched ahead of the playhead: 4 s at 48 kHz. */
const AHEAD = 6;
/** A loop of up to so many stretches (41 s at 48 kHz) is kept whole. */
const LOOP_KEPT = 60;
/** Fetches under way at once. */
const PARALLEL = 6;

/** @typedef {{ url: string, channels: number, frames: number }} Lane */

/** @type {MessagePort | null} */
let audio = null;
/** @type {Lane[]} */
let lanes = [];
/** What the audio thread holds, as "lane:index". @type {Set<string>} */
let held = new Set();
/** @type {Set<string>} */
let coming = new Set();
let position = 0;
/** @type {[number, number] | null} */
let looped = null;
let generation = 0;

self.onmessage = (event) => {
  const message = event.data;
  if (message.chunk) chunkFrames = message.chunk;
  if (message.port) {
    audio = /** @type {MessagePort} */ (message.port);
    audio.onmessage = (e) => {
      position = e.data.position;
      feed();
    };
  }
  if (message.lanes) {
    lanes = message.lanes;
    held = new Set();
    coming = new Set();
    generation += 1;
  }
  if ('loop' in message) looped = message.loop;
  if ('position' in message) position = message.position;
  feed();
};

/** Numbers of the stretches wanted now, the most urgent first. */
function wanted() {
  const last = Math.max(0, ...lanes.map((lane) => Math.ceil(lane.frames / chunkFrames) - 1));
  const list = [];
  let at = Math.floor(position / chunkFrames);
  for (let i = 0; i < AHEAD; i += 1, at += 1) {
    if (looped && at * chunkFrames > looped[1]) at = Math.floor(looped[0] / chunkFrames);
    if (at <= last) list.push(at);
  }
  if (looped) {
    const [from, to] = looped.map((frame) => Math.floor(frame / chunkFrames));
    const end = to - from <= LOOP_KEPT ? to : from + AHEAD;
    for (let i = from; i <= Math.min(end, last); i += 1) list.push(i);
  } else {
    list.push(0, 1);
  }
  return [...new Set(list)];
}

function feed() {
  if (!audio || chunkFrames === 0) return;
  const want = wanted();
  const keep = new Set(want);
  for (const key of held) {
    const [lane, index] = key.split(':').map(Number);
    // The stretch just played stays, for the fade of a jump.
    if (!keep.has(index) && index !== Math.floor(position / chunkFrames) - 1) {
      audio.postMessage({ lane, index });
      held.delete(key);
    }
  }
  for (const index of want) {
    for (let lane = 0; lane < lanes.length; lane += 1) {
      const key = `${lane}:${index}`;
      const beyond = index * chunkFrames >= lanes[lane].frames;
      if (beyond || held.has(key) || coming.has(key)) continue;
      if (coming.size >= PARALLEL) return;
      coming.add(key);
      void fetchChunk(lane, index, key, generation);
    }
  }
}

/**
 * @param {number} lane
 * @param {number} index
 * @param {string} key
 * @param {number} born
 */
async function fetchChunk(lane, index, key, born) {
  const { url, channels, frames } = lanes[lane];
  const from = index * chunkFrames * channels * 4;
  const to = Math.min((index + 1) * chunkFrames, frames) * channels * 4 - 1;
  try {
    const response = await fetch(url, { headers: { Range: `bytes=${from}-${to}` } });
    if (!response.ok) throw new Error((await response.json()).error);
    const samples = new Float32Array(await response.arrayBuffer());
    if (born !== generation || !audio) return;
    audio.postMessage({ lane, index, samples }, [samples.buffer]);
    held.add(key);
    coming.delete(key);
    feed();
  } catch (error) {
    if (born !== generation) return;
    self.postMessage({ error: error instanceof Error ? error.message : String(error) });
    // Try again, not at once: the server may be starting again.
    setTimeout(() => {
      coming.delete(key);
      feed();
    }, 1000);
  }
}
