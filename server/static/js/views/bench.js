// @ts-check
/** Bench: one strip's rack, shaped while it plays. */
import { doc } from './session-frame.js';
import { choose } from './choose.js';
import { INSPECT, KEY, compareOn, hearInstead, hearWithout, listen, matchSoon, offer } from './compare.js';
import { host, loopRange, mark, prepare, prepareSoon, view } from './listen-bar.js';
import { ask, kindOf } from '../engine/ask.js';
import { html, signed } from '../draw/svg.js';
import { latestWork } from '../session/work.js';
import { newGesture } from '../session/document.js';
import { courseOf } from '../session/course.js';
import { everywhere, unitElsewhere, unitIn } from '../session/over-time.js';
import { isOfUnits, stripsOf, unitEdit } from '../session/unit-edits.js';
import { Advice } from './bench/advice.js';
import { Candidates } from './bench/candidates.js';
import { drawEvidence } from './bench/evidence.js';
import { RawPanel } from './bench/raw-panel.js';
import { TrialSheet } from './bench/trial-sheet.js';
import { ToneCurve } from './bench/tone-curve.js';
import { unitPanel } from './bench/unit-panel.js';
import { drawWire } from './bench/wire.js';
import { note } from './notes.js';
import { lane } from './over-time/lane-strip.js';
import { markChanges } from './over-time/marks.js';
import './over-time/changes-sheet.js';
import { editHere, scope, scopeEvents, stepScope } from './scope.js';
import { shortcuts } from './shortcuts.js';
import { takenAlong } from './taken.js';

const strip = () => doc.find(doc.strip);
const units = () => strip().rack.units;
const feeds = strip().feeds ? doc.find(/** @type {number} */ (strip().feeds)).name : '';
const places = Object.fromEntries(['wire', 'unit', 'evidence'].map((id) => [id, /** @type {HTMLElement} */ (document.getElementById(id))]));
/** Rest of the page, after an edit, before figures are measured anew. */
const SETTLE_MS = 350;
/** The same after an edit of another window. */
const FOREIGN_MS = 1200;

/** The raw part, before the first station. */
const RAW = -1;
/** Whether it was chosen, and is not shown only because there is no unit yet. */
let rawChosen = false;
/** Not before the mix can play and the rack is measured: those come first. */
let rawMayLook = false;
let selected = Math.min(Number(new URLSearchParams(window.location.search).get('station') ?? 1) - 1, units().length - 1);
/** @type {ReturnType<typeof unitPanel> | null} */
let panel = null;
/** @type {any} */
let treatment = null;
/** @type {{ whole: number, sections: number[] }} */
let matches = { whole: 0, sections: [] };
let older = false;
/** What is taken along the path of the strip, in words. */
let taken = '';
let context = 'mix';

// ---- the rack -------------------------------------------------------------

const actions = {
  select,
  /** @param {number} i @param {boolean} on */
  turn: (i, on) => void editHere({ edit: 'set-param', strip: doc.strip, unit: units()[i].id, param: 'on', value: on }),
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
    // A unit that has one begins where this part asks for it.
    const unit = ask({ ask: 'fresh', kind, part: strip().part, peak_db: treatment?.points[at]?.peak_db ?? null });
    await doc.edit({ edit: 'add-unit', strip: doc.strip, at, unit });
    if (unit.why) note(`It begins with ${unit.why}. Neutral is one press away.`);
    select(at);
  },
};

/** @param {number} i */
function select(i) {
  selected = Math.max(RAW, Math.min(i, units().length - 1));
  rawChosen = i === RAW && units().length > 0;
  host.send({ do: 'watch', station: Math.max(0, selected) });
  showAll();
}

function showWire() {
  // Switched as it is where changes hold.
  const here = { ...strip(), rack: { units: units().map((u) => unitIn(u, scope())) } };
  drawWire(places.wire, here, doc.session.rate, selected, treatment, feeds, actions, taken);
}

/** Keeps what the panel changed: the least edit that leads there. @param {import('../session/document.js').Unit} changed @param {string} gesture */
function keep(changed, gesture) {
  const now = doc.unit(doc.strip, changed.id);
  const edit = now && unitEdit(doc.strip, shown(now), changed);
  if (!edit) return;
  const first = edit.edit === 'several' ? edit.edits[0] : edit;
  if (first.edit === 'set-param') lane.touch({ strip: doc.strip, unit: changed.id, param: first.param });
  if (lane.takes(edit)) return;
  void editHere(edit, gesture).then((done) => {
    // What cannot differ in a section is shown as it was.
    if (!done && scope()) showInHand();
  });
}

