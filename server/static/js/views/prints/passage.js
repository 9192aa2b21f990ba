// @ts-check
/** Which part of the song is printed: all of it, a section, or from one typed place to another. */
import { clock, placeTyped, placeWords } from '../../session/song-time.js';
import { doc } from '../session-frame.js';

/** @param {string} id */
const field = (id) => /** @type {HTMLInputElement} */ (document.getElementById(id));

export class Passage {
  /** @param {() => void} onChange */
  constructor(onChange) {
    this.list = /** @type {HTMLSelectElement} */ (document.getElementById('passage'));
    this.typed = /** @type {HTMLElement} */ (document.getElementById('passage-typed'));
    this.from = field('passage-from');
    this.to = field('passage-to');
    /** Why what is typed is no passage; empty where it is one. */
    this.trouble = '';
    const sections = doc.session.sections.map((s) => new Option(s.name, String(s.id)));
    this.list.options[0].after(...sections);
    this.list.addEventListener('change', () => {
      this.typed.hidden = this.list.value !== 'typed';
      onChange();
    });
    for (const input of [this.from, this.to]) input.addEventListener('change', onChange);
  }

  /** Frames of the song; null for all of it, and where what is typed is no passage. @returns {[number, number] | null} */
  frames() {
    this.trouble = '';
    const section = doc.session.sections.find((s) => String(s.id) === this.list.value);
    if (section) return [section.start, section.end];
    if (this.list.value !== 'typed') return null;
    try {
      const [from, to] = [this.from, this.to].map((input) => placeTyped(doc.session, input.value));
      if (from < to) return [from, to];
      this.trouble = 'The passage ends before it begins.';
    } catch (error) {
      this.trouble = error instanceof Error ? error.message : String(error);
    }
    return null;
  }

  /** What it is called in the name of the file; empty for the whole song. */
  called() {
    const section = doc.session.sections.find((s) => String(s.id) === this.list.value);
    if (section) return section.name;
    const frames = this.frames();
    return frames ? frames.map((frame) => placeWords(doc.session, frame)).join(' to ') : '';
  }

  /** How long it is, or what is wrong with what is typed; empty for the whole song. */
  words() {
    const frames = this.frames();
    if (this.trouble) return this.trouble;
    return frames ? `${clock((frames[1] - frames[0]) / doc.session.rate)} long, the same samples as in the print of the whole song.` : '';
  }
}
