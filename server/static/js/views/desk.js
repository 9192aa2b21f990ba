// @ts-check
/** Desk: levels, pans, mutes and solos of all strips, their treatment at a glance. */
import { doc } from './session-frame.js';
import { catalogue } from '../engine/ask.js';
import { compareOn, matchSoon, offer } from './compare.js';
import { host, prepare, prepareSoon, showBusy, showIdle } from './listen-bar.js';
import { Rule } from '../controls/rule.js';
import { Meter } from '../draw/meter.js';
import { html, level } from '../draw/svg.js';
import { thumb } from './bench/thumb.js';
import { drawTrack } from '../draw/wave.js';
import { request } from '../session/api.js';
import { longWork } from '../session/work.js';
import { courseOf } from '../session/course.js';
import { controlIn } from '../session/over-time.js';
import { note } from './notes.js';
import { dropAnywhere } from './desk/add-tracks.js';
import { openMakeRoom } from './desk/make-room.js';
import { orderOfWork } from './desk/order-of-work.js';
import { ruler } from './desk/ruler.js';
import { sessionTools } from './desk/session-tools.js';
import { tempoTools } from './desk/tempo-tools.js';
import { openSignalPath } from './desk/signal-path.js';
import { closeIfGone, hearBy, openSheet, refreshSheet } from './desk/strip-sheet.js';
import { takeServedRows } from './desk/served-rows.js';
import { lane } from './over-time/lane-strip.js';
import { markChanges } from './over-time/marks.js';
import './over-time/changes-sheet.js';
import { editHere, scope, scopeEvents } from './scope.js';
import { changesOf, openUnitSets } from './desk/unit-sets.js';

const desk = /** @type {HTMLElement} */ (document.querySelector('.desk'));
/** A row for each strip. @type {HTMLElement[]} */
let rows = [];
/** @type {Map<string, Rule>} by "strip:control" */
const rules = new Map();
/** @type {Map<number, Meter>} */
const meters = new Map();
/** What is drawn and said of each track's sound. @type {Map<number, { wave: [number, number][], lufs: number }>} */
const overviews = new Map();
/** @type {Set<number>} */
const soloed = new Set(
  JSON.parse(sessionStorage.getItem(`solo-${doc.id}`) ?? '[]').filter((/** @type {number} */ id) =>
    doc.session.strips.some((s) => s.id === id),
  ),
);
/** What the import check found, by strip. @type {Map<number, import('./desk/strip-sheet.js').Check>} */
const checks = new Map();
/** @param {number} id */
const checked = (id) => checks.get(id) ?? { findings: [], plays: [] };
/** Units shown as thumbnails in a row; more are counted. */
const MOST_THUMBS = 5;

// Before anything is drawn: the server works while the page does.
const prepared = doc.session.strips.some((s) => s.role === 'track') ? prepare() : null;

/** Length of the song. */
const frames = () => Math.max(1, ...doc.session.strips.map((s) => s.audio?.frames ?? 0));

/** Makes the rows that the server has drawn work. */
function takeRows() {
  rows = /** @type {HTMLElement[]} */ ([...desk.querySelectorAll('[data-strip]')]);
  rules.clear();
  meters.clear();
  rows.forEach(takeRow);
}

/** A strip; none where it has gone and its row is to follow. @param {number} id */
const stripOf = (id) => doc.session.strips.find((s) => s.id === id);

