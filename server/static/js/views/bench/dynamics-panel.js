// @ts-check
/** A compressor's panel: the time strip, the bend, the rules, the key. */
import { tabs } from '../../controls/tabs.js';
import { html } from '../../draw/svg.js';
import { format, numberOf, parameter } from '../../engine/ask.js';
import { askLater, leave } from '../../engine/later.js';
import { newGesture } from '../../session/document.js';
import { Bend, beginsAt } from './bend.js';
import { carryOver } from './carry-over.js';
import { optoFace } from './opto-face.js';
import { ParamPanel } from './param-panel.js';
import { TimeStrip } from './time-strip.js';

/** Wait after a move before the times are measured anew: it takes some tens of milliseconds. */
const TIMING_WAIT_MS = 150;
/** The tone whose overtones are said, and how far below it one is not said any more. */
const LOUD_TONE = { tone_hz: 220, level_db: -6 };
const OVERTONE_HEARD_DB = -80;
const ORDINALS = ['2nd', '3rd', '4th', '5th'];

/** @param {Record<'attack_ms' | 'attack_90_ms' | 'release_ms' | 'release_90_ms', number | null>} times null: none, or longer */
function timesSaid({ attack_ms: attack, attack_90_ms: attack90, release_ms: release, release_90_ms: release90 }) {
  if (attack === null) return 'measured: no gain reduction';
  const time = (/** @type {number | null} */ ms) =>
    ms === null ? 'longer' : format('compressor', 'release_ms', Number(ms.toPrecision(2)));
  return (
    `measured: ${time(attack)} to 63 %, ${time(attack90)} to 90 % of it; ${time(release)} and ` + `${time(release90)} until as much is gone`
  );
}

/** The overtones that gain element and edge add to a loud tone. @param {number[]} found their levels in dB */
function addedSaid(found) {
  const heard = found
    .slice(0, ORDINALS.length)
    .map((db, i) => (db > OVERTONE_HEARD_DB ? `${ORDINALS[i]} ${Math.round(db)}`.replace('-', '−') : ''))
    .filter(Boolean);
  return heard.length ? `a loud tone gets overtones: ${heard.join(', ')} dB` : '';
}

export class DynamicsPanel extends ParamPanel {
  /** @type {(() => void) | undefined} */
  showFaces;

  /** @type {(() => void) | undefined} */
  showOffset;

  /** @param {ConstructorParameters<typeof ParamPanel>} args */
  constructor(...args) {
    super(...args);
    const stripBox = html('div', { className: 'strip-box' });
    const bendBox = html('div', { className: 'bend-box' });
    this.picture.classList.add('dynamics');
    this.picture.append(stripBox, bendBox);
    this.strip = new TimeStrip(stripBox, this.session);
    this.bend = new Bend(bendBox);
    this.effective = html('p', { className: 'effective', title: 'Measured: a tone that steps up by 10 dB at the threshold, and stops' });
    this.added = html('p', { className: 'effective added', title: 'Measured: a tone of 220 Hz at −6 dBFS' });
    this.rulesPlace.querySelector('[aria-label="timing"]')?.append(this.effective);
    (this.rulesPlace.querySelector('[aria-label="colour"]') ?? this.rulesPlace).append(this.added);
    if (this.unit.kind === 'compressor') this.addFaces();
    const zooms = [
      { id: 'song', label: 'song' },
      { id: 'section', label: 'section' },
      { id: 'hit', label: 'hit' },
    ];
    stripBox.append(
      html(
        'span',
        { className: 'strip-tools' },
        tabs(zooms, 'section', 'Stretch shown', (zoom) => {
          this.strip.zoom = zoom;
          this.strip.draw();
        }),
      ),
    );
    this.show();
  }

  /** What only a compressor has: its simple face, carrying over, the offset of a coupled output. */
  addFaces() {
    const carry = carryOver(() => this.unit);
    const face = optoFace(
      () => this.unit.params,
      (part, gesture) => {
        this.changeParams(part, gesture);
        for (const [rule, value] of this.rules) rule.set(value());
        this.show();
      },
    );
    const offset = html(
      'button',
      {
        type: 'button',
        className: 'plain-button',
        title: 'Make-up gives back what coupling took just now; from here on the output moves against the input',
      },
      'keep the offset',
    );
    offset.addEventListener('click', () => {
      const { makeup_db: makeup, input_db: input } = this.unit.params;
      const { min, max } = numberOf(parameter(this.unit.kind, 'makeup_db'));
      this.changeParams({ makeup_db: Math.max(min, Math.min(max, makeup + input)) }, newGesture());
      for (const [rule, value] of this.rules) rule.set(value());
      this.show();
    });
    /** Offered where coupling has just been switched on under an input that is not 0. */
    let coupled = this.unit.params.couple_output;
    this.showOffset = () => {
      const { couple_output: now, input_db: input } = this.unit.params;
      if (now !== coupled) offset.hidden = !now || input === 0;
      else if (!now || input === 0) offset.hidden = true;
      coupled = now;
    };
    offset.hidden = true;
    offset.addEventListener('click', () => {
      offset.hidden = true;
    });
    this.ofParam.get('couple_output')?.append(offset);
    this.ofParam.get('action')?.after(carry.element, face.element);
    this.showFaces = () => {
      carry.follow();
      face.follow();
    };
    this.follows.push(this.showFaces);
  }

  show() {
    this.showFaces?.();
    this.showOffset?.();
    clearTimeout(this.timer);
    this.timer = window.setTimeout(() => this.measureTiming(), TIMING_WAIT_MS);
    this.strip.show(this.treatment, this.station, this.unit.id, beginsAt(this.unit));
    // What drives it, as its detector hears it: a key, or its input less the lows cut there.
    this.bend.show(
      this.unit,
      this.treatment?.reductions.find((/** @type {import('../../types.js').ReductionFigures} */ r) => r.unit === this.unit.id)?.histogram ??
        null,
    );
  }

  /** Says how fast the reduction really comes and goes, whatever the figures above say, and what else it adds. */
  measureTiming() {
    const { session, unit } = this;
    askLater(this.effective, { ask: 'timing', unit, rate: session.rate, tempo_bpm: session.tempo_bpm }, (times) => {
      this.effective.textContent = timesSaid(times);
    });
    if (unit.kind !== 'compressor') return;
    const loud = { ask: 'comb', unit: { ...unit, on: true, key: null }, rate: session.rate, ...LOUD_TONE };
    askLater(this.added, loud, ({ harmonics_db: found }) => {
      this.added.textContent = addedSaid(found);
    });
  }

  /** @param {import('../../types.js').Treatment | null} treatment @param {number} station */
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
    clearTimeout(this.timer);
    leave(this.effective);
    leave(this.added);
    super.end();
    this.strip.end();
    this.bend.end();
  }
}
