// @ts-check
/** Bench: one strip's rack, shaped while it plays. */
import { doc } from './session-frame.js';
import { compareOn, hearWithout, listen, matchSoon, offer } from './compare.js';
import { host, loopRange, prepare, prepareSoon } from './listen-bar.js';
import { kindOf } from '../engine/ask.js';
import { html } from '../draw/svg.js';
import { askSession, newGesture } from '../session/document.js';
import { courseOf } from '../session/course.js';
import { named, unitElsewhere, unitIn } from '../session/over-time.js';
import { Advice } from './bench/advice.js';
import { Candidates } from './bench/candidates.js';
import { drawEvidence } from './bench/evidence.js';
import { EyesClosed } from './bench/eyes-closed.js';
import { benchKeys } from './bench/keys.js';
import { RackActions } from './bench/rack-actions.js';
import { RackFigures } from './bench/rack-figures.js';
import { RawPanel } from './bench/raw-panel.js';
import { redrawOf } from './bench/redraw.js';
import { TrialSheet } from './bench/trial-sheet.js';
import { Tried } from './bench/tried.js';
import { forgetPictures } from './bench/thumb.js';
import { ToneCurve } from './bench/tone-curve.js';
import { unitPanel } from './bench/unit-panel.js';
import { followWire } from './bench/wire-live.js';
import { drawWire } from './bench/wire.js';
import { lane } from './over-time/lane-strip.js';
import { markChanges } from './over-time/marks.js';
import './over-time/changes-sheet.js';
import { editHere, scope, scopeEvents } from './scope.js';
import { sidesOf } from './sides.js';

/** The raw part, before the first station. */
const RAW = -1;

/** @param {string} id */
const placeOf = (id) => /** @type {HTMLElement} */ (document.getElementById(id));

/** The page of one strip: what is in hand of its rack, and everything that shows it. */
export class Bench {
  constructor() {
    this.places = { wire: placeOf('wire'), unit: placeOf('unit'), evidence: placeOf('evidence') };
    this.note = /** @type {HTMLInputElement} */ (placeOf('note'));
    /** Station in hand. */
    this.selected = Math.min(Number(new URLSearchParams(window.location.search).get('station') ?? 1) - 1, this.units.length - 1);
    /** Whether the raw part was chosen, and is not shown only because there is no unit yet. */
    this.rawChosen = false;
    /** Not before the mix can play and the rack is measured: those come first. */
    this.rawMayLook = false;
    /** @type {ReturnType<typeof unitPanel> | null} */
    this.panel = null;
    this.wireFrame = 0;
    this.figures = new RackFigures();
    /** Says that figures are of an earlier setting. */
    this.older = html('p', { className: 'caution older', role: 'status' });
    this.actions = new RackActions(this);
    this.tried = new Tried(() => this.offerSides());
    this.candidates = this.candidatesOf();
    this.trials = new TrialSheet({
      hear: (...heard) => this.tried.hear(...heard),
      stop: () => this.tried.stop(),
      use: (rack) => this.useRack(rack),
      candidate: (rack) => this.candidates.take(rack),
    });
    this.raw = new RawPanel(async (edit) => {
      this.rawChosen = true;
      await doc.edit(edit);
      this.selectRaw();
    });
    this.advice = new Advice({ hear: playFrom, show: (...heard) => this.tried.hear(...heard), stop: () => this.tried.stop() });
    this.tone = new ToneCurve((unit) => this.actions.put(unit));
    this.eyes = new EyesClosed(this.places.unit, () => this.figures.treatment);
  }

  get strip() {
    return doc.find(doc.strip);
  }

  get units() {
    return this.strip.rack.units;
  }

  /** Where a new unit goes: behind the one in hand. */
  get next() {
    return this.units.length ? this.selected + 1 : 0;
  }

  candidatesOf() {
    return new Candidates({
      slots: doc.session.notebook.candidates[doc.strip] ?? [],
      keep: (slots) => void doc.edit({ edit: 'note', note: { entry: 'candidates', strip: doc.strip, slots } }),
      rack: () => this.strip.rack,
      hear: (slot) => {
        this.offerSides();
        hearWithout(`candidate-${slot}`);
      },
      stop: () => listen('worked'),
      use: (rack) => this.useRack(rack),
    });
  }

  /** Shows the page and keeps showing what changes; the raw part is looked at last. */
  async begin() {
    this.follow();
    benchKeys(this);
    this.showAll();
    compareOn(doc.strip, () => this.figures.match(loopRange()));
    const measured = this.figures.measure();
    await prepare();
    this.select(this.selected);
    await measured;
    this.rawMayLook = true;
    if (this.places.unit.contains(this.raw.element)) void this.raw.look();
  }

