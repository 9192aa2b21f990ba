// @ts-check
/** Tempo: typed, tapped, from a MIDI file. */
import { html } from '../../draw/svg.js';
import { newGesture } from '../../session/document.js';
import { note } from '../notes.js';
import { doc } from '../session-frame.js';
import { Taps } from './taps.js';

/** Rest after the last tap before its tempo is taken. */
const TAPPED_MS = 1200;

/** @param {number} tempo_bpm */
const setTempo = (tempo_bpm) => void doc.edit({ edit: 'set-tempo', tempo_bpm, beats_per_bar: doc.session.beats_per_bar }, newGesture());

/** @param {HTMLElement} place */
export function tempoTools(place) {
  const box = html('input', {
    className: 'rule-value tempo-value',
    value: doc.session.tempo_bpm.toFixed(1),
    'aria-label': 'Tempo in quarter notes a minute',
  });
  box.addEventListener('change', () => {
    const typed = Number(box.value.replace(',', '.'));
    if (typed > 0) setTempo(typed);
    else note(`"${box.value}" is not a tempo; type for example 96 or 118.5.`);
  });
  const taps = new Taps();
  let over = 0;
  const tap = html('button', { type: 'button', className: 'plain-button', title: 'Tap along; four taps or more' }, 'tap');
  tap.addEventListener('click', () => {
    const tempo = taps.tap(performance.now());
    if (tempo === null) return;
    box.value = tempo.toFixed(1);
    // Once the tapping is over: one change, and not one for each tap.
    window.clearTimeout(over);
    over = window.setTimeout(() => setTempo(tempo), TAPPED_MS);
  });
  const file = html('input', {
    type: 'file',
    accept: '.mid,.midi',
    className: 'visually-hidden',
    id: 'tempo-file',
    'aria-label': 'Tempo from a MIDI file',
  });
  file.addEventListener('change', async () => {
    if (!file.files?.[0]) return;
    const response = await fetch(`/api/sessions/${doc.id}/tempo-file`, { method: 'POST', body: file.files[0] });
    const answer = await response.json();
    if (!response.ok) note(answer.error);
    else void doc.edit({ edit: 'set-tempo', tempo_bpm: answer.tempo_bpm, beats_per_bar: answer.beats_per_bar }, newGesture());
    file.value = '';
  });
  const show = () => {
    if (document.activeElement !== box) box.value = doc.session.tempo_bpm.toFixed(1);
  };
  doc.addEventListener('change', (event) => {
    if (/** @type {CustomEvent} */ (event).detail.facts.about === 'song') show();
  });
  doc.addEventListener('newer', show);
  place.append(
    html('label', {}, 'tempo ', box),
    tap,
    html('label', { className: 'plain-button', htmlFor: 'tempo-file' }, 'from MIDI'),
    file,
  );
}
