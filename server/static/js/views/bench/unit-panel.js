// @ts-check
/** The selected unit: its head, its picture, its controls, all from its table. */
import { Rule } from '../../controls/rule.js';
import { lamp, tabs } from '../../controls/tabs.js';
import { ask, catalogue, thirdOctaves } from '../../engine/ask.js';
import { longWork } from '../../session/api.js';
import { doc } from '../session-frame.js';
import { html, level, svg } from '../../draw/svg.js';
import { newGesture } from '../../session/document.js';
import { bandTable } from './band-table.js';
import { Bend } from './bend.js';
import { FrequencyField } from './frequency-field.js';
import { TimeStrip } from './time-strip.js';
import { kindOf } from './wire.js';

/** @typedef {import('../../session/document.js').Unit} Unit */
/** How much of the last spectrum stays in the next: readable, and still alive. */
const INERTIA = 0.82;

/** What every unit's panel has. */
class Panel {
  /**
   * @param {HTMLElement} place
   * @param {Unit} unit
   * @param {import('../../session/document.js').Session} session
   * @param {(unit: Unit, gesture: string) => void} onChange
   */
  constructor(place, unit, session, onChange) {
    this.place = place;
    this.unit = unit;
    this.session = session;
    this.onChange = onChange;
    /** @type {any} */
    this.treatment = null;
    this.station = 0;
    /** The row in hand, for units that have rows. */
    this.selected = 0;
    /** @type {[Rule, () => number][]} */
    this.rules = [];
  }

  /** @param {Partial<Unit>} part @param {string} gesture */
  change(part, gesture) {
    this.unit = { ...this.unit, ...part };
    this.onChange(this.unit, gesture);
  }

  /** @param {Record<string, unknown>} part @param {string} gesture */
  changeParams(part, gesture) {
    this.change({ params: { ...this.unit.params, ...part } }, gesture);
  }

  /** @param {...Node} extra */
  head(...extra) {
    const kind = kindOf(this.unit.kind);
    const why = html('input', { className: 'unit-why', value: this.unit.why, placeholder: 'what is it here for?', 'aria-label': 'What this unit is here for', maxLength: 2000 });
    why.addEventListener('change', () => this.change({ why: why.value }, newGesture()));
    this.onLamp = lamp(this.unit.on, 'on', (on) => {
      this.onLamp.setAttribute('aria-pressed', String(on));
      this.change({ on }, newGesture());
    });
    const common = html('span', { className: 'unit-common' });
    for (const param of /** @type {const} */ (['mix', 'trim_db'])) {
      const rule = new Rule({ table: 'common', param, of: kind.name, value: this.unit[param], onChange: (value, gesture) => this.change({ [param]: value }, gesture) });
      this.rules.push([rule, () => this.unit[param]]);
      common.append(rule.element);
    }
    return html('div', { className: 'unit-head' }, html('h2', {}, kind.name), why, common, this.onLamp, ...extra);
  }

  /** The same unit with other values (undo, another window). @param {Unit} unit */
  take(unit) {
    this.unit = unit;
    this.onLamp?.setAttribute('aria-pressed', String(unit.on));
    for (const [rule, value] of this.rules) rule.set(value());
  }

  /** @param {any} treatment @param {number} station */
  evidence(treatment, station) {
    this.treatment = treatment;
    this.station = station;
  }

  /** @param {import('../../engine/host.js').Report} _report */
  follow(_report) {}

  end() {}
}

/** What leaves another strip's rack, by third octave over its whole part. @param {number} strip @returns {Promise<number[] | null>} */
async function thirdOctavesOf(strip) {
  const result = await longWork(`/api/sessions/${doc.id}/strips/${strip}/evidence`, {}, () => {});
  return result?.treatment.points.at(-1).third_octave ?? null;
}

class EqPanel extends Panel {
  /** @type {any} */
  besideSaid;

