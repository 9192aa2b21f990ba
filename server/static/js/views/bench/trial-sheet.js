// @ts-check
/**
 * Trials: the passage that is heard over a list of values of this unit, or with the unit at
 * another place or left out. Each is measured, drawn over the original, heard at equal loudness
 * in turn without hands, open or blind, against the rack or against another of them, or as what
 * differs, and kept.
 */
import { tabs } from '../../controls/tabs.js';
import { html } from '../../draw/svg.js';
import { ask, format, kindOf, parameter } from '../../engine/ask.js';
import { longWork } from '../../session/work.js';
import { valueAt } from '../../session/values.js';
import { heardFrames } from '../compare.js';
import { note } from '../notes.js';
import { doc } from '../session-frame.js';
import { hiddenTable, openTable } from './trial-table.js';
import { drawHit } from './trial-hit.js';

/** @typedef {import('../../session/document.js').Unit} Unit */
/** @typedef {import('./trial-table.js').Figures} Figures */
/** @typedef {Figures & { name: string, rack: import('../../types.js').Rack, hit: import('./trial-hit.js').Hit }} Row */

/** Longest passage tried, in seconds, and how long each is heard in turn. */
const LONGEST_S = 60;
const TURN_MS = 4000;
/** Values that are offered at first. @type {Record<string, string>} */
const OFFERED = {
  attack_ms: '0, 5, 15, 30, 60',
  release_ms: '30, 80, 150, 300, 800',
  ratio: '1.5, 2, 4, 10',
  threshold_db: '-12, -18, -24, -30',
  drive_db: '0, 6, 12, 18',
};
/** What each is heard against, beside the others by their number. */
const RACK = 'rack';
const ORIGINAL = 'original';

/** @param {string} words @param {string} title @param {() => void} act */
function plainButton(words, title, act) {
  const button = html('button', { type: 'button', className: 'plain-button', title }, words);
  button.addEventListener('click', act);
  return button;
}

/** @typedef {import('../../types.js').Rack} Rack */
/** @typedef {(rack: Rack, name: string, against: Rack | null, differs: boolean) => void} Hear */

export class TrialSheet {
  /** The unit that is tried. @type {Unit} */
  unit = /** @type {any} */ (null);

  /** Its place in the rack, 0 first. */
  place = 0;

  /** @type {HTMLSelectElement} */
  param = html('select', { 'aria-label': 'What is varied', className: 'key-choice' });

  /** @type {HTMLInputElement} */
  values = html('input', { 'aria-label': 'Values, one after another', className: 'trial-values', autocomplete: 'off', spellcheck: false });

  /** A second thing that varies at once, every value with every value of the first. @type {HTMLSelectElement} */
  secondParam = html('select', { 'aria-label': 'What is varied with it', className: 'key-choice' });

  /** @type {HTMLInputElement} */
  secondValues = html('input', {
    'aria-label': 'Values of the second, one after another',
    className: 'trial-values',
    autocomplete: 'off',
    spellcheck: false,
    hidden: true,
  });

  /** @type {HTMLSelectElement} */
  against = html('select', { 'aria-label': 'Heard against', className: 'key-choice' });

  state = html('span', { className: 'quiet', role: 'status' });

  stopWork = plainButton('stop', 'Ends the trial; nothing is changed', () => this.cancel());

  tools = html('div', { className: 'trial-tools', hidden: true });

  table = html('div', { className: 'trial-table' });

  /** Outlines of the whole passage, or of one hit. */
  zoom = 'passage';

  /** Order of a blind round; none when open. @type {number[] | null} */
  blind = null;

  /** Whether what differs is heard. */
  differs = false;

  /** Ends the work that is under way. @type {() => void} */
  cancel = () => {};

