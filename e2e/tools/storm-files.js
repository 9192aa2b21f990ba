// Broken files of every format: each is read or refused in words, within a time, and the server goes on.
import { execFileSync } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { bringIn } from './program.js';

/** Formats, as their names end. */
export const FORMATS = ['wav', 'aiff', 'flac', 'ogg', 'mp3'];
/** Files at once, as when a folder is dropped. */
const AT_ONCE = 4;
/** One takes no longer than this, in milliseconds. */
const WITHIN_MS = 20_000;

/** @typedef {ReturnType<typeof import('./dice.js').dice>} Dice */

/** A short whole file of a format. @param {string} folder @param {string} format */
function whole(folder, format) {
  const file = join(folder, `whole.${format}`);
  const tone = ['synth', '0.3', 'sine', '220', 'sine', '330', 'vol', '0.3'];
  execFileSync('sox', ['-R', '-n', '-r', '44100', '-c', '2', file, ...tone]);
  return readFileSync(file);
}

/** Changes, cuts and doubles bytes, mostly in the head, where sizes and counts are. @param {Buffer} bytes @param {Dice} dice */
function broken(bytes, dice) {
  let copy = Buffer.from(bytes);
  for (let n = 0; n <= dice.below(8); n += 1) {
    const at = dice.below(dice.below(3) > 0 ? Math.min(200, copy.length) : copy.length);
    const how = dice.below(5);
    if (how === 0) copy[at] ^= 1 << dice.below(8);
    else if (how === 1) copy[at] = dice.of([0, 0x7f, 0x80, 0xff]);
    else if (how === 2 && at > 0) copy = copy.subarray(0, at);
    else if (how === 3) copy = Buffer.concat([copy, copy.subarray(at)]).subarray(0, 1 << 20);
    else copy[at] = dice.below(256);
  }
  return copy;
}

/**
 * @param {string} url of the server @param {number} id of a session @param {string} folder to make whole files in
 * @param {number} each so many of each format @param {Dice} dice
 */
export async function mutatedFiles(url, id, folder, each, dice) {
  const done = { tried: 0, kept: 0, refused: 0, /** @type {string[]} */ faults: [] };
  const one = async (/** @type {string} */ name, /** @type {Buffer} */ bytes) => {
    const began = performance.now();
    const became = await bringIn(url, id, name, new Uint8Array(bytes));
    const took = performance.now() - began;
    if (took > WITHIN_MS) done.faults.push(`${name} took ${took.toFixed(0)} ms`);
    if (!became.error) done.kept += 1;
    else if (/fault of the program|os error|panick/i.test(became.error)) done.faults.push(`${name}: ${became.error}`);
    else done.refused += 1;
  };
  for (const format of FORMATS) {
    const bytes = whole(folder, format);
    for (let n = 0; n < each; n += AT_ONCE) {
      const some = Array.from({ length: Math.min(AT_ONCE, each - n) }, (_, k) => one(`broken ${n + k}.${format}`, broken(bytes, dice)));
      done.tried += some.length;
      await Promise.all(some);
    }
  }
  return done;
}
