// @ts-check
/** The listen bar: play, place, sections, what is heard, the output. */
import { runningWords } from '../session/song-time.js';
import { Host } from '../engine/host.js';
import { catalogue } from '../engine/ask.js';
import { request } from '../session/api.js';
import { Meter } from '../draw/meter.js';
import { level } from '../draw/svg.js';
import { ClipLamp } from './listen/clip-lamp.js';
import { Printing } from './listen/printing.js';
import { SectionChips } from './listen/section-chips.js';
import { Warnings } from './listen/warnings.js';
import { note } from './notes.js';
import { doc } from './session-frame.js';
import { shortcuts } from './shortcuts.js';

/** The page's player. */
export const host = new Host(doc);

const play = /** @type {HTMLButtonElement} */ (document.getElementById('play'));
// From here on a press is heard here; one that came before is in `data-wanted`.
play.dataset.heard = '';
let ready = false;

/** Whether play was pressed before there was anything to play. */
const wanted = () => play.hasAttribute('data-wanted');

/** @param {boolean} on */
function want(on) {
  play.toggleAttribute('data-wanted', on);
  showWanted();
}

function showWanted() {
  if (ready) return;
  play.setAttribute('aria-label', wanted() ? 'Plays when it is ready; press to leave it' : 'Play');
  const place = document.getElementById('place');
  if (place) place.textContent = wanted() ? (place.dataset.whileWanted ?? '') : runningWords(doc.session, 0);
}

const out = new Meter(/** @type {HTMLElement} */ (document.getElementById('out-meter')));
/** @type {(() => void) | null} */
let cancelWork = null;

/** Shows long work with its progress. @param {string} label @param {number} share @param {() => void} cancel */
export function showBusy(label, share, cancel) {
  const busy = document.getElementById('busy');
  const bar = /** @type {HTMLProgressElement} */ (document.getElementById('busy-share'));
  if (!busy || !bar) return;
  busy.hidden = false;
  /** @type {HTMLElement} */ (document.getElementById('busy-label')).textContent = label;
  bar.value = share;
  cancelWork = cancel;
}

/** Ends the display of long work. */
export function showIdle() {
  const busy = document.getElementById('busy');
  if (busy) busy.hidden = true;
}

// In a small window the bar is one line, and this shows the rest.
const fold = document.getElementById('listen-fold');
fold?.addEventListener('click', () => {
  const unfolded = document.getElementById('listen-bar')?.classList.toggle('unfolded') ?? false;
  fold.setAttribute('aria-expanded', String(unfolded));
  fold.textContent = unfolded ? 'less' : 'more';
});

document.getElementById('busy-cancel')?.addEventListener('click', () => cancelWork?.());

/** Which mix this page plays. @type {{ strip: number, with: number[] }} */
export const view = { strip: doc.strip, with: [] };

const printing = new Printing({ busy: showBusy, idle: showIdle, printed: () => host.printed(), stopped: () => prepareSoon(), said: note });

// For the browser's console and for tests that capture what is heard.
Object.assign(window, { zincRack: { host, doc, printing } });

/** Prepares the streams and the player; what plays now plays on until the new mix is there. */
export async function prepare() {
  const order = printing.ask();
  try {
    // Meanwhile the audio thread begins; what goes wrong there is said where it is needed.
    host.begin().catch(() => {});
    // The server prepares what it has been told.
    await doc.idle();
    const { job = 0, ...streams } = await request(`/api/sessions/${doc.id}/streams`, { ...view, reference: host.reference });
    if (!printing.take(order, job)) return;
    await host.load(streams, view);
    begin();
    if (job) void printing.follow(job);
  } catch (error) {
    if (!printing.isNewest(order)) return;
    want(false);
    note(error instanceof Error ? error.message : String(error));
  }
}

/** What was asked for before there was anything to play is done now. */
function begin() {
  if (ready) return;
  const plays = wanted();
  want(false);
  ready = true;
  play.dataset.ready = '';
  if (plays) void host.play();
}