/** A unit as it is where changes hold, and as it is being written. @param {import('../session/document.js').Unit} unit */
const shown = (unit) => lane.written(unitIn(unit, scope()));

/** The unit in hand as it is where changes hold. */
function showInHand() {
  const unit = panel && doc.unit(doc.strip, panel.unit.id);
  if (unit) panel?.take(shown(unit));
  showOverTime();
}

/** Marks what changes with the song, and where its other values are. */
function showOverTime() {
  const unit = panel && doc.unit(doc.strip, panel.unit.id);
  if (!panel || !unit) return;
  markChanges(places.unit, unit);
  for (const [rule] of panel.rules) {
    const path = rule.element.dataset.path ?? '';
    const { sections } = courseOf(unit, path);
    const others = sections.filter((h) => h.section !== scope()).map((h) => h.value);
    const differs = sections.some((h) => h.section === scope());
    rule.elsewhere(differs ? [everywhere(unit, { strip: doc.strip, unit: unit.id, param: path }), ...others] : others);
  }
  panel.elsewhere(unitElsewhere(unit, scope()));
}

for (const type of ['focusin', 'pointerdown']) {
  places.unit.addEventListener(type, (event) => {
    const control = /** @type {HTMLElement} */ (event.target).closest('[data-path]');
    if (panel && control instanceof HTMLElement) lane.touch({ strip: doc.strip, unit: panel.unit.id, param: control.dataset.path ?? '' });
  });
}
scopeEvents.addEventListener('scope', () => {
  showInHand();
  showWireSoon();
});

/** Shows the rack as it is now; what was in hand stays in hand, wherever another change has put it. */
function showInPlace() {
  const at = panel ? units().findIndex((unit) => unit.id === panel?.unit.id) : -1;
  if (at < 0 || at === selected) showAll();
  else select(at);
}

function showAll() {
  selected = Math.max(rawChosen ? RAW : 0, selected);
  selected = Math.min(selected, units().length - 1);
  showWire();
  const unit = units()[selected];
  panel?.end();
  panel = null;
  if (unit) {
    panel = unitPanel(places.unit, shown(unit), doc.session, keep);
    panel.evidence(treatment, selected);
    showOverTime();
  } else if (strip().role === 'track') {
    places.unit.replaceChildren(raw.element);
    if (rawMayLook) void raw.look();
  } else {
    places.unit.replaceChildren(html('div', { className: 'unit-none' }, html('h2', {}, 'Untouched so far'),
      html('p', {}, `Listen to ${strip().name} in the mix first and note what you hear. Then add a unit on the wire above: cuts before lifts, and only what the part needs.`)));
  }
  showEvidence();
  if (treatment) tone.show(treatment, Math.max(0, selected));
  offerSides();
}

const candidates = new Candidates({
  slots: doc.session.notebook.candidates[doc.strip] ?? [],
  keep: (slots) => void doc.edit({ edit: 'note', note: { entry: 'candidates', strip: doc.strip, slots } }),
  rack: () => strip().rack,
  hear: (slot) => {
    offerSides();
    hearWithout(`candidate-${slot}`);
  },
  stop: () => listen('worked'),
  use: (rack) => void doc.edit({ edit: 'replace-rack', strip: doc.strip, rack }),
});

/** The rack of a trial that is heard, and its name. @type {{ rack: any, name: string } | null} */
let tried = null;
/** @param {any} rack @param {string} name @param {any} [against] @param {boolean} [differs] */
function hearTried(rack, name, against = null, differs = false) {
  tried = { rack, name };
  hearInstead(against);
  offerSides();
  hearWithout('tried', differs ? 'difference' : 'untouched');
}

function stopTried() {
  tried = null;
  hearInstead(null);
  listen('worked');
  offerSides();
}

const trials = new TrialSheet({
  hear: hearTried,
  stop: stopTried,
  use: (rack) => void doc.edit({ edit: 'replace-rack', strip: doc.strip, rack }),
  candidate: (rack) => candidates.take(rack),
});

/** Opens the trials of the unit in hand. */
function openTrials() {
  const unit = units()[selected];
  if (unit) places.unit.append(trials.open(unit, selected));
}
places.unit.addEventListener('trials', openTrials);

