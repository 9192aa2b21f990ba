// @ts-check
/**
 * Both sides of a comparison: what is taken away on the other one, how much it must be
 * raised to be as loud, which is heard, and when it changes by itself.
 */
import { html, signed } from '../draw/svg.js';
import { format, rowsOf } from '../engine/ask.js';
import { latestWork } from '../session/work.js';
import { host, loopRange, mark, prepareSoon } from './listen-bar.js';
import { note } from './notes.js';
import { doc } from './session-frame.js';
import { shortcuts } from './shortcuts.js';
import { INSPECT, KEY } from './sides.js';

/** @typedef {import('./sides.js').Change} Change */
/** @typedef {import('./sides.js').Against} Against */

const SIDES = ['worked', 'untouched', 'difference'];
const against = /** @type {HTMLSelectElement} */ (document.getElementById('against'));
const matching = /** @type {HTMLInputElement} */ (document.getElementById('matching'));
const alternate = /** @type {HTMLSelectElement} */ (document.getElementById('alternate'));

/** Rest after a change before the match is measured, unless both sides are being compared. */
const IDLE_MS = 1500;

let side = 'worked';
/** The strip whose level makes both sides equally loud. */
let levelled = 0;
/** @type {Against[]} */
let choices = [];
/** Matches measured at the ear, by stretch, version and what is compared. @type {Map<string, number>} */
const measured = new Map();
/** A match known sooner, from the figures of the rack. @type {() => number | null} */
let guess = () => null;

/** Sides of which equal loudness means nothing. */
const UNMATCHED = [INSPECT, KEY];

/** The lit name is what sounds: that of a candidate or a trial, or that something is bypassed. */
function nameOther() {
  const choice = choices.find((c) => c.id === against.value);
  const tab = /** @type {HTMLElement} */ (document.querySelector('[data-listen="untouched"]'));
  tab.textContent = choice?.sounds ? choice.label : 'bypassed';
}

/** What is taken away on the other side, without the matching level. */
const changes = () => choices.find((c) => c.id === against.value)?.changes() ?? [];

/** The frames that are heard: the loop, or the whole song. @returns {[number, number]} */
export function heardFrames() {
  const range = loopRange();
  const { sections, strips } = doc.session;
  if (range) return [sections[range[0]].start, sections[range[1]].end];
  return [0, Math.max(1, ...strips.map((s) => (s.audio ? s.audio.start + s.audio.frames : 0)))];
}

/** The rack that is heard in place of the strip's own on the worked side; none as a rule. @type {import('../types.js').Rack | null} */
let instead = null;
const insteadChanges = () => (instead ? [{ change: 'rack', strip: doc.strip, rack: instead }] : []);

/** What is compared and where, whatever the session's state: a match of it is near the next. */
const comparison = () => `${JSON.stringify([changes(), insteadChanges()])}:${heardFrames()}`;
const key = () => `${doc.version}:${comparison()}`;
/** The last match of each comparison, which stands until it is measured anew. @type {Map<string, number>} */
const lastMatch = new Map();

/** dB that bring the other side to the session's loudness, over what is heard. */
function matchDb() {
  if (!matching.checked || UNMATCHED.includes(against.value)) return 0;
  const sooner = against.value === choices[0]?.id && !instead ? guess() : null;
  return measured.get(key()) ?? sooner ?? lastMatch.get(comparison()) ?? 0;
}

/**
 * Whether the other side is played along. On a Bench it always is: it shares the sound
 * of the first. On the Desk it needs prints of its own, and waits to be asked for.
 */
let played = doc.strip !== 0;

/** What is heard while a key is held, in place of what is compared. @type {Change | null} */
let held = null;

/** Sends the other side to the player. */
function send() {
  const all = held ? [held] : [...changes(), { change: 'level', strip: levelled, db: matchDb() }];
  if (played) host.compare(all);
  const figure = document.querySelector('#matched b');
  if (figure) figure.textContent = matching.checked ? `${signed(matchDb())} LU` : 'off';
}

const match = latestWork();

async function measure() {
  const mine = key();
  if (UNMATCHED.includes(against.value) || measured.has(mine) || changes().length === 0 || doc.isKeeping) return;
  const [from, to] = heardFrames();
  try {
    const result = await match(
      `/api/sessions/${doc.id}/match`,
      { strip: levelled, reference: changes(), instead: instead ? insteadChanges() : null, from, to },
      () => {},
    );
    if (!result) return;
    measured.set(mine, result.match_db);
    lastMatch.set(comparison(), result.match_db);
    if (mine === key()) {
      send();
      document.body.dataset.matched = mine;
    }
  } catch (error) {
    note(error instanceof Error ? error.message : String(error));
  }
}

let timer = 0;
/** Measures the match soon: at once while both sides are being compared. */
export function matchSoon() {
  send();
  window.clearTimeout(timer);
  if (!played) return;
  timer = window.setTimeout(() => void measure(), side === 'worked' && alternate.value === '0' ? IDLE_MS : 0);
}

/** Brings the other side in, where it is not yet played along. */
function playAlong() {
  if (played || (side === 'worked' && alternate.value === '0')) return;
  played = true;
  send();
  prepareSoon();
}

/**
 * Hears another rack on the worked side, unkept, so that two that are tried are compared with each
 * other; null hears the strip's own again. @param {import('../types.js').Rack | null} rack
 */
export function hearInstead(rack) {
  if (rack === null && instead === null) return;
  instead = rack;
  host.playUnkept(doc.strip, rack);
  matchSoon();
}

// After an edit the worked side is the document's again.
for (const type of ['sound', 'newer'])
  doc.addEventListener(type, () => {
    instead = null;
  });

