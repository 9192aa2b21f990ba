// @ts-check
/** Questions to the core from the page: curves, typed values, tapers, spectra. */
import { answerBytes, instantiate, lend, takeSound } from './module.js';

/** The compiled module, also for the audio thread. */
export const module = await WebAssembly.compileStreaming(fetch('/static/engine/zinc_engine.wasm'));
const engine = instantiate(module);
const encoder = new TextEncoder();
const decoder = new TextDecoder();

/**
 * Asks; throws with the core's sentence where there is no answer.
 * @param {Record<string, unknown> & { ask: string }} question
 * @returns {any}
 */
export function ask(question) {
  lend(engine, encoder.encode(JSON.stringify(question)), (at, length) => engine.zr_ask(at, length));
  const answer = JSON.parse(decoder.decode(answerBytes(engine)));
  if (answer && answer.error) throw new Error(answer.error);
  return answer;
}

/**
 * Takes in a sound that units name.
 * @param {string} name
 * @param {Float32Array} samples both sides interleaved
 * @param {number} recorded rate in Hz it was recorded at
 */
export function giveSound(name, samples, recorded) {
  takeSound(engine, encoder.encode(name), samples, recorded);
  sounds.set(name, { name, samples, recorded });
  hearing?.({ sound: sounds.get(name) });
}

/** Lets go of a sound. @param {string} name */
export function forgetSound(name) {
  lend(engine, encoder.encode(name), (at, length) => engine.zr_sound_forget(at, length));
  sounds.delete(name);
  hearing?.({ forget: name });
}

/** @typedef {{ name: string, samples: Float32Array, recorded: number }} Sound */
/** The sounds that are here, for another engine of this page. @type {Map<string, Sound>} */
const sounds = new Map();
/** Told of sounds that come and go. @type {((message: Record<string, unknown>) => void) | null} */
let hearing = null;

/** Gives all sounds to another engine, and from now on each that comes or goes. @param {(message: Record<string, unknown>) => void} take */
export function onSounds(take) {
  hearing = take;
  for (const sound of sounds.values()) take({ sound });
}

/**
 * A value of a parameter as text.
 * @param {string} table as in `parameter`
 * @param {string} param
 * @param {number | string | null} value null and 'inf' have no end
 * @returns {string}
 */
export const format = (table, param, value) => ask({ ask: 'format', table, param, value: value === 'inf' ? null : value });

/**
 * @typedef {import('../types.js').Kind} Kind
 * @typedef {import('../types.js').Param} Param
 * @typedef {{ id: string, label: string }} Named
 */
/**
 * @typedef {object} Catalogue
 * @property {Kind[]} kinds of units
 * @property {{ name: string, kinds: string[] }[]} groups in which they are offered
 * @property {Kind} foreign of units that this version does not know
 * @property {Param[]} common fields that every unit has
 * @property {Param[]} strip controls of a strip
 * @property {Param[]} take of two recordings of one performance
 * @property {{ per_decade: number, hz: number[] }[]} spectra the bands they come in, the coarser first
 * @property {import('../types.js').ReportField[]} report in the order in which a report is written
 * @property {{ block: number, chunk: number, overview: number }} frames
 * @property {number} histogram_floor_db
 * @property {number} mono_db
 * @property {Named[]} checks
 * @property {(Named & { family: string })[]} parts
 * @property {Named[]} families
 */

/** All parameter tables. @type {Catalogue} */
export const catalogue = ask({ ask: 'catalogue' });

/** The facts and tables of a kind of unit; of one that this version does not know, those of all such. @param {string} id @returns {Kind} */
export const kindOf = (id) => catalogue.kinds.find((k) => k.id === id) ?? catalogue.foreign;

/**
 * The tables of parameters by name.
 * @param {string} table a unit kind, `kind/list`, `common`, `strip` or `take`
 * @returns {Param[]}
 */
function tableOf(table) {
  if (table === 'common' || table === 'strip' || table === 'take') return catalogue[table];
  const [kind, list] = table.split('/');
  return list ? (kindOf(kind).lists.find((l) => l.id === list)?.params ?? []) : kindOf(kind).params;
}

/**
 * The table of a parameter.
 * @param {string} table as in `tableOf`
 * @param {string} id
 * @returns {Param}
 */
export function parameter(table, id) {
  const found = tableOf(table).find((p) => p.id === id);
  if (!found) throw new Error(`there is no parameter ${table}.${id}`);
  return found;
}

/** The range, the default and the step of a number; one without an end ends at infinity. @param {Param} param */
export function numberOf({ id, domain }) {
  if (domain.type !== 'number') throw new Error(`${id} is no number`);
  return { ...domain, max: domain.max ?? Infinity };
}

/** The options of a choice. @param {Param} param */
export function optionsOf({ id, domain }) {
  if (domain.type !== 'choice') throw new Error(`${id} is no choice`);
  return domain.options;
}

/**
 * What is known of each row of a unit's first list.
 * @typedef {object} RowFacts
 * @property {string[]} resting names of its values that do nothing with the others
 * @property {[number | null, number | null] | null} region in Hz, of what is heard of it alone; null where it has no end
 * @property {number | null} far_end_db gain at the far end of its way; null for one that stands still
 */

/** @param {{ kind: string, params: unknown }} unit @returns {RowFacts[]} */
export const rowsOf = (unit) => ask({ ask: 'rows', unit });

/** The bands spectra come in, the coarser first. */
export const spectra = catalogue.spectra;

/**
 * Levels in dBFS of a run of samples (a power of two) in bands.
 * @param {Float32Array} samples
 * @param {number} rate
 * @param {number} perDecade as in `spectra`
 */
export function spectrum(samples, rate, perDecade) {
  return lend(engine, samples, (at, length) => {
    const bands = engine.zr_spectrum(at, length, rate, perDecade);
    return new Float32Array(engine.memory.buffer, at, bands).slice();
  });
}

/**
 * The cycles of a hit: where each begins, in frames, and its frequency in Hz.
 * @param {Float32Array} samples
 * @param {number} rate
 * @returns {{ start: number, hz: number }[]}
 */
export function cycles(samples, rate) {
  return lend(engine, samples, (at, length) => {
    const count = engine.zr_cycles(at, length, rate);
    const pairs = new Float32Array(engine.memory.buffer, at, 2 * count);
    return Array.from({ length: count }, (_, i) => ({ start: pairs[2 * i], hz: pairs[2 * i + 1] }));
  });
}