/** @param {HTMLElement} row */
function takeRow(row) {
  const id = Number(row.dataset.strip);
  const strip = stripOf(id);
  // The server may know of a strip that another window has made and that this page is told of in a moment.
  if (!strip) return;
  for (const place of /** @type {NodeListOf<HTMLElement>} */ (row.querySelectorAll('[data-rule]'))) {
    const control = /** @type {string} */ (place.dataset.rule);
    const rule = new Rule({
      table: 'strip',
      param: control,
      compact: true,
      of: place.dataset.of,
      value: controlIn(strip, control, scope()),
      onChange: (value, gesture) => {
        const edit = /** @type {import('../session/document.js').Edit} */ ({ edit: 'set-control', strip: id, control, value });
        lane.touch({ strip: id, unit: 0, param: control });
        if (!lane.takes(edit)) void editHere(edit, gesture);
      },
    });
    rule.element.dataset.path = control;
    rule.element.addEventListener('focusin', () => lane.touch({ strip: id, unit: 0, param: control }));
    rules.set(`${id}:${control}`, rule);
    place.replaceChildren(rule.element);
  }
  row.querySelector('[data-mute]')?.addEventListener('click', () => {
    const strip = stripOf(id);
    if (!strip) return;
    const value = !controlIn(strip, 'muted', scope());
    const edit = /** @type {import('../session/document.js').Edit} */ ({ edit: 'set-control', strip: id, control: 'muted', value });
    lane.touch({ strip: id, unit: 0, param: 'muted' });
    if (!lane.takes(edit)) void editHere(edit);
  });
  for (const opener of row.querySelectorAll('[data-sends], [data-findings]'))
    opener.addEventListener('click', () => openSheet(id, checked(id)));
  row.querySelector('[data-solo]')?.addEventListener('click', () => {
    if (!soloed.delete(id)) soloed.add(id);
    keepSolo();
  });
  const meter = /** @type {HTMLElement | null} */ (row.querySelector('[data-meter]'));
  if (meter) meters.set(id, new Meter(meter));
  drawWire(id);
  showMute(id);
  showSends(id);
  showOverTime(id);
}

/** How many values of a strip and its rack change with the song, and where its faders stand elsewhere. @param {number} id */
function showOverTime(id) {
  const row = rowOf(id);
  const strip = stripOf(id);
  if (!row || !strip) return;
  const count = (strip.over_time ?? []).length + strip.rack.units.reduce((sum, unit) => sum + (unit.over_time ?? []).length, 0);
  row.querySelector('.changes-count')?.remove();
  if (count)
    row
      .querySelector('.desk-name')
      ?.append(
        html(
          'span',
          { className: 'changes-count', title: `${count} ${count === 1 ? 'value changes' : 'values change'} with the song (C)` },
          String(count),
        ),
      );
  markChanges(row, strip);
  for (const control of ['level_db', 'pan']) {
    const { sections } = courseOf(strip, control);
    const differs = sections.some((h) => h.section === scope());
    rules
      .get(`${id}:${control}`)
      ?.elsewhere([...(differs ? [strip.controls[control]] : []), ...sections.filter((h) => h.section !== scope()).map((h) => h.value)]);
  }
}

/** Shows the faders of a strip as they are where changes hold. @param {number} id */
function showFaders(id) {
  const strip = stripOf(id);
  if (!strip) return;
  for (const control of ['level_db', 'pan']) rules.get(`${id}:${control}`)?.set(controlIn(strip, control, scope()));
  showMute(id);
  showOverTime(id);
}
scopeEvents.addEventListener('scope', () => rows.forEach((row) => showFaders(Number(row.dataset.strip))));

/** @param {number} id */
function rowOf(id) {
  return rows.find((r) => r.dataset.strip === String(id));
}

/** @param {number} id */
function drawWire(id) {
  const place = rowOf(id)?.querySelector('[data-wire]');
  const { units } = doc.find(id).rack;
  if (!place) return;
  if (units.length === 0) {
    place.replaceChildren(html('span', { className: 'quiet' }, 'untouched'));
    return;
  }
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
  const muted = controlIn(doc.find(id), 'muted', scope());
  row?.toggleAttribute('data-muted', muted);
  row?.querySelector('[data-mute]')?.setAttribute('aria-pressed', String(muted));
}

function keepSolo() {
  sessionStorage.setItem(`solo-${doc.id}`, JSON.stringify([...soloed]));
  showSolo();
}

function showSolo() {
  for (const row of rows) row.querySelector('[data-solo]')?.setAttribute('aria-pressed', String(soloed.has(Number(row.dataset.strip))));
  const names = [...soloed].flatMap((id) => stripOf(id)?.name ?? []).join(', ');
  const place = document.getElementById('soloed');
  if (place) place.textContent = names ? `heard alone: ${names}` : '';
  host.send({ do: 'hear', strips: [...soloed] });
}

