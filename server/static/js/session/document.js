// @ts-check
/**
 * The page's copy of the session, and the queue that keeps every change.
 *
 * A change is shown and heard at once and waits in the queue until the server has kept it.
 * Whatever the server answers, what still waits is made again over it: nothing that is shown is
 * not on its way to being kept. Other windows tell each other that there is something new; each
 * then asks what it has missed and takes it over change by change.
 */
import { Refusal, request } from './api.js';
import { withCourse } from './course.js';
import { stripsOf, withEdit } from './unit-edits.js';

/**
 * @typedef {{ id: number, kind: string, on: boolean, mix: number, trim_db: number, place: string, why: string, key?: any, follows?: { unit: number, mirrored: number[] }, params: any, over_time?: import('./course.js').Course[] }} Unit
 * @typedef {{ to: number, level_db: number, before_fader: boolean }} Send
 * @typedef {{ id: number, name: string, role: string, family: string, part: string, guessed: boolean, take_set: number, note: string, feeds: number | null, sends: Send[], controls: any, rack: { units: Unit[] }, audio: any, over_time?: import('./course.js').Course[] }} Strip
 * @typedef {{ name: string, units: { strip: number, unit: number }[] }} UnitSet
 * @typedef {{ id: number, name: string, start: number, end: number }} Section
 * @typedef {{ partners: Record<string, number[]>, candidates: Record<string, any[]>, not_rings: Record<string, number[]>, unit_sets: UnitSet[], done: number[] }} Notebook
 * @typedef {{ name: string, rate: number, tempo_bpm: number, beats_per_bar: number, points_on_beats: boolean, sections: Section[], strips: Strip[], notebook: Notebook }} Session
 * @typedef {Record<string, any> & { edit: string }} Edit
 * @typedef {{ edit: Edit, what: string, overtook: string[] }} Missed a change of another window
 */

/** Edits whose effect the page can show before the server has answered. */
const AT_ONCE = ['set-control', 'set-here', 'set-lane', 'set-unit', 'set-param', 'add-row', 'remove-row', 'set-why', 'set-key', 'set-follows', 'rename', 'set-note', 'set-sends', 'set-part', 'set-take-set', 'note'];
/** Rest before a lost request is sent again. */
const AGAIN_MS = 1000;
/** Rest between two looks for changes of windows elsewhere. */
const LOOK_MS = 4000;
/** How long "once more" is meant for a step of another window. */
const ANYWAY_MS = 8000;
/** The same thing about two windows is not said again for so long. */
const SAID_MS = 4000;

/** @param {Edit} edit @returns {boolean} */
const isAtOnce = (edit) => (edit.edit === 'several' ? edit.edits.length > 0 && edit.edits.every(isAtOnce) : AT_ONCE.includes(edit.edit));

/**
 * @typedef {object} Waiting what waits for the server
 * @property {string} ident the same when it is sent again
 * @property {Edit} [edit]
 * @property {string} [gesture]
 * @property {'undo' | 'redo'} [step]
 * @property {boolean} [look] asks what other windows have done
 * @property {boolean} [all] asks for the whole document
 * @property {(edit: Edit | null) => void} settled
 * @property {Promise<Edit | null>} kept what `settled` resolves: for an edit put in its place, too
 */

/** Events: `change` {strip, edit, foreign}, `kept` {waiting, lost}, `sound` {edit}, `newer` {}, `trouble` sentence. */
export class SessionDocument extends EventTarget {
  /** @param {string} own which window this is */
  constructor(own) {
    super();
    const data = JSON.parse(document.getElementById('document')?.textContent ?? '{}');
    /** @type {number} */ this.id = data.id;
    /** @type {number} the strip in hand, 0 for none */ this.strip = data.strip;
    /** @type {number} */ this.version = data.version;
    /** @type {Session} */ this.session = data.session;
    this.undo = data.undo;
    this.redo = data.redo;
    /** This window, among all that are open. */
    this.window = own;
    /** What requests of this page are named by: no request of another page has the same name. */
    this.load = crypto.randomUUID().slice(0, 12);
    /** @type {Waiting[]} */
    this.queue = [];
    this.sending = false;
    this.requests = 0;
    /** Until when a step of another window is meant. */
    this.anyway = 0;
    /** @type {Map<string, number>} */
    this.said = new Map();
    this.others = new BroadcastChannel(`zinc-rack-session-${this.id}`);
    this.others.onmessage = (event) => { if (event.data > this.version) this.look(); };
    setInterval(() => this.look(), LOOK_MS);
    this.look();
    document.addEventListener('visibilitychange', () => { if (document.visibilityState === 'visible') this.look(); });
  }

  /** @param {number} id @returns {Strip} */
  find(id) {
    const strip = this.session.strips.find((s) => s.id === id);
    if (!strip) throw new Error(`no strip ${id}`);
    return strip;
  }

  /** A unit of a strip. @param {number} strip @param {number} unit @returns {Unit | undefined} */
  unit(strip, unit) {
    return this.session.strips.find((s) => s.id === strip)?.rack.units.find((u) => u.id === unit);
  }

