// @ts-check
/// <reference types="audioworklet" />
/** The audio thread: one player of the engine, fed by the feeder, steered by the page. */
import { answerBytes, instantiate, lend, takeSound } from './module.js';

const BLOCK = 128;
/** Blocks between two reports: about 30 a second at 48 kHz. */
const REPORT_EVERY = 12;
/** The same while nothing plays: twice a second. */
const REST_EVERY = 180;

/** @typedef {import('./module.js').Exports} Exports */

class ZincProcessor extends AudioWorkletProcessor {
  /** @param {{ processorOptions: { module: WebAssembly.Module } }} options */
  constructor(options) {
    super();
    /** @type {Exports} */
    this.engine = instantiate(options.processorOptions.module);
    this.player = 0;
    this.blocks = 0;
    this.running = false;
    /** Milliseconds spent computing since the last report, from a clock of whole ones: right on average. */
    this.busyMs = 0;
    /** @type {MessagePort | null} */
    this.feeder = null;
    this.port.onmessage = (event) => this.steer(event.data);
    // Nothing plays yet: what units need is compiled and touched now and not under a song.
    this.engine.zr_warm(sampleRate);
  }

  /** @param {any} message */
  steer(message) {
    if (message.do === 'feed') {
      const feeder = /** @type {MessagePort} */ (message.port);
      this.feeder = feeder;
      feeder.onmessage = (event) => this.take(event.data);
      return;
    }
    if (message.do === 'setup') {
      this.setUp(message);
      return;
    }
    if (message.do === 'sound') {
      takeSound(this.engine, message.name, message.samples, message.recorded);
      if (this.player) this.engine.zr_player_supply(this.player);
      return;
    }
    if (message.do === 'forget-sound') {
      lend(this.engine, message.name, (at, length) => this.engine.zr_sound_forget(at, length));
      return;
    }
    if (!this.player) return;
    const { engine, player } = this;
    switch (message.do) {
      case 'edit':
        this.answer(lend(engine, message.edit, (at, length) => engine.zr_player_edit(player, at, length)));
        break;
      case 'compare':
        this.answer(lend(engine, message.reference, (at, length) => engine.zr_player_compare(player, at, length)));
        break;
      case 'play':
        engine.zr_player_play(player);
        this.report();
        break;
      case 'stop':
        engine.zr_player_stop(player);
        this.report();
        break;
      case 'seek':
        engine.zr_player_seek(player, message.frame);
        this.report();
        break;
      case 'loop':
        engine.zr_player_loop(player, message.from, message.to);
        break;
      case 'listen':
        engine.zr_player_listen(player, message.side);
        break;
      case 'alternate':
        engine.zr_player_alternate(player, message.passes);
        break;
      case 'hear':
        lend(engine, Uint32Array.from(message.strips), (at, count) => engine.zr_player_hear(player, at, count));
        break;
      case 'check':
        engine.zr_player_check(player, message.check);
        break;
      case 'reset-maxima':
        engine.zr_player_reset_maxima(player);
        break;
      case 'watch':
        engine.zr_player_watch(player, message.station);
        break;
    }
  }

  /** What became of a change: 0 refused, 1 done, 2 done and another setup is needed. @param {number} result */
  answer(result) {
    if (result === 0) this.complain();
    if (result === 2) this.port.postMessage({ paths: true });
  }

  /** @param {{ setup: Uint8Array, stores: { id: number, channels: number, frames: number, start: number }[] }} message */
  setUp({ setup, stores }) {
    const { engine } = this;
    const declare = () => stores.forEach((s) => engine.zr_player_store(this.player, s.id, s.channels, s.frames, s.start));
    if (this.player) {
      declare();
      if (!lend(engine, setup, (at, length) => engine.zr_player_change(this.player, at, length))) this.complain();
    } else {
      this.player = lend(engine, setup, (at, length) => engine.zr_player_new(at, length));
      if (this.player) declare();
      else this.complain();
    }
    this.port.postMessage({ loaded: true });
  }

  /** @param {{ store: number, index: number, samples?: Float32Array }} chunk */
  take({ store, index, samples }) {
    if (!this.player) return;
    const { engine, player } = this;
    if (samples) {
      lend(engine, samples, (at, length) => engine.zr_player_chunk(player, store, index, at, length));
      this.feeder?.postMessage({ spent: samples.buffer }, [samples.buffer]);
    } else engine.zr_player_drop_chunk(player, store, index);
  }

  complain() {
    this.port.postMessage({ error: answerBytes(this.engine) });
  }

  report() {
    const { engine, player } = this;
    const at = engine.zr_player_report(player);
    const numbers = new Float64Array(engine.memory.buffer, at, engine.zr_player_report_len(player)).slice();
    // Where the song is, and whether it plays, come first.
    this.running = numbers[1] === 1;
    this.feeder?.postMessage({ position: numbers[0] });
    this.port.postMessage({ report: numbers, load: this.busyMs / ((REPORT_EVERY * BLOCK * 1000) / sampleRate) }, [numbers.buffer]);
    this.busyMs = 0;
  }

  /**
   * @param {Float32Array[][]} _inputs
   * @param {Float32Array[][]} outputs
   */
  process(_inputs, outputs) {
    if (!this.player) return true;
    const begun = Date.now();
    const at = this.engine.zr_player_process(this.player);
    this.busyMs += Date.now() - begun;
    const samples = new Float32Array(this.engine.memory.buffer, at, 2 * BLOCK);
    const [left, right] = outputs[0];
    left.set(samples.subarray(0, BLOCK));
    right.set(samples.subarray(BLOCK));
    this.blocks += 1;
    if (this.blocks % (this.running ? REPORT_EVERY : REST_EVERY) === 0) this.report();
    return true;
  }
}

registerProcessor('zinc-player', ZincProcessor);
