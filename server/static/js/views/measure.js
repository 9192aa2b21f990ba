// @ts-check
/** Measure: a rack or a unit by test tones, another or another setting overlaid, test signals heard through it. */
import { doc } from './session-frame.js';
import { FREQUENCIES, decibels, drawPlot } from '../draw/plot.js';
import { html, level, signed } from '../draw/svg.js';
import { longWork } from '../session/work.js';
import { note } from './notes.js';
import { TestSignals } from './measure/signals.js';

/**
 * @typedef {object} Probe
 * @property {number} level_db
 * @property {number} tone_hz
 * @property {number} rate
 * @property {number} latency_samples
 * @property {{ hz: number, db: number }[]} response
 * @property {{ in_db: number, out_db: number, harmonics_db: number[] }[]} static_curve
 * @property {{ order: number, db: number }[]} harmonics
 * @property {number} thd_percent
 * @property {number | null} even_odd_db
 * @property {number} imd_db
 * @property {{ ms: number, in_db: number, out_db: number }[]} step
 */
/** @typedef {{ name: string, probe: Probe }} Side */

const byId = (/** @type {string} */ id) => /** @type {any} */ (document.getElementById(id));
const form = /** @type {HTMLFormElement | null} */ (byId('measure-form'));
const state = byId('measure-state');

/** What is shown: this, and the other. @type {[Side | null, Side | null]} */
let sides = [null, null];
/** Another setting that was kept to be overlaid. @type {Side | null} */
let keptSide = null;
let asked = 0;
/** Level of test signals before the part's own is known, in dBFS. */
const SIGNAL_DB = -6;

/** Strip and unit of a choice. @param {string} value */
function chosen(value) {
  const [strip, unit] = value.split(':');
  return { strip: Number(strip), unit: unit ? Number(unit) : null };
}

/** What is chosen; null for the part's own. @param {string} list @returns {number | null} */
const figureOf = (list) => (byId(list).value === '' ? null : Number(byId(list).value));

/** @param {HTMLSelectElement} list @param {{ level_db: number | null, tone_hz: number | null }} tone @returns {Promise<Side>} */
async function measured(list, { level_db, tone_hz }) {
  const { strip, unit } = chosen(list.value);
  const body = { unit, level_db, tone_hz };
  const probe = await longWork(`/api/sessions/${doc.id}/strips/${strip}/probe`, body, () => {});
  return { name: list.selectedOptions[0].textContent ?? '', probe };
}

async function measure() {
  asked += 1;
  const mine = asked;
  state.textContent = 'measuring…';
  try {
    const other = byId('measure-b');
    const found = await measured(byId('measure-a'), { level_db: figureOf('measure-level'), tone_hz: figureOf('measure-tone') });
    // The other is measured with the very same, so that what differs is what they do.
    const beside = other.value === 'kept' ? keptSide : other.value ? await measured(other, found.probe) : null;
    if (mine !== asked) return;
    sides = [found, beside];
    state.textContent = `with ${found.probe.tone_hz} Hz at ${level(found.probe.level_db)} dBFS`;
    show();
  } catch (error) {
    if (mine === asked) state.textContent = error instanceof Error ? error.message : String(error);
  }
}

/** Both sides that are there, with the class of their lines. */
function drawn() {
  const [a, b] = sides;
  return /** @type {{ name: string, probe: Probe, kind: string }[]} */ ([
    ...(b ? [{ ...b, kind: 'other' }] : []),
    ...(a ? [{ ...a, kind: 'this' }] : []),
  ]);
}

/** A range of decibels about what there is, in steps of a mark. @param {number[]} values @param {number} step @param {number} least */
function rangeOf(values, step, least) {
  const finite = values.filter(Number.isFinite);
  const most = Math.max(least, ...finite.map(Math.abs));
  return Math.ceil(most / step) * step;
}

const LEVELS = { from: -60, to: 0, marks: decibels(-60, 0, 12) };
/** The overtones drawn by level, and their lines. */
const ORDERS = [2, 3, 4, 5];

