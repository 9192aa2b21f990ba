// @ts-check
/** The line over a lane: what it is, a typed point, how a point goes on, the grid, writing and riding. */
import { lamp, tabs } from '../../controls/tabs.js';
import { html } from '../../draw/svg.js';
import { placeWords } from '../../session/song-time.js';
import { valueWords } from './words.js';

/** @typedef {import('../../session/course.js').Point} Point */
/** @typedef {NonNullable<ReturnType<typeof import('./words.js').paramOf>>} Found */

/** Places to the beat that points snap to. */
const GRIDS = [
  { id: '0', label: 'free' },
  { id: '1', label: 'beat' },
  { id: '4', label: '16th' },
];
const THEN = [
  { id: 'straight', label: 'line' },
  { id: 'held', label: 'step' },
  { id: 'free', label: 'end of automation' },
];
const STRETCHES = [
  { id: 'loop', label: 'section' },
  { id: 'song', label: 'song' },
];

/**
 * @typedef {object} Doings what the line asks for
 * @property {(text: string) => void} type a typed point
 * @property {(then: Point['then']) => void} goOn how the selected point goes on
 * @property {() => void} remove the selected point
 * @property {(perBeat: number) => void} snap
 * @property {(whole: boolean) => void} show the whole song, or the section
 * @property {(on: boolean) => void} write
 * @property {(text: string) => void} ride the marked stretch by so many dB
 * @property {() => void} clear
 * @property {() => void} close
 */

export class LaneHead {
  /** @param {Doings} on */
  constructor(on) {
    this.title = html('b');
    this.stretch = html('span', { className: 'quiet figure' });
    this.typed = html('input', {
      className: 'rule-value lane-typed',
      placeholder: 'bar 9.1: value',
      'aria-label': 'A point, typed as a place and a value',
      autocomplete: 'off',
      spellcheck: false,
    });
    this.then = tabs(THEN, 'straight', 'From the selected point on', (then) => on.goOn(/** @type {Point['then']} */ (then)));
    this.write = lamp(false, 'write', on.write, 'Write while it plays: the control moved is drawn');
    this.ride = html('input', { className: 'rule-value', value: '-3', size: 5, 'aria-label': 'Write the marked stretch by so many dB' });
    const ride = button('write', () => on.ride(this.ride.value));
    this.rideBox = html('span', { className: 'lane-ride', title: 'Shift and drag marks a stretch' }, 'write by ', this.ride, ' dB ', ride);
    this.element = html(
      'div',
      { className: 'lane-head' },
      this.title,
      this.typed,
      this.then,
      button('remove point', on.remove),
      tabs(GRIDS, '1', 'Points snap to', (grid) => on.snap(Number(grid))),
      tabs(STRETCHES, 'loop', 'Stretch shown', (shown) => on.show(shown === 'song')),
      this.write,
      this.rideBox,
      this.stretch,
      button('delete automation', on.clear),
      button('close', on.close),
    );
    this.typed.addEventListener('change', () => on.type(this.typed.value));
    onEnter(this.typed, () => on.type(this.typed.value));
    onEnter(this.ride, () => on.ride(this.ride.value));
  }

  /**
   * @typedef {{ found: Found, strip: string, point: Point | undefined, marked: [number, number] | null }} Now
   * @param {Now} now
   * @param {import('../../types.js').Session} song
   */
  show({ found: { table, param, spec, label }, strip, point, marked }, song) {
    this.title.textContent = `${label} · ${strip}`;
    if (document.activeElement !== this.typed)
      this.typed.value = point ? `${placeWords(song, point.at)}: ${valueWords(table, param, spec, point.value)}` : '';
    for (const each of this.then.children) each.setAttribute('aria-pressed', String(point && each.dataset.option === point.then));
    this.rideBox.hidden = spec.domain.type !== 'number' || spec.domain.quantity !== 'decibels';
    this.stretch.textContent = marked ? `${placeWords(song, Math.min(...marked))} to ${placeWords(song, Math.max(...marked))}` : '';
  }

  /** Whether the typed point was understood. @param {boolean} understood */
  mark(understood) {
    if (understood) this.typed.removeAttribute('aria-invalid');
    else this.typed.setAttribute('aria-invalid', 'true');
  }

  /** @param {boolean} on */
  showWriting(on) {
    this.write.setAttribute('aria-pressed', String(on));
  }
}

/** @param {string} label @param {() => void} run */
function button(label, run) {
  const made = html('button', { type: 'button', className: 'plain-button' }, label);
  made.addEventListener('click', run);
  return made;
}

/** The keys of a box stay in it. @param {HTMLElement} box @param {() => void} run */
function onEnter(box, run) {
  box.addEventListener('keydown', (event) => {
    event.stopPropagation();
    if (event.key === 'Enter') run();
  });
}