/** What an edit about one thing shows of a strip. @type {Record<string, (id: number) => void>} */
const SHOW = {
  units: showRack,
  rack: showRack,
  controls: (id) => {
    showFaders(id);
    refreshSheet(id, checked(id));
  },
  sends: (id) => {
    showSends(id);
    showOverTime(id);
    // Moving a send's level draws nothing anew.
    const count = doc.find(id).sends.length;
    if (count !== sendsShown.get(id)) refreshSheet(id, checked(id));
    sendsShown.set(id, count);
  },
  words: (id) => refreshSheet(id, checked(id)),
};

/** @param {number} id */
function showRack(id) {
  drawWire(id);
  showFaders(id);
  refreshSheet(id, checked(id));
}

doc.addEventListener('change', (event) => {
  const { strips, about, reach } = /** @type {CustomEvent<{ facts: import('../session/document.js').Facts }>} */ (event).detail.facts;
  if (about === 'notebook') return;
  matchSoon();
  const show = SHOW[about];
  if (about === 'song') drawWaves();
  else if (show && strips.every(rowOf)) strips.forEach(show);
  else {
    // Rows came, went, moved or are called otherwise.
    void drawAnew();
    return;
  }
  // A print is another now; it is made while playing goes on.
  if (reach === 'racks') prepareSoon();
});
doc.addEventListener('newer', () => void drawAnew());

let drawing = 0;
/** Draws the rows anew once every change is kept: the server knows how they are grouped. What plays, plays on. */
async function drawAnew() {
  drawing += 1;
  const mine = drawing;
  await doc.idle();
  if (mine !== drawing) return;
  try {
    await takeServedRows(desk, takeRows);
    for (const id of soloed) if (!rowOf(id)) soloed.delete(id);
    showSolo();
    offerSides();
    closeIfGone();
    rows.forEach((row) => refreshSheet(Number(row.dataset.strip), checked(Number(row.dataset.strip))));
    drawWaves();
    prepareSoon();
    await showOverviews();
    await showFindings();
  } catch (error) {
    note(error instanceof Error ? error.message : String(error));
  }
}

/** Number of sends the open sheet shows, by strip: moving one's level draws nothing anew. @type {Map<number, number>} */
const sendsShown = new Map(doc.session.strips.map((s) => [s.id, s.sends.length]));

/** @param {number} id */
function showSends(id) {
  const place = rowOf(id)?.querySelector('[data-sends]');
  if (!place) return;
  place.textContent =
    doc
      .find(id)
      .sends.map((s) => doc.find(s.to).name)
      .join(' · ') || '–';
}

// ---- both sides -------------------------------------------------------------

const main = doc.session.strips.find((s) => s.role === 'main');
/** @param {(unit: import('../session/document.js').Unit) => boolean} taken */
const unitsOff = (taken) =>
  doc.session.strips.flatMap((strip) =>
    strip.rack.units.filter(taken).map((unit) => ({ change: 'unit-off', strip: strip.id, unit: unit.id })),
  );
const offerSides = () =>
  offer([
    { id: 'racks', label: 'without any rack', changes: () => unitsOff(() => true) },
    ...catalogue.kinds.map((kind) => ({
      id: kind.id,
      label: `without every ${kind.name}`,
      changes: () => unitsOff((unit) => unit.kind === kind.id),
    })),
    ...['bus', 'return'].map((role) => ({
      id: role,
      label: role === 'bus' ? 'without the racks of the buses' : 'without the returns',
      changes: () =>
        doc.session.strips
          .filter((s) => s.role === role)
          .flatMap((s) => (role === 'bus' ? [{ change: 'rack-off', strip: s.id }] : [{ change: 'level', strip: s.id, db: -200 }])),
    })),
    { id: 'soloed', label: 'without the racks of the soloed', changes: () => [...soloed].map((strip) => ({ change: 'rack-off', strip })) },
    ...doc.session.notebook.unit_sets.map((set) => ({
      id: `set-${set.name}`,
      label: `without "${set.name}"`,
      changes: () => changesOf(set),
    })),
  ]);
