// @ts-check
/** A lamp that lights where a level passes full scale, and stays lit until it is pressed: that leads to the place. */
import { html, signed } from '../../draw/svg.js';
import { placeWords } from '../../session/song-time.js';
import { doc } from '../session-frame.js';

/** Seconds before the place at which listening begins. */
const LEAD_S = 1;

export class ClipLamp {
  /**
   * @param {string} of what it watches, in words
   * @param {(frame: number) => void} go to a place of the song
   */
  constructor(of, go) {
    this.of = of;
    this.go = go;
    /** The loudest place so far, and its level in dBFS. */
    this.at = 0;
    this.db = 0;
    this.element = html('button', { type: 'button', className: 'clip-lamp', hidden: true }, 'clip');
    this.element.addEventListener('click', (/** @type {MouseEvent} */ event) => {
      event.stopPropagation();
      this.element.hidden = true;
      this.db = 0;
      this.go(Math.max(0, this.at - LEAD_S * doc.session.rate));
    });
  }

  /** @param {number} db largest level since the last call, in dBFS @param {number} frame where the song is */
  take(db, frame) {
    if (db <= this.db) return;
    this.db = db;
    this.at = frame;
    const words = `${this.of}: ${signed(db)} dBFS at ${placeWords(doc.session, frame)}. Click to go there and clear`;
    this.element.title = words;
    this.element.setAttribute('aria-label', words);
    this.element.hidden = false;
  }
}
