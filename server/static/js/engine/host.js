// @ts-check
/** Playing on this page: the audio context, its player, the feeder; and what they report. */
import { catalogue, module } from './ask.js';
import { Sounds } from './sounds.js';

const encoder = new TextEncoder();
const decoder = new TextDecoder();
/** Seconds of sound the browser keeps ahead of the ear: taking a late unit holds the audio thread up by a part of it. */
const BUFFER_S = 0.04;

/**
 * @typedef {{ url: string, channels: number, frames: number, start: number }} Stream
 * @typedef {Stream & { id: number }} Store
 */

/**
 * @typedef {object} Report
 * @property {number} position frames
 * @property {boolean} playing
 * @property {number} starved blocks for which sound had not arrived
 * @property {number} latency frames
 * @property {number} momentary LUFS
 * @property {number} true_peak dBTP since play
 * @property {number} peak dBFS since the last report
 * @property {number} reduction dB now, of the watched station
 * @property {number} side heard: 0 the session, 1 the other side, 2 the difference
 * @property {boolean} changing whether a new mix is about to take over
 * @property {number} width dB by which the sides differ less than they agree
 * @property {number} load share of the audio thread's time used
 * @property {Float32Array} trace dB for each block since the last report
 * @property {Map<number, number>} peaks largest magnitude by strip
 * @property {Float32Array} before scope at the watched station's input
 * @property {Float32Array} after scope at its output
 * @property {Float32Array} moves dB by which each row of the watched unit moves its gain now
 * @property {number} rack_in LUFS, momentary, of what comes into the rack in hand
 * @property {number} rack_out LUFS, momentary, of what leaves it
 * @property {Float32Array} levels dBFS since the last report at each of its points: what comes in, then behind each station
 * @property {Float32Array} reductions dB, most since the last report, of each of its stations
 */

export class Host extends EventTarget {
  /** @param {import('../session/document.js').SessionDocument} document */
  constructor(document) {
    super();
    this.document = document;
    this.context = new AudioContext({ sampleRate: document.session.rate, latencyHint: BUFFER_S });
    this.feeder = new Worker('/static/js/engine/feeder.worker.js', { type: 'module' });
    this.feeder.onmessage = ({ data }) => {
      if ('error' in data) this.tell('trouble', data.error);
      else this.tell('settling', data.settling);
    };
    /** @type {AudioWorkletNode | null} */
    this.node = null;
    /** @type {Promise<void> | null} */
    this.opening = null;
    this.playing = false;
    this.position = 0;
    /** @type {[number, number] | null} */
    this.looped = null;
    /** @type {(() => void)[]} */
    this.waiting = [];
    /** What has been declared to the audio thread, by address. @type {Map<string, Store>} */
    this.stores = new Map();
    this.nextStore = 0;
    /** Numbers of the stores of the newest setup. @type {Set<number>} */
    this.current = new Set();
    this.changing = false;
    /** Whether the worked side plays a rack that is not the document's. */
    this.unkept = false;
    /** The other side of the comparison. @type {import('../views/sides.js').Change[] | null} */
    this.reference = null;
    /** Share of the audio thread's time that is used. */
    this.busy = 0;
    this.sounds = new Sounds(document.session.rate, (message) => this.send(message));
    this.sounds.addEventListener('trouble', (event) => this.tell('trouble', /** @type {CustomEvent} */ (event).detail));
  }

  /** Fetches the sounds that units name, those of the other side as well. */
  lookForSounds() {
    const other = (this.reference ?? []).flatMap((change) =>
      change.rack ? [/** @type {import('../types.js').Rack} */ (change.rack)] : [],
    );
    return this.sounds.look([...this.document.session.strips.map((strip) => strip.rack), ...other]);
  }

  /**
   * Plays these streams from now on, without stopping what plays.
   * @param {{ lanes: Stream[], reference_lanes: Stream[] }} streams
   * @param {{ strip: number, with: number[] }} view
   */
  async load(streams, view) {
    await this.begin();
    await this.lookForSounds();
    /** @type {Store[]} */
    const fresh = [];
    const number = (/** @type {Stream} */ stream) => {
      const known = this.stores.get(stream.url);
      if (known) return known.id;
      const store = { ...stream, id: this.nextStore };
      this.nextStore += 1;
      this.stores.set(stream.url, store);
      fresh.push(store);
      return store.id;
    };
    const lanes = streams.lanes.map(number);
    const referenceLanes = streams.reference_lanes.map(number);
    const setup = { session: this.document.session, view, reference: this.reference, lanes, reference_lanes: referenceLanes };
    this.current = new Set([...lanes, ...referenceLanes]);
    const loaded = new Promise((resolve) => this.waiting.push(() => resolve(undefined)));
    this.send({ do: 'setup', setup: encoder.encode(JSON.stringify(setup)), stores: fresh });
    await loaded;
    this.feed();
  }

