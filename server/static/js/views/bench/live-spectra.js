// @ts-check
/** Spectra of what passes a unit now, and how they are drawn: fineness, speed, difference. */
import { spectrum, spectra } from '../../engine/ask.js';
import { html } from '../../draw/svg.js';

/** How much of the last spectrum stays in the next, and how much of a fall is shown at once. */
const SPEEDS = { fast: 0.55, slow: 0.86, 'very slow': 0.97 };

/** How the sound is drawn, as last chosen in this browser. */
const chosen = { fine: false, speed: 'slow', difference: false, ...JSON.parse(localStorage.getItem('zinc-field-sound') ?? '{}') };

export const drawsDifference = () => chosen.difference;

/**
 * The choices.
 * @param {() => void} onChange
 */
export function soundChoices(onChange) {
  const keep = () => {
    localStorage.setItem('zinc-field-sound', JSON.stringify(chosen));
    onChange();
  };
  const list = (
    /** @type {string} */ label,
    /** @type {string[]} */ words,
    /** @type {string} */ value,
    /** @type {(v: string) => void} */ take,
  ) => {
    const select = html(
      'select',
      { className: 'key-choice', 'aria-label': label },
      ...words.map((w) => new Option(w, w, false, w === value)),
    );
    select.addEventListener('change', () => {
      take(select.value);
      keep();
    });
    return select;
  };
  const difference = html('input', { type: 'checkbox', checked: chosen.difference });
  difference.addEventListener('change', () => {
    chosen.difference = difference.checked;
    keep();
  });
  return html(
    'span',
    { className: 'sound-choices' },
    list('Fineness of the spectra', ['third octaves', 'twelfths'], chosen.fine ? 'twelfths' : 'third octaves', (v) => {
      chosen.fine = v === 'twelfths';
    }),
    list('Speed of the spectra', Object.keys(SPEEDS), chosen.speed, (v) => {
      chosen.speed = v;
    }),
    html('label', { title: 'What the unit changes, on the scale of the bands' }, difference, ' difference'),
  );
}

export class LiveSpectra {
  /** @param {number} rate */
  constructor(rate) {
    this.rate = rate;
    /** Before and after, in dBFS; none while nothing plays. @type {Float32Array[] | null} */
    this.now = null;
  }

  /** @param {import('../../engine/host.js').Report} report */
  take(report) {
    if (!report.playing) {
      this.now = null;
      return;
    }
    const { per_decade: perDecade } = spectra[chosen.fine ? 1 : 0];
    const fresh = [report.before, report.after].map((samples) => spectrum(samples, this.rate, perDecade));
    const stay = SPEEDS[/** @type {keyof typeof SPEEDS} */ (chosen.speed)] ?? SPEEDS.slow;
    const old = this.now?.[0].length === fresh[0].length ? this.now : null;
    this.now = old ? old.map((was, k) => was.map((db, i) => Math.max(fresh[k][i], stay * db + (1 - stay) * fresh[k][i]))) : fresh;
  }
}
