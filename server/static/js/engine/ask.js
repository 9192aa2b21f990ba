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
}

/** Lets go of a sound. @param {string} name */
export function forgetSound(name) {
  lend(engine, encoder.encode(name), (at, length) => engine.zr_sound_forget(at, length));
}

/**
 * A value of a parameter as text.
 * @param {string} table as in `parameter`
 * @param {string} param
 * @param {number | string | null} value null and 'inf' have no end
 * @returns {string}
 */
export const format = (table, param, value) => ask({ ask: 'format', table, param, value: value === 'inf' ? null : value });

/** All parameter tables. */
export const catalogue = ask({ ask: 'catalogue' });

/** The facts and tables of a kind of unit. @param {string} id @returns {any} */
export const kindOf = (id) => catalogue.kinds.find((/** @type {any} */ k) => k.id === id);

/**
 * The table of a parameter.
 * @param {string} table a unit kind, `kind/list`, `common` or `strip`
 * @param {string} id
 */
export function parameter(table, id) {
  const [kind, list] = table.split('/');
  const unit = kindOf(kind);
  const params = list ? unit.lists.find((/** @type {any} */ l) => l.id === list).params : unit ? unit.params : catalogue[table];
  return params.find((/** @type {any} */ p) => p.id === id);
}

/** The bands spectra come in, the coarser first. @type {{ per_decade: number, hz: number[] }[]} */
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