  /** Tells the feeder what is read; what is no longer read only once the new mix has taken over. */
  feed() {
    if (!this.changing) {
      for (const [url, store] of this.stores) if (!this.current.has(store.id)) this.stores.delete(url);
    }
    this.feeder.postMessage({ stores: [...this.stores.values()] });
  }

  /** Tells the feeder that all that is read is printed by now. */
  printed() {
    this.feeder.postMessage({ printed: true });
  }

  /** Begins the audio thread, once: it has much to do before it can play. */
  begin() {
    this.opening ??= this.open().catch((error) => {
      // The next time it is tried anew.
      this.opening = null;
      throw error;
    });
    return this.opening;
  }

  async open() {
    await this.context.audioWorklet.addModule('/static/js/engine/worklet.js');
    const node = new AudioWorkletNode(this.context, 'zinc-player', {
      numberOfInputs: 0,
      outputChannelCount: [2],
      processorOptions: { module },
    });
    const channel = new MessageChannel();
    node.port.postMessage({ do: 'feed', port: channel.port1 }, [channel.port1]);
    this.feeder.postMessage({ port: channel.port2, chunk: catalogue.frames.chunk }, [channel.port2]);
    node.port.onmessage = (event) => this.hear(event.data);
    node.onprocessorerror = () => this.tell('trouble', 'The audio thread stopped. Load the page again; every change is kept.');
    node.connect(this.context.destination);
    this.node = node;
    this.sounds.sendAll();
  }

  /** @param {any} message */
  hear(message) {
    if (message.loaded) this.waiting.splice(0).forEach((done) => done());
    if (message.error) this.tell('trouble', decoder.decode(message.error));
    if (message.paths) this.tell('paths', {});
    if (message.report) {
      const report = readReport(message.report);
      const changed = this.changing && !report.changing;
      this.changing = report.changing;
      if (changed) this.feed();
      // A second's memory: single reports say little.
      this.busy += (message.load - this.busy) / 30;
      report.load = this.busy;
      this.position = report.position;
      this.playing = report.playing;
      this.tell('report', report);
    }
  }

  /** @param {string} type @param {unknown} detail */
  tell(type, detail) {
    this.dispatchEvent(new CustomEvent(type, { detail }));
  }

  /** @param {Record<string, unknown>} message */
  send(message) {
    this.node?.port.postMessage(message);
  }

  /** @param {unknown} edit */
  edit(edit) {
    this.send({ do: 'edit', edit: encoder.encode(JSON.stringify(edit)) });
    void this.lookForSounds();
  }

  /**
   * Plays a rack on the worked side that is not the document's, or the document's again.
   * @param {number} strip @param {import('../types.js').Rack | null} rack null for the document's
   */
  playUnkept(strip, rack) {
    this.unkept = rack !== null;
    this.edit({ edit: 'replace-rack', strip, rack: rack ?? this.document.find(strip).rack });
  }

  /** Changes the other side of the comparison. @param {import('../views/sides.js').Change[]} reference */
  compare(reference) {
    this.reference = reference;
    this.send({ do: 'compare', reference: encoder.encode(JSON.stringify(reference)) });
    void this.lookForSounds();
  }

  async play() {
    await this.context.resume();
    this.send({ do: 'play' });
  }

  stop() {
    this.send({ do: 'stop' });
  }

  /** @param {number} frame */
  seek(frame) {
    this.position = frame;
    this.feeder.postMessage({ seek: frame });
    this.send({ do: 'seek', frame });
  }

  /** @param {[number, number] | null} looped frames */
  loop(looped) {
    this.looped = looped;
    this.feeder.postMessage({ loop: looped });
    this.send({ do: 'loop', from: looped?.[0] ?? 0, to: looped?.[1] ?? 0 });
  }
}

/** @param {Float64Array} numbers as the core's `Report::write` has them @returns {Report} */
function readReport(numbers) {
  /** @type {Record<string, any>} */
  const report = { load: 0 };
  let at = 0;
  for (const { name, is } of catalogue.report) {
    const first = numbers[at];
    at += 1;
    if (is === 'list') {
      report[name] = Float32Array.from(numbers.subarray(at, at + first));
      at += first;
    } else report[name] = is === 'switch' ? first === 1 : first;
  }
  const peaks = new Map();
  for (let i = 0; i < report.peaks.length; i += 2) peaks.set(report.peaks[i], report.peaks[i + 1]);
  return /** @type {Report} */ ({ ...report, peaks });
}
