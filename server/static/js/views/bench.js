// @ts-check
/** Bench: one strip's rack, shaped while it plays. */
import { doc } from './session-frame.js';
import { host, loopRange, prepare } from './listen-bar.js';
import { ask } from '../engine/ask.js';
import { html, signed } from '../draw/svg.js';
import { longWork } from '../session/api.js';
import { newGesture } from '../session/document.js';
import { drawEvidence } from './bench/evidence.js';
import { unitPanel } from './bench/unit-panel.js';
import { drawWire } from './bench/wire.js';
import { note } from './notes.js';
import { shortcuts } from './shortcuts.js';

const strip = () => doc.find(doc.strip);
const units = () => strip().rack.units;
const feeds = strip().feeds ? doc.find(/** @type {number} */ (strip().feeds)).name : '';
const places = Object.fromEntries(['wire', 'unit', 'evidence'].map((id) => [id, /** @type {HTMLElement} */ (document.getElementById(id))]));
/** Rest of the page, after an edit, before figures are measured anew. */
const SETTLE_MS = 350;
/** Rest after that before the match at the ear is measured, unless both sides are being compared. */
const IDLE_MS = 1500;

let selected = Math.min(Number(new URLSearchParams(window.location.search).get('station') ?? 1) - 1, Math.max(0, units().length - 1));
/** @type {ReturnType<typeof unitPanel> | null} */
let panel = null;
/** @type {any} */
let treatment = null;
/** @type {{ whole: number, sections: number[] }} */
let matches = { whole: 0, sections: [] };
let older = false;
let listening = 'worked';
let alone = false;

// ---- the rack -------------------------------------------------------------

const actions = {
  select,
  /** @param {number} i @param {boolean} on */
  turn: (i, on) => void doc.edit({ edit: 'set-unit', strip: doc.strip, unit: { ...units()[i], on } }),
  /** @param {number} i @param {number} to */
  async move(i, to) {
    const { id } = units()[i];
    await doc.edit({ edit: 'move-unit', strip: doc.strip, unit: id, to });
    select(units().findIndex((u) => u.id === id));
    /** @type {HTMLElement | null} */ (places.wire.querySelector(`[data-station="${selected}"]`))?.focus();
  },
  /** @param {number} i */
  async remove(i) {
    await doc.edit({ edit: 'remove-unit', strip: doc.strip, unit: units()[i].id });
    note('The unit was removed; undo brings it back with all its settings.');
  },
  /** @param {string} kind */
  async add(kind) {
    const at = units().length ? selected + 1 : 0;
    await doc.edit({ edit: 'add-unit', strip: doc.strip, at, unit: ask({ ask: 'fresh', kind }) });
    select(at);
  },
};

/** @param {number} i */
function select(i) {
  selected = Math.max(0, Math.min(i, units().length - 1));
  host.send({ do: 'watch', station: selected });
  showAll();
}

function showWire() {
  drawWire(places.wire, strip(), doc.session.rate, selected, treatment, feeds, actions);
}

function showAll() {
  selected = Math.max(0, Math.min(selected, units().length - 1));
  showWire();
  const unit = units()[selected];
  panel?.end();
  panel = null;
  if (unit) {
    panel = unitPanel(places.unit, unit, doc.session, (changed, gesture) => void doc.edit({ edit: 'set-unit', strip: doc.strip, unit: changed }, gesture));
    panel.evidence(treatment, selected);
  } else {
    places.unit.replaceChildren(html('div', { className: 'unit-none' }, html('h2', {}, 'Untouched so far'),
      html('p', {}, `Listen to ${strip().name} in the mix first and note what you hear. Then add a unit on the wire above: cuts before lifts, and only what the part needs.`)));
  }
  showEvidence();
}

function showEvidence() {
  drawEvidence(places.evidence, treatment, selected, units()[selected], older);
}