offerSides();
if (main) compareOn(main.id, () => null);

host.addEventListener('report', (event) => {
  const report = /** @type {CustomEvent<import('../engine/host.js').Report>} */ (event).detail;
  const now = performance.now();
  for (const [id, meter] of meters) {
    const peak = id === main?.id ? 10 ** (report.peak / 20) : (report.peaks.get(id) ?? 0);
    meter.take(peak, now);
  }
});

/** Marks the rows whose recording has faults, and says how many there are in all. */
async function showFindings() {
  const all = await request(`/api/sessions/${doc.id}/findings`, undefined, 'GET');
  checks.clear();
  for (const { strip, findings, plays } of all) checks.set(strip, { findings, plays });
  for (const row of rows) {
    const found = checked(Number(row.dataset.strip)).findings;
    const badge = /** @type {HTMLElement | null} */ (row.querySelector('[data-findings]'));
    if (!badge) continue;
    badge.hidden = found.length === 0;
    badge.textContent = String(found.length);
    badge.title = found.map((f) => f.sentence).join(' ');
  }
  const found = [...checks.values()].flatMap((c) => c.findings);
  const edits = found.flatMap((f) => f.edits);
  const place = /** @type {HTMLElement | null} */ (document.getElementById('check-all'));
  if (!place) return;
  place.hidden = edits.length === 0;
  if (edits.length === 0) return;
  const count = found.length;
  const mend = html('button', { type: 'button', className: 'plain-button' }, 'mend all');
  mend.addEventListener('click', () => void doc.edit({ edit: 'several', edits }));
  place.replaceChildren(`The import check found ${count} ${count === 1 ? 'thing' : 'things'}. `, mend);
}

hearBy((strips) => {
  soloed.clear();
  strips.forEach((id) => soloed.add(id));
  keepSolo();
});
dropAnywhere(/** @type {HTMLElement} */ (document.getElementById('work')));
/**
 * What made room can be taken away again on the other side, as one set.
 * @param {string} name
 * @param {{ strip: number, unit: number }[]} units
 */
function roomMade(name, units) {
  const others = doc.session.notebook.unit_sets.filter((set) => set.name !== name);
  void doc.edit({ edit: 'note', note: { entry: 'unit-sets', sets: [...others, { name, units }] } });
  offerSides();
  note(`Room was made. U hears the mix with and without it ("${name}").`);
}

takeRows();
const tools = /** @type {HTMLElement} */ (document.getElementById('desk-tools'));
sessionTools(tools, { path: () => void openSignalPath(), sets: () => openUnitSets(offerSides), room: () => openMakeRoom(roomMade) });
tempoTools(tools);
orderOfWork(tools);
ruler(/** @type {HTMLElement} */ (document.getElementById('ruler')), frames);

function drawWaves() {
  const canvases = /** @type {HTMLCanvasElement[]} */ ([...document.querySelectorAll('[data-wave]')]);
  // All sizes first: a drawn canvas makes the page lay itself out again.
  const boxes = canvases.map((canvas) => ({ width: canvas.clientWidth, height: canvas.clientHeight }));
  const borders = doc.session.sections.map((s) => s.start / frames());
  canvases.forEach((canvas, i) => drawTrack(canvas, overviews.get(Number(canvas.dataset.wave))?.wave ?? [], borders, boxes[i]));
  for (const [id, { lufs }] of overviews) {
    const figure = document.querySelector(`[data-lufs="${id}"]`);
    if (figure) figure.textContent = level(lufs);
  }
}
window.addEventListener('resize', drawWaves);

async function showOverviews() {
  try {
    const all = await longWork(`/api/sessions/${doc.id}/overviews`, {}, showBusy);
    for (const { strip, wave, lufs } of all ?? []) overviews.set(strip, { wave, lufs });
    drawWaves();
    document.body.dataset.drawn = '';
  } catch (error) {
    note(error instanceof Error ? error.message : String(error));
  }
  showIdle();
}

if (prepared) {
  await prepared;
  showSolo();
  await showOverviews();
  await showFindings();
}
