// @ts-check
/** The keys of a Bench. */
import { unitIn } from '../../session/over-time.js';
import { scope, stepScope } from '../scope.js';
import { shortcuts } from '../shortcuts.js';
import { stepContext } from './heard-with.js';

/** Stations that have a digit. */
const DIGITS = 9;

/** @param {string} id */
const follow = (id) => () => /** @type {HTMLAnchorElement | null} */ (document.getElementById(id))?.click();

/** @param {import('../bench.js').Bench} bench */
function turnInHand(bench) {
  const unit = bench.units[bench.selected];
  if (unit) bench.actions.turn(bench.selected, !unitIn(unit, scope()).on);
}

/** @param {import('../bench.js').Bench} bench @param {number} i */
const station = (bench, i) => ({
  keys: String(i + 1),
  shown: i ? '' : '1 … 9',
  does: i ? '' : 'station',
  run: () => {
    if (i < bench.units.length) bench.select(i);
  },
});

/** @param {import('../bench.js').Bench} bench */
export function benchKeys(bench) {
  shortcuts(
    { keys: 'A', does: 'alone or in the mix', run: stepContext },
    ...Array.from({ length: DIGITS }, (_, i) => station(bench, i)),
    { keys: '0', does: 'the raw part', run: () => bench.selectRaw() },
    { keys: '[', does: 'previous strip', run: follow('previous') },
    { keys: ']', does: 'next strip', run: follow('next') },
    { keys: 'Alt+ArrowLeft', shown: 'Alt+←', does: 'previous strip', run: follow('previous') },
    { keys: 'Alt+ArrowRight', shown: 'Alt+→', does: 'next strip', run: follow('next') },
    { keys: '+', does: 'add a unit after the selected one', run: () => bench.actions.menu.open() },
    { keys: 'H', does: 'edits apply to the next section, or to the whole song', run: () => stepScope(1) },
    { keys: 'B', does: 'unit on or off', run: () => turnInHand(bench) },
    { keys: 'R', does: 'rename the unit', run: () => bench.places.unit.querySelector('.unit-name')?.dispatchEvent(new Event('rename')) },
    { keys: 'T', does: 'try the unit over a list of values', run: () => bench.openTrials() },
    { keys: 'E', does: 'eyes closed: hide pictures and figures; again: show them, and what came of it', run: () => bench.eyes.toggle() },
    { keys: 'F', does: 'unit fills the window (Esc: back)', run: () => bench.places.unit.classList.toggle('filled') },
    { keys: 'Escape', does: '', run: () => bench.places.unit.classList.remove('filled') },
  );
}
