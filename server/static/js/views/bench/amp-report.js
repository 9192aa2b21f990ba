// @ts-check
/** What an amplifier does to its part: what the dry blend takes away and what mends it, and what it leaves between the notes. */
import { html, level, signed } from '../../draw/svg.js';
import { longWork } from '../../session/work.js';
import { newGesture } from '../../session/document.js';
import { note } from '../notes.js';
import { doc } from '../session-frame.js';

/** Less than this under the softer of the two is said, in dB. */
const SAID_DB = -2;

/** @typedef {{ octaves: [number, number][], delay_ms: number, inverted: boolean }} Left */
/**
 * @typedef {{
 *   blend: { now: Left, better: Left | null } | null,
 *   noise: { between_dbfs: number, under_db: number, was_under_db: number } | null, gate: import('../../types.js').Edit | null,
 * }} Found
 */

/** @param {number} hz */
const named = (hz) => (hz >= 1000 ? `${hz / 1000} kHz` : `${hz} Hz`);

export class AmpReport {
  /** @param {import('./param-panel.js').ParamPanel} panel */
  constructor(panel) {
    this.panel = panel;
    this.words = html('p', { className: 'quiet', role: 'status' });
    this.button = html(
      'button',
      {
        type: 'button',
        className: 'plain-button',
        title:
          'Hears twenty seconds of the part through the amplifier: octaves that the dry blend would cancel, and ' +
          'the level between the notes',
      },
      'check blend and pauses',
    );
    this.button.addEventListener('click', () => void this.look());
    this.element = html('div', { className: 'amp-report' }, this.button, this.words);
  }

  async look() {
    const { unit } = this.panel;
    const strip = doc.session.strips.find((s) => s.rack.units.some((u) => u.id === unit.id));
    if (!strip) return;
    this.button.disabled = true;
    try {
      await doc.idle();
      const found = await longWork(`/api/sessions/${doc.id}/strips/${strip.id}/units/${unit.id}/amplified`, {}, () => {});
      if (found) this.words.replaceChildren(...this.blendWords(found), ' ', ...this.noiseWords(found));
    } catch (error) {
      note(error instanceof Error ? error.message : String(error));
    } finally {
      this.button.disabled = false;
    }
  }

  /** @param {Found} found @returns {(Node | string)[]} */
  blendWords({ blend }) {
    if (!blend) return ['Nothing to hear yet.'];
    const lost = blend.now.octaves.filter(([, db]) => db < SAID_DB);
    if (lost.length === 0) return ['Dry and amplified sound add up in every octave.'];
    const where = lost.map(([hz, db]) => `${level(-db)} dB at ${named(hz)}`).join(', ');
    const said = `Mixed at equal level the dry blend loses ${where}: their phases differ there.`;
    const { better } = blend;
    if (!better) return [said];
    const worst = Math.min(...better.octaves.map(([, db]) => db));
    const what = `${better.inverted ? 'dry inverted, ' : ''}dry delayed by ${better.delay_ms.toFixed(2)} ms`;
    const mend = html(
      'button',
      { type: 'button', className: 'plain-button' },
      `${what}: ${worst < 0 ? `at most ${level(-worst)} dB lost` : `nothing lost, ${signed(worst)} dB at least`}`,
    );
    mend.addEventListener('click', () => {
      this.panel.changeParams({ dry_delay_ms: Math.round(better.delay_ms * 100) / 100, dry_inverted: better.inverted }, newGesture());
      this.panel.take(this.panel.unit);
      void this.look();
    });
    return [`${said} `, mend];
  }

  /** @param {Found} found @returns {(Node | string)[]} */
  noiseWords({ noise, gate }) {
    if (!noise) return ['The part hardly pauses: nothing to say of its noise.'];
    const said =
      `Between the notes: ${level(noise.between_dbfs)} dBFS, ${level(noise.under_db)} dB under ` +
      `them (${level(noise.was_under_db)} before the amp).`;
    if (!gate) return [said];
    const add = html('button', { type: 'button', className: 'plain-button' }, 'gate before the amp');
    add.addEventListener('click', () => void doc.edit(gate, newGesture()));
    return [`${said} `, add];
  }
}
