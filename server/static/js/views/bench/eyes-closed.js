// @ts-check
/** Eyes closed: every picture and figure hidden, so that choices are made by ear; shown again with the result. */
import { html, signed } from '../../draw/svg.js';

/** @typedef {{ lufs: number | null, peak_db: number, crest_db: number }} Point */

/**
 * @param {Point} then the rack's output when the eyes were closed
 * @param {Point} raw
 * @param {Point} now
 */
export function blindSentence(then, raw, now) {
  const step = (/** @type {Point} */ a, /** @type {Point} */ b) => {
    const loudness = signed((b.lufs ?? 0) - (a.lufs ?? 0));
    return `${loudness} LU, peak ${signed(b.peak_db - a.peak_db)} dB, crest ${signed(b.crest_db - a.crest_db)} dB`;
  };
  return `While your eyes were closed: ${step(then, now)}. Against the bypassed sound it is now: ${step(raw, now)}. `;
}

export class EyesClosed {
  /** What the part was like when the eyes were closed. @type {Point | null} */
  then = null;

  /**
   * @param {HTMLElement} place where it is said
   * @param {() => { points: Point[] } | null} treatment the rack's figures
   */
  constructor(place, treatment) {
    this.place = place;
    this.treatment = treatment;
  }

  /** Closes them, or opens them and says what came of it. */
  toggle() {
    const points = this.treatment()?.points ?? [];
    const last = points[points.length - 1] ?? null;
    const isClosed = document.querySelector('.bench')?.classList.toggle('eyes-closed');
    document.querySelector('.blind-result')?.remove();
    if (isClosed) {
      this.then = last;
      const said = 'Eyes closed: choose by ear. E shows everything again, with what came of it.';
      this.place.prepend(html('p', { className: 'blind-result' }, said));
    } else if (this.then && last) {
      const close = html('button', { type: 'button', className: 'plain-button' }, 'close');
      const said = blindSentence(this.then, points[0], last);
      const result = html('p', { className: 'blind-result', role: 'status' }, said, close);
      close.addEventListener('click', () => result.remove());
      this.place.prepend(result);
    }
  }
}
