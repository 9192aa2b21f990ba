// @ts-check
/** A move that is written into a lane while the song plays. */
import { ask } from '../../engine/ask.js';
import { newGesture } from '../../session/document.js';
import { unitWith } from '../../session/over-time.js';
import { Written } from './lane-points.js';

/** @typedef {import('../../session/over-time.js').Target} Target */
/** @typedef {import('../../session/course.js').Point} Point */

/**
 * The value that an edit sets of a target, if that is what it does.
 * @param {import('../../session/document.js').Edit} edit
 * @param {Target} target
 */
function valueFor(edit, target) {
  if (edit.edit !== 'set-param' && edit.edit !== 'set-control') return undefined;
  const [unit, param] = edit.edit === 'set-param' ? [edit.unit, edit.param] : [0, edit.control];
  return edit.strip === target.strip && unit === target.unit && param === target.param ? edit.value : undefined;
}

export class LaneWriting {
  /** @param {(points: Point[], gesture: string) => void} keep */
  constructor(keep) {
    this.keep = keep;
    this.isOn = false;
    /** The move being written. @type {Written | null} */
    this.run = null;
  }

  /**
   * Takes a move of a control into its lane.
   * @param {import('../../session/document.js').Edit} edit
   * @param {Target} target
   * @param {() => Point[]} points of the lane
   * @param {number} frame where the song is
   * @param {() => void} over ends a run
   * @returns {boolean} whether it was taken
   */
  takes(edit, target, points, frame, over) {
    const value = valueFor(edit, target);
    if (value === undefined) return false;
    this.run ??= new Written(points(), newGesture());
    if (!this.run.take(Math.max(0, Math.round(frame)), /** @type {Point['value']} */ (value))) {
      // A loop has begun anew.
      over();
      return this.takes(edit, target, points, frame, over);
    }
    this.keep(this.run.points(), this.run.gesture);
    return true;
  }

  /**
   * A unit as the move that is being written has it now.
   * @param {import('../../session/document.js').Unit} unit
   * @param {Target | null} target
   */
  unit(unit, target) {
    const last = this.run?.run.at(-1);
    return last && target?.unit === unit.id ? unitWith(unit, target.param, last.value) : unit;
  }

  /**
   * The move is over: it is thinned, and what was drawn after it stands again; one step of undo.
   * @param {{ table: string, param: string } | null} found what it is of; null where that is gone
   */
  end(found) {
    const { run } = this;
    this.run = null;
    if (!run || !found || run.run.length === 0) return;
    const { table, param } = found;
    const points = ask({ ask: 'over-time', table, param, about: { lane: 'written', points: run.lane, run: run.run } });
    this.keep(points, run.gesture);
  }
}