let soon = 0;
/** Prepares once a run of changes is over. */
export function prepareSoon() {
  window.clearTimeout(soon);
  printing.isDue = true;
  soon = window.setTimeout(() => void prepare(), 250);
}

function toggle() {
  if (!ready) want(!wanted());
  else if (host.playing) host.stop();
  else void host.play();
}

const sections = new SectionChips(host);
/** The loop as section numbers. */
export const loopRange = () => sections.range;

const clip = new ClipLamp('Output', (frame) => host.seek(frame));
document.getElementById('out-reset')?.before(clip.element);

let shownStarved = 0;

const warnings = new Warnings(level);
host.addEventListener('report', (event) => {
  const report = /** @type {CustomEvent<import('../engine/host.js').Report>} */ (event).detail;
  if (!ready) return;
  play.setAttribute('aria-pressed', String(report.playing));
  play.setAttribute('aria-label', report.playing ? 'Stop' : 'Play');
  const place = document.getElementById('place');
  if (place) place.textContent = runningWords(doc.session, report.position);
  sections.follow(report.position);
  clip.take(report.peak, report.position);
  out.take(10 ** (report.peak / 20), performance.now());
  const figures = /** @type {HTMLElement} */ (document.getElementById('out-figures'));
  figures.textContent =
    `${level(report.momentary)} LUFS  ${level(report.true_peak)} dBTP  room ` +
    `${report.true_peak > -120 ? level(-report.true_peak) : '–'} dB`;
  figures.classList.toggle('caution', report.true_peak > 0);
  const warning = document.getElementById('warning');
  if (warning) warning.textContent = warnings.of(report);
  // A little waiting at the start is loading; more means that sound comes too slowly.
  if (report.starved > shownStarved + 400) {
    shownStarved = report.starved;
    // While something is printed, that is said already, with the time it takes.
    if (report.playing && !printing.isOn) note('Waiting for sound from the server. Playing goes on by itself as soon as it is here.');
  }
});
host.addEventListener('trouble', (event) => note(/** @type {CustomEvent} */ (event).detail));
host.addEventListener('settling', (event) => {
  const is = /** @type {CustomEvent<boolean>} */ (event).detail;
  /** @type {HTMLElement} */ (document.getElementById('settling')).hidden = !is;
});
play.addEventListener('click', toggle);
document.getElementById('out-reset')?.addEventListener('click', () => host.send({ do: 'reset-maxima' }));
doc.addEventListener('sound', (event) => {
  if (host.unkept) {
    // It was made on what the document holds, not on what is heard: all of it is taken anew.
    host.unkept = false;
    prepareSoon();
  } else host.edit(/** @type {CustomEvent} */ (event).detail.edit);
});
doc.addEventListener('newer', () => {
  host.unkept = false;
  prepareSoon();
});
host.addEventListener('paths', prepareSoon);

/** Marks one of a row of tabs. @param {string} name @param {string} value */
export function mark(name, value) {
  for (const tab of /** @type {NodeListOf<HTMLElement>} */ (document.querySelectorAll(`[data-${name}]`))) {
    tab.setAttribute('aria-pressed', String(tab.dataset[name] === value));
  }
}

const check = /** @type {HTMLSelectElement} */ (document.getElementById('check'));
check.append(...catalogue.checks.map((c) => new Option(c.label, c.id)));
check.addEventListener('change', () => {
  check.closest('label')?.toggleAttribute('data-away', check.selectedIndex > 0);
  host.send({ do: 'check', check: check.selectedIndex });
});

shortcuts(
  { keys: 'Space', does: 'play or stop', run: toggle },
  { keys: ',', does: 'previous section', run: () => sections.step(-1) },
  { keys: '.', does: 'next section', run: () => sections.step(1) },
);
// Pressed while this file was still on its way.
showWanted();
