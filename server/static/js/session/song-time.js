// @ts-check
/** Places and lengths in the song: the core says them, from its tempo and metre. */
import { ask } from '../engine/ask.js';

/** @typedef {Pick<import('../types.js').Session, 'tempo_bpm' | 'beats_per_bar' | 'rate'>} Song */

/** Tempo, metre and rate, for the core's questions. @param {Song} song */
export const metreOf = ({ tempo_bpm, beats_per_bar, rate }) => ({ tempo_bpm, beats_per_bar, rate });

/** @param {Record<string, unknown> & { place: string }} about @returns {any} */
const askPlace = (about) => ask({ ask: 'place', about });
const whole = (/** @type {number} */ frame) => Math.max(0, Math.round(frame));

/** A place as bar and beat. @param {Song} song @param {number} frame @returns {string} */
export const placeWords = (song, frame) => askPlace({ place: 'words', frame: whole(frame), metre: metreOf(song) });

/** Where the song is while it plays. @param {Song} song @param {number} frame @returns {string} */
export const runningWords = (song, frame) => askPlace({ place: 'running', frame: whole(frame), metre: metreOf(song) });

/** A typed place as a frame; throws, in words, what is none. @param {Song} song @param {string} text @returns {number} */
export const placeTyped = (song, text) => askPlace({ place: 'typed', text, metre: metreOf(song) });

/** A time as minutes and seconds. @param {number} seconds @returns {string} */
export const clock = (seconds) => askPlace({ place: 'clock', seconds });

/** Frames of a beat and of a bar. @param {Song} song @returns {{ beat: number, bar: number }} */
export const lengthsOf = (song) => askPlace({ place: 'lengths', metre: metreOf(song) });

/** The nearest of so many places to the beat. @param {Song} song @param {number} frame @param {number} perBeat @returns {number} */
export const snapped = (song, frame, perBeat) =>
  askPlace({ place: 'snapped', frame: whole(frame), per_beat: perBeat, metre: metreOf(song) });
