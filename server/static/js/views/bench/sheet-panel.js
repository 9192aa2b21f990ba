// @ts-check
/** What panels with a frequency sheet share: the sound behind it, another part beside it, the view. */
import { lamp } from '../../controls/tabs.js';
import { Rule } from '../../controls/rule.js';
import { ask, kindOf, parameter } from '../../engine/ask.js';
import { html } from '../../draw/svg.js';
import { longWork } from '../../session/work.js';
import { newGesture } from '../../session/document.js';
import { doc } from '../session-frame.js';
import { RANGES } from './frequency-scales.js';
import { LiveSpectra, soundChoices } from './live-spectra.js';
import { Panel } from './panel.js';

/** One press of a zoom button. */
const CLOSER = 1.5;

/** What leaves another strip's rack, by third octave over its whole part. @param {number} strip @returns {Promise<number[] | null>} */
async function thirdOctavesOf(strip) {
  const result = await longWork(`/api/sessions/${doc.id}/strips/${strip}/evidence`, {}, () => {});
  return result?.treatment.points.at(-1).third_octave ?? null;
}

export class SheetPanel extends Panel {
  /** @type {HTMLElement} */
  besideSaid = html('span');

  /** @type {HTMLElement} */
  late = html('span');

  /** The sheet; made by the panel itself. @type {any} */
  sheet;

  /** @param {ConstructorParameters<typeof Panel>} args */
  constructor(...args) {
    super(...args);
    this.box = html('div', { className: 'field-box' });
    this.live = new LiveSpectra(this.session.rate);
    /** Third octaves of the part shown beside this one. @type {number[] | null} */
    this.other = null;
  }

  /** A short rule of one of the unit's parameters, for the head. @param {string} param */
  headRule(param) {
    const rule = new Rule({
      table: this.unit.kind,
      param,
      of: kindOf(this.unit.kind).name,
      value: this.unit.params[param],
      compact: true,
      onChange: (value, gesture) => {
        this.changeParams({ [param]: value }, gesture);
        this.show();
      },
    });
    rule.element.dataset.path = param;
    this.rules.push([rule, () => this.unit.params[param]]);
    return html('span', { className: 'eq-amount', title: rule.spec.hint }, rule.spec.label, rule.element);
  }

  /** A lamp of one of the unit's switches. @param {string} param */
  headLamp(param) {
    const { label, hint } = parameter(this.unit.kind, param);
    const button = lamp(Boolean(this.unit.params[param]), label, (on) => {
      button.setAttribute('aria-pressed', String(on));
      this.changeParams({ [param]: on }, newGesture());
      this.show();
    });
    button.title = hint;
    button.dataset.path = param;
    this.follows.push(() => button.setAttribute('aria-pressed', String(Boolean(this.unit.params[param]))));
    return button;
  }

  /** The row over the sheet: choices of the unit, how late it is, what lies behind the sheet, the view. @param {...Node} own */
  choices(...own) {
    this.late = html('span', { className: 'figure late' });
    return html('div', { className: 'sheet-choices' }, ...own, this.late, this.besideChoices(), this.viewChoices());
  }

  /** Says how late the unit makes the sound. */
  showLate() {
    const frames = ask({ ask: 'latency', unit: this.unit, rate: this.session.rate });
    this.late.textContent = frames ? `${Math.round((1000 * frames) / this.session.rate)} ms late` : '';
    this.late.title = 'Everything else waits for it, in the player as in the prints.';
  }

  /** What lies behind the sheet: the sound, another part. */
  besideChoices() {
    const others = this.session.strips.filter((s) => s.role !== 'main' && !s.rack.units.some((u) => u.id === this.unit.id));
    const list = html(
      'select',
      { className: 'key-choice', 'aria-label': 'Another part shown beside this one' },
      new Option('beside: none', ''),
      ...others.map((s) => new Option(`beside: ${s.name}`, String(s.id))),
    );
    list.addEventListener('change', async () => {
      this.other = list.value ? await thirdOctavesOf(Number(list.value)) : null;
      this.showBeside();
    });
    this.besideSaid = html('span', { className: 'caution beside-said', role: 'status' });
    const folded = html(
      'details',
      { className: 'sound-menu' },
      html('summary', { title: 'What lies behind the curve' }, 'sound'),
      html(
        'div',
        { className: 'sound-menu-inside' },
        soundChoices(() => this.redrawSound()),
        list,
      ),
    );
    this.box.append(this.besideSaid);
    return html('span', { className: 'beside' }, folded);
  }

  viewChoices() {
    const { sheet } = this;
    const button = (/** @type {string} */ word, /** @type {string} */ label, /** @type {() => void} */ act) => {
      const b = html(
        'button',
        { type: 'button', className: 'plain-button', title: label, 'aria-label': `${word}: ${label.toLowerCase()}` },
        word,
      );
      b.addEventListener('click', act);
      return b;
    };
    const middle = () => Math.sqrt(sheet.window[0] * sheet.window[1]);
    const scale = html(
      'select',
      { className: 'key-choice', 'aria-label': 'dB shown either way' },
      ...RANGES.map((r) => new Option(`±${r} dB`, String(r))),
    );
    scale.addEventListener('change', () => sheet.setRange(Number(scale.value)));
    const whole = button('whole', 'Show all frequencies', () => sheet.whole());
    const locked = lamp(
      sheet.isLocked,
      'locked',
      (on) => {
        sheet.lock(on);
        locked.setAttribute('aria-pressed', String(on));
      },
      'locked: keep this view for every unit',
    );
    locked.title = 'Keep this scale and this stretch of frequencies for every unit';
    const follow = () => {
      scale.value = String(sheet.range);
      whole.disabled = sheet.isWhole;
    };
    this.box.addEventListener('view', follow);
    this.followView = follow;
    follow();
    return html(
      'span',
      { className: 'view-choices' },
      scale,
      button('closer', 'Show fewer octaves', () => sheet.zoom(CLOSER, middle())),
      button('wider', 'Show more octaves', () => sheet.zoom(1 / CLOSER, middle())),
      whole,
      locked,
    );
  }

  /** Brings the choices of the view up to date. */
  followView = () => {};

  showBeside() {
    const own = this.treatment?.points[this.station + 1]?.third_octave;
    if (!this.other || !own) {
      this.sheet.sound.beside(null, []);
      this.besideSaid.textContent = '';
      return;
    }
    const { bands, worst } = ask({ ask: 'collisions', first: [...own], second: this.other });
    this.sheet.sound.beside(this.other, bands);
    this.besideSaid.textContent = worst ? `most in each other's way at ${Math.round(worst[0])} Hz` : 'they leave each other alone';
  }

  /** @param {import('../../session/document.js').Unit} unit */
  take(unit) {
    super.take(unit);
    this.show();
  }

  /** @param {import('../../types.js').Treatment | null} treatment @param {number} station */
  evidence(treatment, station) {
    super.evidence(treatment, station);
    this.redrawSound();
    this.showBeside();
  }

  /** The sound behind the sheet: of the whole part while nothing plays. */
  redrawSound() {
    const points = this.treatment?.points;
    if (this.live.now) this.sheet.sound.show(this.live.now[0], this.live.now[1]);
    else if (points && points.length > this.station + 1)
      this.sheet.sound.show(points[this.station].third_octave, points[this.station + 1].third_octave);
  }

  /** @param {import('../../engine/host.js').Report} report */
  follow(report) {
    const was = this.live.now;
    this.live.take(report);
    if (this.live.now !== was) this.redrawSound();
  }

  end() {
    super.end();
    this.sheet.end();
  }
}