  /**
   * Makes a change: shown and heard at once where possible, kept as soon as the
   * server answers. Resolves to the edit as applied, to null if it was refused.
   * @param {Edit} edit
   * @param {string} [gesture] the same for all edits of one drag
   * @returns {Promise<Edit | null>}
   */
  edit(edit, gesture = '') {
    const atOnce = isAtOnce(edit);
    if (atOnce) this.applyHere(edit);
    // It waits before anybody hears of it: who draws from the server waits for it in turn.
    const settled = this.keep(edit, gesture);
    if (atOnce) {
      this.tell('sound', { edit });
      this.tellChange(edit);
    }
    return settled;
  }

  /** Puts an edit into the queue, in place of the last of the same gesture. @param {Edit} edit @param {string} gesture */
  keep(edit, gesture) {
    const last = this.queue.at(-1);
    const waits = last?.edit && !(this.sending && this.queue.length === 1);
    if (waits && gesture && last.gesture === gesture && sameTarget(/** @type {Edit} */ (last.edit), edit)) {
      last.edit = edit;
      return last.kept;
    }
    return this.enqueue({ edit, gesture });
  }

  /** One step back or forth, after all that waits. @param {'undo' | 'redo'} way */
  step(way) {
    return this.enqueue({ step: way });
  }

  /** Asks what other windows have done, unless that is about to be asked. */
  look() {
    if (!this.queue.some((w) => w.look)) void this.enqueue({ look: true });
  }

  /** @param {Partial<Waiting>} what @returns {Promise<Edit | null>} */
  enqueue(what) {
    this.requests += 1;
    const ident = `${this.load}-${this.requests}`;
    /** @type {PromiseWithResolvers<Edit | null>} */
    const { promise, resolve } = Promise.withResolvers();
    this.queue.push({ ...what, ident, settled: resolve, kept: promise });
    void this.send();
    return promise;
  }

  /** @param {Edit} edit */
  applyHere(edit) {
    if (edit.edit === 'several') {
      edit.edits.forEach((/** @type {Edit} */ e) => this.applyHere(e));
      return;
    }
    if (edit.edit === 'note') {
      writeDown(this.session.notebook, edit.note);
      return;
    }
    // What another window has removed cannot be shown; the server says so.
    const strip = this.session.strips.find((s) => s.id === edit.strip);
    if (!strip) return;
    if (edit.unit === 0 && (edit.edit === 'set-here' || edit.edit === 'set-lane')) {
      const { over_time: list } = withCourse(strip, edit);
      strip.over_time = list;
      return;
    }
    if (edit.edit === 'set-control') strip.controls[edit.control] = edit.value;
    if (edit.edit === 'rename') strip.name = edit.name;
    if (edit.edit === 'set-note') strip.note = edit.note;
    if (edit.edit === 'set-sends') strip.sends = edit.sends;
    if (edit.edit === 'set-take-set') strip.take_set = edit.set;
    if (edit.edit === 'set-part') Object.assign(strip, { part: edit.part, family: edit.family, guessed: edit.guessed ?? false });
    const id = edit.edit === 'set-unit' ? edit.unit.id : edit.unit;
    const at = strip.rack.units.findIndex((u) => u.id === id);
    if (at >= 0) strip.rack.units[at] = withEdit(strip.rack.units[at], edit);
  }

  /** Whether something waits that is not only a look around. */
  get isKeeping() {
    return this.queue.some((w) => !w.look);
  }

  /** Resolves once the server has every change. @returns {Promise<void>} */
  idle() {
    if (!this.isKeeping) return Promise.resolve();
    return new Promise((resolve) => {
      const look = () => {
        if (this.isKeeping) return;
        this.removeEventListener('kept', look);
        resolve();
      };
      this.addEventListener('kept', look);
    });
  }

  async send() {
    if (this.sending) return;
    this.sending = true;
    while (this.queue.length > 0) {
      const first = this.queue[0];
      if (this.isKeeping) this.tell('kept', { waiting: true });
      try {
        const applied = await this.ask(first);
        first.settled(applied);
      } catch (error) {
        if (error instanceof Refusal) {
          this.queue.shift();
          this.refused(first, error);
          first.settled(null);
        } else {
          if (this.isKeeping) this.tell('kept', { waiting: true, lost: true });
          await new Promise((resolve) => setTimeout(resolve, AGAIN_MS));
        }
      }
      if (!this.isKeeping) this.tell('kept', { waiting: false });
    }
    this.sending = false;
  }

