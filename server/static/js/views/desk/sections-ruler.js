// @ts-check
/** A ruler as wide as the page on which sections are drawn, moved and stretched, by pointer and by keys. */
import { html } from '../../draw/svg.js';
import { lengthsOf, placeWords } from '../../session/song-time.js';
import { doc } from '../session-frame.js';

/** @typedef {import('../../session/document.js').Section} Section */
/**
 * @typedef {object} Doings
 * @property {(section: Section) => Promise<boolean>} place whether it could be put there
 * @property {(section: Section) => void} split
 * @property {(section: Section) => void} remove
 * @property {(section: Section) => void} open
 */

/** Bars that are numbered at most. */
const MOST_NUMBERS = 24;
/** Pixels at which a press becomes a drag. */
const TREMBLE = 4;

/** @typedef {{ section: Section, grip: 'whole' | 'start' | 'end' | 'new', from: number, x: number }} Drag */

export class SectionsRuler {
  /** @param {() => number} frames length of the song @param {Doings} on */
  constructor(frames, on) {
    this.frames = frames;
    this.on = on;
    this.place = html('div', { className: 'sections-blocks' });
    this.numbers = html('div', { className: 'sections-bars', 'aria-hidden': 'true' });
    this.head = html('i', { className: 'sections-head', 'aria-hidden': 'true' });
    this.element = html(
      'div',
      { className: 'sections-ruler', role: 'group', 'aria-label': 'Ruler of sections' },
      this.numbers,
      this.place,
      this.head,
    );
    /** @type {Drag | null} */
    this.drag = null;
    /** Where keys have put sections and the server has not answered yet, by identity. @type {Map<number, Section>} */
    this.asked = new Map();
    this.place.addEventListener('pointerdown', (/** @type {PointerEvent} */ event) => this.take(event));
    this.place.addEventListener('pointermove', (/** @type {PointerEvent} */ event) => this.move(event));
    this.place.addEventListener('pointerup', (/** @type {PointerEvent} */ event) => this.let(event));
    this.place.addEventListener('pointercancel', () => {
      this.drag = null;
      this.draw();
    });
  }

  /** Length shown: a few bars beyond the song and its sections. */
  get length() {
    return Math.max(this.frames(), ...doc.session.sections.map((s) => s.end)) + 2 * lengthsOf(doc.session).bar;
  }

  /** Share of the ruler in per cent. @param {number} frame */
  at(frame) {
    return `${((100 * frame) / this.length).toFixed(3)}%`;
  }

  /** The bar nearest to a place of the pointer, the beat with Alt. @param {PointerEvent} event */
  frameAt(event) {
    const { left, width } = this.place.getBoundingClientRect();
    const { bar, beat } = lengthsOf(doc.session);
    const step = event.altKey ? beat : bar;
    return Math.max(0, Math.round(Math.round((((event.clientX - left) / width) * this.length) / step) * step));
  }

  draw() {
    if (!doc.isKeeping) this.asked.clear();
    const { bar } = lengthsOf(doc.session);
    const every = Math.max(1, Math.ceil(this.length / bar / MOST_NUMBERS));
    const count = Math.ceil(this.length / bar / every);
    this.numbers.replaceChildren(
      ...Array.from({ length: count }, (_, n) => html('span', { style: `left: ${this.at(n * every * bar)}` }, String(n * every + 1))),
    );
    const focused = document.activeElement instanceof HTMLElement ? document.activeElement.dataset.block : undefined;
    this.place.replaceChildren(...doc.session.sections.map((section) => this.block(section)));
    if (focused) /** @type {HTMLElement | null} */ (this.place.querySelector(`[data-block="${focused}"]`))?.focus();
  }