  /** @param {ConstructorParameters<typeof Panel>} args */
  constructor(...args) {
    super(...args);
    const box = html('div', { className: 'field-box' });
    const ranges = [3, 6, 12, 24].map((r) => ({ id: String(r), label: `±${r}` }));
    const stored = localStorage.getItem('zinc-field-range') ?? '12';
    const scale = tabs(ranges, stored, 'dB shown either way', (r) => this.field.setRange(Number(r)));
    this.tablePlace = html('div', { style: 'display: contents' });
    this.place.replaceChildren(this.head(scale), box, this.tablePlace);
    /** @type {Float32Array[] | null} */
    this.live = null;
    /** Third octaves of the part shown beside this one. @type {number[] | null} */
    this.other = null;
    this.field = new FrequencyField({
      place: box,
      rate: this.session.rate,
      onChange: (bands, gesture) => {
        this.changeParams({ bands }, gesture);
        this.selected = this.field.selected;
        this.drawTable();
      },
      onSelect: (i) => {
        this.selected = i;
        this.field.draw();
        this.drawTable();
      },
    });
    box.append(this.besideChoice());
    this.show();
  }

  /** Another part shown in the field, with where the two collide. */
  besideChoice() {
    const others = this.session.strips.filter((s) => s.role !== 'main' && !s.rack.units.some((u) => u.id === this.unit.id));
    const list = html('select', { className: 'key-choice', 'aria-label': 'Another part shown beside this one' }, new Option('beside: none', ''), ...others.map((s) => new Option(`beside: ${s.name}`, String(s.id))));
    list.addEventListener('change', async () => {
      this.other = list.value ? await thirdOctavesOf(Number(list.value)) : null;
      this.showBeside();
    });
    this.besideSaid = html('span', { className: 'caution beside-said', role: 'status' });
    return html('span', { className: 'beside' }, list, this.besideSaid);
  }

  showBeside() {
    const own = this.treatment?.points[this.station + 1]?.third_octave;
    if (!this.other || !own) {
      this.field.showOther(null, []);
      this.besideSaid.textContent = '';
      return;
    }
    const { bands, worst } = ask({ ask: 'collisions', first: [...own], second: this.other });
    this.field.showOther(this.other, bands);
    this.besideSaid.textContent = worst ? `most in each other's way at ${Math.round(worst[0])} Hz` : 'they leave each other alone';
  }

  show() {
    const { bands } = this.unit.params;
    this.selected = Math.min(this.selected, Math.max(0, bands.length - 1));
    this.field.show(bands, this.selected);
    this.drawTable();
  }

  drawTable() {
    const scroll = this.tablePlace.firstElementChild?.scrollTop ?? 0;
    this.tablePlace.replaceChildren(bandTable(this.unit.params.bands, this.selected, {
      change: (bands, gesture) => {
        this.changeParams({ bands }, gesture);
        this.show();
      },
      select: (i) => {
        if (i === this.selected) return;
        this.selected = i;
        this.field.selected = i;
        this.field.draw();
        this.tablePlace.querySelectorAll('[data-row]').forEach((/** @type {Element} */ row, /** @type {number} */ n) => row.setAttribute('aria-selected', String(n === i)));
      },
      add: () => this.field.add({}),
    }));
    this.tablePlace.firstElementChild.scrollTop = scroll;
  }

  /** @param {Unit} unit */
  take(unit) {
    super.take(unit);
    this.show();
  }

  /** @param {any} treatment @param {number} station */
  evidence(treatment, station) {
    super.evidence(treatment, station);
    if (!this.live && treatment?.points.length > station + 1) {
      this.field.showSound(treatment.points[station].third_octave, treatment.points[station + 1].third_octave);
    }
    this.showBeside();
  }

