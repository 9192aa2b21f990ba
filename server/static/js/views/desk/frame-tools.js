// @ts-check
/** Tempo (typed, tapped, from a MIDI file), sections dragged on the ruler, bulk changes, new buses and returns. */
import { shortName } from '../../draw/short-name.js';
import { html, svg } from '../../draw/svg.js';
import { newGesture } from '../../session/document.js';
import { note } from '../notes.js';
import { openAddTracks } from './add-tracks.js';
import { busesByFamily, openNewPath } from './new-path.js';
import { doc } from '../session-frame.js';

/** Taps further apart than this begin a new count. */
const TAP_PAUSE_MS = 2500;
/** Rest after the last tap before its tempo is taken. */
const TAPPED_MS = 1200;

/** @param {number} tempo_bpm */
const setTempo = (tempo_bpm) => void doc.edit({ edit: 'set-tempo', tempo_bpm, beats_per_bar: doc.session.beats_per_bar }, newGesture());

/** @param {HTMLElement} place */
export function tempoTools(place) {
  const box = html('input', { className: 'rule-value tempo-value', value: doc.session.tempo_bpm.toFixed(1), 'aria-label': 'Tempo in quarter notes a minute' });
  box.addEventListener('change', () => {
    const typed = Number(box.value.replace(',', '.'));
    if (typed > 0) setTempo(typed);
    else note(`"${box.value}" is not a tempo; type for example 96 or 118.5.`);
  });
  /** @type {number[]} */
  let taps = [];
  let over = 0;
  const tap = html('button', { type: 'button', className: 'plain-button', title: 'Tap along; four taps or more' }, 'tap');
  tap.addEventListener('click', () => {
    const now = performance.now();
    if (now - (taps.at(-1) ?? 0) > TAP_PAUSE_MS) taps = [];
    taps.push(now);
    if (taps.length < 4) return;
    const tempo = Math.round((600_000 * (taps.length - 1)) / (now - taps[0])) / 10;
    box.value = tempo.toFixed(1);
    // Once the tapping is over: one change, and not one for each tap.
    window.clearTimeout(over);
    over = window.setTimeout(() => setTempo(tempo), TAPPED_MS);
  });
  const file = html('input', { type: 'file', accept: '.mid,.midi', className: 'visually-hidden', id: 'tempo-file', 'aria-label': 'Tempo from a MIDI file' });
  file.addEventListener('change', async () => {
    if (!file.files?.[0]) return;
    const response = await fetch(`/api/sessions/${doc.id}/tempo-file`, { method: 'POST', body: file.files[0] });
    const answer = await response.json();
    if (!response.ok) note(answer.error);
    else void doc.edit({ edit: 'set-tempo', tempo_bpm: answer.tempo_bpm, beats_per_bar: answer.beats_per_bar }, newGesture());
    file.value = '';
  });
  const show = () => {
    if (document.activeElement !== box) box.value = doc.session.tempo_bpm.toFixed(1);
  };
  doc.addEventListener('change', (event) => {
    if (/** @type {CustomEvent} */ (event).detail.edit.edit === 'set-tempo') show();
  });
  doc.addEventListener('newer', show);
  place.append(html('label', {}, 'tempo ', box), tap, html('label', { className: 'plain-button', htmlFor: 'tempo-file' }, 'from MIDI'), file);
}

/**
 * @param {HTMLElement} place
 * @param {{ path: () => void, sets: () => void, room: () => void }} open dialogs
 */
export function sessionTools(place, open) {
  const button = (/** @type {string} */ words, /** @type {() => void} */ act, title = '') => {
    const b = html('button', { type: 'button', className: 'plain-button', title }, words);
    b.addEventListener('click', act);
    place.append(b);
  };
  button('+ tracks', () => openAddTracks(), 'Further files into this session; or drop them on the Desk');
  button('+ bus', () => openNewPath('bus'), 'A new bus into the main, and what feeds it');
  button('+ return', () => openNewPath('return'), 'A new parallel path into the main, and what is sent to it');
  button('buses by family', busesByFamily, 'A bus for every family of two tracks or more that feed the main, as one change');
  button('signal path', open.path, 'Every block and path of the session');
  button('sets of units', open.sets, 'Units across tracks that are judged together');
  button('make room', open.room, 'Tracks in each other\'s way, and what lets one be heard beside the other');
  button('faders to 0', () => {
    const edits = doc.session.strips.filter((s) => s.role !== 'main').map((s) => ({ edit: 'set-control', strip: s.id, control: 'level_db', value: 0 }));
    void doc.edit({ edit: 'several', edits });
  }, 'Every fader to 0 dB, as one change');
}

/** An order that works: foundation first, each group balanced again, ears rested. */
const ORDER = ['listen to everything raw, note what you hear', 'drums', 'bass', 'balance again', 'guitars', 'keys', 'orchestral', 'voice', 'balance again', 'take a break', 'check on a small speaker and in mono'];

