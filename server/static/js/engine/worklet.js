// @ts-check
/// <reference types="audioworklet" />
/** The audio thread: one player of the engine, fed by the feeder, steered by the page. */
import { answerBytes, instantiate, lend } from './module.js';

const BLOCK = 128;
/** Blocks between two reports: about 30 a second at 48 kHz. */
const REPORT_EVERY = 12;

/** @typedef {import('./module.js').Exports} Exports */

class ZincProcessor extends AudioWorkletProcessor {
  /** @param {{ processorOptions: { module: WebAssembly.Module } }} options */
  constructor(options) {
    super();
    /** @type {Exports} */
    this.engine = instantiate(options.processorOptions.module);
    this.player = 0;
    this.blocks = 0;
    /** @type {MessagePort | null} */
    this.feeder = null;
    this.port.onmessage = (event) => this.steer(event.data);
  }

  /** @param {any} message */
  steer(message) {
    if (message.do === 'feed') {
      const feeder = /** @type {MessagePort} */ (message.port);
      this.feeder = feeder;
      feeder.onmessage = (event) => this.take(event.data);
      return;
    }
    if (message.do === 'load') {
      this.load(message);
      return;
    }
    if (!this.player) return;
    const { engine, player } = this;
    switch (message.do) {
      case 'edit':
        if (!lend(engine, message.edit, (at, length) => engine.zr_player_edit(player, at, length))) this.complain();
        break;
      case 'play': engine.zr_player_play(player); this.report(); break;
      case 'stop': engine.zr_player_stop(player); this.report(); break;
      case 'seek': engine.zr_player_seek(player, message.frame); this.report(); break;
      case 'loop': engine.zr_player_loop(player, message.from, message.to); break;
      case 'listen': engine.zr_player_listen(player, message.mode, message.matchDb); break;
      case 'alone': engine.zr_player_alone(player, message.alone ? 1 : 0); break;
      case 'solo': lend(engine, Uint32Array.from(message.strips), (at, count) => engine.zr_player_solo(player, at, count)); break;
      case 'watch': engine.zr_player_watch(player, message.station); break;
    }
  }

  /** @param {{ session: Uint8Array, strip: number, lanes: { channels: number, frames: number }[] }} message */
  load({ session, strip, lanes }) {
    const { engine } = this;
    if (this.player) engine.zr_player_free(this.player);
    this.player = lend(engine, session, (at, length) => engine.zr_player_new(at, length, strip));
    if (!this.player) {
      this.complain();
      return;
    }
    lanes.forEach((lane, i) => engine.zr_player_source(this.player, i, lane.channels, lane.frames));
    this.port.postMessage({ loaded: true });
  }

  /** @param {{ lane: number, index: number, samples?: Float32Array }} chunk */
  take({ lane, index, samples }) {
    if (!this.player) return;
    const { engine, player } = this;
    if (samples) lend(engine, samples, (at, length) => engine.zr_player_chunk(player, lane, index, at, length));
    else engine.zr_player_drop_chunk(player, lane, index);
  }

  complain() {
    this.port.postMessage({ error: answerBytes(this.engine) });
  }

  report() {
    const { engine, player } = this;
    const at = engine.zr_player_report(player);
    const numbers = new Float32Array(engine.memory.buffer, at, engine.zr_player_report_len(player)).slice();
    this.feeder?.postMessage({ position: numbers[0] });
    this.port.postMessage({ report: numbers }, [numbers.buffer]);
  }

  /**
   * @param {Float32Array[][]} _inputs
   * @param {Float32Array[][]} outputs
   */
  process(_inputs, outputs) {
    if (!this.player) return true;
    const at = this.engine.zr_player_process(this.player);
    const samples = new Float32Array(this.engine.memory.buffer, at, 2 * BLOCK);
    const [left, right] = outputs[0];
    left.set(samples.subarray(0, BLOCK));
    right.set(samples.subarray(BLOCK));
    this.blocks += 1;
    if (this.blocks % REPORT_EVERY === 0) this.report();
    return true;
  }
}

registerProcessor('zinc-player', ZincProcessor);
