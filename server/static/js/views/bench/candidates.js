// @ts-check
/**
 * Three candidates of a rack, side by side on one passage: kept, heard at equal loudness
 * against the present one, open or blind, with a tally.
 */
import { html } from '../../draw/svg.js';

const LETTERS = ['A', 'B', 'C'];

/** @typedef {{ rack: import('../../types.js').Rack, votes: number } | null} Slot */

export class Candidates {
  /**
   * @param {object} options
   * @param {Slot[]} options.slots those kept so far
   * @param {(slots: Slot[]) => void} options.keep keeps them in the session
   * @param {() => import('../../types.js').Rack} options.rack the present rack
   * @param {(slot: number) => void} options.hear hears a rack on the other side
   * @param {() => void} options.stop hears the present rack again
   * @param {(rack: import('../../types.js').Rack) => void} options.use makes a rack the present one
   */
  constructor({ slots, keep, rack, hear, stop, use }) {
    this.store = keep;
    this.rack = rack;
    this.hear = hear;
    this.stop = stop;
    this.use = use;
    /** @type {Slot[]} */
    this.slots = LETTERS.map((_, i) => structuredClone(slots[i] ?? null));
    /** Order in which a blind round shows them; none when open. @type {number[] | null} */
    this.blind = null;
    this.heard = -1;
    this.said = '';
    this.element = html('section', { className: 'candidates', 'aria-label': 'Candidates' });
    this.draw();
  }

  keep() {
    this.store(structuredClone(this.slots));
    this.draw();
  }

  /** What another window, or a step back, has made of them. @param {Slot[]} slots */
  follow(slots) {
    const kept = LETTERS.map((_, i) => slots[i] ?? null);
    if (JSON.stringify(kept) === JSON.stringify(this.slots)) return;
    this.slots = structuredClone(kept);
    // A round over others than there are now is no round.
    if (this.blind?.some((slot) => !kept[slot])) this.blind = null;
    if (this.heard >= 0 && !kept[this.heard]) this.listen(this.heard);
    this.draw();
  }

  /** Keeps a rack in the first free place; says what became of it. @param {import('../../types.js').Rack} rack */
  take(rack) {
    const free = this.slots.findIndex((slot) => !slot);
    if (free < 0) return 'All places for candidates are taken; overwrite one instead. Nothing was changed.';
    this.slots[free] = { rack: structuredClone(rack), votes: 0 };
    this.keep();
    return `Kept as candidate ${LETTERS[free]}.`;
  }

  /** What the other side may be, for the comparison. @param {number} strip */
  sides(strip) {
    const kept = this.slots.flatMap((slot, i) =>
      slot
        ? [
            {
              id: `candidate-${i}`,
              label: this.blind ? 'a hidden candidate' : `candidate ${LETTERS[i]}`,
              sounds: true,
              changes: () => [{ change: 'rack', strip, rack: slot.rack }],
            },
          ]
        : [],
    );
    return kept;
  }

  /** @param {number} slot */
  listen(slot) {
    this.heard = this.heard === slot ? -1 : slot;
    if (this.heard < 0) this.stop();
    else this.hear(slot);
    this.draw();
  }

  draw() {
    const kept = this.slots.map((s, i) => (s ? i : -1)).filter((i) => i >= 0);
    const rows = this.blind ? this.blind.map((slot, place) => this.hidden(slot, place)) : LETTERS.map((letter, i) => this.open(letter, i));
    const button = html(
      'button',
      { type: 'button', className: 'plain-button', disabled: kept.length < 2 },
      this.blind ? 'end the blind round' : 'blind round',
    );
    button.addEventListener('click', () => {
      this.blind = this.blind
        ? null
        : kept
            .map((slot) => ({ slot, at: Math.random() }))
            .sort((a, b) => a.at - b.at)
            .map((x) => x.slot);
      this.said = '';
      this.listen(this.heard);
      this.draw();
    });
    const focus = this.element.contains(document.activeElement);
    this.element.replaceChildren(
      html('h2', {}, 'Candidates'),
      ...rows,
      html('p', { className: 'candidate-foot' }, button, html('span', { className: 'quiet', role: 'status' }, this.said)),
    );
    if (focus) /** @type {HTMLElement | null} */ (this.element.querySelector('[aria-pressed="true"]'))?.focus();
  }

  /** @param {string} letter @param {number} i */
  open(letter, i) {
    const slot = this.slots[i];
    const button = (/** @type {string} */ words, /** @type {() => void} */ act, pressed = false) => {
      const b = html(
        'button',
        { type: 'button', className: 'plain-button', 'aria-pressed': String(pressed), 'aria-label': `Candidate ${letter}: ${words}` },
        words,
      );
      b.addEventListener('click', act);
      return b;
    };
    const keep = () => {
      this.slots[i] = { rack: structuredClone(this.rack()), votes: 0 };
      this.keep();
    };
    const parts = slot
      ? [button('hear', () => this.listen(i), this.heard === i), button('load', () => this.use(slot.rack)), button('overwrite', keep)]
      : [button('keep the present rack here', keep)];
    return html(
      'div',
      { className: 'candidate' },
      html('b', {}, letter),
      html('span', { className: 'quiet figure' }, slot ? `${slot.votes} ${slot.votes === 1 ? 'vote' : 'votes'}` : ''),
      ...parts,
    );
  }

  /** @param {number} slot @param {number} place */
  hidden(slot, place) {
    const hear = html('button', { type: 'button', className: 'plain-button', 'aria-pressed': String(this.heard === slot) }, 'hear');
    hear.addEventListener('click', () => this.listen(slot));
    const choose = html('button', { type: 'button', className: 'plain-button' }, 'choose');
    choose.addEventListener('click', () => {
      const chosen = this.slots[slot];
      if (!chosen) return;
      chosen.votes += 1;
      this.said = `It was ${LETTERS[slot]}.`;
      this.blind = null;
      this.keep();
    });
    return html(
      'div',
      { className: 'candidate' },
      html('b', {}, String(place + 1)),
      html('span', { className: 'quiet' }, 'hidden'),
      hear,
      choose,
    );
  }
}