  /**
   * Sends the first of the queue and takes the answer over.
   * @param {Waiting} first
   * @returns {Promise<Edit | null>}
   */
  async ask(first) {
    const { ident, edit, gesture, step } = first;
    const known = { version: this.version, window: this.window, ident };
    const at = `/api/sessions/${this.id}`;
    if (first.look) {
      const answer = await request(`${at}/changes?after=${first.all ? -1 : this.version}&window=${this.window}`, undefined, 'GET');
      this.queue.shift();
      this.takeMissed(answer);
      return null;
    }
    if (step) {
      const answer = await request(`${at}/${step}`, { ...known, anyway: performance.now() < this.anyway });
      this.queue.shift();
      this.anyway = 0;
      this.take(answer, null);
      return answer.edit;
    }
    const sent = /** @type {Edit} */ (edit);
    const answer = await request(`${at}/edits`, { ...known, gesture, edit: sent });
    this.queue.shift();
    this.take(answer, sent);
    return answer.edit;
  }

  /** @param {Waiting} what @param {Refusal} refusal */
  refused(what, refusal) {
    this.tell('trouble', refusal.message);
    if (refusal.code === 'elsewhere') this.anyway = performance.now() + ANYWAY_MS;
    // What was shown and is not kept is taken back: the document is read anew before all else.
    if (what.edit) this.queue.unshift({ look: true, all: true, ident: '', settled: () => {}, kept: Promise.resolve(null) });
  }

  /**
   * Takes the server's answer to a change over.
   * @param {any} answer
   * @param {Edit | null} shown the edit sent, which is shown and heard already if that could be
   */
  take(answer, shown) {
    const missedAll = this.takeMissed(answer);
    if (answer.overtook?.length) this.say(`${answer.what} was set in another window too, a moment before: yours stands.`);
    if (shown && isAtOnce(shown)) return;
    const at = this.session.strips.findIndex((s) => s.id === answer.strip?.id);
    if (at >= 0) {
      this.session.strips[at] = answer.strip;
      this.replay();
    }
    if (missedAll) return;
    this.tell('sound', { edit: answer.edit });
    this.tellChange(answer.edit);
  }

  /**
   * Takes over what the server says is newer, and makes what still waits again over it.
   * @param {any} answer
   * @returns {boolean} whether everything is to be drawn anew
   */
  takeMissed(answer) {
    const before = this.version;
    this.version = answer.version;
    this.undo = answer.undo;
    this.redo = answer.redo;
    if (answer.session) {
      this.session = answer.session;
      this.replay();
    }
    if (answer.version > before) this.others.postMessage(answer.version);
    if (!answer.missed) {
      // More than is kept, or what was shown was refused: all of it.
      if (answer.session) this.tell('newer', {});
      return Boolean(answer.session);
    }
    for (const { edit, what, overtook } of /** @type {Missed[]} */ (answer.missed)) {
      this.tell('sound', { edit });
      this.tellChange(edit, true);
      if (overtook.includes(this.window)) this.say(`${what} was set in another window too, after you had: the other value stands.`);
    }
    return false;
  }

  /** Makes what still waits again over a newer document. */
  replay() {
    for (const { edit } of this.queue) if (edit && isAtOnce(edit)) this.applyHere(edit);
  }

  /** @param {Edit} edit @param {boolean} [foreign] made in another window */
  tellChange(edit, foreign = false) {
    const strips = stripsOf(edit);
    this.tell('change', { strip: strips.length === 1 ? strips[0] : 0, edit, foreign });
  }

  /** Says something about two windows, and not all the time. @param {string} sentence */
  say(sentence) {
    const now = performance.now();
    if (now - (this.said.get(sentence) ?? -SAID_MS) < SAID_MS) return;
    this.said.set(sentence, now);
    this.tell('trouble', sentence);
  }

  /** @param {string} type @param {unknown} detail */
  tell(type, detail) {
    this.dispatchEvent(new CustomEvent(type, { detail }));
  }
}

/** As the core's `Notebook::write`. @param {Notebook} notebook @param {any} note */
function writeDown(notebook, note) {
  if (note.entry === 'partners') notebook.partners[note.strip] = note.with;
  if (note.entry === 'candidates') notebook.candidates[note.strip] = note.slots;
  if (note.entry === 'not-rings') notebook.not_rings[note.strip] = note.hz;
  if (note.entry === 'unit-sets') notebook.unit_sets = note.sets;
  if (note.entry === 'done') notebook.done = note.steps;
}

/** @param {Edit} a @param {Edit} b @returns {boolean} */
function sameTarget(a, b) {
  if (a.edit === 'several' && b.edit === 'several') {
    return a.edits.length === b.edits.length && a.edits.every((/** @type {Edit} */ e, /** @type {number} */ i) => sameTarget(e, b.edits[i]));
  }
  const unit = (/** @type {Edit} */ e) => e.unit?.id ?? e.unit;
  return ['set-control', 'set-unit', 'set-param', 'set-here', 'set-lane', 'set-sends', 'set-tempo'].includes(a.edit) && a.edit === b.edit
    && a.strip === b.strip && a.control === b.control && a.param === b.param && a.section === b.section && unit(a) === unit(b);
}

let gestures = 0;
/** A name for one drag or one run of key presses. */
export function newGesture() {
  gestures += 1;
  return `${Date.now().toString(36)}-${gestures}`;
}
