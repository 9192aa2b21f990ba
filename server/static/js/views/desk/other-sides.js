// @ts-check
/** What the other side of a Desk's comparison may be without. */

/**
 * @param {import('../../types.js').Session} session
 * @param {{ id: string, name: string }[]} kinds of units
 * @param {() => Iterable<number>} soloed when it is asked for
 * @param {(set: import('../../types.js').Session['notebook']['unit_sets'][number]) => import('../sides.js').Change[]} changesOf
 * @returns {{ id: string, label: string, changes: () => import('../sides.js').Change[] }[]}
 */
export function otherSides(session, kinds, soloed, changesOf) {
  /** @param {(unit: import('../../session/document.js').Unit) => boolean} taken */
  const unitsOff = (taken) =>
    session.strips.flatMap((strip) =>
      strip.rack.units.filter(taken).map((unit) => ({ change: 'unit-off', strip: strip.id, unit: unit.id })),
    );
  const of = (/** @type {string} */ role) => session.strips.filter((s) => s.role === role);
  return [
    { id: 'racks', label: 'without any rack', changes: () => unitsOff(() => true) },
    ...kinds.map(({ id, name }) => ({ id, label: `without every ${name}`, changes: () => unitsOff((unit) => unit.kind === id) })),
    { id: 'bus', label: 'without the racks of the buses', changes: () => of('bus').map(({ id }) => ({ change: 'rack-off', strip: id })) },
    { id: 'return', label: 'without the returns', changes: () => of('return').map(({ id }) => ({ change: 'level', strip: id, db: -200 })) },
    {
      id: 'soloed',
      label: 'without the racks of the soloed',
      changes: () => [...soloed()].map((strip) => ({ change: 'rack-off', strip })),
    },
    ...session.notebook.unit_sets.map((set) => ({ id: `set-${set.name}`, label: `without "${set.name}"`, changes: () => changesOf(set) })),
  ];
}
