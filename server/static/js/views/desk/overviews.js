// @ts-check
/** Waves and loudness of all tracks, drawn into their rows. */
import { level } from '../../draw/svg.js';
import { drawTrack } from '../../draw/wave.js';
import { longWork } from '../../session/work.js';
import { showBusy, showIdle } from '../listen-bar.js';
import { note } from '../notes.js';
import { doc } from '../session-frame.js';

/** Length of the song. */
export const frames = () => Math.max(1, ...doc.session.strips.map((s) => s.audio?.frames ?? 0));

export class Overviews {
  constructor() {
    /** By strip. @type {Map<number, { wave: [number, number][], lufs: number }>} */
    this.all = new Map();
    window.addEventListener('resize', () => this.draw());
  }

  draw() {
    const canvases = /** @type {HTMLCanvasElement[]} */ ([...document.querySelectorAll('[data-wave]')]);
    // All sizes first: a drawn canvas makes the page lay itself out again.
    const boxes = canvases.map((canvas) => ({ width: canvas.clientWidth, height: canvas.clientHeight }));
    const borders = doc.session.sections.map((s) => s.start / frames());
    canvases.forEach((canvas, i) => drawTrack(canvas, this.all.get(Number(canvas.dataset.wave))?.wave ?? [], borders, boxes[i]));
    for (const [id, { lufs }] of this.all) {
      const figure = document.querySelector(`[data-lufs="${id}"]`);
      if (figure) figure.textContent = level(lufs);
    }
  }

  async show() {
    try {
      const all = await longWork(`/api/sessions/${doc.id}/overviews`, {}, showBusy);
      for (const { strip, wave, lufs } of all ?? []) this.all.set(strip, { wave, lufs });
      this.draw();
      document.body.dataset.drawn = '';
    } catch (error) {
      note(error instanceof Error ? error.message : String(error));
    }
    showIdle();
  }
}