doc.addEventListener('change', (event) => {
  const { strip: changed, edit } = /** @type {CustomEvent} */ (event).detail;
  if (changed !== doc.strip) return;
  if (edit.edit === 'set-unit') {
    const unit = units()[selected];
    // The panel's own change is already shown there.
    if (panel && unit?.id === panel.unit.id && unit !== panel.unit) panel.take(unit);
    showWireSoon();
  } else if (edit.edit !== 'rename' && edit.edit !== 'set-note') showAll();
  measureSoon();
});
doc.addEventListener('newer', () => {
  showAll();
  measureSoon();
});

let wireFrame = 0;
function showWireSoon() {
  cancelAnimationFrame(wireFrame);
  wireFrame = requestAnimationFrame(showWire);
}

// ---- evidence and matching ------------------------------------------------

let timer = 0;
let asked = 0;
function measureSoon() {
  older = treatment !== null;
  window.clearTimeout(timer);
  timer = window.setTimeout(() => void measure(), SETTLE_MS);
}

async function measure() {
  asked += 1;
  const mine = asked;
  try {
    const result = await longWork(`/api/sessions/${doc.id}/strips/${doc.strip}/evidence`, {}, () => {});
    if (mine !== asked || !result) return;
    ({ treatment, matches } = result);
    older = false;
    showWire();
    panel?.evidence(treatment, selected);
    showEvidence();
    showMatch();
    matchSoon(IDLE_MS);
    document.body.dataset.measured = String(doc.version);
  } catch (error) {
    note(error instanceof Error ? error.message : String(error));
  }
}

/** Matches measured at the ear, behind bus and main, by stretch and version. @type {Map<string, number>} */
const atTheEar = new Map();

/** The frames that are heard: the loop, or the whole song. @returns {[number, number]} */
function heardFrames() {
  const range = loopRange();
  const { sections } = doc.session;
  if (range) return [sections[range[0]].start, sections[range[1]].end];
  return [0, Math.max(...doc.session.strips.map((s) => s.audio?.frames ?? 0))];
}

const matchKey = () => `${doc.version}:${heardFrames()}`;

/** Measures the match at the ear once the figures of the rack are there and nobody is at a control. */
async function matchAtTheEar() {
  const key = matchKey();
  if (older || !treatment || atTheEar.has(key)) return;
  const [from, to] = heardFrames();
  try {
    const result = await longWork(`/api/sessions/${doc.id}/strips/${doc.strip}/match?from=${from}&to=${to}`, {}, () => {});
    if (!result) return;
    atTheEar.set(key, result.match_db);
    if (key === matchKey()) {
      showMatch();
      document.body.dataset.matched = key;
    }
  } catch (error) {
    note(error instanceof Error ? error.message : String(error));
  }
}

let matchTimer = 0;
/** @param {number} ms */
function matchSoon(ms) {
  window.clearTimeout(matchTimer);
  matchTimer = window.setTimeout(() => void matchAtTheEar(), ms);
}

/** dB that bring the untouched sound to the worked one's loudness, over what is heard. */
function matchDb() {
  const measured = atTheEar.get(matchKey());
  if (measured !== undefined) return measured;
  const range = loopRange();
  if (range && range[0] === range[1]) return matches.sections[range[0]] ?? matches.whole;
  return matches.whole;
}

function showMatch() {
  const figure = document.querySelector('#matched b');
  if (figure) figure.textContent = `${signed(matchDb())} LU`;
  sendListening();
}

function sendListening() {
  host.send({ do: 'listen', mode: ['worked', 'untouched', 'difference'].indexOf(listening), matchDb: matchDb() });
}

// ---- listening ------------------------------------------------------------

/** @param {string} mode */
function listen(mode) {
  listening = mode;
  matchSoon(0);
  for (const tab of document.querySelectorAll('[data-listen]')) tab.setAttribute('aria-pressed', String(/** @type {HTMLElement} */ (tab).dataset.listen === mode));
  sendListening();
}

