// @ts-check
/** The page's copy of the session, and the queue that keeps every change. */
import { Refusal, request } from './api.js';

/**
 * @typedef {{ id: number, kind: string, on: boolean, mix: number, trim_db: number, place: string, why: string, key?: any, follows?: { unit: number, mirrored: number[] }, params: any }} Unit
 * @typedef {{ to: number, level_db: number, before_fader: boolean }} Send
 * @typedef {{ id: number, name: string, role: string, family: string, part: string, guessed: boolean, take_set: number, note: string, feeds: number | null, sends: Send[], controls: any, rack: { units: Unit[] }, audio: any }} Strip
 * @typedef {{ name: string, units: { strip: number, unit: number }[] }} UnitSet
 * @typedef {{ partners: Record<string, number[]>, candidates: Record<string, any[]>, not_rings: Record<string, number[]>, unit_sets: UnitSet[], done: number[] }} Notebook
 * @typedef {{ name: string, rate: number, tempo_bpm: number, beats_per_bar: number, sections: { name: string, start: number, end: number }[], strips: Strip[], notebook: Notebook }} Session
 * @typedef {Record<string, any> & { edit: string }} Edit
 */

/** Edits whose effect the page can show before the server has answered. */
const AT_ONCE = ['set-control', 'set-unit', 'rename', 'set-note', 'set-sends', 'set-part', 'set-take-set', 'note'];

/** Events: `change` {strip}, `kept` {waiting, undo, redo}, `sound` {edit}, `trouble` sentence. */
export class SessionDocument extends EventTarget {
  constructor() {
    super();
    const data = JSON.parse(document.getElementById('document')?.textContent ?? '{}');
    /** @type {number} */ this.id = data.id;
    /** @type {number} the strip in hand, 0 for none */ this.strip = data.strip;
    /** @type {number} */ this.version = data.version;
    /** @type {Session} */ this.session = data.session;
    this.undo = data.undo;
    this.redo = data.redo;
    /** @type {{ edit: Edit, gesture: string, settled: (edit: any) => void }[]} */
    this.queue = [];
    this.sending = false;
  }

  /** @param {number} id @returns {Strip} */
  find(id) {
    const strip = this.session.strips.find((s) => s.id === id);
    if (!strip) throw new Error(`no strip ${id}`);
    return strip;
  }

  /**
   * Makes a change: shown and heard at once where possible, kept as soon as the
   * server answers. Resolves to the edit as applied.
   * @param {Edit} edit
   * @param {string} [gesture] the same for all edits of one drag
   * @returns {Promise<Edit>}
   */
  edit(edit, gesture = '') {
    if (AT_ONCE.includes(edit.edit)) {
      this.applyHere(edit);
      this.tell('sound', { edit });
      this.tell('change', { strip: edit.strip, edit });
    }
    const settled = new Promise((resolve) => {
      const last = this.queue.at(-1);
      const waits = last && !(this.sending && this.queue.length === 1);
      if (waits && gesture && last.gesture === gesture && sameTarget(last.edit, edit)) {
        last.edit = edit;
        resolve(edit);
      } else {
        this.queue.push({ edit, gesture, settled: resolve });
      }
    });
    void this.send();
    return settled;
  }

  /** @param {Edit} edit */
  applyHere(edit) {
    if (edit.edit === 'note') {
      writeDown(this.session.notebook, edit.note);
      return;
    }
    const strip = this.find(edit.strip);
    if (edit.edit === 'set-control') strip.controls[edit.control] = edit.value;
    if (edit.edit === 'rename') strip.name = edit.name;
    if (edit.edit === 'set-note') strip.note = edit.note;
    if (edit.edit === 'set-sends') strip.sends = edit.sends;
    if (edit.edit === 'set-take-set') strip.take_set = edit.set;
    if (edit.edit === 'set-part') Object.assign(strip, { part: edit.part, family: edit.family, guessed: edit.guessed ?? false });
    if (edit.edit === 'set-unit') {
      const at = strip.rack.units.findIndex((u) => u.id === edit.unit.id);
      if (at >= 0) strip.rack.units[at] = edit.unit;
    }
  }

  /** Resolves once the server has every change. @returns {Promise<void>} */
  idle() {
    if (this.queue.length === 0 && !this.sending) return Promise.resolve();
    return new Promise((resolve) => {
      const look = () => {
        if (this.queue.length > 0 || this.sending) return;
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
      const { edit, gesture, settled } = this.queue[0];
      this.tell('kept', { waiting: true });
      try {
        const answer = await request(`/api/sessions/${this.id}/edits`, { version: this.version, gesture, edit });
        this.queue.shift();
        this.take(answer, edit);
        settled(answer.edit);
      } catch (error) {
        if (error instanceof Refusal) {
          this.queue.shift();
          this.tell('trouble', error.message);
          await this.readAgain();
        } else {
          this.tell('kept', { waiting: true, lost: true });
          await new Promise((resolve) => setTimeout(resolve, 1000));
        }
      }
    }
    this.sending = false;
    this.tell('kept', { waiting: false });
  }

  /**
   * Takes the server's answer to a change over.
   * @param {any} answer
   * @param {Edit | null} shown the edit already shown and heard, if it was
   */
  take(answer, shown) {
    this.version = answer.version;
    this.undo = answer.undo;
    this.redo = answer.redo;
    if (answer.newer) {
      this.session = answer.session;
      this.tell('trouble', 'The session was changed in another window too. This page now shows both; every change is kept.');
      this.tell('newer', {});
      return;
    }
    if (answer.session) this.session = answer.session;
    if (shown && AT_ONCE.includes(shown.edit)) return;
    const at = this.session.strips.findIndex((s) => s.id === answer.strip?.id);
    if (at >= 0) this.session.strips[at] = answer.strip;
    this.tell('sound', { edit: answer.edit });
    this.tell('change', { strip: answer.strip?.id ?? 0, edit: answer.edit });
  }

  /** One step back or forth. @param {'undo' | 'redo'} way */
  async step(way) {
    if (this.queue.length > 0) return;
    try {
      this.take(await request(`/api/sessions/${this.id}/${way}`, { version: this.version }), null);
    } catch (error) {
      this.tell('trouble', error instanceof Error ? error.message : String(error));
    }
    this.tell('kept', { waiting: false });
  }

  async readAgain() {
    const fresh = await request(`/api/sessions/${this.id}`, undefined, 'GET');
    this.version = fresh.version;
    this.session = fresh.session;
    this.tell('newer', {});
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

/** @param {Edit} a @param {Edit} b */
function sameTarget(a, b) {
  return a.edit === b.edit && a.strip === b.strip && a.control === b.control && a.unit?.id === b.unit?.id;
}

let gestures = 0;
/** A name for one drag or one run of key presses. */
export function newGesture() {
  gestures += 1;
  return `${Date.now().toString(36)}-${gestures}`;
}
