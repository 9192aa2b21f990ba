// @ts-check
/**
 * The engine module's memory and calls, for the page and the audio thread alike.
 * The audio thread has no text encoder, so everything here speaks bytes.
 */

/**
 * @typedef {Record<string, (...args: number[]) => number> & { memory: WebAssembly.Memory }} Exports
 */

/**
 * Instantiates a compiled module at once.
 * @param {WebAssembly.Module} module
 * @returns {Exports}
 */
export function instantiate(module) {
  return /** @type {Exports} */ (/** @type {unknown} */ (new WebAssembly.Instance(module, {}).exports));
}

/**
 * Copies bytes or numbers into the module for the time of one call.
 * @template T
 * @param {Exports} engine
 * @param {Uint8Array | Float32Array | Uint32Array} data
 * @param {(at: number, length: number) => T} call
 * @returns {T}
 */
export function lend(engine, data, call) {
  const at = engine.zr_reserve(data.byteLength);
  // The view is taken anew each time: memory may have grown.
  new Uint8Array(engine.memory.buffer, at, data.byteLength).set(new Uint8Array(data.buffer, data.byteOffset, data.byteLength));
  try {
    return call(at, data.length);
  } finally {
    engine.zr_release(at, data.byteLength);
  }
}

/**
 * The bytes of the last answer.
 * @param {Exports} engine
 */
export function answerBytes(engine) {
  return new Uint8Array(engine.memory.buffer, engine.zr_answer(), engine.zr_answer_len()).slice();
}

/**
 * Takes in a sound that units name; see `zr_sound`.
 * @param {Exports} engine
 * @param {Uint8Array} name
 * @param {Float32Array} samples
 * @param {number} recorded
 */
export function takeSound(engine, name, samples, recorded) {
  return lend(engine, name, (at, length) => lend(engine, samples, (from, count) => engine.zr_sound(at, length, from, count, recorded)));
}