  follow() {
    doc.addEventListener('change', (event) => this.change(/** @type {CustomEvent} */ (event).detail));
    doc.addEventListener('newer', () => this.newer());
    host.addEventListener('report', (event) => {
      const { detail } = /** @type {CustomEvent} */ (event);
      this.panel?.follow(detail);
      followWire(this.places.wire, detail);
    });
    // A sound that a unit names has come, or is found missing.
    host.sounds.addEventListener('change', () => {
      forgetPictures();
      this.panel?.take(this.panel.unit);
      this.showWireSoon();
      this.figures.measureSoon();
    });
    scopeEvents.addEventListener('scope', () => {
      this.showInHand();
      this.showWireSoon();
    });
    this.figures.addEventListener('measured', () => this.measured());
    this.figures.addEventListener('glimpsed', () => {
      this.showWhetherOlder();
      this.showWire();
      this.showEvidence();
    });
    this.figures.addEventListener('older', () => this.showWhetherOlder());
    this.figures.addEventListener('taken', () => this.showWireSoon());
    this.note.addEventListener('change', () => {
      void doc.edit({ edit: 'set-note', strip: doc.strip, note: this.note.value }, newGesture());
    });
    this.places.unit.addEventListener('trials', () => this.openTrials());
    for (const type of ['focusin', 'pointerdown']) this.places.unit.addEventListener(type, (event) => this.touch(event));
  }

  /** The lane follows the value that is touched. @param {Event} event */
  touch(event) {
    const control = /** @type {HTMLElement} */ (event.target).closest('[data-path]');
    if (!this.panel || !(control instanceof HTMLElement)) return;
    lane.touch({ strip: doc.strip, unit: this.panel.unit.id, param: control.dataset.path ?? '' });
  }

  // ---- what is in hand ----

  /** @param {number} i */
  select(i) {
    this.selected = Math.max(RAW, Math.min(i, this.units.length - 1));
    this.rawChosen = i === RAW && this.units.length > 0;
    host.send({ do: 'watch', station: Math.max(0, this.selected) });
    this.showAll();
  }

  selectRaw() {
    this.select(RAW);
  }

  /** @param {import('../types.js').Rack} rack */
  useRack(rack) {
    void doc.edit({ edit: 'replace-rack', strip: doc.strip, rack });
  }

  /** Opens the trials of the unit in hand. */
  openTrials() {
    const unit = this.units[this.selected];
    if (unit) this.places.unit.append(this.trials.open(unit, this.selected));
  }

  /** What the untouched side may be without. */
  offerSides() {
    const unit = this.units[this.selected];
    const { id, role } = this.strip;
    const sides = sidesOf({
      strip: { id, role },
      unit,
      kind: unit && kindOf(unit.kind),
      station: this.selected,
      row: () => this.panel?.selected ?? 0,
      tried: this.tried.now,
    });
    offer([...sides, ...this.candidates.sides(id)]);
  }

  /**
   * Keeps what the panel changed: the least edit that leads there.
   * @param {import('../session/document.js').Unit} changed
   * @param {string} gesture
   */
  keep(changed, gesture) {
    const now = doc.unit(doc.strip, changed.id);
    const edit = now && askSession({ do: 'between', strip: doc.strip, before: shown(now), after: changed });
    if (!edit) return;
    const first = edit.edit === 'several' ? edit.edits[0] : edit;
    if (first.edit === 'set-param') lane.touch({ strip: doc.strip, unit: changed.id, param: first.param });
    if (lane.takes(edit)) return;
    void editHere(edit, gesture).then((done) => {
      // What cannot differ in a section is shown as it was.
      if (!done && scope()) this.showInHand();
    });
  }

  // ---- what has changed ----

  /** @param {{ facts: import('../session/document.js').Facts, foreign: boolean }} change */
  change({ facts, foreign }) {
    if (leftIfGone()) return;
    if (facts.about === 'notebook') {
      this.followNotebook();
      return;
    }
    this.trials.edited();
    const redraw = redrawOf(facts, doc.strip, this.panel !== null);
    if (redraw.note) this.showNote();
    if (redraw.inHand) this.takeInHand();
    if (redraw.wire) this.showWireSoon();
    if (redraw.place) this.showInPlace();
    if (redraw.prepare) prepareSoon();
    if (redraw.measure) this.figures.measureSoon(foreign);
  }

  /** What two windows keep beside the sound is one. */
  followNotebook() {
    this.candidates.follow(doc.session.notebook.candidates[doc.strip] ?? []);
    this.offerSides();
  }

  newer() {
    if (leftIfGone()) return;
    this.followNotebook();
    this.showNote();
    this.showInPlace();
    this.figures.measureSoon();
  }

  measured() {
    this.showWhetherOlder();
    this.showWire();
    this.panel?.evidence(this.figures.here, this.selected);
    this.showEvidence();
    this.showTone();
    void this.advice.look().then(() => this.figures.lookAlong());
    matchSoon();
    document.body.dataset.measured = String(doc.version);
  }

  // ---- what is shown ----

