// @ts-check
/** Prints: what of which part of the song, printed, followed, fetched. */
import { clock } from '../session/song-time.js';
import { doc } from './session-frame.js';
import { html } from '../draw/svg.js';
import { longWork } from '../session/work.js';
import { Passage } from './prints/passage.js';
import { SilenceCheck } from './prints/silence.js';

const form = /** @type {HTMLFormElement} */ (document.getElementById('prints-form'));
const what = /** @type {HTMLSelectElement} */ (document.getElementById('what'));
const bits = /** @type {HTMLSelectElement} */ (document.getElementById('bits'));
const table = /** @type {HTMLTableElement} */ (document.getElementById('prints'));
const passage = new Passage(() => show());
const silence = new SilenceCheck(() => show());

/** Says how long the print will be, and whether it would be silent. */
function show() {
  const { length = '', heard = '' } = what.selectedOptions[0]?.dataset ?? {};
  const place = /** @type {HTMLElement} */ (document.getElementById('length'));
  place.textContent = passage.words() || length;
  const silent = /** @type {HTMLElement} */ (document.getElementById('silent'));
  silent.textContent = silence.words(heard.split(' ').filter(Boolean).map(Number), passage.frames());
  silent.hidden = silent.textContent === '';
}
what.addEventListener('change', show);
show();

/** What is said of a print that is made. @param {{ clipped: number, silent: boolean, missing: string | null }} done */
function saidOf({ clipped, silent, missing }) {
  const cautions = [
    ...(clipped ? [`${clipped} samples were above full scale and are clipped. Print as 32-bit float, or lower the level.`] : []),
    ...(silent ? ['It is silent.'] : []),
    ...(missing ? [missing] : []),
  ];
  return cautions.length ? html('span', { className: 'caution' }, `done; ${cautions.join(' ')}`) : 'done';
}

form.addEventListener('submit', async (event) => {
  event.preventDefault();
  const frames = passage.frames();
  if (passage.trouble) return;
  table.hidden = false;
  /** @type {HTMLElement} */ (document.getElementById('no-prints')).hidden = true;
  const name = [what.selectedOptions[0].textContent ?? '', passage.called()].filter(Boolean).join(', ');
  const format = bits.selectedOptions[0].textContent ?? '';
  const bar = html('progress', { max: 1, value: 0 });
  const words = html('span', { className: 'quiet' }, ' waiting');
  const stop = html('button', { type: 'button', className: 'plain-button' }, 'cancel');
  const cells = {
    file: html('td', {}, name),
    length: html('td', { className: 'figure' }, '–'),
    state: html('td', {}, bar, words),
    action: html('td', {}, stop),
  };
  table.tBodies[0].prepend(html('tr', {}, cells.file, html('td', {}, format), cells.length, cells.state, cells.action));
  try {
    const done = await longWork(
      `/api/sessions/${doc.id}/prints`,
      { strip: Number(what.value), bits: bits.value, passage: frames, called: passage.called() },
      (label, share, cancel) => {
        bar.value = share;
        words.textContent = ` ${label}`;
        stop.onclick = cancel;
      },
    );
    if (!done) {
      cells.state.replaceChildren('cancelled; nothing was written');
      cells.action.replaceChildren();
      return;
    }
    cells.file.textContent = done.name;
    cells.length.textContent = clock(done.frames / done.rate);
    cells.state.replaceChildren(saidOf(done));
    cells.action.replaceChildren(
      html(
        'a',
        { href: `/api/printed/${done.key}?name=${encodeURIComponent(done.name)}`, download: done.name, className: 'plain-button' },
        'download',
      ),
    );
  } catch (error) {
    cells.state.replaceChildren(html('span', { className: 'caution' }, error instanceof Error ? error.message : String(error)));
    cells.action.replaceChildren();
  }
});

// Pressed sooner, the browser would send the form itself and load the page anew.
/** @type {HTMLButtonElement} */ (document.getElementById('print')).disabled = false;
