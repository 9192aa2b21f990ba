// @ts-check
/** What the wire of a Bench does with its rack: units switched, moved, removed, added. */
import { ask } from '../../engine/ask.js';
import { note } from '../notes.js';
import { editHere } from '../scope.js';
import { doc } from '../session-frame.js';
import { AddMenu } from './add-menu.js';

export class RackActions {
  /** @param {import('../bench.js').Bench} bench */
  constructor(bench) {
    this.bench = bench;
    this.menu = new AddMenu((kind) => void this.add(kind));
  }

  /** @param {number} i */
  select(i) {
    this.bench.select(i);
  }

  /** @param {number} i @param {boolean} on */
  turn(i, on) {
    void editHere({ edit: 'set-param', strip: doc.strip, unit: this.bench.units[i].id, param: 'on', value: on });
  }

  /** @param {number} i @param {number} to */
  move(i, to) {
    const { bench } = this;
    const { id } = bench.units[i];
    void doc.edit({ edit: 'move-unit', strip: doc.strip, unit: id, to });
    bench.select(bench.units.findIndex((u) => u.id === id));
    /** @type {HTMLElement | null} */ (bench.places.wire.querySelector(`[data-station="${bench.selected}"]`))?.focus();
  }

  /** @param {number} i */
  async remove(i) {
    await doc.edit({ edit: 'remove-unit', strip: doc.strip, unit: this.bench.units[i].id });
    note('The unit was removed; undo brings it back with all its settings.');
  }

  /** A unit behind the one in hand. A kind that has one begins where this part asks for it. @param {string} kind */
  async add(kind) {
    const { bench } = this;
    const peak = bench.figures.here?.points[bench.next]?.peak_db ?? null;
    const unit = ask({ ask: 'fresh', kind, part: bench.strip.part, peak_db: peak });
    await this.put(unit);
    if (unit.why) note(`It begins with ${unit.why}. Neutral is one press away.`);
  }

  /** Puts a unit behind the one in hand and takes it in hand. @param {any} unit */
  async put(unit) {
    const at = this.bench.next;
    // It is there before the server has answered.
    const kept = doc.edit({ edit: 'add-unit', strip: doc.strip, at, unit });
    this.bench.select(at);
    await kept;
  }
}