  /**
   * @param {object} options
   * @param {Hear} options.hear hears a rack on the other side; what it is against, null for the rack as it is
   * @param {() => void} options.stop hears the present rack again
   * @param {(rack: import('../../types.js').Rack) => void} options.use makes a rack the present one
   * @param {(rack: import('../../types.js').Rack) => string} options.candidate keeps a rack as a candidate; what it is called, or why not
   */
  constructor({ hear, stop, use, candidate }) {
    this.hear = hear;
    this.stop = stop;
    this.use = use;
    this.candidate = candidate;
    this.heard = -1;
    /** The one whose hit and spectrum are shown. */
    this.shown = 0;
    this.turning = 0;
    this.asked = 0;
    /** @type {{ seconds: number, original: Figures, variants: Row[] } | null} */
    this.found = null;
    this.element = html('section', { className: 'trial-sheet', 'aria-label': 'Trials' });
    this.param.addEventListener('change', () => this.offer());
    this.secondParam.addEventListener('change', () => this.offer());
    this.against.addEventListener('change', () => this.listen(this.heard));
  }

  /** @param {Unit} unit @param {number} place of the unit in its rack, 0 first */
  open(unit, place) {
    this.close();
    this.unit = unit;
    this.place = place;
    const kind = kindOf(unit.kind);
    const tried = kind.params.filter((p) => p.domain.type === 'number' || p.domain.type === 'choice');
    this.param.replaceChildren(
      ...tried.map((p) => new Option(p.label, p.id)),
      new Option('the unit left out', ':without'),
      ...(place > 0 ? [new Option('the unit one place earlier', ':earlier')] : []),
    );
    this.secondParam.replaceChildren(new Option('nothing else', ''), ...tried.map((p) => new Option(`and ${p.label}`, p.id)));
    this.state.textContent = '';
    this.table.replaceChildren();
    this.tools.hidden = true;
    this.stopWork.hidden = true;
    const run = html('button', { type: 'submit', className: 'strong-button' }, 'try');
    const form = html(
      'form',
      { className: 'trial-form' },
      html('h2', {}, `Try ${kind.name}`),
      this.param,
      this.values,
      this.secondParam,
      this.secondValues,
      run,
      this.stopWork,
      this.state,
      plainButton('close', '', () => this.close()),
    );
    form.addEventListener('submit', (/** @type {SubmitEvent} */ event) => {
      event.preventDefault();
      void this.run();
    });
    this.element.replaceChildren(form, this.tools, this.table);
    this.param.value = tried.some((p) => p.id === 'attack_ms') ? 'attack_ms' : (tried[0]?.id ?? ':without');
    this.offer();
    return this.element;
  }

  /** Offers values of what is varied. */
  offer() {
    const single = this.param.value.startsWith(':');
    this.values.hidden = single;
    this.secondParam.hidden = single;
    this.secondValues.hidden = single || !this.secondParam.value;
    if (single) return;
    this.values.value = this.offered(this.param.value);
    if (this.secondParam.value) this.secondValues.value = this.offered(this.secondParam.value);
  }

  /** Values that are offered of a parameter. @param {string} id @returns {string} */
  offered(id) {
    const { domain } = parameter(this.unit.kind, id);
    if (domain.type === 'choice') return domain.options.map((o) => o.id).join(', ');
    return (
      OFFERED[id] ??
      [0.1, 0.35, 0.6, 0.85]
        .map((position) =>
          ask({
            ask: 'format',
            table: this.unit.kind,
            param: id,
            value: ask({ ask: 'value-at', table: this.unit.kind, param: id, position }),
          }),
        )
        .join(', ')
    );
  }

  /** The trial as it is asked for. */
  wanted() {
    const id = this.param.value;
    if (id === ':without') return { without: [this.place + 1] };
    if (id === ':earlier') return { swap: [[this.place, this.place + 1]] };
    const second =
      this.secondParam.value && this.secondParam.value !== id ? [this.list(this.secondParam.value, this.secondValues.value)] : [];
    return { values: [this.list(id, this.values.value), ...second], about: this.place + 1 };
  }

  /** A list of values as it was typed. @param {string} id @param {string} text */
  list(id, text) {
    const { domain } = parameter(this.unit.kind, id);
    const typed = text
      .split(',')
      .map((/** @type {string} */ one) => one.trim())
      .filter(Boolean);
    const values = typed.map((/** @type {string} */ one) => {
      if (domain.type === 'choice') return one;
      const value = ask({ ask: 'parse', table: this.unit.kind, param: id, text: one, tempo_bpm: doc.session.tempo_bpm }).value;
      return value === null ? 'inf' : value;
    });
    return { unit: this.place + 1, param: id, values };
  }

