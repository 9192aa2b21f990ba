// @ts-check
/** The sections of the song as chips: looped by a press, several by Shift. */
import { html } from '../../draw/svg.js';
import { doc } from '../session-frame.js';

/** Section at a frame; -1 for none. @param {number} frame */
const sectionAt = (frame) => doc.session.sections.findIndex((s) => frame >= s.start && frame < s.end);

export class SectionChips {
  /** @param {import('../../engine/host.js').Host} host */
  constructor(host) {
    this.host = host;
    /** One for each section. @type {HTMLButtonElement[]} */
    this.chips = [];
    /** First and last section of the loop. @type {[number, number] | null} */
    this.range = null;
    this.make();
    doc.addEventListener('change', (event) => {
      if (/** @type {CustomEvent} */ (event).detail.facts.about === 'song') this.make();
    });
    doc.addEventListener('newer', () => this.make());
  }

  /** Makes the chips of the sections there are. */
  make() {
    const title = 'Loop it; Shift extends; again for no loop';
    this.chips = doc.session.sections.map((section, i) => {
      const chip = html('button', { type: 'button', className: 'chip', title, data: { section: String(i) } }, section.name);
      chip.addEventListener('click', (/** @type {MouseEvent} */ event) => this.choose(i, event.shiftKey));
      return chip;
    });
    if (this.range && this.range[1] >= this.chips.length) this.clear();
    document.getElementById('sections')?.replaceChildren(...this.chips);
    this.show();
  }

  /** @param {number} i @param {boolean} extend */
  choose(i, extend) {
    const { range } = this;
    if (extend && range) this.loop(Math.min(range[0], i), Math.max(range[1], i));
    else if (range && range[0] === i && range[1] === i) this.clear();
    else this.loop(i, i);
    this.host.dispatchEvent(new Event('loop'));
  }

  /** @param {number} first @param {number} last */
  loop(first, last) {
    this.range = [first, last];
    const from = doc.session.sections[first].start;
    this.host.loop([from, doc.session.sections[last].end]);
    this.host.seek(from);
    this.show();
  }

  clear() {
    this.range = null;
    this.host.loop(null);
    this.show();
  }

  /** To the next section, or the one before. @param {number} way */
  step(way) {
    const { sections } = doc.session;
    const to = Math.max(0, Math.min(sections.length - 1, sectionAt(this.host.position) + way));
    if (!sections[to]) this.host.seek(0);
    else if (this.range) this.loop(to, to);
    else this.host.seek(sections[to].start);
  }

  show() {
    const { range } = this;
    this.chips.forEach((chip, i) => chip.setAttribute('aria-pressed', String(range !== null && i >= range[0] && i <= range[1])));
  }

  /** Marks the section that plays. @param {number} frame */
  follow(frame) {
    const here = sectionAt(frame);
    this.chips.forEach((chip, i) => chip.toggleAttribute('data-here', i === here));
  }
}
