// @ts-check
/** What a return adds on small speakers and on large ones, by its level, and the level to raise it to. */
import { decibels, drawPlot } from '../../draw/plot.js';
import { html, level, signed, svg } from '../../draw/svg.js';
import { longWork } from '../../session/work.js';
import { newGesture } from '../../session/document.js';
import { doc } from '../session-frame.js';

/** Softest level drawn, in dB; and the least and most against the mix. */
const SOFTEST = -48;
const [LEAST_DB, MOST_DB] = [-48, 12];

/** @typedef {{ level_db: number, against_mix_db: number, large_lu: number }} At */
/**
 * @typedef {{
 *   levels: At[], mark: At | null, unnoticed: At, alone_db: number, near_db: number, changes_lu: number,
 *   share_body: number, copy: boolean,
 * }} Audibility
 */

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
    if (!found)
      words.textContent =
        'Whether the part is heard on a small speaker (150 to 600 Hz, against the whole mix), and what changes on large ones.';
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

/**
 * @param {SVGElement} field
 * @param {HTMLElement} words
 * @param {Audibility} found
 * @param {import('../../session/document.js').Strip} strip
 */
function draw(field, words, found, strip) {
  const now = Number(doc.find(strip.id).controls.level_db);
  const upright = (/** @type {number} */ at) =>
    /** @type {[number, number][]} */ ([
      [at, LEAST_DB],
      [at, MOST_DB],
    ]);
  drawPlot(field, {
    x: { from: SOFTEST, to: 6, marks: decibels(SOFTEST, 0, 12) },
    y: { from: LEAST_DB, to: MOST_DB, marks: decibels(LEAST_DB, MOST_DB, 12) },
    words: 'Level of the part on small speakers against the mix, by the level of this return',
    lines: [
      {
        kind: 'plot-line',
        label: 'on small speakers against the mix, dB',
        points: found.levels.map((at) => [at.level_db, Math.max(LEAST_DB, at.against_mix_db)]),
      },
      {
        kind: 'plot-line part',
        label: `heard from ${signed(-found.near_db)} dB`,
        points: [
          [SOFTEST, -found.near_db],
          [6, -found.near_db],
        ],
      },
      { kind: 'plot-line other', label: `${signed(found.changes_lu)} LU on large speakers`, points: upright(found.unnoticed.level_db) },
      ...(now > SOFTEST ? [{ kind: 'plot-line order-5', label: 'now', points: upright(now) }] : []),
    ],
  });
  const at = found.levels.find((l) => l.level_db >= now);
  const against = (/** @type {number} */ db) => `${level(Math.abs(db))} dB ${db < 0 ? 'under' : 'over'} the mix`;
  const here =
    now <= SOFTEST || !at
      ? `Alone the part is ${against(found.alone_db)} on a small speaker.`
      : `Now, at ${level(now)} dB: ${against(at.against_mix_db)} on a small speaker, ${signed(at.large_lu)} LU on large ones.`;
  const share = ` ${Math.round(100 * found.share_body)} % of what is added lies there.`;
  const { mark, unnoticed } = found;
  if (!mark) {
    words.textContent = `${here}${share} At no level of this return is it heard there: put more of it between 150 and 600 Hz.`;
    return;
  }
  const set = (/** @type {At} */ to) => {
    const button = html('button', { type: 'button', className: 'plain-button' }, `set ${level(to.level_db)} dB`);
    button.addEventListener(
      'click',
      () =>
        void doc.edit(
          { edit: 'set-control', strip: strip.id, control: 'level_db', value: Math.round(to.level_db * 10) / 10 },
          newGesture(),
        ),
    );
    return button;
  };
  if (mark.large_lu <= found.changes_lu) {
    words.replaceChildren(
      `${here}${share} At ${level(mark.level_db)} dB it is heard there, ${found.near_db} dB under the mix, ` +
        `while large speakers change by ${signed(mark.large_lu)} LU. `,
      set(mark),
    );
    return;
  }
  words.replaceChildren(
    `${here}${share} Both cannot be had: heard there at ${level(mark.level_db)} dB, large speakers change by ${signed(mark.large_lu)} LU `,
    set(mark),
    `; changed by ${found.changes_lu} LU at ${level(unnoticed.level_db)} dB, it stays ${against(unnoticed.against_mix_db)} `,
    set(unnoticed),
    '.',
  );
}
