// @ts-check
/** What a return adds on small speakers and on large ones, by its level, and the level to raise it to. */
import { decibels, drawPlot } from '../../draw/plot.js';
import { html, level, signed, svg } from '../../draw/svg.js';
import { longWork } from '../../session/api.js';
import { newGesture } from '../../session/document.js';
import { doc } from '../session-frame.js';

/** Softest level drawn, in dB. */
const SOFTEST = -48;

/** @typedef {{ level_db: number, small_db: number, large_lu: number }} At */
/** @typedef {{ levels: At[], mark: At | null, gains_db: number, changes_lu: number, share_above: number, copy: boolean }} Audibility */

/** What was found, by return: opening the sheet again shows it at once. @type {Map<number, Audibility>} */
const known = new Map();

/** @param {import('../../session/document.js').Strip} strip */
export function smallSpeakers(strip) {
  const field = svg('svg', { role: 'img', class: 'small-speakers' });
  const words = html('p', { role: 'status' });
  const measure = html('button', { type: 'button', className: 'plain-button' }, 'measure');
  const place = html('section', {}, html('h3', {}, 'On small speakers'), field, words, measure);
  const show = () => {
    const found = known.get(strip.id);
    field.toggleAttribute('hidden', !found || found.copy);
    if (!found) words.textContent = 'How much it adds where a small speaker plays, above 150 Hz, against what changes on large ones.';
    else if (found.copy) words.textContent = 'This is an identical copy: it only adds level, 6 dB at its own level, and nothing else.';
    else draw(field, words, found, strip);
  };
  measure.addEventListener('click', async () => {
    measure.disabled = true;
    words.textContent = 'listening…';
    try {
      const found = await longWork(`/api/sessions/${doc.id}/strips/${strip.id}/audibility`, {}, () => {});
      if (found) known.set(strip.id, found);
      show();
    } catch (error) {
      words.textContent = error instanceof Error ? error.message : String(error);
    }
    measure.disabled = false;
  });
  new ResizeObserver(show).observe(place);
  return place;
}

/** @param {SVGElement} field @param {HTMLElement} words @param {Audibility} found @param {import('../../session/document.js').Strip} strip */
function draw(field, words, found, strip) {
  const now = Number(doc.find(strip.id).controls.level_db);
  const line = (/** @type {'small_db' | 'large_lu'} */ which) => found.levels.map((at) => /** @type {[number, number]} */ ([at.level_db, at[which]]));
  const upright = (/** @type {number} */ x) => /** @type {[number, number][]} */ ([[x, -1], [x, 12]]);
  drawPlot(field, {
    x: { from: SOFTEST, to: 6, marks: decibels(SOFTEST, 0, 12) }, y: { from: -1, to: 12, marks: decibels(0, 12, 3) },
    words: 'Gain on small speakers and change on large ones by the level of this return',
    lines: [
      { kind: 'plot-line', label: 'small speakers, dB', points: line('small_db') },
      { kind: 'plot-line other', label: 'large speakers, LU', points: line('large_lu') },
      ...(found.mark ? [{ kind: 'plot-line part', label: `small speakers gain ${found.gains_db} dB`, points: upright(found.mark.level_db) }] : []),
      ...(now > SOFTEST ? [{ kind: 'plot-line order-5', label: 'now', points: upright(now) }] : []),
    ],
  });
  const at = found.levels.find((l) => l.level_db >= now);
  const here = now <= SOFTEST || !at ? 'It is off.' : `Now, at ${level(now)} dB: ${signed(at.small_db)} dB on small speakers, ${signed(at.large_lu)} LU on large ones (dashed).`;
  const share = ` ${Math.round(100 * found.share_above)} % of what it adds lies above 150 Hz.`;
  const { mark } = found;
  if (!mark) {
    words.textContent = `${here}${share} It never gains ${found.gains_db} dB there.`;
    return;
  }
  const fits = mark.large_lu < found.changes_lu ? `while large ones change by ${signed(mark.large_lu)} LU` : `but large ones change by ${signed(mark.large_lu)} LU: it is heard, not only felt`;
  const set = html('button', { type: 'button', className: 'plain-button' }, `set ${level(mark.level_db)} dB`);
  set.addEventListener('click', () => void doc.edit({ edit: 'set-control', strip: strip.id, control: 'level_db', value: Math.round(mark.level_db * 10) / 10 }, newGesture()));
  words.replaceChildren(`${here}${share} At ${level(mark.level_db)} dB small speakers gain ${found.gains_db} dB, ${fits}. `, set);
}