function show() {
  const all = drawn();
  if (all.length === 0) return;
  const within = (/** @type {{ hz: number }} */ p) => p.hz >= 20 && p.hz <= 20000;
  const range = Math.min(
    48,
    rangeOf(
      all.flatMap((s) => s.probe.response.filter(within).map((p) => p.db)),
      6,
      6,
    ),
  );
  drawPlot(byId('plot-response'), {
    x: FREQUENCIES,
    y: { from: -range, to: range, marks: decibels(-range, range, range > 24 ? 12 : range > 12 ? 6 : 3) },
    words: 'Gain by frequency',
    lines: all.map((s) => ({
      kind: `plot-line ${s.kind}`,
      label: s.name,
      points: s.probe.response.filter(within).map((p) => [p.hz, p.db]),
    })),
  });
  drawPlot(byId('plot-comb'), {
    x: { from: 1, to: 10.5, marks: all[0].probe.harmonics.map(({ order }) => [order, String(order)]) },
    y: { from: -120, to: 0, marks: decibels(-120, 0, 20) },
    words: 'Overtones against the fundamental, in dB',
    bars: all.flatMap((s) =>
      s.probe.harmonics.map(({ order, db }) => ({ at: order, to: db, kind: `plot-bar ${s.kind}`, label: `${order}: ${level(db)} dB` })),
    ),
  });
  drawPlot(byId('plot-levels'), {
    x: LEVELS,
    y: { from: -120, to: 0, marks: decibels(-120, 0, 20) },
    words: 'Overtones against the fundamental by the level that goes in',
    lines: all.flatMap((s) =>
      ORDERS.map((order) => ({
        kind: `plot-line ${s.kind} order-${order}`,
        label: `${s.name}: ${order}`,
        points: s.probe.static_curve.map((p) => /** @type {[number, number]} */ ([p.in_db, p.harmonics_db[order - 2]])),
      })),
    ),
  });
  drawPlot(byId('plot-static'), {
    x: LEVELS,
    y: { from: -60, to: 12, marks: decibels(-60, 12, 12) },
    words: 'Steady level out for level in',
    lines: all.map((s) => ({
      kind: `plot-line ${s.kind}`,
      label: s.name,
      points: s.probe.static_curve.map((p) => /** @type {[number, number]} */ ([p.in_db, p.out_db])),
    })),
  });
  const last = all[0].probe.step[all[0].probe.step.length - 1].ms;
  const loudest = Math.max(...all.flatMap((s) => s.probe.step.map((p) => p.out_db)));
  const top = Math.ceil((loudest + 1) / 6) * 6;
  drawPlot(byId('plot-step'), {
    x: {
      from: -100,
      to: last,
      marks: [
        [0, '0'],
        [200, '200'],
        [400, '400 ms'],
        [600, '600'],
        [800, '800'],
      ],
    },
    y: { from: top - 48, to: top, marks: decibels(top - 48, top, 12) },
    words: 'Level of a tone that steps up by 20 dB and back',
    lines: all.map((s) => ({
      kind: `plot-line ${s.kind}`,
      label: s.name,
      points: s.probe.step.map((p) => /** @type {[number, number]} */ ([p.ms, p.out_db])),
    })),
  });
  figures();
}

/** Level out in dB at the step of the static curve that is nearest to the level in. @param {Probe} probe */
function outOf({ static_curve: curve, level_db: level }) {
  const away = (/** @type {{ in_db: number }} */ step) => Math.abs(step.in_db - level);
  return curve.reduce((near, step) => (away(step) < away(near) ? step : near)).out_db;
}

/** The figures of both, side by side. */
function figures() {
  const [a, b] = sides;
  const cell = (/** @type {Side | null} */ side, /** @type {(probe: Probe) => string} */ words) =>
    html('td', { className: 'figure' }, side ? words(side.probe) : '');
  const row = (/** @type {string} */ name, /** @type {(probe: Probe) => string} */ words) =>
    html('tr', {}, html('th', { scope: 'row' }, name), cell(a, words), cell(b, words));
  byId('measure-figures').tBodies[0].replaceChildren(
    row('overtones together', (p) => `${p.thd_percent < 0.001 ? 'under 0.001' : p.thd_percent.toPrecision(3)} %`),
    row('even against odd', (p) => (p.even_odd_db === null ? 'neither' : `${signed(p.even_odd_db)} dB`)),
    row('intermodulation', (p) => `${level(p.imd_db)} dB`),
    row('out for this level', (p) => `${signed(outOf(p))} dBFS`),
    row('late by', (p) => `${((1000 * p.latency_samples) / p.rate).toFixed(1)} ms`),
  );
}

/** Keeps what is shown now as the other side, so that the unit can be set otherwise and overlaid. */
function keep() {
  if (!sides[0]) return;
  keptSide = { name: `${sides[0].name}, as kept`, probe: sides[0].probe };
  const other = byId('measure-b');
  other.querySelector('[value=kept]')?.remove();
  other.append(new Option(keptSide.name, 'kept'));
  other.value = 'kept';
  void measure();
}

if (form) {
  const wanted = new URLSearchParams(location.search).get('of');
  if (wanted && [...byId('measure-a').options].some((option) => option.value === wanted)) byId('measure-a').value = wanted;
  form.addEventListener('submit', (event) => {
    event.preventDefault();
    void measure();
  });
  form.addEventListener('change', () => void measure());
  byId('measure-keep').addEventListener('click', keep);
  new ResizeObserver(show).observe(byId('plot-response'));
  // What is set elsewhere meanwhile is measured as it is then.
  doc.addEventListener('change', () => void measure());
  const signals = new TestSignals(
    byId('measure-signals'),
    byId('signal-state'),
    () => ({ ...chosen(byId('measure-a').value), level_db: figureOf('measure-level') ?? sides[0]?.probe.level_db ?? SIGNAL_DB }),
    note,
  );
  addEventListener('pagehide', () => signals.stop());
  void measure();
}
