// @ts-check
/** The sound behind the frequency field: spectra before and after as steps, another part, the difference. */
import { spectra } from '../../engine/ask.js';
import { colour, fresh, hatch } from '../../draw/svg.js';
import { drawsDifference } from './live-spectra.js';

/** dBFS at the bottom and top of the field. */
export const SOUND = [-100, -20];
/** Levels under this are noise: no difference is drawn there. */
const QUIET_DB = -95;

/**
 * @typedef {{
 *   width: number, height: number,
 *   x: (hz: number) => number, y: (db: number) => number, margin: { left: number, right: number, top: number, bottom: number },
 * }} Field
 */

export class FieldSound {
  /** @param {HTMLCanvasElement} canvas @param {Field} field */
  constructor(canvas, field) {
    this.canvas = canvas;
    this.field = field;
    /** @type {ArrayLike<number> | null} */
    this.before = null;
    /** @type {ArrayLike<number> | null} */
    this.after = null;
    /** Third octaves of another part. @type {ArrayLike<number> | null} */
    this.other = null;
    /** @type {number[]} */
    this.collisions = [];
  }

  /** Levels before and after, in dBFS. @param {ArrayLike<number> | null} before @param {ArrayLike<number> | null} after */
  show(before, after) {
    this.before = before;
    this.after = after;
    this.draw();
  }

  /**
   * Another part beside this one, and where the two collide.
   * @param {ArrayLike<number> | null} levels its third octaves
   * @param {number[]} collisions by third octave, 0 to 1
   */
  beside(levels, collisions) {
    this.other = levels;
    this.collisions = collisions;
    this.draw();
  }

  get bottom() {
    return this.field.height - this.field.margin.bottom;
  }

  /** @param {number} level dBFS */
  y(level) {
    return this.bottom - ((level - SOUND[0]) / (SOUND[1] - SOUND[0])) * (this.bottom - this.field.margin.top);
  }

  draw() {
    const { field, bottom } = this;
    const { ink } = fresh(this.canvas, field.width, field.height);
    const { left, right, top } = field.margin;
    ink.save();
    ink.beginPath();
    ink.rect(left, top, field.width - left - right, bottom - top);
    ink.clip();
    if (this.other) {
      const { hz, half } = bandsOf(this.other);
      ink.fillStyle = colour('caution');
      hz.forEach((centre, i) => {
        ink.globalAlpha = 0.5 * this.collisions[i];
        ink.fillRect(field.x(centre / half), field.margin.top, field.x(centre * half) - field.x(centre / half), bottom - field.margin.top);
      });
      ink.globalAlpha = 1;
      ink.setLineDash([3, 3]);
      this.levels(ink, this.other, false);
      ink.setLineDash([]);
    }
    if (this.before) this.levels(ink, this.before, true);
    if (this.after) this.levels(ink, this.after, false);
    if (drawsDifference() && this.before && this.after) this.difference(ink, this.before, this.after);
    ink.restore();
  }

  /**
   * One run of steps.
   * @param {CanvasRenderingContext2D} ink
   * @param {ArrayLike<number>} values
   * @param {(value: number) => number} y
   * @param {boolean} [gaps] whether bands that are not a number leave a gap
   */
  steps(ink, values, y, gaps = false) {
    const { field, bottom } = this;
    const { hz, half } = bandsOf(values);
    let pen = false;
    hz.forEach((centre, i) => {
      if (Number.isNaN(values[i])) {
        pen = false;
        return;
      }
      const at = Math.max(field.margin.top, Math.min(bottom, y(values[i])));
      const from = Math.max(field.margin.left, field.x(centre / half));
      if (pen || !gaps) ink.lineTo(from, at);
      else ink.moveTo(from, at);
      pen = true;
      ink.lineTo(Math.min(field.width - field.margin.right, field.x(centre * half)), at);
    });
  }

  /** @param {CanvasRenderingContext2D} ink @param {ArrayLike<number>} levels @param {boolean} before */
  levels(ink, levels, before) {
    const { field, bottom } = this;
    const { hz, half } = bandsOf(levels);
    ink.beginPath();
    ink.moveTo(field.x(hz[0] / half), bottom);
    this.steps(ink, levels, (level) => this.y(level));
    ink.lineTo(field.width - field.margin.right, bottom);
    if (before) {
      ink.fillStyle = hatch(ink, colour('before-soft'));
      ink.fill();
    }
    ink.strokeStyle = colour(before ? 'before' : 'ink');
    ink.globalAlpha = before ? 0.8 : 0.6;
    ink.lineWidth = 1;
    ink.stroke();
    ink.globalAlpha = 1;
  }

  /**
   * What the unit changes, on the scale of the bands.
   * @param {CanvasRenderingContext2D} ink
   * @param {ArrayLike<number>} before
   * @param {ArrayLike<number>} after
   */
  difference(ink, before, after) {
    const change = Array.from(before, (db, i) => (db < QUIET_DB ? NaN : after[i] - db));
    ink.beginPath();
    this.steps(ink, change, (db) => this.field.y(db), true);
    ink.strokeStyle = colour('taken');
    ink.lineWidth = 2;
    ink.stroke();
  }
}

/** The bands that as many levels come in. @param {ArrayLike<number>} levels */
function bandsOf(levels) {
  const { hz, per_decade: perDecade } = spectra.find((s) => s.hz.length === levels.length) ?? spectra[0];
  return { hz, half: 10 ** (0.5 / perDecade) };
}