  /** @param {import('../../engine/host.js').Report} report */
  follow(report) {
    if (!report.playing) {
      if (this.live) {
        this.live = null;
        this.evidence(this.treatment, this.station);
      }
      return;
    }
    const now = [report.before, report.after].map((samples) => thirdOctaves(samples, this.session.rate));
    this.live = this.live ? this.live.map((old, k) => old.map((db, i) => Math.max(now[k][i], INERTIA * db + (1 - INERTIA) * now[k][i]))) : now;
    this.field.showSound(this.live[0], this.live[1]);
  }

  end() {
    this.field.end();
  }
}

class DynamicsPanel extends Panel {
  /** Brings the key's choice up to date. @type {(() => void) | undefined} */
  showKey;

  /** @param {ConstructorParameters<typeof Panel>} args */
  constructor(...args) {
    super(...args);
    const kind = kindOf(this.unit.kind);
    const stripBox = html('div', { className: 'strip-box' });
    const bendBox = html('div', { className: 'bend-box' });
    const rules = html('div', { className: 'rules' });
    for (const param of kind.params) rules.append(param.domain.type === 'choice' ? this.choice(param) : this.rule(param));
    if (kind.takes_key) rules.append(this.keyChoice());
    this.place.replaceChildren(this.head(), html('div', { className: 'dynamics' }, stripBox, bendBox), rules);
    this.strip = new TimeStrip(stripBox, this.session);
    this.bend = new Bend(bendBox);
    const zooms = [{ id: 'song', label: 'song' }, { id: 'section', label: 'section' }, { id: 'hit', label: 'hit' }];
    stripBox.append(html('span', { className: 'strip-tools' }, tabs(zooms, 'section', 'Stretch shown', (zoom) => {
      this.strip.zoom = zoom;
      this.strip.draw();
    })));
    this.show();
  }

  /** @param {any} param */
  rule(param) {
    const rule = new Rule({
      table: this.unit.kind, param: param.id, of: kindOf(this.unit.kind).name, value: this.unit.params[param.id], tempo: this.session.tempo_bpm,
      onChange: (value, gesture) => {
        this.changeParams({ [param.id]: value }, gesture);
        this.show();
      },
    });
    this.rules.push([rule, () => this.unit.params[param.id]]);
    return rule.element;
  }

  /** @param {any} param */
  choice(param) {
    const row = tabs(param.domain.options, this.unit.params[param.id], param.label, (id) => this.changeParams({ [param.id]: id }, newGesture()));
    row.dataset.param = param.id;
    return html('div', { className: 'choice', title: param.hint }, html('span', {}, param.label), html('span', {}, row));
  }

  /** What drives the unit: its own input, or another strip before or after its rack. */
  keyChoice() {
    const others = this.session.strips.filter((s) => s.role !== 'main' && !s.rack.units.some((u) => u.id === this.unit.id));
    const list = html('select', { 'aria-label': 'key: what drives the reduction', className: 'key-choice' }, new Option('its own input', ''), ...others.map((s) => new Option(s.name, String(s.id))));
    const taps = [{ id: 'before-rack', label: 'before its rack' }, { id: 'after-rack', label: 'after' }];
    const place = html('span');
    const show = () => {
      list.value = String(this.unit.key?.strip ?? '');
      place.replaceChildren(...(this.unit.key ? [tabs(taps, this.unit.key.tap, 'Where the key listens', (tap) => this.change({ key: { ...this.unit.key, tap } }, newGesture()))] : []));
    };
    list.addEventListener('change', () => {
      this.change({ key: list.value ? { strip: Number(list.value), tap: 'after-rack' } : null }, newGesture());
      show();
    });
    this.showKey = show;
    show();
    return html('div', { className: 'choice', title: 'Another part that drives the reduction: a kick that makes room for itself in a bass.' }, html('span', {}, 'key'), html('span', { className: 'key-line' }, list, place));
  }

  show() {
    this.showKey?.();
    const points = this.treatment?.points;
    this.strip.show(this.treatment, this.station, this.unit.id, this.unit.params.threshold_db);
    // What drives a keyed unit is another sound than what passes through it.
    this.bend.show(this.unit, this.unit.key ? null : points?.[this.station]?.histogram ?? null);
  }

