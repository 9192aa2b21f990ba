// @ts-check
/** Playing on this page: the audio context, its player, the feeder; and what they report. */
import { catalogue, module } from './ask.js';

const encoder = new TextEncoder();
const decoder = new TextDecoder();
/** Frames of each half of the scope. */
const SCOPE = catalogue.frames.scope;

/**
 * @typedef {object} Report
 * @property {number} position frames
 * @property {boolean} playing
 * @property {number} starved blocks for which sound had not arrived
 * @property {number} latency frames
 * @property {number} momentary LUFS
 * @property {number} truePeak dBTP since play
 * @property {number} peak dBFS since the last report
 * @property {number} reduction dB now, of the watched station
 * @property {Float32Array} trace dB for each block since the last report
 * @property {Map<number, number>} peaks largest magnitude by strip
 * @property {Float32Array} before scope at the watched station's input
 * @property {Float32Array} after scope at its output
 */

export class Host extends EventTarget {
  /** @param {import('../session/document.js').SessionDocument} document */
  constructor(document) {
    super();
    this.document = document;
    this.context = new AudioContext({ sampleRate: document.session.rate, latencyHint: 'interactive' });
    this.feeder = new Worker('/static/js/engine/feeder.worker.js', { type: 'module' });
    this.feeder.onmessage = (event) => this.tell('trouble', event.data.error);
    /** @type {AudioWorkletNode | null} */
    this.node = null;
    this.playing = false;
    this.position = 0;
    /** @type {[number, number] | null} */
    this.looped = null;
    /** @type {(() => void)[]} */
    this.waiting = [];
  }

  /**
   * Makes the player for the streams of this page.
   * @param {{ url: string, channels: number, frames: number }[]} lanes
   */
  async load(lanes) {
    if (!this.node) await this.open();
    const session = encoder.encode(JSON.stringify(this.document.session));
    const loaded = new Promise((resolve) => this.waiting.push(() => resolve(undefined)));
    this.send({ do: 'load', session, strip: this.document.strip, lanes });
    await loaded;
    this.feeder.postMessage({ lanes, position: this.position });
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
  }

  /** @param {any} message */
  hear(message) {
    if (message.loaded) this.waiting.splice(0).forEach((done) => done());
    if (message.error) this.tell('trouble', decoder.decode(message.error));
    if (message.report) {
      const report = readReport(message.report);
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
    this.feeder.postMessage({ position: frame });
    this.send({ do: 'seek', frame });
  }

  /** @param {[number, number] | null} looped frames */
  loop(looped) {
    this.looped = looped;
    this.feeder.postMessage({ loop: looped });
    this.send({ do: 'loop', from: looped?.[0] ?? 0, to: looped?.[1] ?? 0 });
  }
}

/** @param {Float32Array} n @returns {Report} */
function readReport(n) {
  const traceEnd = 9 + n[8];
  const peaks = new Map();
  for (let i = 0; i < n[traceEnd]; i += 1) peaks.set(n[traceEnd + 1 + 2 * i], n[traceEnd + 2 + 2 * i]);
  const scope = traceEnd + 1 + 2 * n[traceEnd];
  return {
    position: n[0],
    playing: n[1] === 1,
    starved: n[2],
    latency: n[3],
    momentary: n[4],
    truePeak: n[5],
    peak: n[6],
    reduction: n[7],
    trace: n.slice(9, traceEnd),
    peaks,
    before: n.slice(scope, scope + SCOPE),
    after: n.slice(scope + SCOPE, scope + 2 * SCOPE),
  };
}
