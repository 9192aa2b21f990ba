// @ts-check
/** What the other side of a comparison may be without, from what is in hand. */

/** @typedef {{ change: string, strip: number, [field: string]: unknown }} Change */
/** @typedef {{ id: string, label: string, sounds?: boolean, changes: () => Change[] }} Against sounds: a sound of its own, by its name */
/** @typedef {{ name: string, takes_key: boolean, lists: { id: string, label: string }[] }} Kind */

/** The other side that is louder on purpose: a return looked at closely, apart from its level in the mix. */
export const INSPECT = 'inspect';
/** dB by which it is. */
const INSPECT_DB = 12;
/** The other side that is what drives a unit. */
export const KEY = 'key';

/**
 * On the Bench of one strip.
 * @param {object} bench
 * @param {{ id: number, role: string }} bench.strip
 * @param {import('../session/document.js').Unit | undefined} bench.unit the one in hand
 * @param {Kind | undefined} bench.kind of it
 * @param {number} bench.station its number, 0 first
 * @param {() => number} bench.row the row of it that is in hand
 * @param {{ rack: unknown, name: string } | null} bench.tried a rack of a trial
 * @returns {Against[]}
 */
export function sidesOf({ strip: { id: strip, role }, unit, kind, station, row, tried }) {
  /** @type {Against[]} */
  const sides = [{ id: 'rack', label: 'without the rack', changes: () => [{ change: 'rack-off', strip }] }];
  if (unit && kind) {
    const name = kind.name.toLowerCase();
    sides.push({ id: 'unit', label: `without this ${name}`, changes: () => [{ change: 'unit-off', strip, unit: unit.id }] });
    sides.push({ id: 'so-far', label: 'the rack up to here', changes: () => [{ change: 'off-from', strip, station: station + 1 }] });
    if (kind.takes_key) sides.push({ id: KEY, label: 'key', sounds: true, changes: () => [{ change: 'key-heard', strip, unit: unit.id }] });
    const list = kind.lists[0];
    if (list && unit.params[list.id]?.length) {
      const changes = () => [{ change: 'row-off', strip, unit: unit.id, row: row() }];
      sides.push({ id: 'band', label: `without the selected ${list.label}`, changes });
    }
  }
  if (role === 'return') {
    const changes = () => [{ change: 'level', strip, db: INSPECT_DB }];
    sides.push({ id: INSPECT, label: `raised by ${INSPECT_DB} dB, to inspect it`, changes });
  }
  if (tried)
    sides.push({ id: 'tried', label: `tried: ${tried.name}`, sounds: true, changes: () => [{ change: 'rack', strip, rack: tried.rack }] });
  return sides;
}
