// @ts-check
/** Rings of the recording: looked for, listed, heard, cut, or said to be none. */
import { html, level } from '../../draw/svg.js';
import { longWork } from '../../session/api.js';
import { note } from '../notes.js';
import { doc } from '../session-frame.js';

/** @typedef {{ hz: number, note: string, prominence_db: number, ring_ms: number, share: number, is: string, suggest: any, why: string }} Ring */

/** Frequencies this close are the same ring. */
const SAME = 0.015;

/** @param {Ring[]} rings those nobody has said to be none */
const left = (rings) => rings.filter(({ hz }) => !(doc.session.notebook.not_rings[doc.strip] ?? []).some((none) => Math.abs(none / hz - 1) < SAME));

export class Rings {
  /**
   * @param {(rings: Ring[]) => void} onShow draws their marks on the field
   * @param {(band: any) => void} onBand adds the band against one
   */
  constructor(onShow, onBand) {
    this.onShow = onShow;
    this.onBand = onBand;
    /** @type {Ring[] | null} */
    this.found = null;
    this.element = html('div', { className: 'rings' });
    this.draw();
  }

  async look() {
    try {
      this.found = (await longWork(`/api/sessions/${doc.id}/strips/${doc.strip}/rings`, {}, () => {})) ?? [];
    } catch (error) {
      note(error instanceof Error ? error.message : String(error));
    }
    this.draw();
  }

  draw() {
    if (!this.found) {
      const look = html('button', { type: 'button', className: 'plain-button', title: 'Narrow resonances of the recording that stay while the notes change' }, 'look for rings');
      look.addEventListener('click', () => void this.look());
      this.element.replaceChildren(...(doc.find(doc.strip).role === 'track' ? [look] : []));
      return;
    }
    const rings = left(this.found);
    this.onShow(rings);
    const none = html('p', { className: 'quiet' }, 'No rings: nothing narrow stays while the notes change.');
    this.element.replaceChildren(...(rings.length ? rings.map((ring) => this.line(ring)) : [none]));
  }

  /** @param {Ring} ring */
  line(ring) {
    const button = (/** @type {string} */ words, /** @type {string} */ title, /** @type {() => void} */ act) => {
      const b = html('button', { type: 'button', className: 'plain-button', title, 'aria-label': `${words}: ${ring.is} at ${Math.round(ring.hz)} Hz` }, words);
      b.addEventListener('click', act);
      return b;
    };
    return html('div', { className: 'ring-line' }, html('b', {}, ring.is), html('span', { className: 'figure' }, `${Math.round(ring.hz)} Hz`), html('span', { className: 'figure' }, ring.note),
      html('span', { className: 'figure' }, `${level(ring.prominence_db)} dB`), html('span', { className: 'figure' }, `${Math.round(ring.ring_ms)} ms`), html('span', { className: 'figure' }, `${Math.round(100 * ring.share)} %`),
      button('hear it first', 'Adds the band switched off: hold L to hear its region', () => this.onBand({ ...ring.suggest, on: false })),
      button('cut it', ring.why, () => this.onBand(ring.suggest)),
      button('not a ring', 'It is not shown again for this track', () => {
        void doc.edit({ edit: 'note', note: { entry: 'not-rings', strip: doc.strip, hz: [...(doc.session.notebook.not_rings[doc.strip] ?? []), ring.hz] } });
        this.draw();
      }));
  }
}
