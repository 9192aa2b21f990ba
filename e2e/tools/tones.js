// A Bench of one track of tones, and what is heard of it.
import assert from 'node:assert/strict';
import { bringIn, open, ready } from './program.js';
import { RATE, attachRecorder, listen, wavBytes } from './sound.js';

/** Level of each tone of a track in dB. */
export const TONE_DB = 20 * Math.log10(0.05);

/**
 * A Bench with one track of tones at -26 dB each, and this rack.
 * @param {ReturnType<typeof import('./house.js').house>} at
 * @param {number[]} tones in Hz
 * @param {any[]} units
 */
export async function benchOfTones(at, tones, units) {
  const id = await at.session('tones');
  const sound = Float32Array.from({ length: 30 * RATE }, (_, i) =>
    tones.reduce((sum, hz) => sum + 0.05 * Math.sin((2 * Math.PI * hz * i) / RATE), 0),
  );
  const { strip } = await bringIn(at.server.url, id, 'tones.wav', wavBytes(RATE, [sound]));
  const made = await at.change(id, { edit: 'replace-rack', strip, rack: { zinc_rack: 1, units } });
  assert.equal(made.status, 200, JSON.stringify(made.json));
  const opened = await open(at.b, `${at.server.url}/sessions/${id}/bench/${strip}?station=1`);
  await ready(opened.page);
  await opened.page.waitForSelector('body[data-measured]');
  await attachRecorder(opened.page);
  return { id, strip, ...opened };
}

/** One side of what is heard over the next moments. @param {import('playwright-core').Page} page */
export const listenNow = async (page) => (await listen(page))[0];