  /** @param {Section} section */
  block(section) {
    const { name, start, end, id } = section;
    const box = html(
      'button',
      {
        type: 'button',
        className: 'sections-block',
        style: `left: ${this.at(start)}; width: ${this.at(end - start)}`,
        title: name,
        'aria-label': `${name}, ${placeWords(doc.session, start)} to ${placeWords(doc.session, end)}`,
        data: { block: String(id) },
      },
      html('i', { data: { grip: 'start' } }),
      html('span', {}, name),
      html('i', { data: { grip: 'end' } }),
    );
    box.addEventListener('keydown', (/** @type {KeyboardEvent} */ event) => this.key(event, section));
    box.addEventListener('dblclick', () => this.on.open(section));
    return box;
  }

  /** @param {KeyboardEvent} event @param {Section} section */
  key(event, section) {
    const { bar } = lengthsOf(doc.session);
    const way = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
    if (way) {
      const now = this.asked.get(section.id) ?? section;
      const by = Math.round(way * bar);
      const start = event.shiftKey ? now.start : Math.max(0, now.start + by);
      const end = event.shiftKey ? now.end + by : now.end + start - now.start;
      this.asked.set(section.id, { ...now, start, end });
      void this.on.place({ ...now, start, end }).then((done) => done || this.asked.delete(section.id));
    } else if (event.key === 'Delete') this.on.remove(section);
    else if (event.key.toLowerCase() === 's') this.on.split(section);
    else if (event.key === 'Enter') this.on.open(section);
    else return;
    event.preventDefault();
    event.stopPropagation();
  }

  /** @param {PointerEvent} event */
  take(event) {
    if (event.button !== 0) return;
    const target = /** @type {HTMLElement} */ (event.target);
    const id = Number(/** @type {HTMLElement | null} */ (target.closest('[data-block]'))?.dataset.block ?? 0);
    const from = this.frameAt(event);
    const found = doc.session.sections.find((s) => s.id === id);
    const section = found ?? { id: 0, name: `Section ${doc.session.sections.length + 1}`, start: from, end: from };
    const grip = found ? /** @type {Drag['grip']} */ (target.dataset.grip ?? 'whole') : 'new';
    this.drag = { section, grip, from, x: event.clientX };
    this.place.setPointerCapture(event.pointerId);
  }

  /** The section as the drag has it now. @param {Drag} drag @param {PointerEvent} event @returns {Section} */
  dragged({ section, grip, from }, event) {
    const at = this.frameAt(event);
    if (grip === 'new') return { ...section, start: Math.min(from, at), end: Math.max(from, at) };
    if (grip === 'start') return { ...section, start: Math.min(at, section.end) };
    if (grip === 'end') return { ...section, end: Math.max(at, section.start) };
    const start = Math.max(0, section.start + at - from);
    return { ...section, start, end: start + section.end - section.start };
  }

  /** @param {PointerEvent} event */
  move(event) {
    if (!this.drag || Math.abs(event.clientX - this.drag.x) < TREMBLE) return;
    const { id, start, end } = this.dragged(this.drag, event);
    let box = /** @type {HTMLElement | null} */ (this.place.querySelector(`[data-block="${id}"]`));
    if (!box) this.place.append((box = html('span', { className: 'sections-block new', data: { block: String(id) } })));
    if (!box) return;
    box.style.left = this.at(start);
    box.style.width = this.at(end - start);
  }

  /** @param {PointerEvent} event */
  let(event) {
    const { drag } = this;
    this.drag = null;
    if (!drag) return;
    const section = this.dragged(drag, event);
    const moved = Math.abs(event.clientX - drag.x) >= TREMBLE && section.end > section.start;
    if (moved && (section.start !== drag.section.start || section.end !== drag.section.end)) void this.on.place(section);
    this.draw();
    if (!moved && drag.section.id)
      /** @type {HTMLElement | null} */ (this.place.querySelector(`[data-block="${drag.section.id}"]`))?.focus();
  }

  /** @param {number} frame where the song is */
  follow(frame) {
    this.head.style.left = this.at(frame);
  }
}
