// @ts-check
/** What was tried, a row each: outline over the original, figures, what can be done with it. */
import { html, level, svg } from '../../draw/svg.js';

/** @typedef {import('../../types.js').TakeFigures & { wave: number[], hit: import('./trial-hit.js').Hit, hit_at_s: number }} Figures */
/** @typedef {{ of: Figures, words: string }} Line */
/** @typedef {Record<'listen' | 'keep' | 'candidate' | 'show' | 'best', (i: number) => void>} Acts */

const HEADS = ['', 'over the original', 'peak', 'RMS', 'crest', 'loudness', 'at equal peak', 'GR mean over 0.5 dB', 'GR max', 'active', ''];

/** @param {string} words @param {string} label @param {() => void} act @param {boolean} [pressed] */
function button(words, label, act, pressed) {
  const made = html('button', { type: 'button', className: 'plain-button', 'aria-label': label }, words);
  if (pressed !== undefined) made.setAttribute('aria-pressed', String(pressed));
  made.addEventListener('click', act);
  return made;
}

/**
 * @param {Line} before what comes to the unit
 * @param {Line[]} lines
 * @param {number} heard
 * @param {number} shown
 * @param {Acts} acts
 */
export function openTable(before, lines, heard, shown, acts) {
  const rows = lines.map(({ of, words }, i) => {
    const name = button(words, `look at ${words}`, () => acts.show(i), shown === i);
    const does = [
      button(heard === i ? 'stop' : 'hear', `hear ${words}`, () => acts.listen(i), heard === i),
      button('keep', `keep ${words}`, () => acts.keep(i)),
      button('candidate', `keep ${words} as a candidate`, () => acts.candidate(i)),
    ];
    return row(of, before.of, name, does, heard === i);
  });
  const first = row(before.of, before.of, before.words, [], false);
  return html(
    'table',
    {},
    html('thead', {}, html('tr', {}, ...HEADS.map((word) => html('th', { scope: 'col' }, word)))),
    html('tbody', {}, first, ...rows),
  );
}

/** @param {Figures} of @param {Figures} original @param {Node | string} name @param {Node[]} acts @param {boolean} now */
function row(of, original, name, acts, now) {
  const lufs = (/** @type {number | null} */ value) => (value === null ? '–' : level(value));
  const figures = [
    level(of.peak_db),
    level(of.body_db),
    level(of.crest_db),
    lufs(of.loudness_lufs),
    lufs(of.loudness_at_equal_peak_lufs),
    level(of.reduction_mean_db),
    level(of.reduction_most_db),
    `${Math.round(100 * of.reduction_share)} %`,
  ];
  return html(
    'tr',
    { className: now ? 'heard' : '' },
    html('th', { scope: 'row' }, name),
    html('td', {}, outline(original.wave, of.wave)),
    ...figures.map((text) => html('td', {}, text)),
    html('td', { className: 'trial-acts' }, ...acts),
  );
}

/** A blind round: places in an order by chance. @param {number[]} order @param {number} heard @param {Acts} acts */
export function hiddenTable(order, heard, acts) {
  return html(
    'div',
    { className: 'trial-blind', role: 'list', 'aria-label': 'Hidden, in an order by chance' },
    ...order.map((i, place) =>
      html(
        'div',
        { role: 'listitem' },
        html('b', {}, String(place + 1)),
        button(heard === i ? 'stop' : 'hear', `hear number ${place + 1}`, () => acts.listen(i), heard === i),
        button('choose', `choose number ${place + 1}`, () => acts.best(i)),
      ),
    ),
  );
}

/** One outline over another. @param {number[]} under @param {number[]} over */
function outline(under, over) {
  const shape = (/** @type {number[]} */ wave) =>
    `M0 20${wave.map((y, x) => `L${x} ${(20 - y / 50).toFixed(1)}`).join('')}L${wave.length} 20Z`;
  return svg(
    'svg',
    {
      class: 'trial-wave',
      viewBox: `0 0 ${under.length} 20`,
      preserveAspectRatio: 'none',
      role: 'img',
      'aria-label': 'its outline over the original',
    },
    svg('path', { d: shape(under), class: 'under' }),
    svg('path', { d: shape(over), class: 'over' }),
  );
}
