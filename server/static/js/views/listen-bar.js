// @ts-check
/** The listen bar: play, place, sections, what is heard, the output. */
import { Host } from '../engine/host.js';
import { catalogue } from '../engine/ask.js';
import { longWork } from '../session/work.js';
import { Meter } from '../draw/meter.js';
import { html, level } from '../draw/svg.js';
import { note } from './notes.js';
import { doc } from './session-frame.js';
import { shortcuts } from './shortcuts.js';

/** The page's player. */
export const host = new Host(doc);
// For the browser's console and for tests that capture what is heard.
Object.assign(window, { zincRack: { host, doc } });

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
  if (place) place.textContent = wanted() ? 'plays when ready' : placeText(0);
}

/** One for each section. @type {HTMLButtonElement[]} */
let chips = [];
const out = new Meter(/** @type {HTMLElement} */ (document.getElementById('out-meter')));
/** First and last section of the loop. @type {[number, number] | null} */
let range = null;
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

let preparing = 0;

/** Prepares the streams and the player; what plays now plays on until the new mix is there. */
export async function prepare() {
  preparing += 1;
  const mine = preparing;
  try {
    // Meanwhile the audio thread begins; what goes wrong there is said where it is needed.
    host.begin().catch(() => {});
    // The server prepares what it has been told.
    await doc.idle();
    const wanted = { ...view, reference: host.reference };
    /** What another has taken the place of says nothing more. @type {typeof showBusy} */
    const show = (...progress) => {
      if (mine === preparing) showBusy(...progress);
    };
    const streams = await longWork(`/api/sessions/${doc.id}/streams`, wanted, show);
    if (mine !== preparing) return;
    if (streams) {
      await host.load(streams, view);
      begin();
    } else {
      want(false);
      note('Preparing was cancelled. Load the page again to play.');
    }
  } catch (error) {
    want(false);
    note(error instanceof Error ? error.message : String(error));
  }
  if (mine === preparing) showIdle();
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
  soon = window.setTimeout(() => void prepare(), 250);
}

function toggle() {
  if (!ready) want(!wanted());
  else if (host.playing) host.stop();
  else void host.play();
}

/** @param {number} first @param {number} last */
function loopSections(first, last) {
  range = [first, last];
  const from = doc.session.sections[first].start;
  host.loop([from, doc.session.sections[last].end]);
  host.seek(from);
  showChips();
}

function showChips() {
  chips.forEach((chip, i) => chip.setAttribute('aria-pressed', String(range !== null && i >= range[0] && i <= range[1])));
}

/** Makes the chips of the sections there are. */
function makeChips() {
  chips = doc.session.sections.map((section, i) => {
    const chip = html(
      'button',
      { type: 'button', className: 'chip', title: 'Loop it; Shift extends; again for no loop', data: { section: String(i) } },
      section.name,
    );
    chip.addEventListener('click', (/** @type {MouseEvent} */ event) => chooseSection(i, event.shiftKey));
    return chip;
  });
  if (range && range[1] >= chips.length) {
    range = null;
    host.loop(null);
  }
  document.getElementById('sections')?.replaceChildren(...chips);
  showChips();
}

/** @param {number} i @param {boolean} extend */
function chooseSection(i, extend) {
  if (extend && range) loopSections(Math.min(range[0], i), Math.max(range[1], i));
  else if (range && range[0] === i && range[1] === i) {
    range = null;
    host.loop(null);
    showChips();
  } else loopSections(i, i);
  host.dispatchEvent(new Event('loop'));
}
makeChips();
doc.addEventListener('change', (event) => {
  if (/** @type {CustomEvent} */ (event).detail.facts.about === 'song') makeChips();
});
doc.addEventListener('newer', makeChips);

/** The loop as section numbers. */
export const loopRange = () => range;

/** Section at a frame; -1 for none. @param {number} frame */
const sectionAt = (frame) => doc.session.sections.findIndex((s) => frame >= s.start && frame < s.end);

/** @param {number} way */
function step(way) {
  const at = sectionAt(host.position);
  const next = doc.session.sections[Math.max(0, Math.min(doc.session.sections.length - 1, at + way))];
  if (!next) host.seek(0);
  else if (range) loopSections(doc.session.sections.indexOf(next), doc.session.sections.indexOf(next));
  else host.seek(next.start);
}

/** @param {number} frame */
function placeText(frame) {
  const seconds = frame / doc.session.rate;
  const beats = (seconds * doc.session.tempo_bpm) / 60;
  const bar = Math.floor(beats / doc.session.beats_per_bar) + 1;
  const beat = Math.floor(beats % doc.session.beats_per_bar) + 1;
  const minutes = Math.floor(seconds / 60);
  return `bar ${bar}.${beat}  ${minutes}:${(seconds % 60).toFixed(1).padStart(4, '0')}`;
}

let shownStarved = 0;

/** Says what is wrong with the output, while it is. @param {import('../engine/host.js').Report} report */
function warn(report) {
  const place = document.getElementById('warning');
  if (!place) return;
  /** @type {string[]} */
  const words = [];
  if (report.true_peak > 0) words.push(`over full scale by ${level(report.true_peak)} dB: bring the main down`);
  if (wideOnce && report.playing && report.width < LOST_STEREO_DB) words.push('the output is nearly mono now');
  if (report.load > HEAVY_LOAD)
    words.push(`the sound takes ${(report.load * 100).toFixed(0)} % of the time there is: print what is finished`);
  wideOnce ||= report.width > WIDE_DB;
  place.textContent = words.join(' · ');
}
let wideOnce = false;
/** Width over which a mix counts as stereo, and under which its stereo has been lost, in dB of side against mid. */
const WIDE_DB = -20;
const LOST_STEREO_DB = -45;
/** Share of the audio thread's time from which gaps are near. */
const HEAVY_LOAD = 0.7;
host.addEventListener('report', (event) => {
  const report = /** @type {CustomEvent<import('../engine/host.js').Report>} */ (event).detail;
  if (!ready) return;
  play.setAttribute('aria-pressed', String(report.playing));
  play.setAttribute('aria-label', report.playing ? 'Stop' : 'Play');
  const place = document.getElementById('place');
  if (place) place.textContent = placeText(report.position);
  const here = sectionAt(report.position);
  chips.forEach((chip, i) => chip.toggleAttribute('data-here', i === here));
  out.take(10 ** (report.peak / 20), performance.now());
  const figures = /** @type {HTMLElement} */ (document.getElementById('out-figures'));
  figures.textContent =
    `${level(report.momentary)} LUFS  ${level(report.true_peak)} dBTP  room ` +
    `${report.true_peak > -120 ? level(-report.true_peak) : '–'} dB`;
  figures.classList.toggle('caution', report.true_peak > 0);
  warn(report);
  // A little waiting at the start is loading; more means that sound comes too slowly.
  if (report.starved > shownStarved + 400) {
    shownStarved = report.starved;
    if (report.playing) note('Waiting for sound from the server. Playing goes on by itself as soon as it is here.');
  }
});
host.addEventListener('trouble', (event) => note(/** @type {CustomEvent} */ (event).detail));
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
  { keys: ',', does: 'previous section', run: () => step(-1) },
  { keys: '.', does: 'next section', run: () => step(1) },
);
// Pressed while this file was still on its way.
showWanted();
