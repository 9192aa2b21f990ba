// @ts-check
/**
 * The page's session, and the queue that keeps every change.
 *
 * The session lives in the engine module, which has the core's rules: an edit is made there, shown and heard at once
 * where that can be, and waits in the queue until the server has kept it. The server answers with all that was
 * changed, as it was applied; the module follows it and makes what still waits again over it. What is read here
 * (`session`) is put together from the parts that the module says are other than before.
 */
import { ask } from '../engine/ask.js';
import { Fault, Refusal, request } from './api.js';

/**
 * @typedef {import('../types.js').Unit} Unit
 * @typedef {import('../types.js').AuxSend} Send
 * @typedef {import('../types.js').Strip} Strip
 * @typedef {import('../types.js').UnitSet} UnitSet
 * @typedef {import('../types.js').Section} Section
 * @typedef {import('../types.js').Notebook} Notebook
 * @typedef {import('../types.js').Session} Session
 * @typedef {import('../types.js').Edit} Edit
 * @typedef {import('../types.js').Facts} Facts
 */

/**
 * @typedef {object} Change as the server tells of it
 * @property {Edit} edit
 * @property {string} what in words
 * @property {string[]} overtook
 * @property {number} version after it
 * @property {boolean} removed whether it removed what another window had just changed
 * @property {boolean} own
 */

/**
 * @typedef {{ version: number, undo: number, redo: number, changes: Change[] | null, session: Session | null }} Answer
 * @typedef {{ session?: Session, frame?: Partial<Session>, notebook?: Notebook, strip?: Strip | number, unit?: Unit } | null} Part
 */

/** Rest before a request that was lost, or met a passing fault, is sent again: at first, and at most. */
const AGAIN_MS = 250;
const AGAIN_AT_MOST_MS = 2000;
/** How long that goes on before it is said. */
const SAID_AFTER_MS = 3000;
/** How long a fault of the server's own is taken for one that passes. */
const PASSES_WITHIN_MS = 30_000;
/** Rest between two looks for changes of windows elsewhere. */
const LOOK_MS = 4000;
/** How long "once more" is meant for a step of another window. */
const ANYWAY_MS = 8000;
/** The same thing about two windows is not said again for so long. */
const SAID_MS = 4000;

/**
 * @typedef {object} Waiting what waits for the server
 * @property {number} number what the module calls it
 * @property {Edit} [edit]
 * @property {string} [gesture]
 * @property {'undo' | 'redo' | 'bring-back'} [step]
 * @property {number} [removedBy] the change whose removal is taken back
 * @property {boolean} [look] asks what has been changed
 * @property {boolean} [all] asks for the whole session
 * @property {(edit: Edit | null) => void} settled
 * @property {Promise<Edit | null>} kept what `settled` resolves: for an edit put in its place, too
 */

/** Tells the module of the session, or asks it. @param {Record<string, unknown> & { do: string }} about @returns {any} */
export const askSession = (about) => ask({ ask: 'session', about });

/**
 * Events: `change` {edit, facts, foreign}, `kept` {waiting, lost}, `sound` {edit}, `newer` {}, `trouble` sentence,
 * `offer` {sentence, label, run}.
 */
