// @ts-check
/** Bench: one strip's rack, shaped while it plays. */
import { doc } from './session-frame.js';
import { compareOn, hearInstead, hearWithout, listen, matchSoon, offer } from './compare.js';
import { host, loopRange, prepare, prepareSoon } from './listen-bar.js';
import { ask, kindOf } from '../engine/ask.js';
import { html } from '../draw/svg.js';
import { askSession, newGesture } from '../session/document.js';
import { courseOf } from '../session/course.js';
import { named, unitElsewhere, unitIn } from '../session/over-time.js';
import { Advice } from './bench/advice.js';
import { Candidates } from './bench/candidates.js';
import { drawEvidence } from './bench/evidence.js';
import { EyesClosed } from './bench/eyes-closed.js';
import { stepContext } from './bench/heard-with.js';
import { RackFigures } from './bench/rack-figures.js';
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
import { sidesOf } from './sides.js';

const strip = () => doc.find(doc.strip);
const units = () => strip().rack.units;
const feeds = strip().feeds ? doc.find(/** @type {number} */ (strip().feeds)).name : '';
const places = Object.fromEntries(['wire', 'unit', 'evidence'].map((id) => [id, /** @type {HTMLElement} */ (document.getElementById(id))]));
/** The raw part, before the first station. */
const RAW = -1;
/** Whether it was chosen, and is not shown only because there is no unit yet. */
let rawChosen = false;
/** Not before the mix can play and the rack is measured: those come first. */
let rawMayLook = false;
let selected = Math.min(Number(new URLSearchParams(window.location.search).get('station') ?? 1) - 1, units().length - 1);
/** @type {ReturnType<typeof unitPanel> | null} */
let panel = null;
const figures = new RackFigures();

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
    const unit = ask({ ask: 'fresh', kind, part: strip().part, peak_db: figures.treatment?.points[at]?.peak_db ?? null });
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
  const here = { ...strip(), rack: { ...strip().rack, units: units().map((u) => unitIn(u, scope())) } };
  drawWire(places.wire, here, doc.session.rate, selected, figures.treatment, feeds, actions, figures.taken);
}

/**
 * Keeps what the panel changed: the least edit that leads there.
 * @param {import('../session/document.js').Unit} changed
 * @param {string} gesture
 */
function keep(changed, gesture) {
  const now = doc.unit(doc.strip, changed.id);
  const edit = now && askSession({ do: 'between', strip: doc.strip, before: shown(now), after: changed });
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
    rule.elsewhere(differs ? [named({ strip: doc.strip, unit: unit.id, param: path })?.everywhere, ...others] : others);
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
    panel.evidence(figures.treatment, selected);
    showOverTime();
  } else if (strip().role === 'track') {
    places.unit.replaceChildren(raw.element);
    if (rawMayLook) void raw.look();
  } else {
    places.unit.replaceChildren(
      html(
        'div',
        { className: 'unit-none' },
        html('h2', {}, 'Untouched so far'),
        html(
          'p',
          {},
          `Listen to ${strip().name} in the mix first and note what you hear. Then add a unit on the wire ` +
            `above: cuts before lifts, and only what the part needs.`,
        ),
      ),
    );
  }
  showEvidence();
  if (figures.treatment) tone.show(figures.treatment, Math.max(0, selected));
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

/** The rack of a trial that is heard, and its name. @type {{ rack: import('../types.js').Rack, name: string } | null} */
let tried = null;
/**
 * @param {import('../types.js').Rack} rack
 * @param {string} name
 * @param {import('../types.js').Rack | null} [against]
 * @param {boolean} [differs]
 */
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
  drawEvidence(places.evidence, figures.treatment, selected, units()[selected], figures.older);
  places.evidence.append(advice.element, tone.element, candidates.element);
}

/** Goes to the Desk where the strip is no more. */
function leftIfGone() {
  if (doc.session.strips.some((s) => s.id === doc.strip)) return false;
  window.location.assign(`/sessions/${doc.id}/desk`);
  return true;
}

