// @ts-check
/** Evidence: what went in, what came out, what changed. */
import { spectra } from '../../engine/ask.js';
import { html, level, signed, svg } from '../../draw/svg.js';
import { heardBands } from '../../draw/third-octaves.js';

/**
 * @param {HTMLElement} place
 * @param {import('../../types.js').Treatment | null} treatment null while these stations have not been measured
 * @param {number} station
 * @param {import('../../session/document.js').Unit | undefined} unit
 */
export function drawEvidence(place, treatment, station, unit) {
  if (!treatment) {
    place.replaceChildren(
      html(
        'section',
        { data: { figures: '' } },
        html('h2', {}, 'Evidence'),
        html('p', { className: 'quiet' }, 'Being measured over the whole part…'),
      ),
    );
    return;
  }
  const { points } = treatment;
  const one = unit && points.length > station + 1 ? [points[station], points[station + 1]] : null;
  const whole = [points[0], points[points.length - 1]];
  const parts = [];
  if (one) parts.push(levels('This unit', one));
  parts.push(levels('Whole rack', whole));
  parts.push(changes(one ? 'What this unit changed, by third octave' : 'What changed, by third octave', one ?? whole));
  const reduction = treatment.reductions.find((r) => r.unit === unit?.id);
  if (reduction) parts.push(taken(reduction));
  place.replaceChildren(...parts);
}

/** @param {string} title @param {import('../../types.js').PointFigures[]} pair */
function levels(title, [a, b]) {
  const line = (
    /** @type {string} */ name,
    /** @type {number | null} */ before,
    /** @type {number | null} */ after,
    /** @type {string} */ unit,
  ) =>
    html(
      'tr',
      {},
      html('td', {}, name),
      html('td', {}, level(before)),
      html('td', {}, level(after)),
      html('td', {}, before !== null && after !== null ? `${signed(after - before)} ${unit}` : '–'),
    );
  return html(
    'section',
    { data: { figures: '' } },
    html('h2', {}, title),
    html(
      'table',
      {},
      html('thead', {}, html('tr', {}, ...['', 'in', 'out', 'change'].map((h) => html('th', { scope: 'col' }, h)))),
      html(
        'tbody',
        {},
        line('loudness', a.lufs, b.lufs, 'LU'),
        line('peak', a.peak_db, b.peak_db, 'dB'),
        line('RMS', a.rms_db, b.rms_db, 'dB'),
        line('crest', a.crest_db, b.crest_db, 'dB'),
      ),
    ),
  );
}

/** @param {string} title @param {import('../../types.js').PointFigures[]} pair */
function changes(title, [a, b]) {
  const [width, height, half] = [270, 96, 40];
  const drawing = svg('svg', { viewBox: `0 0 ${width} ${height}`, class: 'change-bars', role: 'img', 'aria-label': title });
  const heard = heardBands(a.third_octave, b.third_octave);
  const differences = a.third_octave.map((/** @type {number} */ db, /** @type {number} */ i) => (heard[i] ? b.third_octave[i] - db : 0));
  const most = Math.max(3, ...differences.map(Math.abs).map((/** @type {number} */ d) => Math.min(24, d)));
  const step = (width - 34) / differences.length;
  differences.forEach((/** @type {number} */ db, /** @type {number} */ i) => {
    const tall = (Math.min(most, Math.abs(db)) / most) * half;
    drawing.append(
      svg('rect', {
        x: 30 + i * step + 0.6,
        y: db < 0 ? half + 2 : half + 2 - tall,
        width: step - 1.2,
        height: Math.max(0.6, tall),
        class: db < 0 ? 'down' : 'up',
      }),
    );
  });
  drawing.append(svg('line', { x1: 30, x2: width - 4, y1: half + 2, y2: half + 2, stroke: 'var(--ink)' }));
  for (const [hz, text] of /** @type {[number, string][]} */ ([
    [50, '50'],
    [200, '200'],
    [1000, '1k'],
    [5000, '5k'],
    [20000, '20k'],
  ])) {
    const i = spectra[0].hz.findIndex((/** @type {number} */ f) => f > hz * 0.9);
    drawing.append(svg('text', { x: 30 + (i + 0.5) * step, y: height - 3, 'text-anchor': 'middle' }, text));
  }
  drawing.append(
    svg('text', { x: 26, y: 12, 'text-anchor': 'end' }, `+${most.toFixed(0)}`),
    svg('text', { x: 26, y: half * 2, 'text-anchor': 'end' }, `−${most.toFixed(0)}`),
  );
  return html('section', { data: { figures: '' } }, html('h2', {}, title), drawing);
}

/** @param {import('../../types.js').ReductionFigures} reduction */
function taken(reduction) {
  const line = (/** @type {string} */ name, /** @type {string} */ value) => html('tr', {}, html('td', {}, name), html('td', {}, value));
  return html(
    'section',
    { data: { figures: '' } },
    html('h2', {}, 'Gain reduction'),
    html(
      'table',
      {},
      html(
        'tbody',
        {},
        line('GR max', `${level(reduction.max_db)} dB`),
        line('GR mean', `${level(reduction.mean_db)} dB`),
        line('active', `${(reduction.share * 100).toFixed(0)} % of time`),
      ),
    ),
  );
}
