// @ts-check
/** The ruler over the waveforms: bars and sections. */
import { lengthsOf } from '../../session/song-time.js';
import { shortName } from '../../draw/short-name.js';
import { svg } from '../../draw/svg.js';
import { doc } from '../session-frame.js';
import { askName } from './ask-name.js';
import { placeSection } from './sections-sheet.js';

/**
 * The ruler over the waveforms: bars, sections; drag makes a section, a click on one renames or removes it.
 * @param {HTMLElement} place
 * @param {() => number} frames length of the song
 */
export function ruler(place, frames) {
  const box = svg('svg', {
    class: 'desk-ruler',
    role: 'group',
    'aria-label': 'Sections: drag to make one, click one to rename or remove it',
  });
  place.replaceChildren(box);
  const barFrames = () => lengthsOf(doc.session).bar;
  const ink = document.createElement('canvas').getContext('2d');
  /** Width of words on the ruler. @param {string} words */
  const widthOf = (words) => {
    if (!ink) return 5 * words.length;
    ink.font = `500 9px ${getComputedStyle(document.body).fontFamily}`;
    return ink.measureText(words).width;
  };
  let width = 1;
  const frameAt = (/** @type {number} */ x) => {
    const bar = barFrames();
    return Math.max(0, Math.min(frames(), Math.round(Math.round(((x / width) * frames()) / bar) * bar)));
  };
  const xOf = (/** @type {number} */ frame) => (frame / frames()) * width;
  /** @type {[number, number] | null} */
  let drawn = null;
  let dragged = false;
  const draw = () => {
    /** @type {SVGElement[]} */
    const parts = [];
    /** @type {SVGElement[]} */
    const names = [];
    const every = Math.max(1, Math.round(frames() / barFrames() / 16));
    for (let n = 0; n * barFrames() < frames(); n += every)
      parts.push(svg('line', { x1: xOf(n * barFrames()), x2: xOf(n * barFrames()), y1: 12, y2: 16 }));
    doc.session.sections.forEach((s, i) => {
      const [x, w] = [xOf(s.start), xOf(s.end) - xOf(s.start)];
      const block = svg(
        'g',
        { class: 'ruler-section', tabindex: 0, role: 'button', 'aria-label': `Section ${s.name}: rename or remove`, 'data-i': i },
        svg('rect', { x: x + 1, y: 0, width: Math.max(2, w - 2), height: 12 }),
      );
      names.push(label(block, s.name, x, w));
      block.addEventListener('click', () => {
        if (!dragged) void change(i);
      });
      block.addEventListener('keydown', (event) => {
        if (event.key === 'Enter') void change(i);
      });
      parts.push(block);
    });
    parts.push(...names);
    if (drawn)
      parts.push(svg('rect', { x: Math.min(...drawn), y: 0, width: Math.abs(drawn[1] - drawn[0]), height: 16, class: 'ruler-new' }));
    box.replaceChildren(...parts);
  };
  /**
   * Its name as it fits; in full, over what is beside it, while it is pointed at or has the focus.
   * @param {SVGElement} block
   * @param {string} name
   * @param {number} x
   * @param {number} room
   */
  const label = (block, name, x, room) => {
    const text = svg('text', { x: x + 4, y: 9 });
    const short = shortName(name, (words) => widthOf(words) + 6 <= room);
    const say = (/** @type {string} */ words) => {
      text.textContent = words;
      text.toggleAttribute('data-full', words !== short);
    };
    block.addEventListener('pointerenter', () => say(name));
    block.addEventListener('focus', () => say(name));
    block.addEventListener('pointerleave', () => say(short));
    block.addEventListener('blur', () => say(short));
    block.append(svg('title', {}, name));
    say(short);
    return text;
  };
  const change = async (/** @type {number} */ i) => {
    const { sections } = doc.session;
    const section = sections[i];
    const name = await askName('Section', section.name, true);
    if (name === null) return;
    void doc.edit(name ? { edit: 'set-section', section: { id: section.id, name } } : { edit: 'remove-section', section: section.id });
  };
  box.addEventListener('pointerdown', (event) => {
    if (event.button !== 0) return;
    const x = event.clientX - box.getBoundingClientRect().left;
    drawn = [x, x];
    dragged = false;
  });
  box.addEventListener('pointermove', (event) => {
    if (!drawn) return;
    drawn[1] = event.clientX - box.getBoundingClientRect().left;
    // A press that trembles is a click on the section under it.
    if (!dragged && Math.abs(drawn[1] - drawn[0]) > 4) {
      dragged = true;
      box.setPointerCapture(event.pointerId);
    }
    if (dragged) draw();
  });
  box.addEventListener('pointerup', async () => {
    if (!drawn) return;
    const [from, to] = drawn.map(frameAt).sort((a, b) => a - b);
    drawn = null;
    if (!dragged) return;
    draw();
    if (from === to) return;
    const name = await askName('New section', `Section ${doc.session.sections.length + 1}`, false);
    if (name) void placeSection({ id: 0, name, start: from, end: to });
  });
  new ResizeObserver(([entry]) => {
    width = entry.contentRect.width || 1;
    draw();
  }).observe(box);
  doc.addEventListener('change', (event) => {
    if (['song', 'strips', 'standing', 'mixed'].includes(/** @type {CustomEvent} */ (event).detail.facts.about)) draw();
  });
  doc.addEventListener('newer', draw);
}