  /** @param {Unit} unit */
  take(unit) {
    super.take(unit);
    for (const row of this.place.querySelectorAll('[data-param]')) {
      const chosen = unit.params[/** @type {HTMLElement} */ (row).dataset.param ?? ''];
      for (const button of row.children) button.setAttribute('aria-pressed', String(/** @type {HTMLElement} */ (button).dataset.option === chosen));
    }
    this.show();
  }

  /** @param {any} treatment @param {number} station */
  evidence(treatment, station) {
    super.evidence(treatment, station);
    this.show();
  }

  /** @param {import('../../engine/host.js').Report} report */
  follow(report) {
    if (!report.playing) return;
    this.strip.follow(report.position, report.trace);
    this.strip.holdHit(report.before, report.after);
    const peak = report.before.slice(-1024).reduce((m, x) => Math.max(m, Math.abs(x)), 0);
    this.bend.follow(20 * Math.log10(Math.max(peak, 1e-6)), report.reduction);
  }

  end() {
    this.strip.end();
    this.bend.end();
  }
}

/** A unit of a few rules and the figures of its sides. */
class WidthPanel extends Panel {
  /** @param {ConstructorParameters<typeof Panel>} args */
  constructor(...args) {
    super(...args);
    const rules = html('div', { className: 'rules' });
    for (const param of kindOf(this.unit.kind).params) {
      const rule = new Rule({
        table: this.unit.kind, param: param.id, of: kindOf(this.unit.kind).name, value: this.unit.params[param.id],
        onChange: (value, gesture) => this.changeParams({ [param.id]: value }, gesture),
      });
      this.rules.push([rule, () => this.unit.params[param.id]]);
      rules.append(rule.element);
    }
    this.drawing = html('div', { className: 'width-box' });
    this.place.replaceChildren(this.head(), this.drawing, rules);
  }

  /** @param {any} treatment @param {number} station */
  evidence(treatment, station) {
    super.evidence(treatment, station);
    const pair = [treatment?.points[station], treatment?.points[station + 1]];
    if (!pair[0] || !pair[1]) return;
    const bars = pair.map((point, i) => widthBar(i ? 'after' : 'before', point.width_db));
    const mono = pair[0].width_db < MONO_DB
      ? html('p', { className: 'caution' }, 'The source is mono: both sides carry the same, so width does nothing here. A double or a second microphone would give it something to work on.')
      : html('p', { className: 'quiet' }, 'Bars: what differs between the sides against what they share. Check the result in mono (heard on: mono).');
    this.drawing.replaceChildren(...bars, mono);
  }
}

/** Under this many dB of side against mid a sound is mono; the core's `measure::width`. */
const MONO_DB = catalogue.mono_db;

/** @param {string} name @param {number} db */
function widthBar(name, db) {
  const share = Math.max(0, Math.min(1, (db + 40) / 46));
  const bar = svg('svg', { viewBox: '0 0 400 26', class: 'width-bar', role: 'img', 'aria-label': `${name}: side ${level(db)} dB against mid` },
    svg('line', { x1: 200, x2: 200, y1: 0, y2: 26, class: 'grid-line strong' }),
    svg('rect', { x: 200 - 190 * share, y: 6, width: 380 * share, height: 14, class: name === 'before' ? 'width-before' : 'width-after' }));
  return html('div', { className: 'width-line' }, html('span', {}, name), bar, html('span', { className: 'figure' }, db < MONO_DB ? 'mono' : `${level(db)} dB`));
}

/**
 * The panel that fits a unit's picture.
 * @param {ConstructorParameters<typeof Panel>} args
 */
export function unitPanel(...args) {
  const { picture } = kindOf(args[1].kind);
  if (picture === 'bend') return new DynamicsPanel(...args);
  return picture === 'width' ? new WidthPanel(...args) : new EqPanel(...args);
}
