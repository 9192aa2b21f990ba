// @ts-check
/**
 * What a recording says of itself before anything is cut: its rings, and where the
 * instrument begins. Everything found can be heard first; a ring can be said to be none.
 */
import { html, level } from '../../draw/svg.js';
import { longWork } from '../../session/work.js';
import { hearWhilePressed } from '../compare.js';
import { note } from '../notes.js';
import { doc } from '../session-frame.js';

/**
 * @typedef {{
 *   hz: number, note: string, prominence_db: number, ring_ms: number, share: number, is: string, suggest: import('../../types.js').Params,
 *   why: string,
 * }} Ring
 */
/** @typedef {{ freq_hz: number, slope_db_oct: number, removes_lu: number, suggest: import('../../types.js').Params }} Cut */
/** @typedef {{ begins_hz: number, note: string, keep: Cut, room: Cut }} Floor */

/** @param {string} words @param {string} title @param {string} label read aloud */
function plain(words, title, label) {
  return html('button', { type: 'button', className: 'plain-button', title, 'aria-label': label }, words);
}

/** The region of a ring as a band. @param {Ring} ring */
const region = (ring) => ({ shape: 'bell', freq_hz: ring.hz, q: ring.suggest.q });

export class Findings {
  /**
   * @param {object} options
   * @param {() => number} options.unit the unit bands would go to
   * @param {(rings: Ring[]) => void} options.onRings draws their marks on the field
   * @param {(band: import('../../types.js').Params) => void} options.onBand adds a band
   */
  constructor({ unit, onRings, onBand }) {
    this.unit = unit;
    this.onRings = onRings;
    this.onBand = onBand;
    /** @type {Ring[] | null} */
    this.rings = null;
    /** Null before it was looked for, false for nowhere. @type {Floor | false | null} */
    this.floor = null;
    this.element = html('div', { className: 'rings' });
    this.draw();
  }

  /** @param {'rings' | 'floor'} what */
  async look(what) {
    try {
      const found = await longWork(`/api/sessions/${doc.id}/strips/${doc.strip}/${what}`, {}, () => {});
      if (what === 'rings') this.rings = found ?? [];
      else this.floor = found ?? false;
    } catch (error) {
      note(error instanceof Error ? error.message : String(error));
    }
    this.draw();
  }

  draw() {
    if (doc.find(doc.strip).role !== 'track') return;
    const lines = [];
    if (this.floor !== null) lines.push(...this.floorLines());
    if (this.rings) lines.push(...this.ringLines(this.rings));
    const looks = html('p', { className: 'finding-looks' });
    if (!this.rings)
      looks.append(
        this.button('look for rings', 'Narrow resonances of the recording that stay while the notes change', () => void this.look('rings')),
      );
    if (this.floor === null)
      looks.append(
        this.button(
          'find the lowest note',
          'The lowest tone of the instrument, and the high-passes that follow from it',
          () => void this.look('floor'),
        ),
      );
    this.element.replaceChildren(...(looks.childElementCount ? [looks] : []), ...lines);
    this.onRings(this.rings ?? []);
  }

  /** @param {string} words @param {string} title @param {() => void} act @param {string} [label] */
  button(words, title, act, label = words) {
    const button = plain(words, title, label);
    button.addEventListener('click', act);
    return button;
  }

  /**
   * A button that lets a band's region be heard while it is held.
   * @param {import('../../types.js').Params} row
   * @param {string} words
   * @param {string} label
   */
  hear(row, words, label) {
    const button = plain(words, 'Held: only what it takes away is heard', label);
    hearWhilePressed(button, () => this.heard(row));
    return button;
  }

  /** A band thought of, heard. @param {import('../../types.js').Params} row @returns {import('../compare.js').Change} */
  heard(row) {
    return { change: 'thought-heard', strip: doc.strip, unit: this.unit(), row };
  }

  /** A ring, heard by itself. @param {Ring} ring */
  ringHeard(ring) {
    return this.heard(region(ring));
  }

  floorLines() {
    const { floor } = this;
    if (!floor) return [html('p', { className: 'quiet' }, 'No signal on this track.')];
    const line = (/** @type {string} */ what, /** @type {Cut} */ cut) =>
      html(
        'div',
        { className: 'floor-line' },
        html('b', {}, what),
        html('span', { className: 'figure' }, `${cut.slope_db_oct} dB/oct`),
        html('span', { className: 'figure' }, `${Math.round(cut.freq_hz)} Hz`),
        html('span', { className: 'figure' }, cut.removes_lu < 0.05 ? '0.0 LU' : `−${cut.removes_lu.toFixed(1)} LU`),
        this.hear(cut.suggest, 'hear what goes', `hear what goes: ${what}`),
        this.button('use it', 'Adds the high-pass as a band', () => this.onBand(cut.suggest), `use it: ${what}`),
      );
    return [
      html('p', { className: 'floor-said' }, `Lowest note ${floor.note}, ${Math.round(floor.begins_hz)} Hz.`),
      line('keep it whole', floor.keep),
      line('make room', floor.room),
    ];
  }

  /** @param {Ring[]} rings */
  ringLines(rings) {
    if (!rings.length) return [html('p', { className: 'quiet' }, 'No rings: nothing narrow stays while the notes change.')];
    return rings.map((ring) => {
      const at = `${ring.is} at ${Math.round(ring.hz)} Hz`;
      return html(
        'div',
        { className: 'ring-line' },
        html('b', {}, ring.is),
        html('span', { className: 'figure' }, `${Math.round(ring.hz)} Hz`),
        html('span', { className: 'figure' }, ring.note),
        html('span', { className: 'figure' }, `${level(ring.prominence_db)} dB`),
        html('span', { className: 'figure' }, `${Math.round(ring.ring_ms)} ms`),
        html('span', { className: 'figure' }, `${Math.round(100 * ring.share)} %`),
        this.hear(region(ring), 'hear it', `hear it: ${at}`),
        this.button('cut it', ring.why, () => this.onBand(ring.suggest), `cut it: ${at}`),
        this.button(
          'not a ring',
          'It is not shown again for this track',
          () => {
            void doc.edit({
              edit: 'note',
              note: { entry: 'not-rings', strip: doc.strip, hz: [...(doc.session.notebook.not_rings[doc.strip] ?? []), ring.hz] },
            });
            this.rings = rings.filter((other) => other !== ring);
            this.draw();
          },
          `not a ring: ${at}`,
        ),
      );
    });
  }
}
