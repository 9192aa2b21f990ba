// @ts-check
/** What is heard in place of the rack without being kept: a trial, a candidate, what an advice warns of. */
import { hearInstead, hearWithout, listen } from '../compare.js';

export class Tried {
  /** @param {() => void} onChange other sides are to be offered */
  constructor(onChange) {
    this.onChange = onChange;
    /** The rack that is heard, and its name. @type {{ rack: import('../../types.js').Rack, name: string } | null} */
    this.now = null;
  }

  /**
   * @param {import('../../types.js').Rack} rack
   * @param {string} name
   * @param {import('../../types.js').Rack | null} [against] what it is heard against; the kept rack where there is none
   * @param {boolean} [differs] whether the difference is heard
   */
  hear(rack, name, against = null, differs = false) {
    this.now = { rack, name };
    hearInstead(against);
    this.onChange();
    hearWithout('tried', differs ? 'difference' : 'untouched');
  }

  stop() {
    this.now = null;
    hearInstead(null);
    listen('worked');
    this.onChange();
  }
}
