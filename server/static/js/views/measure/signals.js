// @ts-check
/** Test signals heard through a rack, beside themselves. */
import { doc } from '../session-frame.js';

/** A hit is at full scale whatever the level of the tones: that is what it is for. */
const HIT_DB = 0;

export class TestSignals {
  /**
   * @param {HTMLElement} place
   * @param {HTMLElement} state
   * @param {() => { strip: number, unit: number | null, level_db: number }} of what it goes through
   * @param {(trouble: string) => void} trouble
   */
  constructor(place, state, of, trouble) {
    this.state = state;
    this.of = of;
    this.trouble = trouble;
    this.asked = 0;
    /** @type {AudioContext | null} */
    this.audio = null;
    /** @type {AudioBufferSourceNode[]} */
    this.playing = [];
    /** @type {GainNode[]} */
    this.gains = [];
    this.untouched = /** @type {HTMLInputElement} */ (place.querySelector('#signal-untouched'));
    this.untouched.addEventListener('change', () => this.balance());
    this.stopButton = /** @type {HTMLButtonElement} */ (place.querySelector('#signal-stop'));
    this.stopButton.addEventListener('click', () => this.stop());
    for (const button of /** @type {NodeListOf<HTMLButtonElement>} */ (place.querySelectorAll('[data-signal]'))) {
      button.addEventListener('click', () => void this.play(button.dataset.signal ?? '', button.textContent ?? ''));
    }
  }

  /** @param {string} signal @param {string} name */
  async play(signal, name) {
    this.stop();
    this.asked += 1;
    const mine = this.asked;
    this.state.textContent = `${name}: sent through…`;
    try {
      this.audio ??= new AudioContext();
      await this.audio.resume();
      const [worked, untouched] = await Promise.all([this.fetched(signal, false), this.fetched(signal, true)]);
      if (mine !== this.asked) return;
      this.start([worked, untouched]);
      this.state.textContent =
        `${name}, ${signal === 'hit' ? HIT_DB : this.of().level_db} dBFS: heard ` + `${this.untouched.checked ? 'bypassed' : 'through it'}`;
    } catch (error) {
      if (mine !== this.asked) return;
      this.state.textContent = '';
      this.trouble(error instanceof Error ? error.message : String(error));
    }
  }

  /** @param {string} signal @param {boolean} untouched @returns {Promise<AudioBuffer>} */
  async fetched(signal, untouched) {
    const { strip, unit, level_db } = this.of();
    const query = new URLSearchParams({
      level_db: String(signal === 'hit' ? HIT_DB : level_db),
      untouched: String(untouched),
      ...(unit === null ? {} : { unit: String(unit) }),
    });
    const answer = await fetch(`/api/sessions/${doc.id}/strips/${strip}/signal/${signal}?${query}`);
    if (!answer.ok) throw new Error((await answer.json()).error);
    return /** @type {AudioContext} */ (this.audio).decodeAudioData(await answer.arrayBuffer());
  }

  /** Both at once, of which one is heard. @param {AudioBuffer[]} buffers */
  start(buffers) {
    const audio = /** @type {AudioContext} */ (this.audio);
    const at = audio.currentTime + 0.05;
    this.gains = buffers.map(() => audio.createGain());
    this.balance();
    this.playing = buffers.map((buffer, i) => {
      const source = audio.createBufferSource();
      source.buffer = buffer;
      source.connect(this.gains[i]).connect(audio.destination);
      source.start(at);
      return source;
    });
    this.stopButton.disabled = false;
    this.playing[0].onended = () => this.stop();
  }

  balance() {
    const shares = this.untouched.checked ? [0, 1] : [1, 0];
    this.gains.forEach((gain, i) => gain.gain.setTargetAtTime(shares[i], this.audio?.currentTime ?? 0, 0.005));
  }

  stop() {
    this.asked += 1;
    for (const source of this.playing) {
      source.onended = null;
      source.stop();
    }
    this.playing = [];
    this.stopButton.disabled = true;
    this.state.textContent = '';
  }
}
