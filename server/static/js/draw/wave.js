// @ts-check
/** Waveforms from overviews (pairs of extremes of a few hundred frames, full scale 1000). */
import { catalogue } from '../engine/ask.js';
import { colour, fresh } from './svg.js';

/** Frames summarised by one pair. */
const PAIR = catalogue.frames.overview;

/**
 * Extremes for each column of a stretch.
 * @param {[number, number][]} wave
 * @param {number} from first pair
 * @param {number} to one past the last
 * @param {number} columns
 * @returns {[number, number][]}
 */
export function columnsOf(wave, from, to, columns) {
  /** @type {[number, number][]} */
  const out = [];
  for (let x = 0; x < columns; x += 1) {
    const a = Math.floor(from + ((to - from) * x) / columns);
    const b = Math.max(a + 1, Math.floor(from + ((to - from) * (x + 1)) / columns));
    let low = 0;
    let high = 0;
    for (let i = a; i < b && i < wave.length; i += 1) {
      low = Math.min(low, wave[i][0]);
      high = Math.max(high, wave[i][1]);
    }
    out.push([low / 1000, high / 1000]);
  }
  return out;
}

/**
 * A whole track, with the sections' borders.
 * @param {HTMLCanvasElement} canvas
 * @param {[number, number][]} wave
 * @param {{ start: number }[]} sections
 * @param {number} frames length of the song
 */
export function drawTrack(canvas, wave, sections, frames) {
  const { ink, width, height } = fresh(canvas);
  const peak = Math.max(0.05, ...wave.map(([a, b]) => Math.max(-a, b) / 1000));
  ink.fillStyle = colour('rule');
  for (const section of sections) ink.fillRect(Math.round((section.start / frames) * width), 0, 1, height);
  ink.fillStyle = colour('before');
  const middle = height / 2;
  columnsOf(wave, 0, frames / PAIR, Math.round(width)).forEach(([low, high], x) => {
    const top = middle - (high / peak) * middle * 0.95;
    const bottom = middle - (low / peak) * middle * 0.95;
    if (high - low > 0.0005) ink.fillRect(x, top, 1, Math.max(1, bottom - top));
  });
}