export class SessionDocument extends EventTarget {
  /** @param {string} own which window this is */
  constructor(own) {
    super();
    const data = JSON.parse(document.getElementById('document')?.textContent ?? '{}');
    /** @type {number} */ this.id = data.id;
    /** @type {number} the strip in hand, 0 for none */ this.strip = data.strip;
    /** @type {number} */ this.version = data.version;
    /** @type {Session} */ this.session = data.session;
    askSession({ do: 'open', opened: data.session });
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
    this.others.onmessage = (event) => {
      if (event.data > this.version) this.look();
    };
    setInterval(() => this.look(), LOOK_MS);
    this.look();
    document.addEventListener('visibilitychange', () => {
      if (document.visibilityState === 'visible') this.look();
    });
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
   * Makes a change: shown and heard at once where possible, kept as soon as the server answers. One of the same hand
   * that has not been sent yet gives its place to it. Resolves to the edit as applied, to null if it was refused.
   * @param {Edit} edit
   * @param {string} [gesture] the same for all edits of one drag
   * @returns {Promise<Edit | null>}
   */
  edit(edit, gesture = '') {
    const last = this.queue.at(-1);
    const isFree = last?.edit && gesture && last.gesture === gesture && !(this.sending && this.queue.length === 1);
    const number = this.requests + 1;
    /** @type {{ edit: Edit, parts: Part[], instead: boolean, shown: boolean, facts: Facts }} */
    let made;
    try {
      made = askSession({ do: 'wait', number, edit, instead_of: isFree ? last.number : null });
    } catch (error) {
      // What is no edit at all is not sent either.
      this.tell('trouble', error instanceof Error ? error.message : String(error));
      return Promise.resolve(null);
    }
    const { parts, instead, shown, facts } = made;
    this.put(parts);
    /** @type {Promise<Edit | null>} */
    let kept;
    if (instead && last) {
      last.edit = edit;
      kept = last.kept;
    } else kept = this.enqueue({ edit, gesture });
    // It waits before anybody hears of it: who draws from the server waits for it in turn.
    if (shown) {
      this.tell('sound', { edit: made.edit });
      this.tell('change', { edit: made.edit, facts, foreign: false });
    }
    return kept;
  }

  /** One step back or forth, after all that waits. @param {'undo' | 'redo'} way */
  step(way) {
    return this.enqueue({ step: way });
  }

  /** Brings back what a change removed although another window had just changed it. @param {number} version of that change */
  bringBack(version) {
    return this.enqueue({ step: 'bring-back', removedBy: version });
  }

  /** Asks what has been changed, unless that is about to be asked. */
  look() {
    if (!this.queue.some((w) => w.look)) void this.enqueue({ look: true });
  }

  /** @param {Partial<Waiting>} what @returns {Promise<Edit | null>} */
  enqueue(what) {
    this.requests += 1;
    /** @type {PromiseWithResolvers<Edit | null>} */
    const { promise, resolve } = Promise.withResolvers();
    this.queue.push({ ...what, number: this.requests, settled: resolve, kept: promise });
    void this.send();
    return promise;
  }

  /** Takes over what is other than before. @param {Part[]} parts */
  put(parts) {
    for (const part of parts) {
      if (!part) continue;
      if (part.session) this.session = part.session;
      else if (part.frame) Object.assign(this.session, part.frame);
      else if (part.notebook) this.session.notebook = part.notebook;
      else this.putStrip(part);
    }
  }

  /** @param {NonNullable<Part>} part */
  putStrip({ strip, unit }) {
    if (typeof strip === 'object') {
      const at = this.session.strips.findIndex((s) => s.id === strip.id);
      if (at >= 0) this.session.strips[at] = strip;
    } else if (unit) {
      const { units } = this.find(Number(strip)).rack;
      const at = units.findIndex((u) => u.id === unit.id);
      if (at >= 0) units[at] = unit;
    }
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
    let failedSince = 0;
    let rest = AGAIN_MS;
    while (this.queue.length > 0) {
      const first = this.queue[0];
      if (this.isKeeping && !failedSince) this.tell('kept', { waiting: true });
      try {
        const applied = await this.ask(first);
        failedSince = 0;
        rest = AGAIN_MS;
        first.settled(applied);
      } catch (error) {
        const failing = failedSince ? performance.now() - failedSince : 0;
        if (error instanceof Refusal || (error instanceof Fault && failing > PASSES_WITHIN_MS)) {
          failedSince = 0;
          rest = AGAIN_MS;
          this.queue.shift();
          this.refused(first, error);
          first.settled(null);
        } else {
          // Sent again by the same name, it is made once however often it arrives.
          failedSince ||= performance.now();
          if (this.isKeeping && failing > SAID_AFTER_MS) this.tell('kept', { waiting: true, lost: true });
          await new Promise((resolve) => setTimeout(resolve, rest));
          rest = Math.min(2 * rest, AGAIN_AT_MOST_MS);
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
    const { number, edit, gesture, step, removedBy } = first;
    const known = { version: this.version, window: this.window, ident: `${this.load}-${number}` };
    const at = `/api/sessions/${this.id}`;
    if (first.look) {
      const answer = await request(`${at}/changes?after=${first.all ? -1 : this.version}&window=${this.window}`, undefined, 'GET');
      this.queue.shift();
      this.take(answer);
      return null;
    }
    const answer = step
      ? await request(`${at}/${step}`, { ...known, anyway: performance.now() < this.anyway, removed_by: removedBy })
      : await request(`${at}/edits`, { ...known, gesture, edit: askSession({ do: 'waiting', number }) });
    this.queue.shift();
    if (step) this.anyway = 0;
    this.take(answer, edit && number);
    if (answer.overtook.length > 0) this.sayMet(answer.changes?.find((/** @type {Change} */ change) => change.own));
    return answer.edit;
  }

  /** Says what the window's own change has met of another's. @param {Change | undefined} own */
  sayMet(own) {
    const what = own?.what ?? 'What you changed';
    if (own?.removed) this.offerBack(`Removed here, though another window had just changed it: ${what}.`, own.version);
    else this.say(`${what} was set in another window too, a moment before: yours stands.`);
  }

  /** @param {string} sentence what was removed @param {number} version of the change that did */
  offerBack(sentence, version) {
    this.tell('offer', { sentence, label: 'bring it back', run: () => void this.bringBack(version) });
  }

  /** @param {Waiting} what @param {Error} refusal */
  refused(what, refusal) {
    this.tell('trouble', refusal.message);
    if (refusal instanceof Refusal && refusal.code === 'anyway') this.anyway = performance.now() + ANYWAY_MS;
    if (!what.edit) return;
    // What was shown and is not kept is taken back; what it did not know of is looked for before all else.
    this.put(askSession({ do: 'refuse', number: what.number }).parts);
    this.queue.unshift(this.lookFirst({}));
    this.tell('newer', {});
  }

  /** A look that nobody waits for. @param {Partial<Waiting>} more @returns {Waiting} */
  lookFirst(more) {
    this.requests += 1;
    return { look: true, number: this.requests, settled: () => {}, kept: Promise.resolve(null), ...more };
  }

  /**
   * Follows what the server says has been changed.
   * @param {Answer} answer
   * @param {number} [number] what the module calls the edit that is answered
   */
  take(answer, number) {
    const before = this.version;
    this.version = answer.version;
    this.undo = answer.undo;
    this.redo = answer.redo;
    if (answer.version > before) this.others.postMessage(answer.version);
    // More was changed than is known: all of it.
    const { changes } = answer;
    if (!changes) {
      if (answer.session) this.open(answer.session, number);
      return;
    }
    /** @type {{ parts: Part[], told: import('../types.js').Told[], renamed: boolean, waiting: number[] }} */
    let news;
    try {
      news = askSession({ do: 'follow', kept: changes.map(({ edit, own }) => ({ edit, number: own ? number : undefined })) });
    } catch {
      // The page has missed something: it reads the whole session anew.
      this.queue.unshift(this.lookFirst({ all: true }));
      return;
    }
    this.put(news.parts);
    changes.forEach((change, i) => this.tellOf(change, news.told[i]));
    // Another window was quicker with a unit: what is heard and drawn knows this one by another identity.
    if (news.renamed) this.tell('newer', {});
    else if (changes.some((change) => !change.own)) this.soundAgain(news.waiting);
  }

  /**
   * Reads the whole session anew; what waits still does.
   * @param {Session} session
   * @param {number} [answered] what the module calls the edit that is answered by it
   */
  open(session, answered) {
    this.put([askSession({ do: 'open', opened: session, answered })]);
    this.tell('newer', {});
  }

  /** @param {Change} change @param {{ facts: Facts, was_shown: boolean }} told */
  tellOf({ edit, what, overtook, own, version, removed }, { facts, was_shown: wasShown }) {
    if (wasShown) return;
    this.tell('sound', { edit });
    this.tell('change', { edit, facts, foreign: !own });
    if (own || !overtook.includes(this.window)) return;
    if (removed) this.offerBack(`Removed in another window after you had changed it: ${what}.`, version);
    else this.say(`${what} was set in another window too, after you had: the other value stands.`);
  }

  /** What waits is heard over what came from elsewhere. @param {number[]} waiting */
  soundAgain(waiting) {
    for (const number of waiting) this.tell('sound', { edit: askSession({ do: 'waiting', number }) });
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

let gestures = 0;
/** A name for one drag or one run of key presses. */
export function newGesture() {
  gestures += 1;
  return `${Date.now().toString(36)}-${gestures}`;
}
