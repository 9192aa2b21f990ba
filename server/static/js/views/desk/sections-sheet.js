// @ts-check
/** The sections of the song: on a ruler as wide as the page, and as a table in which each is named, placed, split, removed. */
import { redraw } from '../../draw/redraw.js';
import { html } from '../../draw/svg.js';
import { askSession, newGesture } from '../../session/document.js';
import { lengthsOf, placeTyped, placeWords, snapped } from '../../session/song-time.js';
import { host } from '../listen-bar.js';
import { note } from '../notes.js';
import { doc } from '../session-frame.js';
import { SectionsRuler } from './sections-ruler.js';

/** @typedef {import('../../session/document.js').Section} Section */

/** Bars of a new section where there is room for them. */
const NEW_BARS = 8;

/**
 * What the core answers to a question about sections; what it refuses is said.
 * @param {Record<string, unknown> & { do: string }} question
 * @returns {any} null where it was refused
 */
function asked(question) {
  try {
    return askSession(question);
  } catch (error) {
    note(error instanceof Error ? error.message : String(error));
    return null;
  }
}

/** Puts a section at its limits; says whom it cut; whether it could. @param {Section} section @param {string} [gesture] */
export async function placeSection(section, gesture) {
  const placing = asked({ do: 'place-section', section });
  if (!placing) return false;
  const done = await doc.edit(placing.edit, gesture);
  if (done && placing.cut.length) note(`Cut shorter to make room: ${placing.cut.join(', ')}. Undo restores them.`);
  return done !== null;
}

class SectionsSheet {
  /** @param {() => number} frames length of the song */
  constructor(frames) {
    this.ruler = new SectionsRuler(frames, {
      place: (section) => placeSection(section, newGesture()),
      split: (section) => this.split(section),
      remove: (section) => void doc.edit({ edit: 'remove-section', section: section.id }),
      open: (section) => /** @type {HTMLElement | null} */ (this.body.querySelector(`[data-name="${section.id}"]`))?.focus(),
    });
    this.body = html('tbody');
    const heads = ['name', 'from', 'to', 'length', ''].map((word) => html('th', { scope: 'col' }, word));
    this.dialog = html(
      'dialog',
      { className: 'sheet-dialog sections-sheet', 'aria-label': 'Sections' },
      html('h2', {}, 'Sections'),
      html(
        'p',
        { className: 'quiet' },
        'Drag over the ruler: a new section. Drag a section or its edges; arrow keys move it by a bar, with Shift its end. ' +
          'Type bars (bar 9.1) or times (0:32.5). Neighbours are cut, never overlapped.',
      ),
      this.ruler.element,
      html('table', { className: 'band-table' }, html('thead', {}, html('tr', {}, ...heads)), this.body),
      html(
        'form',
        { method: 'dialog' },
        this.button('+ section', 'A new section at the playhead, or where there is room', () => this.add()),
      ),
    );
    this.dialog.lastElementChild.append(html('button', { className: 'strong-button' }, 'close'));
    const draw = () => this.draw();
    for (const type of ['change', 'newer']) doc.addEventListener(type, draw);
    const follow = () => this.ruler.follow(host.position);
    host.addEventListener('report', follow);
    this.dialog.addEventListener('close', () => {
      for (const type of ['change', 'newer']) doc.removeEventListener(type, draw);
      host.removeEventListener('report', follow);
      this.dialog.remove();
    });
    document.body.append(this.dialog);
    this.draw();
    this.dialog.showModal();
  }

  /** @param {string} words @param {string} title @param {() => void} run */
  button(words, title, run) {
    const made = html('button', { type: 'button', className: 'plain-button', title, 'aria-label': title }, words);
    made.addEventListener('click', run);
    return made;
  }

  draw() {
    this.ruler.draw();
    redraw(this.body, () => doc.session.sections.map((section) => this.row(section)));
  }

  /** @param {Section} section */
  row(section) {
    const { bar } = lengthsOf(doc.session);
    const field = (/** @type {string} */ value, /** @type {string} */ words, /** @type {(typed: string) => void} */ take) => {
      const input = html('input', {
        value,
        data: { shown: value },
        'aria-label': `${words} of ${section.name}`,
        autocomplete: 'off',
        spellcheck: false,
      });
      input.addEventListener('change', () => {
        // What was typed is told: from here on it is no typing any more.
        input.dataset.shown = input.value;
        take(input.value);
      });
      return input;
    };
    const limit = (/** @type {'start' | 'end'} */ which) =>
      field(placeWords(doc.session, section[which]), which === 'start' ? 'begin' : 'end', (typed) => {
        const at = this.typed(typed);
        if (at !== null) void placeSection({ ...section, [which]: at });
      });
    const name = field(section.name, 'name', (typed) => {
      if (typed.trim()) void doc.edit({ edit: 'set-section', section: { id: section.id, name: typed.trim() } });
    });
    name.dataset.name = String(section.id);
    name.maxLength = 80;
    const bars = (section.end - section.start) / bar;
    return html(
      'tr',
      {},
      ...[name, limit('start'), limit('end')].map((cell) => html('td', {}, cell)),
      html('td', { className: 'figure' }, `${bars.toFixed(Number.isInteger(bars) ? 0 : 2)} bars`),
      html(
        'td',
        {},
        this.button('split', `split ${section.name}`, () => this.split(section)),
        this.button('remove', `remove ${section.name}`, () => void doc.edit({ edit: 'remove-section', section: section.id })),
      ),
    );
  }

  /** A typed place as a frame; what is no place is said. @param {string} text @returns {number | null} */
  typed(text) {
    try {
      return placeTyped(doc.session, text);
    } catch (error) {
      note(error instanceof Error ? error.message : String(error));
      this.draw();
      return null;
    }
  }

  /** At the playhead where that is within it; else at the bar nearest its middle. @param {Section} section */
  split(section) {
    const { bar } = lengthsOf(doc.session);
    const inside = host.position > section.start && host.position < section.end;
    const bars = Math.max(1, Math.round((section.end - section.start) / bar / 2));
    const at = inside ? snapped(doc.session, host.position, 1) : Math.round(section.start + bars * bar);
    const edit = asked({ do: 'split-section', section: section.id, at });
    if (edit) void doc.edit(edit);
  }

  add() {
    const { bar } = lengthsOf(doc.session);
    const [start, end] = asked({
      do: 'room-for-section',
      from: snapped(doc.session, host.position, 1),
      frames: Math.round(NEW_BARS * bar),
    });
    void placeSection({ id: 0, name: `Section ${doc.session.sections.length + 1}`, start, end });
  }
}

/** Opens it. @param {() => number} frames length of the song */
export const openSections = (frames) => new SectionsSheet(frames);
