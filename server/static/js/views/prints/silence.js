// @ts-check
/** Whether a print would be silent, said before it is made. */
import { longWork } from '../../session/work.js';
import { doc } from '../session-frame.js';

/** Largest sample of a recording that counts as silence: below the last bit of 24. */
const SILENT = 2 ** -23;

export class SilenceCheck {
  /** @param {() => void} onKnown told once the recordings have been looked at */
  constructor(onKnown) {
    /** The waves of the tracks, by strip. @type {Map<number, [number, number][]>} */
    this.waves = new Map();
    longWork(`/api/sessions/${doc.id}/overviews`, {}, () => {}).then(
      (all) => {
        for (const { strip, wave } of all ?? []) this.waves.set(strip, wave);
        onKnown();
      },
      // Without it nothing is said before; what was printed is said to be silent afterwards.
      () => {},
    );
  }

  /** Whether nothing of a track is recorded in a passage, or nothing at all. @param {number} track @param {[number, number]} passage */
  isSilent(track, [from, to]) {
    const audio = doc.session.strips.find((s) => s.id === track)?.audio;
    if (!audio || audio.start >= to || audio.start + audio.frames <= from) return true;
    return this.waves.get(track)?.every(([low, high]) => Math.max(-low, high) < SILENT) ?? false;
  }

  /**
   * @param {number[]} heard tracks that are heard in it
   * @param {[number, number] | null} passage frames; null for the whole song
   * @returns {string} empty where it sounds
   */
  words(heard, passage) {
    if (heard.length === 0) return 'Silent: all that feeds it is muted.';
    const part = passage ?? [0, Infinity];
    return heard.every((track) => this.isSilent(track, part)) ? 'Silent: nothing is recorded here but what rings on.' : '';
  }
}