  async run() {
    this.cancel();
    this.asked += 1;
    const mine = this.asked;
    const [from, to] = heardFrames().map((frame) => frame / doc.session.rate);
    try {
      this.say('trying…');
      const trial = { ...this.wanted(), from_s: from, to_s: Math.min(to, from + LONGEST_S) };
      this.stopWork.hidden = false;
      const found = await longWork(`/api/sessions/${doc.id}/strips/${doc.strip}/trial`, trial, (label, share, cancel) => {
        if (mine !== this.asked) return;
        this.cancel = cancel;
        this.say(`${label}… ${Math.round(100 * share)} %`);
      });
      if (mine !== this.asked) return;
      if (found) this.take(found);
      else this.say('stopped; nothing was changed');
    } catch (error) {
      if (mine === this.asked) this.say(error instanceof Error ? error.message : String(error));
    } finally {
      if (mine === this.asked) {
        this.cancel = () => {};
        this.stopWork.hidden = true;
      }
    }
  }

  /** @param {string} words */
  say(words) {
    this.state.textContent = words;
  }

  /** @param {{ seconds: number, original: Figures, variants: Row[] }} found */
  take(found) {
    this.endTurn();
    if (this.heard >= 0) this.stop();
    this.found = found;
    this.heard = -1;
    this.shown = 0;
    this.blind = null;
    this.say(`${found.seconds.toFixed(1)} s tried`);
    this.against.replaceChildren(
      new Option('the rack as it is', RACK),
      new Option('the raw part', ORIGINAL),
      ...found.variants.map((variant, i) => new Option(this.words(variant), String(i))),
    );
    this.showTools();
    this.draw();
  }

  showTools() {
    const shy = html(
      'label',
      {},
      html('input', { type: 'checkbox', checked: this.differs, 'aria-label': 'Hear only what differs' }),
      ' only what differs',
    );
    shy.querySelector('input').addEventListener('change', (/** @type {Event} */ event) => {
      this.differs = /** @type {HTMLInputElement} */ (event.target).checked;
      this.listen(this.heard);
    });
    const zoom = tabs(
      [
        { id: 'passage', label: 'passage' },
        { id: 'hit', label: 'one hit' },
      ],
      this.zoom,
      'Outline of',
      (id) => {
        this.zoom = id;
        this.draw();
      },
    );
    const blind = plainButton(this.blind ? 'end the blind round' : 'blind round', 'Without names and figures, in an order by chance', () =>
      this.turnBlind(),
    );
    this.tools.hidden = false;
    this.tools.replaceChildren(
      zoom,
      plainButton('in turn', 'Each heard for some seconds, one after another; again: stops', () => this.inTurn()),
      blind,
      html('label', {}, 'against ', this.against),
      shy,
    );
  }

  draw() {
    if (!this.found) return;
    const { original, variants } = this.found;
    const rows = variants.map((variant) => ({ of: variant, words: this.words(variant) }));
    const acts = {
      listen: (/** @type {number} */ i) => this.listen(this.heard === i ? -1 : i),
      keep: (/** @type {number} */ i) => this.keep(variants[i]),
      candidate: (/** @type {number} */ i) => note(this.candidate(variants[i].rack)),
      show: (/** @type {number} */ i) => {
        this.shown = i;
        this.draw();
      },
      best: (/** @type {number} */ i) => this.best(i),
    };
    const focus = /** @type {HTMLElement | null} */ (
      this.table.contains(document.activeElement) ? document.activeElement : null
    )?.getAttribute('aria-label');
    if (this.blind) this.table.replaceChildren(hiddenTable(this.blind, this.heard, acts));
    else {
      const before = { of: original, words: this.param.value.startsWith(':') ? 'original' : 'before it' };
      const hit = this.zoom === 'hit' ? [drawHit(original, variants[this.shown], rows[this.shown].words)] : [];
      this.table.replaceChildren(openTable(before, rows, this.heard, this.shown, acts), ...hit, this.eq());
    }
    if (focus) /** @type {HTMLElement | null} */ (this.table.querySelector(`[aria-label="${CSS.escape(focus)}"]`))?.focus();
  }

