// @ts-check
/**
 * Sounds that units name: fetched once, given to the engine of the page and to the audio thread.
 * Until one is here, and where it is missing, its unit passes its input.
 */
import { catalogue, forgetSound, giveSound } from './ask.js';

/** Sounds that no unit names any more and that are kept all the same: undo may want them. */
const KEPT = 8;
/** Rest before a sound that did not come is asked for again. */
const AGAIN_MS = 2000;

/** Parameters of each kind that take a sound. @type {Map<string, string[]>} */
const PARAMS = new Map(
  catalogue.kinds.map((kind) => {
    const sounds = kind.params.filter((p) => p.domain.type === 'sound');
    return [kind.id, sounds.map((p) => p.id)];
  }),
);

/** The sounds a unit names. @param {import('../types.js').Unit} unit @returns {string[]} */
const namedBy = (unit) => (PARAMS.get(unit.kind) ?? []).map((id) => unit.params?.[id]).filter(Boolean);

/** @typedef {{ samples: Float32Array, recorded: number }} Here a sound that has come, both sides interleaved */

/** Events: `change` when a sound has come or is found missing; `trouble` sentence. */
export class Sounds extends EventTarget {
  /**
   * @param {number} rate
   * @param {(message: Record<string, unknown>) => void} toAudio
   */
  constructor(rate, toAudio) {
    super();
    this.rate = rate;
    this.toAudio = toAudio;
    /** The oldest first. @type {Map<string, Here | 'missing' | Promise<void>>} */
    this.known = new Map();
  }

  /**
   * Fetches what units of these racks name and is not here yet; resolves once it has come or is missing.
   * @param {{ units?: import('../types.js').Unit[] }[]} racks
   */
  async look(racks) {
    const names = new Set(racks.flatMap((rack) => (rack.units ?? []).flatMap(namedBy)));
    await Promise.all([...names].map((name) => this.want(name)));
    this.letGo(names);
  }

  /** @param {string} name */
  isMissing(name) {
    return this.known.get(name) === 'missing';
  }

  /** Looks again for one that was missing: its file may have been brought in. @param {string} name */
  again(name) {
    if (this.isMissing(name)) this.known.delete(name);
    return this.want(name);
  }

  /** @param {string} name @returns {Promise<void>} */
  async want(name) {
    const known = this.known.get(name);
    if (known) {
      if (known instanceof Promise) await known;
      return;
    }
    const coming = this.fetch(name);
    this.known.set(name, coming);
    await coming;
  }

  /** @param {string} name */
  async fetch(name) {
    try {
      const response = await fetch(`/api/sounds/${name}/${this.rate}`);
      if (response.ok) {
        const here = { samples: new Float32Array(await response.arrayBuffer()), recorded: Number(response.headers.get('Recorded-Hz')) };
        this.known.set(name, here);
        giveSound(name, here.samples, here.recorded);
        this.send(name, here);
      } else {
        this.known.set(name, 'missing');
        this.dispatchEvent(new CustomEvent('trouble', { detail: (await response.json()).error }));
      }
      this.dispatchEvent(new Event('change'));
    } catch {
      // The server cannot be reached; playing goes on without it until it can.
      setTimeout(() => {
        this.known.delete(name);
        void this.want(name);
      }, AGAIN_MS);
    }
  }

  /** @param {string} name @param {Here} here */
  send(name, { samples, recorded }) {
    this.toAudio({ do: 'sound', name: new TextEncoder().encode(name), samples, recorded });
  }

  /** Gives all that is here to an audio thread that has just begun. */
  sendAll() {
    for (const [name, known] of this.known) if (known !== 'missing' && !(known instanceof Promise)) this.send(name, known);
  }

  /** @param {Set<string>} named */
  letGo(named) {
    const unnamed = [...this.known].filter(([name, known]) => !named.has(name) && !(known instanceof Promise));
    for (const [name] of unnamed.slice(0, Math.max(0, unnamed.length - KEPT))) {
      this.known.delete(name);
      forgetSound(name);
      this.toAudio({ do: 'forget-sound', name: new TextEncoder().encode(name) });
    }
  }
}
