// @ts-check
/** The rows of a Desk, which the server draws: made to work, and shown as the session is. */
import { Rule } from '../../controls/rule.js';
import { Meter } from '../../draw/meter.js';
import { html } from '../../draw/svg.js';
import { courseOf } from '../../session/course.js';
import { controlIn } from '../../session/over-time.js';
import { takeDrops, unitMark } from './unit-mark.js';
import { ClipLamp } from '../listen/clip-lamp.js';
import { host } from '../listen-bar.js';
import { lane } from '../over-time/lane-strip.js';
import { markChanges } from '../over-time/marks.js';
import { editHere, scope } from '../scope.js';
import { doc } from '../session-frame.js';

/** Controls of a strip that are faders. */
const FADERS = ['level_db', 'pan'];

/** A strip; none where it has gone and its row is to follow. @param {number} id */
export const stripOf = (id) => doc.session.strips.find((s) => s.id === id);

/** @param {number} strip @param {string} control @param {number | boolean} value @param {string} [gesture] */
function set(strip, control, value, gesture) {
  const edit = /** @type {import('../../session/document.js').Edit} */ ({ edit: 'set-control', strip, control, value });
  lane.touch({ strip, unit: 0, param: control });
  if (!lane.takes(edit)) void editHere(edit, gesture);
}

export class Rows {
  /**
   * @param {HTMLElement} desk
   * @param {{ solo: (id: number) => void, open: (id: number) => void }} on
   */
  constructor(desk, on) {
    this.desk = desk;
    this.on = on;
    /** A row for each strip. @type {HTMLElement[]} */
    this.all = [];
    /** @type {Map<string, Rule>} by "strip:control" */
    this.rules = new Map();
    /** @type {Map<number, Meter>} */
    this.meters = new Map();
    /** @type {Map<number, ClipLamp>} */
    this.lamps = new Map();
  }

  /** Makes the rows that the server has drawn work. */
  take() {
    this.all = /** @type {HTMLElement[]} */ ([...this.desk.querySelectorAll('[data-strip]')]);
    this.rules.clear();
    this.meters.clear();
    this.all.forEach((row) => this.takeRow(row));
  }

  /** Identities of their strips. */
  get ids() {
    return this.all.map((row) => Number(row.dataset.strip));
  }

  /** @param {number} id */
  of(id) {
    return this.all.find((row) => row.dataset.strip === String(id));
  }

  /** @param {HTMLElement} row */
  takeRow(row) {
    const id = Number(row.dataset.strip);
    const strip = stripOf(id);
    // The server may know of a strip that another window has made and that this page is told of in a moment.
    if (!strip) return;
    for (const place of /** @type {NodeListOf<HTMLElement>} */ (row.querySelectorAll('[data-rule]'))) this.takeRule(place, strip);
    row.querySelector('[data-mute]')?.addEventListener('click', () => {
      const now = stripOf(id);
      if (now) set(id, 'muted', !controlIn(now, 'muted', scope()));
    });
    for (const opener of row.querySelectorAll('[data-sends], [data-findings]')) opener.addEventListener('click', () => this.on.open(id));
    row.querySelector('[data-solo]')?.addEventListener('click', () => this.on.solo(id));
    const meter = /** @type {HTMLElement | null} */ (row.querySelector('[data-meter]'));
    if (meter) this.meters.set(id, new Meter(meter));
    if (meter && strip.role !== 'main') this.takeLamp(id, strip.name, meter);
    takeDrops(/** @type {HTMLElement} */ (row.querySelector('[data-wire]')), id);
    this.showWire(id);
    this.showMute(id);
    this.showSends(id);
    this.showOverTime(id);
  }

  /** What lit stays lit when the rows are drawn anew. @param {number} id @param {string} name @param {HTMLElement} meter */
  takeLamp(id, name, meter) {
    const lamp = this.lamps.get(id) ?? new ClipLamp(name, (frame) => host.seek(frame));
    lamp.of = name;
    this.lamps.set(id, lamp);
    meter.after(lamp.element);
  }