/** A light checklist, kept with the session and never in the way. @param {HTMLElement} place */
export function orderOfWork(place) {
  let done = new Set(doc.session.notebook.done);
  const count = html('summary', { className: 'plain-button' });
  const show = () => { count.textContent = `order of work ${done.size}/${ORDER.length}`; };
  const items = ORDER.map((words, i) => {
    const box = html('input', { type: 'checkbox', checked: done.has(i) });
    box.addEventListener('change', () => {
      if (box.checked) done.add(i);
      else done.delete(i);
      void doc.edit({ edit: 'note', note: { entry: 'done', steps: [...done].sort((a, b) => a - b) } });
      show();
    });
    return html('label', { className: 'choose-row' }, box, words);
  });
  show();
  const again = () => {
    done = new Set(doc.session.notebook.done);
    items.forEach((item, i) => { /** @type {HTMLInputElement} */ (item.querySelector('input')).checked = done.has(i); });
    show();
  };
  doc.addEventListener('change', (event) => {
    if (/** @type {CustomEvent} */ (event).detail.edit.edit === 'note') again();
  });
  doc.addEventListener('newer', again);
  place.append(html('details', { className: 'order-of-work' }, count, html('div', { className: 'panel' }, ...items)));
}

/**
 * The ruler over the waveforms: bars, sections; drag makes a section, a click on one renames or removes it.
 * @param {HTMLElement} place
 * @param {() => number} frames length of the song
 */
export function ruler(place, frames) {
  const box = svg('svg', { class: 'desk-ruler', role: 'group', 'aria-label': 'Sections: drag to make one, click one to rename or remove it' });
  place.replaceChildren(box);
  const barFrames = () => (doc.session.rate * 60 * doc.session.beats_per_bar) / doc.session.tempo_bpm;
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
    for (let n = 0; n * barFrames() < frames(); n += every) parts.push(svg('line', { x1: xOf(n * barFrames()), x2: xOf(n * barFrames()), y1: 12, y2: 16 }));
    doc.session.sections.forEach((s, i) => {
      const [x, w] = [xOf(s.start), xOf(s.end) - xOf(s.start)];
      const block = svg('g', { class: 'ruler-section', tabindex: 0, role: 'button', 'aria-label': `Section ${s.name}: rename or remove`, 'data-i': i }, svg('rect', { x: x + 1, y: 0, width: Math.max(2, w - 2), height: 12 }), );
      names.push(label(block, s.name, x, w));
      block.addEventListener('click', () => { if (!dragged) void change(i); });
      block.addEventListener('keydown', (event) => { if (event.key === 'Enter') void change(i); });
      parts.push(block);
    });
    parts.push(...names);
    if (drawn) parts.push(svg('rect', { x: Math.min(...drawn), y: 0, width: Math.abs(drawn[1] - drawn[0]), height: 16, class: 'ruler-new' }));
    box.replaceChildren(...parts);
  };
  /** Its name as it fits; in full, over what is beside it, while it is pointed at or has the focus. @param {SVGElement} block @param {string} name @param {number} x @param {number} room */
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
    void doc.edit(name ? { edit: 'set-section', section: { ...section, name } } : { edit: 'remove-section', section: section.id });
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
    if (name) void doc.edit({ edit: 'add-section', section: { id: 0, name, start: from, end: to } });
  });
  new ResizeObserver(([entry]) => {
    width = entry.contentRect.width || 1;
    draw();
  }).observe(box);
  doc.addEventListener('change', (event) => {
    const { edit } = /** @type {CustomEvent} */ (event).detail.edit;
    if (edit === 'set-tempo' || edit === 'several' || edit.includes('section') || edit.includes('strip')) draw();
  });
  doc.addEventListener('newer', draw);
}

/**
 * Asks for a name; null when left, empty to remove.
 * @param {string} title @param {string} value @param {boolean} removable
 * @returns {Promise<string | null>}
 */
function askName(title, value, removable) {
  return new Promise((resolve) => {
    const input = html('input', { className: 'form-control', value, maxLength: 80, 'aria-label': `${title}: name` });
    const keep = html('button', { type: 'submit', className: 'strong-button', value: 'keep' }, 'keep');
    const remove = html('button', { type: 'submit', className: 'plain-button', value: 'remove' }, 'remove');
    const form = html('form', { method: 'dialog', className: 'name-form' }, html('h2', {}, title), input, html('div', { className: 'name-buttons' }, keep, ...(removable ? [remove] : [])));
    const dialog = html('dialog', { className: 'sheet-dialog', 'aria-label': title }, form);
    dialog.addEventListener('close', () => {
      resolve(dialog.returnValue === 'keep' ? input.value.trim() || null : dialog.returnValue === 'remove' ? '' : null);
      dialog.remove();
    });
    document.body.append(dialog);
    dialog.showModal();
    input.select();
  });
}
