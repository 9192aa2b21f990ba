// @ts-check
/** Desk: levels, pans, mutes and solos of all strips, their treatment at a glance. */
import { doc } from './session-frame.js';
import { host, prepare, showBusy, showIdle } from './listen-bar.js';
import { Rule } from '../controls/rule.js';
import { Ballistic, drawMeter } from '../draw/meter.js';
import { html, level } from '../draw/svg.js';
import { thumb } from '../draw/thumb.js';
import { drawTrack } from '../draw/wave.js';
import { longWork } from '../session/api.js';
import { note } from './notes.js';

const rows = /** @type {HTMLElement[]} */ ([...document.querySelectorAll('[data-strip]')]);
/** @type {Map<string, Rule>} by "strip:control" */
const rules = new Map();
/** @type {Map<number, Ballistic>} */
const meters = new Map();
/** @type {Map<number, [number, number][]>} */
const waves = new Map();
/** @type {Set<number>} */
const soloed = new Set(JSON.parse(sessionStorage.getItem(`solo-${doc.id}`) ?? '[]'));
/** Units shown as thumbnails in a row; more are counted. */
const MOST_THUMBS = 5;

const frames = Math.max(1, ...doc.session.strips.map((s) => s.audio?.frames ?? 0));

for (const row of rows) {
  const id = Number(row.dataset.strip);
  const strip = doc.find(id);
  for (const place of /** @type {NodeListOf<HTMLElement>} */ (row.querySelectorAll('[data-rule]'))) {
    const control = /** @type {string} */ (place.dataset.rule);
    const rule = new Rule({
      table: 'strip', param: control, compact: true, of: place.dataset.of, value: strip.controls[control],
      onChange: (value, gesture) => void doc.edit({ edit: 'set-control', strip: id, control, value }, gesture),
    });
    rules.set(`${id}:${control}`, rule);
    place.replaceChildren(rule.element);
  }
  row.querySelector('[data-mute]')?.addEventListener('click', () => {
    void doc.edit({ edit: 'set-control', strip: id, control: 'muted', value: !doc.find(id).controls.muted });
  });
  row.querySelector('[data-solo]')?.addEventListener('click', () => {
    if (!soloed.delete(id)) soloed.add(id);
    sessionStorage.setItem(`solo-${doc.id}`, JSON.stringify([...soloed]));
    showSolo();
  });
  meters.set(id, new Ballistic());
  drawWire(id);
  showMute(id);
}

/** @param {number} id */
function rowOf(id) {
  return rows.find((r) => r.dataset.strip === String(id));
}

/** @param {number} id */
function drawWire(id) {
  const place = rowOf(id)?.querySelector('[data-wire]');
  const { units } = doc.find(id).rack;
  if (!place || units.length === 0) return;
  const pieces = units.slice(0, MOST_THUMBS).flatMap((unit, i) => {
    const picture = thumb(unit, doc.session.rate);
    return i ? [html('span', { className: 'thumb-link' }), picture] : [picture];
  });
  if (units.length > MOST_THUMBS) pieces.push(html('span', { className: 'quiet' }, ` +${units.length - MOST_THUMBS}`));
  place.replaceChildren(...pieces);
}

/** @param {number} id */
function showMute(id) {
  const row = rowOf(id);
  const { muted } = doc.find(id).controls;
  row?.toggleAttribute('data-muted', muted);
  row?.querySelector('[data-mute]')?.setAttribute('aria-pressed', String(muted));
}

function showSolo() {
  for (const row of rows) row.querySelector('[data-solo]')?.setAttribute('aria-pressed', String(soloed.has(Number(row.dataset.strip))));
  const names = [...soloed].map((id) => doc.find(id).name).join(', ');
  const place = document.getElementById('soloed');
  if (place) place.textContent = names ? `heard alone: ${names}` : '';
  host.send({ do: 'solo', strips: [...soloed] });
}

doc.addEventListener('change', (event) => {
  const { strip, edit } = /** @type {CustomEvent} */ (event).detail;
  if (edit.edit === 'set-control') {
    rules.get(`${strip}:${edit.control}`)?.set(doc.find(strip).controls[edit.control]);
    showMute(strip);
  } else if (strip) drawWire(strip);
  else window.location.reload();
});
doc.addEventListener('newer', () => window.location.reload());

host.addEventListener('report', (event) => {
  const report = /** @type {CustomEvent<import('../engine/host.js').Report>} */ (event).detail;
  const now = performance.now();
  for (const [id, meter] of meters) {
    const canvas = /** @type {HTMLCanvasElement | null} */ (document.querySelector(`[data-meter="${id}"]`));
    if (!canvas) continue;
    const peak = doc.find(id).role === 'main' ? 10 ** (report.peak / 20) : (report.peaks.get(id) ?? 0);
    meter.take(peak, now);
    drawMeter(canvas, meter.db, meter.held);
  }
});

function drawWaves() {
  for (const [id, wave] of waves) {
    const canvas = /** @type {HTMLCanvasElement} */ (document.querySelector(`[data-wave="${id}"]`));
    drawTrack(canvas, wave, doc.session.sections, frames);
  }
}
window.addEventListener('resize', drawWaves);

async function showOverviews() {
  try {
    const all = await longWork(`/api/sessions/${doc.id}/overviews`, {}, showBusy);
    for (const { strip, wave, lufs } of all ?? []) {
      waves.set(strip, wave);
      const figure = document.querySelector(`[data-lufs="${strip}"]`);
      if (figure) figure.textContent = level(lufs);
    }
    drawWaves();
    document.body.dataset.drawn = '';
  } catch (error) {
    note(error instanceof Error ? error.message : String(error));
  }
  showIdle();
}

if (doc.session.strips.some((s) => s.role === 'track')) {
  await prepare();
  showSolo();
  await showOverviews();
}