/** Chooses what the other side is without, and hears it, or what differs. @param {string} id @param {string} [as] */
export function hearWithout(id, as = 'untouched') {
  against.value = id;
  nameOther();
  listen(as);
}

/** Hears one side. @param {string} name */
export function listen(name) {
  side = name;
  mark('listen', name);
  playAlong();
  host.send({ do: 'listen', side: SIDES.indexOf(name) });
  matchSoon();
}

/** Where listening goes back to when what is held is let go. @type {string | null} */
let back = null;

/** Where it is said which region is heard while something is held. */
const said = html('span', { className: 'held-region', role: 'status', hidden: true });
document.getElementById('listen-bar')?.append(said);

/** The region that is heard alone in a change. @param {Change} change */
function regionOf({ strip, unit, row }) {
  // A row that is not in the unit is a band of its own.
  if (typeof row === 'object') return rowsOf({ kind: 'surgical-eq', params: { bands: [row] } })[0].region;
  const found = doc.unit(strip, Number(unit));
  return (found && rowsOf(found)[Number(row)]?.region) ?? null;
}

/** Says in the bar, and to whoever draws it, which region is heard. @param {Change | null} change */
function sayHeld(change) {
  const region = change && regionOf(change);
  said.hidden = !region;
  if (region) said.textContent = `only ${inWords(region)} is heard`;
  document.dispatchEvent(new CustomEvent('held-region', { detail: region }));
}

/** @param {[number | null, number | null]} region */
function inWords([low, high]) {
  const hz = (/** @type {number | null} */ value) => format('surgical-eq/bands', 'freq_hz', value);
  if (low === null) return `what lies below ${hz(high)}`;
  return high === null ? `what lies above ${hz(low)}` : `${hz(low)} to ${hz(high)}`;
}

/** Hears a change in place of the session, at its own level, until it is let go. @param {Change | null} change */
function hold(change) {
  if (!change || back !== null) return;
  back = side;
  held = change;
  sayHeld(change);
  send();
  host.send({ do: 'listen', side: SIDES.indexOf('untouched') });
}

function release() {
  if (back === null) return;
  host.send({ do: 'listen', side: SIDES.indexOf(back) });
  back = null;
  held = null;
  sayHeld(null);
  send();
}

/**
 * Hears something for as long as a button is held, by the pointer or with Space or Enter.
 * @param {HTMLElement | SVGElement} button
 * @param {() => Change | null} wanted
 */
export function hearWhilePressed(button, wanted) {
  button.addEventListener('pointerdown', () => {
    hold(wanted());
    window.addEventListener('pointerup', release, { once: true });
    window.addEventListener('pointercancel', release, { once: true });
  });
  button.addEventListener('keydown', (pressed) => {
    const event = /** @type {KeyboardEvent} */ (pressed);
    if (event.key !== ' ' && event.key !== 'Enter') return;
    event.preventDefault();
    event.stopPropagation();
    if (!event.repeat) hold(wanted());
  });
  button.addEventListener('keyup', release);
  button.addEventListener('blur', release);
}

/**
 * Hears a change for as long as `L` is held.
 * @param {() => Change | null} wanted what is heard, when the key goes down
 */
export function listenWhileHeld(wanted) {
  const down = (/** @type {KeyboardEvent} */ event) => {
    const target = /** @type {HTMLElement} */ (event.target);
    if (event.key.toLowerCase() !== 'l' || event.ctrlKey || event.metaKey || target.matches('input:not([type=checkbox]), select, textarea'))
      return;
    hold(wanted());
  };
  const up = (/** @type {KeyboardEvent} */ event) => {
    if (event.key.toLowerCase() === 'l') release();
  };
  window.addEventListener('keydown', down);
  window.addEventListener('keyup', up);
  window.addEventListener('blur', release);
  return {
    end: () => {
      release();
      window.removeEventListener('keydown', down);
      window.removeEventListener('keyup', up);
      window.removeEventListener('blur', release);
    },
  };
}

/** @param {string} name */
const flip = (name) => listen(side === name ? 'worked' : name);

/**
 * Offers what the other side may be without.
 * @param {Against[]} offered the first is the usual one
 */
export function offer(offered) {
  const chosen = against.value;
  choices = offered;
  against.replaceChildren(...offered.map((c) => new Option(c.label, c.id)));
  if (offered.some((c) => c.id === chosen)) against.value = chosen;
  nameOther();
}

/**
 * Starts comparing.
 * @param {number} strip whose level makes both sides equally loud
 * @param {() => number | null} sooner a match known before it is measured
 */
export function compareOn(strip, sooner) {
  levelled = strip;
  guess = sooner;
  send();
}

for (const tab of /** @type {NodeListOf<HTMLElement>} */ (document.querySelectorAll('[data-listen]'))) {
  tab.addEventListener('click', () => listen(tab.dataset.listen ?? 'worked'));
}
against.addEventListener('change', () => {
  nameOther();
  matchSoon();
  // Another track's rack is printed: the other side needs sound of its own.
  if (doc.strip === 0 && played) prepareSoon();
});
matching.addEventListener('change', send);
alternate.addEventListener('change', () => {
  playAlong();
  host.send({ do: 'alternate', passes: Number(alternate.value) });
  matchSoon();
});
host.addEventListener('loop', matchSoon);
host.addEventListener('report', (event) => {
  const { side: heard } = /** @type {CustomEvent} */ (event).detail;
  if (held || SIDES[heard] === side || alternate.value === '0') return;
  side = SIDES[heard];
  mark('listen', side);
});

shortcuts(
  { keys: 'U', does: 'worked or bypassed', run: () => flip('untouched') },
  { keys: 'L', does: 'held: hear the region of the band in hand, or what a cut removes', run: () => {} },
  { keys: 'D', does: 'the difference', run: () => flip('difference') },
);
