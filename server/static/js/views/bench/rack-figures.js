// @ts-check
/** The figures of a strip's rack, measured anew once its page has rested. */
import { latestWork } from '../../session/work.js';
import { host, loopRange } from '../listen-bar.js';
import { note } from '../notes.js';
import { doc } from '../session-frame.js';
import { takenAlong } from '../taken.js';

/** Rest of the page, after an edit, before figures are measured anew. */
const SETTLE_MS = 350;
/** The same after an edit of another window: what is dragged there is measured once it rests. */
const FOREIGN_MS = 1200;

/** Seconds from the place in the song on that are measured first where it has no section. */
const NEAR_S = 20;

/**
 * Events: `glimpsed` when the figures of a section are there before those of the whole part; `measured`; `older` when
 * what is known is of an earlier setting from now on; and `taken` when what is taken along the path is said otherwise.
 */
export class RackFigures extends EventTarget {
  /** What each station did when it was measured. @type {import('../../types.js').Treatment | null} */
  treatment = null;
  /** The same of the section in hand, while the whole part is still being measured; with its units and name. */
  glimpsed = /** @type {{ treatment: import('../../types.js').Treatment, units: number[], name: string } | null} */ (null);
  /** Identities of the units it is of, in signal order. @type {number[]} */
  units = [];
  /** dB that make the untouched rack as loud as the worked one behind it. @type {{ whole: number, sections: number[] }} */
  matches = { whole: 0, sections: [] };
  /** Whether something has been changed since. */
  older = false;
  /** What is taken along the path of the strip, in words. */
  taken = '';
  asked = 0;
  timer = 0;
  work = latestWork();
  sectionWork = latestWork();
  /** The last measuring of the whole that came to its end. */
  measured = 0;

  /** Identities of the units of the strip as it is now. */
  unitsNow() {
    return doc.session.strips.find((s) => s.id === doc.strip)?.rack.units.map((unit) => unit.id) ?? [];
  }

  /** What each station does; null while the stations are others than those that were measured. */
  get here() {
    return String(this.units) === String(this.unitsNow()) ? this.treatment : null;
  }

  /** The newest figures of these stations: of the whole part, or of a section until that is measured. */
  get newest() {
    const { glimpsed } = this;
    return glimpsed && String(glimpsed.units) === String(this.unitsNow()) ? glimpsed.treatment : this.here;
  }

  /** @param {boolean} [foreign] after an edit of another window */
  measureSoon(foreign = false) {
    // What is still being measured is of an earlier setting as well.
    this.asked += 1;
    const isNews = (!this.older && this.treatment !== null) || this.glimpsed !== null;
    this.older ||= this.treatment !== null;
    this.glimpsed = null;
    if (isNews) this.dispatchEvent(new Event('older'));
    window.clearTimeout(this.timer);
    this.timer = window.setTimeout(() => void this.measure(), foreign ? FOREIGN_MS : SETTLE_MS);
  }

  async measure() {
    this.asked += 1;
    const mine = this.asked;
    try {
      // The server measures what it has been told.
      await doc.idle();
      const units = this.unitsNow();
      void this.glimpse(mine, units);
      const result = await this.work(`/api/sessions/${doc.id}/strips/${doc.strip}/evidence`, {}, () => {});
      if (mine !== this.asked || !result) return;
      ({ treatment: this.treatment, matches: this.matches } = result);
      this.units = units;
      this.glimpsed = null;
      this.measured = mine;
      this.older = false;
      this.dispatchEvent(new Event('measured'));
    } catch (error) {
      note(error instanceof Error ? error.message : String(error));
    }
  }

  /**
   * Measures the section in hand, which takes much less than the whole.
   * @param {number} mine @param {number[]} units
   */
  async glimpse(mine, units) {
    const { from, to, name } = this.inHand();
    const url = `/api/sessions/${doc.id}/strips/${doc.strip}/evidence-within`;
    // Without it the whole is waited for.
    const result = await this.sectionWork(url, { from, to }, () => {}).catch(() => null);
    if (mine !== this.asked || !result?.treatment || this.measured === mine) return;
    this.glimpsed = { treatment: result.treatment, units, name };
    this.dispatchEvent(new Event('glimpsed'));
  }

  /** The stretch that is listened to: what is looped, the section of the place in the song, or what follows it. */
  inHand() {
    const { sections, rate } = doc.session;
    const range = loopRange();
    const at = sections.findIndex((section) => host.position >= section.start && host.position < section.end);
    const [first, last] = range ?? [at, at];
    if (first < 0) return { from: host.position, to: host.position + NEAR_S * rate, name: `the next ${NEAR_S} s` };
    return { from: sections[first].start, to: sections[last].end, name: sections[first].name };
  }

  /** Looks for what is taken along the path; after these figures, and what is said of them. */
  async lookAlong() {
    const mine = this.asked;
    const words = await takenAlong(doc.strip).catch(() => '');
    if (mine !== this.asked || words === this.taken) return;
    this.taken = words;
    this.dispatchEvent(new Event('taken'));
  }

  /** dB that make both as loud over what is heard. @param {[number, number] | null} range of sections */
  match(range) {
    if (range && range[0] === range[1]) return this.matches.sections[range[0]] ?? this.matches.whole;
    return this.matches.whole;
  }
}
