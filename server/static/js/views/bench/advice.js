// @ts-check
/**
 * What settings do together, in figures, with what could be done about it; and a fault shown: far
 * worse than it is, so that the ear learns it, and then taken away.
 */
import { html } from '../../draw/svg.js';
import { latestWork } from '../../session/work.js';
import { doc } from '../session-frame.js';

/** Seconds heard before a moment that is pointed at, and milliseconds of each half of showing it. */
const LEAD_S = 0.7;
const SHOWN_MS = 4500;

/** The last frame of any track. */
const songEnd = () => Math.max(0, ...doc.session.strips.map((s) => (s.audio ? s.audio.start + s.audio.frames : 0)));

/** @typedef {{ stations: number[], says: string, mend: [string, any] | null, at_s?: number, shown?: [any, any] }} Pair */

const pairs = latestWork();

export class Advice {
  /**
   * @param {object} options
   * @param {(seconds: number) => void} options.hear plays from a moment
   * @param {(rack: import('../../types.js').Rack, name: string) => void} options.show hears a rack in place of the present one
   * @param {() => void} options.stop hears the present rack again
   */
  constructor({ hear, show, stop }) {
    this.hear = hear;
    this.showRack = show;
    this.stopShowing = stop;
    /** @type {Pair[]} */
    this.pairs = [];
    /** Which one is shown, and what of it. @type {{ pair: number, words: string } | null} */
    this.showing = null;
    this.timer = 0;
    this.element = html('section', { className: 'advice', role: 'status', data: { figures: '' } });
    this.element.hidden = true;
  }

  /** Measures anew; what was asked before is not waited for. */
  async look() {
    const found = await pairs(`/api/sessions/${doc.id}/strips/${doc.strip}/pairs`, {}, () => {}).catch(() => []);
    if (!found) return;
    this.endShowing();
    this.pairs = found;
    this.draw();
  }

  draw() {
    this.element.hidden = this.pairs.length === 0;
    this.element.replaceChildren(
      html('h2', {}, 'What works together'),
      ...this.pairs.map((pair, i) => {
        const line = html('p', {}, pair.says);
        const at = pair.at_s;
        if (at !== undefined)
          line.append(
            ' ',
            this.button(`hear it at ${at.toFixed(1)} s`, 'Plays from there', () => this.hear(Math.max(0, at - LEAD_S))),
          );
        if (pair.shown?.[0]) {
          const now = this.showing?.pair === i;
          const show = this.button(
            now ? 'stop' : 'show me',
            'The fault far worse than it is, for the ear to learn it; then taken away',
            () => (now ? this.endShowing() : this.show(i)),
          );
          show.setAttribute('aria-pressed', String(now));
          line.append(' ', show);
          if (now) line.append(' ', html('span', { className: 'quiet' }, this.showing?.words ?? ''));
        }
        if (pair.mend) {
          const [words, edit] = pair.mend;
          line.append(
            ' ',
            this.button(words, '', () => void doc.edit(edit)),
          );
        }
        return line;
      }),
    );
  }

  /** @param {string} words @param {string} title @param {() => void} act */
  button(words, title, act) {
    const made = html('button', { type: 'button', className: 'plain-button', title }, words);
    made.addEventListener('click', act);
    return made;
  }

  /** Worse first, then mended, from the same moment. @param {number} i */
  show(i) {
    this.endShowing();
    const { at_s: at = 0, shown } = this.pairs[i];
    if (!shown) return;
    // Near the end from so far before it that all of it is heard.
    const from = Math.max(0, Math.min(at - LEAD_S, songEnd() / doc.session.rate - SHOWN_MS / 1000));
    const steps = [
      { rack: shown[0], words: 'far worse than it is' },
      { rack: shown[1], words: 'and without it' },
    ].filter((step) => step.rack);
    const next = () => {
      const step = steps.shift();
      if (!step) {
        this.endShowing();
        return;
      }
      this.showing = { pair: i, words: step.words };
      this.showRack(step.rack, step.words);
      this.hear(from);
      this.draw();
      this.timer = window.setTimeout(next, SHOWN_MS);
    };
    next();
  }

  endShowing() {
    window.clearTimeout(this.timer);
    if (!this.showing) return;
    this.showing = null;
    this.stopShowing();
    this.draw();
  }
}
