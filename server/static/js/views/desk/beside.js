// @ts-check
/** What is made beside a strip in one press: a return by a recipe, and giving way at the hits of another. */
import { html, level } from '../../draw/svg.js';
import { longWork } from '../../session/work.js';
import { note } from '../notes.js';
import { doc } from '../session-frame.js';

/** @typedef {import('../../session/document.js').Strip} Strip */

/** The recipes: a return each, raised from nothing. */
const RECIPES = [
  { id: 'attack', title: 'A return that lets the strokes through and holds what follows them' },
  { id: 'thickness', title: 'A return that holds the strokes and brings up all that lies between' },
  { id: 'body', title: 'A return that takes ten decibels and more off the notes and shaves their strokes: weight without peaks' },
];

/**
 * Asks for an edit, makes it and says what came of it.
 * @param {HTMLButtonElement} button
 * @param {string} path
 * @param {unknown} body
 * @param {(made: any) => string} words
 */
async function make(button, path, body, words) {
  button.disabled = true;
  try {
    const made = await longWork(path, body, () => {});
    if (!made) return;
    if (made.there) {
      note(`${doc.find(made.there).name} is there already; it was left as it is.`);
      return;
    }
    await doc.edit(made.edit);
    note(words(made));
  } catch (error) {
    note(error instanceof Error ? error.message : String(error));
  } finally {
    button.disabled = false;
  }
}

/**
 * What raising a return adds.
 * @param {{ level_db: number, loudness_lu: number, peak_db: number, most_hz: number, most_db: number }[]} adds
 */
function added(adds) {
  const at = adds.map((a) => `at ${level(a.level_db)} dB ${level(a.loudness_lu)} LU and ${level(a.peak_db)} dB of peaks`);
  const last = adds[adds.length - 1];
  return last ? `It adds ${at.join(', ')}; most about ${Math.round(last.most_hz)} Hz.` : '';
}

/** Buttons of the recipes. @param {Strip} strip */
export function recipes(strip) {
  const at = `/api/sessions/${doc.id}/strips/${strip.id}/beside`;
  return RECIPES.map(({ id, title }) => {
    const button = html('button', { type: 'button', className: 'plain-button', title }, `parallel ${id}`);
    button.addEventListener(
      'click',
      () =>
        void make(
          button,
          at,
          { recipe: id },
          ({ heard, adds }) =>
            `A return was made, off until you raise it: peaks at ${Math.round(heard.peak_db)}, RMS at ` +
            `${Math.round(heard.body_db)} dBFS, weight from ${Math.round(heard.from_hz)} Hz. ${added(adds)}`,
        ),
    );
    return button;
  });
}

/** Giving way by so much at each hit of another strip. @param {Strip} strip */
export function giveWay(strip) {
  const others = doc.session.strips.filter((s) => s.role !== 'main' && s.id !== strip.id);
  const to = html(
    'select',
    { className: 'key-choice', 'aria-label': 'at each hit of' },
    ...others.map((s) => new Option(s.name, String(s.id))),
  );
  const depth = html('input', {
    type: 'number',
    min: 0.5,
    max: 24,
    step: 0.5,
    value: '3',
    className: 'duck-depth',
    'aria-label': 'by so many dB',
  });
  const button = html(
    'button',
    {
      type: 'button',
      className: 'plain-button',
      title: "A compressor that this part's rack ends with, keyed and solved so that it takes just that at each hit",
    },
    'give way',
  );
  button.addEventListener(
    'click',
    () =>
      void make(
        button,
        `/api/sessions/${doc.id}/strips/${strip.id}/duck`,
        { key: Number(to.value), depth_db: Number(depth.value) },
        ({ hits, least_db: least, most_db: most }) => `It gives way at ${hits} hits, by ${least.toFixed(1)} to ${most.toFixed(1)} dB.`,
      ),
  );
  return html(
    'section',
    { className: 'sheet-actions', 'aria-label': 'Giving way' },
    button,
    html('span', {}, 'by'),
    depth,
    html('span', {}, 'dB at each hit of'),
    to,
  );
}
