// Chance that can be thrown again: everything a storm does follows from one number, which is printed.

/** @param {number} seed @returns {() => number} numbers of 0 to 1 (Tommy Ettinger's mulberry32) */
function source(seed) {
  let state = seed >>> 0;
  return () => {
    state = (state + 0x6d2b79f5) >>> 0;
    let t = state;
    t = Math.imul(t ^ (t >>> 15), t | 1);
    t ^= t + Math.imul(t ^ (t >>> 7), t | 61);
    return ((t ^ (t >>> 14)) >>> 0) / 4294967296;
  };
}

/** @param {number} seed */
export function dice(seed) {
  const next = source(seed);
  return {
    next,
    /** A whole number from 0 up to and without `below`. @param {number} below */
    below: (below) => Math.floor(next() * below),
    /** @template T @param {T[]} list @returns {T} */
    of: (list) => list[Math.floor(next() * list.length)],
  };
}

/** The number that a storm follows from: that of the environment, so that one is thrown again, or any. */
export const seeded = () => Number(process.env.ZINC_SEED ?? Math.floor(Math.random() * 2 ** 31));