const raw = new RawPanel(async (edit) => {
  rawChosen = true;
  await doc.edit(edit);
  select(RAW);
});

/** @param {number} seconds */
function playFrom(seconds) {
  host.seek(Math.round(seconds * doc.session.rate));
  if (!host.playing) void host.play();
}

const advice = new Advice({ hear: playFrom, show: hearTried, stop: stopTried });
const tone = new ToneCurve(async (unit) => {
  const at = units().length ? selected + 1 : 0;
  await doc.edit({ edit: 'add-unit', strip: doc.strip, at, unit });
  select(at);
});

function showEvidence() {
  drawEvidence(places.evidence, treatment, selected, units()[selected], older);
  places.evidence.append(advice.element, tone.element, candidates.element);
}

/** Goes to the Desk where the strip is no more. */
function leftIfGone() {
  if (doc.session.strips.some((s) => s.id === doc.strip)) return false;
  window.location.assign(`/sessions/${doc.id}/desk`);
  return true;
}

doc.addEventListener('change', (event) => {
  const { edit, foreign } = /** @type {CustomEvent} */ (event).detail;
  if (edit.edit === 'note') return;
  if (leftIfGone()) return;
  trials.edited();
  showNote();
  const strips = stripsOf(edit);
  if (strips.length > 0 && !strips.includes(doc.strip)) {
    // What is printed here may have changed: it is prepared anew while playing goes on.
    prepareSoon();
    // A unit there may follow one here.
    showWireSoon();
    return;
  }
  if (isOfUnits(edit, doc.strip) && panel) {
    const found = doc.unit(doc.strip, panel.unit.id);
    const unit = found && shown(found);
    // The panel's own change is already shown there.
    if (unit && JSON.stringify(unit) !== JSON.stringify(panel.unit)) panel.take(unit);
    showOverTime();
    showWireSoon();
  } else if (['rename', 'set-note'].includes(edit.edit)) return;
  else if (edit.edit === 'set-control') showWireSoon();
  else showInPlace();
  // What another window drags is measured once it rests.
  measureSoon(foreign ? FOREIGN_MS : SETTLE_MS);
});
doc.addEventListener('newer', () => {
  if (leftIfGone()) return;
  showNote();
  showInPlace();
  measureSoon();
});