  /** @param {HTMLElement} place @param {import('../../session/document.js').Strip} strip */
  takeRule(place, strip) {
    const control = /** @type {string} */ (place.dataset.rule);
    const rule = new Rule({
      table: 'strip',
      param: control,
      compact: true,
      of: place.dataset.of,
      value: controlIn(strip, control, scope()),
      onChange: (value, gesture) => set(strip.id, control, /** @type {number} */ (value), gesture),
    });
    rule.element.dataset.path = control;
    rule.element.addEventListener('focusin', () => lane.touch({ strip: strip.id, unit: 0, param: control }));
    this.rules.set(`${strip.id}:${control}`, rule);
    place.replaceChildren(rule.element);
  }

  /** How many values of a strip and its rack change with the song, and where its faders stand elsewhere. @param {number} id */
  showOverTime(id) {
    const [row, strip] = [this.of(id), stripOf(id)];
    if (!row || !strip) return;
    const count = (strip.over_time ?? []).length + strip.rack.units.reduce((sum, unit) => sum + (unit.over_time ?? []).length, 0);
    row.querySelector('.changes-count')?.remove();
    const title = `${count} ${count === 1 ? 'value changes' : 'values change'} with the song (C)`;
    if (count) row.querySelector('.desk-name')?.append(html('span', { className: 'changes-count', title }, String(count)));
    markChanges(row, strip);
    for (const control of FADERS) {
      const { sections } = courseOf(strip, control);
      const everywhere = sections.some((h) => h.section === scope()) ? [strip.controls[control]] : [];
      const others = sections.filter((h) => h.section !== scope()).map((h) => h.value);
      this.rules.get(`${id}:${control}`)?.elsewhere([...everywhere, ...others]);
    }
  }

  /** Shows the faders of a strip as they are where changes hold. @param {number} id */
  showFaders(id) {
    const strip = stripOf(id);
    if (!strip) return;
    for (const control of FADERS) this.rules.get(`${id}:${control}`)?.set(controlIn(strip, control, scope()));
    this.showMute(id);
    this.showOverTime(id);
  }

  /** @param {number} id */
  showWire(id) {
    const place = this.of(id)?.querySelector('[data-wire]');
    const { units } = doc.find(id).rack;
    if (!place) return;
    if (units.length === 0) {
      place.replaceChildren(html('span', { className: 'quiet' }, 'no units'));
      return;
    }
    place.replaceChildren(...units.map((unit) => unitMark(id, unit)));
  }

  /** @param {number} id */
  showMute(id) {
    const row = this.of(id);
    const muted = controlIn(doc.find(id), 'muted', scope());
    row?.toggleAttribute('data-muted', muted);
    row?.querySelector('[data-mute]')?.setAttribute('aria-pressed', String(muted));
  }

  /** @param {number} id */
  showSends(id) {
    const place = this.of(id)?.querySelector('[data-sends]');
    const names = doc.find(id).sends.map((send) => doc.find(send.to).name);
    if (place) place.textContent = names.join(' · ') || '–';
  }

  /** @param {Set<number>} soloed */
  showSolo(soloed) {
    for (const row of this.all)
      row.querySelector('[data-solo]')?.setAttribute('aria-pressed', String(soloed.has(Number(row.dataset.strip))));
  }

  /** Moves the meters. @param {import('../../engine/host.js').Report} report @param {number | undefined} main its strip */
  follow(report, main) {
    const now = performance.now();
    for (const [id, lamp] of this.lamps) lamp.take(20 * Math.log10(report.peaks.get(id) ?? 0), report.position);
    for (const [id, meter] of this.meters) meter.take(id === main ? 10 ** (report.peak / 20) : (report.peaks.get(id) ?? 0), now);
  }
}
