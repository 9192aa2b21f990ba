// @ts-check
/** Waveforms from overviews (pairs of extremes of a few hundred frames, full scale 1000). */
import { colour, fresh } from './svg.js';

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
 * @param {number[]} borders where sections begin, as shares of the song
 * @param {{ width?: number, height?: number }} [box] the canvas's, where known
 */
export function drawTrack(canvas, wave, borders, box = {}) {
  const { ink, width, height } = fresh(canvas, box.width, box.height);
  const peak = Math.max(0.05, ...wave.map(([a, b]) => Math.max(-a, b) / 1000));
  ink.fillStyle = colour('rule');
  for (const border of borders) ink.fillRect(Math.round(border * width), 0, 1, height);
  ink.fillStyle = colour('before');
  const middle = height / 2;
  // One path, filled once: fifty tracks are fifty fills, not twenty thousand.
  ink.beginPath();
  columnsOf(wave, 0, wave.length, Math.round(width)).forEach(([low, high], x) => {
    const top = middle - (high / peak) * middle * 0.95;
    const bottom = middle - (low / peak) * middle * 0.95;
    if (high - low > 0.0005) ink.rect(x, top, 1, Math.max(1, bottom - top));
  });
  ink.fill();
}