  showWire() {
    const { strip } = this;
    const feeds = strip.feeds ? doc.find(strip.feeds).name : '';
    // Switched as it is where changes hold.
    const here = { ...strip, rack: { ...strip.rack, units: this.units.map((u) => unitIn(u, scope())) } };
    drawWire(this.places.wire, here, doc.session.rate, this.selected, this.figures, feeds, this.actions);
  }

  showWireSoon() {
    cancelAnimationFrame(this.wireFrame);
    this.wireFrame = requestAnimationFrame(() => this.showWire());
  }

  /** The unit in hand as the document has it where changes hold; none where it is gone. */
  unitInHand() {
    const unit = this.panel && doc.unit(doc.strip, this.panel.unit.id);
    return unit ? shown(unit) : null;
  }

  showInHand() {
    const unit = this.unitInHand();
    if (unit) this.panel?.take(unit);
    this.showOverTime();
  }

  /** The same, unless the change was the panel's own: that is shown there already. */
  takeInHand() {
    const unit = this.unitInHand();
    if (unit && JSON.stringify(unit) !== JSON.stringify(this.panel?.unit)) this.panel?.take(unit);
    this.showOverTime();
  }

  /** Marks what changes with the song, and where its other values are. */
  showOverTime() {
    const { panel } = this;
    const unit = panel && doc.unit(doc.strip, panel.unit.id);
    if (!panel || !unit) return;
    markChanges(this.places.unit, unit);
    for (const [rule] of panel.rules) {
      const path = rule.element.dataset.path ?? '';
      const { sections } = courseOf(unit, path);
      const others = sections.filter((h) => h.section !== scope()).map((h) => h.value);
      const differs = sections.some((h) => h.section === scope());
      rule.elsewhere(differs ? [named({ strip: doc.strip, unit: unit.id, param: path })?.everywhere, ...others] : others);
    }
    panel.elsewhere(unitElsewhere(unit, scope()));
  }

  /** Shows the rack as it is now; what was in hand stays in hand, wherever another change has put it. */
  showInPlace() {
    const at = this.units.findIndex((unit) => unit.id === this.panel?.unit.id);
    if (at < 0 || at === this.selected) this.showAll();
    else this.select(at);
  }

  showAll() {
    this.selected = Math.min(Math.max(this.rawChosen ? RAW : 0, this.selected), this.units.length - 1);
    this.showWire();
    this.showUnit();
    this.showEvidence();
    this.showTone();
    this.offerSides();
  }

  /** The panel of the unit in hand; before the first, what is known of the raw part. */
  showUnit() {
    const { places, selected } = this;
    const unit = this.units[selected];
    this.panel?.end();
    this.panel = null;
    if (unit) {
      this.panel = unitPanel(places.unit, shown(unit), doc.session, (changed, gesture) => this.keep(changed, gesture));
      this.panel.evidence(this.figures.here, selected);
      this.showOverTime();
    } else if (this.strip.role === 'track') {
      places.unit.replaceChildren(this.raw.element);
      if (this.rawMayLook) void this.raw.look();
    } else places.unit.replaceChildren(untouched(this.strip.name));
  }

  showTone() {
    const { here } = this.figures;
    if (here) this.tone.show(here, Math.max(0, this.selected));
  }

  showEvidence() {
    const { places, figures, selected } = this;
    drawEvidence(places.evidence, figures.newest, selected, this.units[selected]);
    places.evidence.prepend(this.older);
    places.evidence.append(this.advice.element, this.tone.element, this.candidates.element);
  }

  /** Figures of an earlier setting are no facts: they are grey until they are measured anew. */
  showWhetherOlder() {
    const { older, glimpsed } = this.figures;
    const isOlder = older && !glimpsed;
    this.older.textContent = isOlder ? 'measuring anew…' : '';
    if (glimpsed) this.older.textContent = `Of ${glimpsed.name} so far; the whole part is being measured…`;
    document.body.toggleAttribute('data-older', isOlder);
  }

  /** The note as it is kept, unless somebody is writing it. */
  showNote() {
    if (document.activeElement !== this.note) this.note.value = this.strip.note;
  }
}

/** A unit as it is where changes hold, and as it is being written. @param {import('../session/document.js').Unit} unit */
const shown = (unit) => lane.written(unitIn(unit, scope()));

/** @param {string} name of the strip */
function untouched(name) {
  const words =
    `Listen to ${name} in the mix first and note what you hear. Then add a unit on the wire ` +
    `above: cuts before lifts, and only what the part needs.`;
  return html('div', { className: 'unit-none' }, html('h2', {}, 'No units yet'), html('p', {}, words));
}

/** @param {number} seconds */
function playFrom(seconds) {
  host.seek(Math.round(seconds * doc.session.rate));
  if (!host.playing) void host.play();
}

/** Goes to the Desk where the strip is no more. */
function leftIfGone() {
  if (doc.session.strips.some((s) => s.id === doc.strip)) return false;
  window.location.assign(`/sessions/${doc.id}/desk`);
  return true;
}

void new Bench().begin();
