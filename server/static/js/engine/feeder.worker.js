// @ts-check
/**
 * The feeder: fetches stretches of printed sound ahead of the playhead and hands
 * them to the audio thread. Memory grows with sources x seconds ahead; a looped
 * stretch stays.
 */

/** Stretches fetched ahead of the playhead: 2.7 s at 48 kHz. */
const AHEAD = 4;
/** Stretches by which a mix reads ahead of the ear at most: 1.4 s at 48 kHz. */
const LATE = 2;
/** Frames of a block of the audio thread. */
const BLOCK = 128;
/** A loop of up to so many stretches (41 s at 48 kHz) is kept whole. */
const LOOP_KEPT = 60;
/** Requests under way at once. */
const PARALLEL = 3;
/** Stretches in one request. */
const TOGETHER = 16;
/** Emptied buffers kept. */
const POOL = 24;

/** @typedef {{ id: number, url: string, channels: number, frames: number, start: number }} Store */

/** Frames in a stretch, as the engine says. */
let chunkFrames = 0;
/** @type {MessagePort | null} */
let audio = null;
/** What is read, by number. @type {Map<number, Store>} */
let stores = new Map();
/** What the audio thread holds, as "store:index". @type {Set<string>} */
const held = new Set();
/** @type {Set<string>} */
const coming = new Set();
/** Those held that are of a passage: run in from before, until the print itself has come there. @type {Set<string>} */
const settling = new Set();
/** Stores that are printed to their end by now: passages of them that are kept for a loop are taken anew. @type {Set<number>} */
const printed = new Set();
/** Whether a passage is being heard, as last told. */
let toldSettling = false;
/** Those that did not come are asked for alone, so that one lost print silences no other. @type {Set<string>} */
const failed = new Set();
let requests = 0;
/** Buffers the audio thread has emptied, used again: else every second of sound is garbage. @type {ArrayBuffer[]} */
const pool = [];
/** Where the ear is, or is about to be. */
let position = 0;
/** Where the audio thread is: on a jump it waits there until the sound of the other place has come. */
let heardAt = 0;
/** Where a jump leads that the audio thread has not made yet, and where that was when it was asked for. @type {[number, number] | null} */
let jump = null;
/** @type {[number, number] | null} */
let looped = null;

self.onmessage = (event) => {
  const message = event.data;
  if (message.chunk) chunkFrames = message.chunk;
  if (message.port) {
    audio = /** @type {MessagePort} */ (message.port);
    audio.onmessage = (e) => {
      if (e.data.spent) {
        if (pool.length < POOL) pool.push(e.data.spent);
        return;
      }
      follow(e.data.position);
      feed();
    };
  }
  if (message.stores) {
    stores = new Map(message.stores.map((/** @type {Store} */ s) => [s.id, s]));
    for (const key of held) if (!stores.has(Number(key.split(':')[0]))) forget(key);
    for (const id of printed) if (!stores.has(id)) printed.delete(id);
  }
  if (message.printed) for (const id of stores.keys()) printed.add(id);
  if ('loop' in message) looped = message.loop;
  if ('seek' in message) {
    jump = [message.seek, heardAt];
    position = message.seek;
  }
  feed();
};

/**
 * Follows the audio thread, unless it has yet to jump: else what is fetched for the place it jumps to would be let go
 * before it is there.
 * @param {number} at frame
 */
function follow(at) {
  if (jump) {
    const [to, from] = jump;
    // The place itself, or the block it lies in, is told while it is waited for.
    if (Math.abs(at - to) <= BLOCK) return;
    heardAt = at;
    // Playing alone never goes back, and comes past a place further on at last.
    const isThere = to < from ? at < from : at > to;
    // It has gone on for long: that jump is not made any more.
    const isOver = Math.abs(at - from) > AHEAD * chunkFrames;
    if (!isThere && !isOver) return;
    jump = null;
  }
  heardAt = at;
  position = at;
}

/**
 * Numbers of the stretches of a store wanted now, the most urgent first.
 * @param {Store} store
 */
function wanted({ frames, start }) {
  const last = Math.ceil(frames / chunkFrames) - 1;
  const indexAt = (/** @type {number} */ frame) => Math.floor((frame - start) / chunkFrames);
  const list = [];
  let at = indexAt(position);
  for (let i = 0; i < AHEAD; i += 1, at += 1) {
    if (looped && at * chunkFrames + start > looped[1]) at = indexAt(looped[0]);
    list.push(at);
  }
  if (looped) {
    const [from, to] = looped.map(indexAt);
    const end = to - from <= LOOP_KEPT ? to : from + AHEAD;
    for (let i = from; i <= end; i += 1) list.push(i);
  } else {
    list.push(0, 1);
  }
  return [...new Set(list)].filter((i) => i >= 0 && i <= last);
}

/** @param {string} key of a stretch that the audio thread no longer holds, or should not */
function forget(key) {
  held.delete(key);
  settling.delete(key);
}

/** Number of the stretch of a store that is heard now. @param {number} id */
const heardOf = (id) => Math.floor((heardAt - (stores.get(id)?.start ?? 0)) / chunkFrames);

/** Passages that are kept and not about to be heard are fetched anew, as what they are in the end. */
function renew() {
  for (const key of settling) {
    const [id, index] = key.split(':').map(Number);
    if (printed.has(id) && Math.abs(index - heardOf(id)) > 1) forget(key);
  }
}

/** Says whether a passage is heard, where that has changed. */
function tellSettling() {
  const now = [...settling].some((key) => {
    const [id, index] = key.split(':').map(Number);
    return index === heardOf(id);
  });
  if (now !== toldSettling) self.postMessage({ settling: now });
  toldSettling = now;
}