doc.addEventListener('change', (event) => {
  const {
    facts: { strips, about, reach },
    foreign,
  } = /** @type {CustomEvent<{ facts: import('../session/document.js').Facts, foreign: boolean }>} */ (event).detail;
  if (about === 'notebook') return;
  if (leftIfGone()) return;
  trials.edited();
  showNote();
  if (strips.length > 0 && !strips.includes(doc.strip)) {
    // What is printed here may have changed: it is prepared anew while playing goes on.
    prepareSoon();
    // A unit there may follow one here.
    showWireSoon();
    return;
  }
  if (about === 'units' && panel) {
    const found = doc.unit(doc.strip, panel.unit.id);
    const unit = found && shown(found);
    // The panel's own change is already shown there.
    if (unit && JSON.stringify(unit) !== JSON.stringify(panel.unit)) panel.take(unit);
    showOverTime();
    showWireSoon();
  } else if (about === 'words' || about === 'name') return;
  else if (about === 'controls') showWireSoon();
  else showInPlace();
  // Others that follow a unit here are printed anew.
  if (reach === 'racks' && strips.length > 1) prepareSoon();
  if (about === 'units' && reach === 'nothing') return;
  figures.measureSoon(foreign);
});
doc.addEventListener('newer', () => {
  if (leftIfGone()) return;
  showNote();
  showInPlace();
  figures.measureSoon();
});

// A sound that a unit names has come, or is found missing.
host.sounds.addEventListener('change', () => {
  panel?.take(panel.unit);
  showWireSoon();
  figures.measureSoon();
});

let wireFrame = 0;
function showWireSoon() {
  cancelAnimationFrame(wireFrame);
  wireFrame = requestAnimationFrame(showWire);
}

// ---- evidence and matching ------------------------------------------------

figures.addEventListener('measured', () => {
  showWire();
  panel?.evidence(figures.treatment, selected);
  showEvidence();
  tone.show(figures.treatment, Math.max(0, selected));
  void advice.look().then(() => figures.lookAlong());
  matchSoon();
  document.body.dataset.measured = String(doc.version);
});
figures.addEventListener('taken', showWireSoon);

/** What the untouched side may be without. */
function offerSides() {
  const unit = units()[selected];
  const kind = unit && kindOf(unit.kind);
  const { id, role } = strip();
  const sides = sidesOf({ strip: { id, role }, unit, kind, station: selected, row: () => panel?.selected ?? 0, tried });
  offer([...sides, ...candidates.sides(id)]);
}

// ---- listening ------------------------------------------------------------

host.addEventListener('report', (event) => panel?.follow(/** @type {CustomEvent<import('../engine/host.js').Report>} */ (event).detail));

const noted = /** @type {HTMLInputElement} */ (document.getElementById('note'));
noted.addEventListener('change', () => void doc.edit({ edit: 'set-note', strip: doc.strip, note: noted.value }, newGesture()));

/** The note as it is kept, unless somebody is writing it. */
function showNote() {
  if (document.activeElement !== noted) noted.value = strip().note;
}

/** @param {string} id */
const follow = (id) => () => /** @type {HTMLAnchorElement | null} */ (document.getElementById(id))?.click();

const eyes = new EyesClosed(places.unit, () => figures.treatment);

/** Lets the unit's picture fill the window, and back. */
function fill() {
  places.unit.classList.toggle('filled');
}

shortcuts(
  { keys: 'A', does: 'alone or in the mix', run: stepContext },
  ...Array.from({ length: 9 }, (_, i) => ({
    keys: String(i + 1),
    shown: i ? '' : '1 … 9',
    does: i ? '' : 'station',
    run: () => {
      if (i < units().length) select(i);
    },
  })),
  { keys: '0', does: 'the raw part', run: () => select(RAW) },
  { keys: '[', does: 'previous strip', run: follow('previous') },
  { keys: ']', does: 'next strip', run: follow('next') },
  { keys: 'H', does: 'changes hold in the next section alone, or everywhere', run: () => stepScope(1) },
  {
    keys: 'B',
    does: 'unit on or off',
    run: () => {
      if (units()[selected]) actions.turn(selected, !unitIn(units()[selected], scope()).on);
    },
  },
  { keys: 'T', does: 'try the unit over a list of values', run: openTrials },
  { keys: 'E', does: 'eyes closed: hide pictures and figures; again: show them, and what came of it', run: () => eyes.toggle() },
  { keys: 'F', does: 'unit fills the window', run: fill },
);

showAll();
compareOn(doc.strip, () => figures.match(loopRange()));
const measured = figures.measure();
await prepare();
select(selected);
await measured;
rawMayLook = true;
if (places.unit.contains(raw.element)) void raw.look();