  /** What a variant is, in the words of its control. @param {Row} variant */
  words(variant) {
    const id = this.param.value;
    const unit = variant.rack.units[this.place];
    if (id.startsWith(':') || !unit) return variant.name;
    const { domain } = parameter(this.unit.kind, id);
    const value = valueAt(unit.params, id);
    if (domain.type === 'choice') return domain.options.find((o) => o.id === value)?.label ?? String(value);
    return format(this.unit.kind, id, value);
  }

  /** What the one that is shown does to the spectrum, as an EQ. */
  eq() {
    const of = this.found?.variants[this.shown];
    if (!of) return html('p');
    const most = [...of.as_eq]
      .filter(([hz]) => hz >= 40 && hz <= 16000)
      .sort((a, b) => Math.abs(b[1]) - Math.abs(a[1]))
      .slice(0, 3)
      .sort((a, b) => a[0] - b[0]);
    const said = most
      .map(
        ([hz, db]) =>
          `${db < 0 ? '−' : '+'}${Math.abs(db).toFixed(1)} dB at ${hz < 1000 ? Math.round(hz) : `${(hz / 1000).toFixed(1)}k`} Hz`,
      )
      .join(', ');
    return html('p', { className: 'quiet' }, `${this.words(of)} works like an EQ of ${said}.`);
  }

  /** What it is heard against: a rack, or null for the present one. */
  opposite() {
    const chosen = this.against.value;
    if (chosen === RACK || chosen === '') return null;
    if (chosen !== ORIGINAL) return this.found?.variants[Number(chosen)]?.rack ?? null;
    const rack = doc.find(doc.strip).rack;
    return { ...rack, units: rack.units.map((unit) => (unit.id === this.unit.id ? { ...unit, on: false } : unit)) };
  }

  /** @param {number} i */
  listen(i) {
    this.heard = i;
    if (i < 0 || !this.found) this.stop();
    else {
      if (!this.blind) this.shown = i;
      const variant = this.found.variants[i];
      this.hear(variant.rack, this.blind ? 'hidden' : this.words(variant), this.opposite(), this.differs);
    }
    this.draw();
  }

  /** After an edit the rack is the present one again. */
  edited() {
    if (this.against.value === RACK || this.heard < 0) return;
    this.endTurn();
    this.against.value = RACK;
    this.listen(-1);
  }

  endTurn() {
    if (this.turning) window.clearInterval(this.turning);
    this.turning = 0;
  }

  /** Each in turn, hands free; again: stops. */
  inTurn() {
    if (this.turning) {
      this.endTurn();
      this.listen(-1);
      return;
    }
    if (!this.found) return;
    const order = this.blind ?? this.found.variants.map((_, i) => i);
    const next = () => this.listen(order[(order.indexOf(this.heard) + 1) % order.length]);
    next();
    this.turning = window.setInterval(next, TURN_MS);
  }

  /** Begins a blind round, or ends it without a choice. */
  turnBlind() {
    this.endTurn();
    const order = this.found?.variants
      .map((_, i) => ({ i, by: Math.random() }))
      .sort((a, b) => a.by - b.by)
      .map(({ i }) => i);
    this.blind = this.blind || !order ? null : order;
    this.listen(-1);
    this.showTools();
  }

  /** @param {number} i */
  best(i) {
    this.endTurn();
    this.blind = null;
    this.shown = i;
    this.listen(-1);
    this.showTools();
    if (this.found) this.say(`You chose ${this.words(this.found.variants[i])}.`);
  }

  /** @param {Row} variant */
  keep(variant) {
    const kept = variant.rack.units[this.place];
    const id = this.param.value;
    if (id.startsWith(':') || !kept) this.use(variant.rack);
    else void doc.edit({ edit: 'set-param', strip: doc.strip, unit: this.unit.id, param: id, value: valueAt(kept.params, id) });
    this.close();
    note('Applied; undo restores the previous setting.');
  }

  close() {
    this.endTurn();
    this.cancel();
    this.cancel = () => {};
    if (this.heard >= 0) this.stop();
    this.heard = -1;
    this.blind = null;
    this.asked += 1;
    this.found = null;
    this.element.remove();
  }
}
