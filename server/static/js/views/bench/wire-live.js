// @ts-check
/** What passes along the wire now: level behind each station and what it takes, loudness at both ends. */
import { level } from '../../draw/svg.js';

/** Level at which a bar is empty, in dBFS; full scale fills it. */
const EMPTY_DB = -60;
/** Less reduction than this is none. */
const NONE_DB = 0.05;

/** @param {HTMLElement} element @param {string} words */
function say(element, words) {
  if (element.textContent !== words) element.textContent = words;
}

/**
 * Shows it on the wire as it is drawn: `data-live` says of what an element tells.
 * @param {HTMLElement} wire
 * @param {import('../../engine/host.js').Report} report
 */
export function followWire(wire, { playing, levels, reductions, rack_in: loudIn, rack_out: loudOut }) {
  const loud = (/** @type {number} */ lufs) => (playing && lufs > EMPTY_DB ? `${level(lufs)} LUFS` : '');
  for (const element of /** @type {NodeListOf<HTMLElement>} */ (wire.querySelectorAll('[data-live]'))) {
    const [of, at] = (element.dataset.live ?? '').split(' ');
    const station = Number(at);
    if (of === 'in') say(element, loud(loudIn));
    else if (of === 'out') say(element, loud(loudOut));
    else if (of === 'taken') {
      const taken = playing ? (reductions[station] ?? 0) : 0;
      say(element, taken > NONE_DB ? `GR ${level(taken)}` : '');
    } else {
      const share = playing && station + 1 < levels.length ? Math.max(0, 1 - levels[station + 1] / EMPTY_DB) : 0;
      element.style.transform = `scaleX(${Math.min(1, share).toFixed(3)})`;
    }
  }
}