/** @param {boolean} on */
function setAlone(on) {
  alone = on;
  for (const tab of document.querySelectorAll('[data-alone]')) tab.setAttribute('aria-pressed', String(/** @type {HTMLElement} */ (tab).dataset.alone === (on ? '1' : '0')));
  host.send({ do: 'alone', alone: on });
}

for (const tab of document.querySelectorAll('[data-listen]')) tab.addEventListener('click', () => listen(/** @type {HTMLElement} */ (tab).dataset.listen ?? 'worked'));
for (const tab of document.querySelectorAll('[data-alone]')) tab.addEventListener('click', () => setAlone(/** @type {HTMLElement} */ (tab).dataset.alone === '1'));
host.addEventListener('report', (event) => panel?.follow(/** @type {CustomEvent} */ (event).detail));
host.addEventListener('loop', () => {
  showMatch();
  matchSoon(IDLE_MS);
});

const noted = /** @type {HTMLInputElement} */ (document.getElementById('note'));
noted.addEventListener('change', () => void doc.edit({ edit: 'set-note', strip: doc.strip, note: noted.value }, newGesture()));

/** @param {string} id */
const follow = (id) => () => /** @type {HTMLAnchorElement | null} */ (document.getElementById(id))?.click();

/** What the part was like when the eyes were closed. @type {any} */
let blind = null;

/** Hides every picture and figure, so that choices are made by ear; shown again with the result. */
function eyesClosed() {
  const closed = document.querySelector('.bench')?.classList.toggle('eyes-closed');
  document.querySelector('.blind-result')?.remove();
  if (closed) {
    blind = treatment?.points.at(-1) ?? null;
    places.unit.prepend(html('p', { className: 'blind-result' }, 'Eyes closed: choose by ear. E shows everything again, with what came of it.'));
  } else if (blind && treatment) {
    const close = html('button', { type: 'button', className: 'plain-button' }, 'close');
    const result = html('p', { className: 'blind-result', role: 'status' }, blindSentence(blind, treatment.points[0], treatment.points.at(-1)), close);
    close.addEventListener('click', () => result.remove());
    places.unit.prepend(result);
  }
}

/** @param {any} then the rack's output when the eyes were closed @param {any} raw @param {any} now */
function blindSentence(then, raw, now) {
  const step = (/** @type {any} */ a, /** @type {any} */ b) => `${signed((b.lufs ?? 0) - (a.lufs ?? 0))} LU, peak ${signed(b.peak_db - a.peak_db)} dB, crest ${signed(b.crest_db - a.crest_db)} dB`;
  return `While your eyes were closed: ${step(then, now)}. Against the untouched sound it is now: ${step(raw, now)}. `;
}

/** Lets the unit's picture fill the window, and back. */
function fill() {
  places.unit.classList.toggle('filled');
}

shortcuts(
  { keys: 'U', does: 'worked or untouched', run: () => listen(listening === 'untouched' ? 'worked' : 'untouched') },
  { keys: 'D', does: 'the difference', run: () => listen(listening === 'difference' ? 'worked' : 'difference') },
  { keys: 'A', does: 'alone or in the mix', run: () => setAlone(!alone) },
  ...Array.from({ length: 9 }, (_, i) => ({ keys: String(i + 1), shown: i ? '' : '1 … 9', does: i ? '' : 'station', run: () => { if (i < units().length) select(i); } })),
  { keys: '[', does: 'previous strip', run: follow('previous') },
  { keys: ']', does: 'next strip', run: follow('next') },
  { keys: 'B', does: 'unit on or off', run: () => { if (units()[selected]) actions.turn(selected, !units()[selected].on); } },
  { keys: 'E', does: 'eyes closed: hide pictures and figures; again: show them, and what came of it', run: eyesClosed },
  { keys: 'F', does: 'unit fills the window', run: fill },
);

showAll();
void measure();
await prepare();
select(selected);
sendListening();