// A sound that a unit names has come, or is found missing.
host.sounds.addEventListener('change', () => {
  panel?.take(panel.unit);
  showWireSoon();
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
const evidence = latestWork();
function measureSoon(rest = SETTLE_MS) {
  older = treatment !== null;
  window.clearTimeout(timer);
  timer = window.setTimeout(() => void measure(), rest);
}

async function measure() {
  asked += 1;
  const mine = asked;
  try {
    const result = await evidence(`/api/sessions/${doc.id}/strips/${doc.strip}/evidence`, {}, () => {});
    if (mine !== asked || !result) return;
    ({ treatment, matches } = result);
    older = false;
    showWire();
    panel?.evidence(treatment, selected);
    showEvidence();
    tone.show(treatment, Math.max(0, selected));
    void advice.look().then(showTaken);
    matchSoon();
    document.body.dataset.measured = String(doc.version);
  } catch (error) {
    note(error instanceof Error ? error.message : String(error));
  }
}

/** What is taken along the path; after the figures of this rack, and what is said of them. */
async function showTaken() {
  const mine = asked;
  const words = await takenAlong(doc.strip).catch(() => '');
  if (mine !== asked || words === taken) return;
  taken = words;
  showWireSoon();
}

/** dB that make the untouched rack as loud as the worked one behind it, over what is heard. */
function rackMatch() {
  const range = loopRange();
  if (range && range[0] === range[1]) return matches.sections[range[0]] ?? matches.whole;
  return matches.whole;
}

/** What the untouched side may be without. */
function offerSides() {
  const unit = units()[selected];
  const strip = doc.strip;
  /** @type {import('./compare.js').Against[]} */
  const sides = [{ id: 'rack', label: 'without the rack', changes: () => [{ change: 'rack-off', strip }] }];
  if (unit) {
    const name = kindOf(unit.kind).name.toLowerCase();
    sides.push({ id: 'unit', label: `without this ${name}`, changes: () => [{ change: 'unit-off', strip, unit: unit.id }] });
    sides.push({ id: 'so-far', label: 'the rack up to here', changes: () => [{ change: 'off-from', strip, station: selected + 1 }] });
    if (kindOf(unit.kind).takes_key) sides.push({ id: KEY, label: 'what drives it', changes: () => [{ change: 'key-heard', strip, unit: unit.id }] });
    if (unit.params.bands?.length) {
      sides.push({ id: 'band', label: 'without the selected band', changes: () => [{ change: 'row-off', strip, unit: unit.id, row: panel?.selected ?? 0 }] });
    }
  }
  if (doc.find(strip).role === 'return') sides.push({ id: INSPECT, label: 'raised by 12 dB, to inspect it', changes: () => [{ change: 'level', strip, db: 12 }] });
  const rack = tried?.rack;
  if (rack) sides.push({ id: 'tried', label: `tried: ${tried?.name}`, changes: () => [{ change: 'rack', strip, rack }] });
  offer([...sides, ...candidates.sides(strip)]);
}

// ---- listening ------------------------------------------------------------

/** @param {string} to */
function setContext(to) {
  context = to;
  mark('context', to);
  host.send({ do: 'hear', strips: to === 'mix' ? [] : to === 'with' ? [doc.strip, ...view.with] : [doc.strip] });
  aloneSince = to === 'alone' ? performance.now() : 0;
}

/** Minutes of listening alone after which it is said that decisions belong in the mix. */
const ALONE_MINUTES = 5;
let aloneSince = 0;

for (const tab of /** @type {NodeListOf<HTMLElement>} */ (document.querySelectorAll('[data-context]'))) {
  tab.addEventListener('click', () => {
    if (tab.dataset.context === 'with') chooseWith();
    else setContext(tab.dataset.context ?? 'mix');
  });
}

/** Asks which strips are heard with this one, and remembers them. */
function chooseWith() {
  const others = doc.session.strips.filter((s) => s.role === 'track' && s.id !== doc.strip);
  choose('Heard with this one', others.map((s) => ({ id: s.id, mark: s.family, name: s.name })), view.with, (chosen) => {
    view.with = chosen;
    void doc.edit({ edit: 'note', note: { entry: 'partners', strip: doc.strip, with: chosen } });
    prepareSoon();
    setContext('with');
  });
}

host.addEventListener('report', (event) => {
  const { detail } = /** @type {CustomEvent<import('../engine/host.js').Report>} */ (event);
  panel?.follow(detail);
  if (aloneSince && detail.playing && performance.now() - aloneSince > ALONE_MINUTES * 60_000) {
    aloneSince = performance.now();
    note('You have listened alone for five minutes. What is right here is decided in the mix: A goes there.');
  }
});

const noted = /** @type {HTMLInputElement} */ (document.getElementById('note'));
noted.addEventListener('change', () => void doc.edit({ edit: 'set-note', strip: doc.strip, note: noted.value }, newGesture()));

/** The note as it is kept, unless somebody is writing it. */
function showNote() {
  if (document.activeElement !== noted) noted.value = strip().note;
}

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
  { keys: 'A', does: 'alone or in the mix', run: () => setContext(context === 'mix' ? (view.with.length ? 'with' : 'alone') : 'mix') },
  ...Array.from({ length: 9 }, (_, i) => ({ keys: String(i + 1), shown: i ? '' : '1 … 9', does: i ? '' : 'station', run: () => { if (i < units().length) select(i); } })),
  { keys: '0', does: 'the raw part', run: () => select(RAW) },
  { keys: '[', does: 'previous strip', run: follow('previous') },
  { keys: ']', does: 'next strip', run: follow('next') },
  { keys: 'H', does: 'changes hold in the next section alone, or everywhere', run: () => stepScope(1) },
  { keys: 'B', does: 'unit on or off', run: () => { if (units()[selected]) actions.turn(selected, !unitIn(units()[selected], scope()).on); } },
  { keys: 'T', does: 'try the unit over a list of values', run: openTrials },
  { keys: 'E', does: 'eyes closed: hide pictures and figures; again: show them, and what came of it', run: eyesClosed },
  { keys: 'F', does: 'unit fills the window', run: fill },
);

view.with = (doc.session.notebook.partners[doc.strip] ?? []).filter((/** @type {number} */ id) => id !== doc.strip && doc.session.strips.some((s) => s.id === id));
showAll();
compareOn(doc.strip, rackMatch);
const measured = measure();
await prepare();
select(selected);
await measured;
rawMayLook = true;
if (places.unit.contains(raw.element)) void raw.look();