function feed() {
  if (!audio || chunkFrames === 0) return;
  renew();
  tellSettling();
  /** @type {Map<number, number[]>} */
  const want = new Map([...stores.values()].map((store) => [store.id, wanted(store)]));
  for (const key of held) {
    const [id, index] = key.split(':').map(Number);
    const heard = heardOf(id);
    // Where a jump leaves from stays for its fade: what is read there is ahead of the ear by as much as the mix is late.
    if (!want.get(id)?.includes(index) && (index < heard - 1 || index > heard + LATE)) {
      audio.postMessage({ store: id, index });
      forget(key);
    }
  }
  // By urgency, all stores side by side: playing goes on when each has its next stretch.
  const longest = Math.max(0, ...[...want.values()].map((list) => list.length));
  /** @type {Ranked[]} */
  const missing = [];
  for (let rank = 0; rank < longest; rank += 1) {
    for (const [id, list] of want) {
      const key = `${id}:${list[rank]}`;
      if (rank < list.length && !held.has(key) && !coming.has(key)) missing.push({ ...pieceOf(id, list[rank], key), rank });
    }
  }
  // What is heard next comes before what follows it: a print that is made from here on is begun at the first place asked for.
  // What has failed once holds nobody up.
  const isNextComing = () => [...want].map(([id, list]) => `${id}:${list[0]}`).some((key) => coming.has(key) && !failed.has(key));
  while (missing.length > 0 && requests < PARALLEL && (missing[0].rank === 0 || !isNextComing())) {
    const alone = failed.has(missing[0].key);
    const others = missing.findIndex(({ key }) => failed.has(key));
    void fetchPieces(missing.splice(0, alone ? 1 : Math.min(TOGETHER, others < 0 ? TOGETHER : others)));
  }
}

/**
 * A stretch to fetch, of so many bytes; after one that may be of a passage comes a mark whether it is.
 * @typedef {{ id: number, index: number, key: string, of: string, bytes: number, isMarked: boolean }} Piece
 * @typedef {Piece & { rank: number }} Ranked with how many of its store are heard before it
 */
/** Bytes of that mark. */
const MARK = 4;

/**
 * @param {number} id
 * @param {number} index
 * @param {string} key
 * @returns {Piece}
 */
function pieceOf(id, index, key) {
  const { url, channels, frames } = /** @type {Store} */ (stores.get(id));
  const from = index * chunkFrames * channels * 4;
  const to = Math.min((index + 1) * chunkFrames, frames) * channels * 4 - 1;
  // What follows a passage goes over to the print from there.
  const name = url.replace('/api/', '').replace('sides/', settling.has(`${id}:${index - 1}`) ? 'joins/' : 'sides/');
  return { id, index, key, of: `${name}:${from}:${to}`, bytes: to - from + 1, isMarked: url.startsWith('/api/sides/') };
}

/** An answer that ended before all that was asked for had come. */
class Short extends Error {}

/** @param {Ranked[]} pieces by rank */
async function fetchPieces(pieces) {
  requests += 1;
  pieces.forEach(({ key }) => coming.add(key));
  try {
    const response = await fetch(`/api/stretches?${pieces.map(({ of }) => `of=${of}`).join('&')}`);
    if (!response.ok) throw new Error((await response.json()).error);
    const reader = /** @type {ReadableStream} */ (response.body).getReader({ mode: 'byob' });
    const last = pieces.findLast(({ rank }) => rank === 0);
    for (const piece of pieces) {
      const { id, index, key, bytes, isMarked } = piece;
      const buffer = pool.pop() ?? new ArrayBuffer(chunkFrames * 8 + MARK);
      const came = await readInto(buffer, reader, bytes + (isMarked ? MARK : 0));
      const samples = new Float32Array(came, 0, bytes / 4);
      const isPassage = isMarked && new Uint32Array(came, bytes, 1)[0] === 1;
      coming.delete(key);
      failed.delete(key);
      if (!stores.has(id) || !audio) continue;
      if (isPassage) settling.add(key);
      else settling.delete(key);
      audio.postMessage({ store: id, index, samples }, [samples.buffer]);
      held.add(key);
      if (piece === last) feed();
    }
  } catch (error) {
    const lost = pieces.filter(({ key }) => coming.has(key));
    // What is still being printed is asked for again and not complained of: how long it takes is said by the page.
    const isComing = error instanceof Short && lost[0]?.isMarked;
    if (!isComing && lost.some(({ id }) => stores.has(id)))
      self.postMessage({ error: error instanceof Error ? error.message : String(error) });
    lost.forEach(({ key }) => failed.add(key));
    // Again, each alone, and not at once: the server may be starting again.
    setTimeout(() => {
      lost.forEach(({ key }) => coming.delete(key));
      feed();
    }, 1000);
  }
  requests -= 1;
  feed();
}

/**
 * Reads the next bytes of a body into a buffer that is used again and again.
 * @param {ArrayBuffer} buffer large enough
 * @param {ReadableStreamBYOBReader} reader
 * @param {number} bytes expected
 */
async function readInto(buffer, reader, bytes) {
  let into = buffer;
  let filled = 0;
  while (filled < bytes) {
    const { value, done } = await reader.read(new Uint8Array(into, filled, bytes - filled));
    if (value) {
      into = /** @type {ArrayBuffer} */ (value.buffer);
      filled += value.byteLength;
    }
    if (done) break;
  }
  if (filled < bytes) throw new Short('A stretch of sound came incomplete; it is fetched again.');
  return into;
}
