// What pages decide by themselves, without a browser.
import assert from 'node:assert/strict';
import { test } from 'node:test';
import { shortName } from '../../server/static/js/draw/short-name.js';
import { put, valueAt } from '../../server/static/js/session/values.js';
import { blindSentence } from '../../server/static/js/views/bench/eyes-closed.js';
import { redrawOf as redrawOfBench } from '../../server/static/js/views/bench/redraw.js';
import { otherSides } from '../../server/static/js/views/desk/other-sides.js';
import { redrawOf as redrawOfDesk } from '../../server/static/js/views/desk/redraw.js';
import { Taps } from '../../server/static/js/views/desk/taps.js';
import { Warnings } from '../../server/static/js/views/listen/warnings.js';
import { INSPECT, KEY, sidesOf } from '../../server/static/js/views/sides.js';

/** @param {Record<string, unknown>} [more] */
const unit = (more) => /** @type {any} */ ({ id: 7, kind: 'x', params: { regions: [{}, {}] }, ...more });
const kind = { name: 'Multiband', takes_key: true, lists: [{ id: 'regions', label: 'region' }] };

test('the other side may be without the rack, the unit, what follows it, and the row in hand of whatever list it has', () => {
  let row = 1;
  const sides = sidesOf({ strip: { id: 4, role: 'track' }, unit: unit(), kind, station: 2, row: () => row, tried: null });
  assert.deepEqual(
    sides.map((side) => side.id),
    ['rack', 'unit', 'so-far', KEY, 'band'],
  );
  assert.equal(sides[4].label, 'without the selected region');
  row = 0;
  assert.deepEqual(sides[4].changes(), [{ change: 'row-off', strip: 4, unit: 7, row: 0 }], 'the row in hand when it is asked for');
  assert.deepEqual(sides[2].changes(), [{ change: 'off-from', strip: 4, station: 3 }]);
});

test('a unit without rows or key offers neither, a return is raised, and what is tried stands at the end', () => {
  const plain = { name: 'Tape', takes_key: false, lists: [] };
  const tried = { rack: { zinc_rack: 1 }, name: '30 ms' };
  const sides = sidesOf({ strip: { id: 4, role: 'return' }, unit: unit({ params: {} }), kind: plain, station: 0, row: () => 0, tried });
  assert.deepEqual(
    sides.map((side) => side.id),
    ['rack', 'unit', 'so-far', INSPECT, 'tried'],
  );
  assert.equal(sides[4].label, 'tried: 30 ms');
  assert.deepEqual(
    sidesOf({ strip: { id: 4, role: 'track' }, unit: undefined, kind: undefined, station: -1, row: () => 0, tried: null }).map((s) => s.id),
    ['rack'],
  );
});

test('four even taps are their tempo, fewer are none, and a pause begins anew', () => {
  const taps = new Taps();
  assert.deepEqual(
    [1000, 1500, 2000].map((at) => taps.tap(at)),
    [null, null, null],
  );
  assert.equal(taps.tap(2500), 120);
  assert.equal(taps.tap(9000), null);
  assert.deepEqual(
    [9400, 9800].map((at) => taps.tap(at)),
    [null, null],
  );
  assert.equal(taps.tap(10_200), 150);
});

test('a value of a group is read and put without touching what it was put into', () => {
  const before = { ratio: 4, sidechain: { freq_hz: 80, on: true } };
  assert.equal(valueAt(before, 'sidechain.freq_hz'), 80);
  assert.deepEqual(put(before, 'sidechain.freq_hz', 120), { ratio: 4, sidechain: { freq_hz: 120, on: true } });
  assert.equal(before.sidechain.freq_hz, 80);
  assert.equal(valueAt(before, 'gone.freq_hz'), undefined);
});

test('what came of closed eyes is said against what it was and against the raw part, silence as no loudness', () => {
  const point = (/** @type {number | null} */ lufs, /** @type {number} */ peak) => ({ lufs, peak_db: peak, crest_db: 10 });
  const said = blindSentence(point(-20, -6), point(null, -3), point(-18, -5));
  assert.match(said, /closed: \+2\.0 LU, peak \+1\.0 dB/);
  assert.match(said, /bypassed sound it is now: −18\.0 LU, peak −2\.0 dB/);
});

test('a name that does not fit is made shorter until it does', () => {
  assert.equal(
    shortName('Chorus two', () => true),
    'Chorus two',
  );
  const fits = (/** @type {string} */ words) => words.length <= 5;
  assert.ok(shortName('Chorus two', fits).length <= 5);
});

test('a change elsewhere draws nothing in hand anew, one of the unit in hand only that, and another rack everything', () => {
  const facts = (/** @type {any} */ more) => ({ strips: [4], about: 'units', reach: 'racks', ...more });
  assert.deepEqual(redrawOfBench(facts({ about: 'notebook' }), 4, true), {});
  assert.deepEqual(redrawOfBench(facts({ strips: [5] }), 4, true), { note: true, prepare: true, wire: true });
  assert.deepEqual(redrawOfBench(facts({ strips: [], about: 'song' }), 4, true), {
    note: true,
    place: true,
    prepare: false,
    measure: true,
  });
  const inHand = redrawOfBench(facts({}), 4, true);
  assert.deepEqual(inHand, { note: true, inHand: true, wire: true, prepare: false, measure: true });
  assert.equal(redrawOfBench(facts({ strips: [4, 5] }), 4, true).prepare, true, 'a unit elsewhere follows');
  assert.equal(redrawOfBench(facts({ reach: 'nothing' }), 4, true).measure, false, 'words sound like nothing');
  assert.equal(redrawOfBench(facts({ about: 'rack' }), 4, true).place, true);
  assert.equal(redrawOfBench(facts({}), 4, false).place, true, 'nothing was in hand');
  assert.deepEqual(redrawOfBench(facts({ about: 'name' }), 4, true), { note: true });
});

test('a desk draws rows anew where it can, and all of them where rows come, go or move', () => {
  const of = (/** @type {any} */ about, /** @type {any} */ reach, areThere = true) => redrawOfDesk({ about, reach }, areThere);
  assert.deepEqual(of('notebook', 'nothing'), {});
  assert.deepEqual(of('controls', 'mix'), { rows: true, prepare: false });
  assert.deepEqual(of('units', 'racks'), { rows: true, prepare: true });
  assert.deepEqual(of('song', 'racks'), { waves: true, prepare: true });
  assert.deepEqual(of('units', 'racks', false), { all: true });
  for (const about of ['strips', 'name', 'standing', 'mixed']) assert.deepEqual(of(about, 'racks'), { all: true });
});

test('the other side of a desk is asked for when it is heard: what is soloed and placed by then', () => {
  const strip = (/** @type {number} */ id, /** @type {string} */ role, /** @type {any[]} */ units) => ({ id, role, rack: { units } });
  const session = /** @type {any} */ ({
    strips: [strip(2, 'track', [{ id: 7, kind: 'gate' }]), strip(3, 'bus', [{ id: 8, kind: 'tape' }]), strip(4, 'return', [])],
    notebook: { unit_sets: [{ name: 'room', units: [] }] },
  });
  /** @type {number[]} */
  const soloed = [];
  const sides = otherSides(
    session,
    [{ id: 'gate', name: 'Gate' }],
    () => soloed,
    () => [],
  );
  const changes = (/** @type {string} */ id) => sides.find((side) => side.id === id)?.changes();
  assert.deepEqual(changes('gate'), [{ change: 'unit-off', strip: 2, unit: 7 }]);
  assert.equal(changes('racks')?.length, 2);
  assert.deepEqual(changes('bus'), [{ change: 'rack-off', strip: 3 }]);
  assert.deepEqual(changes('return'), [{ change: 'level', strip: 4, db: -200 }]);
  soloed.push(2);
  assert.deepEqual(changes('soloed'), [{ change: 'rack-off', strip: 2 }]);
  assert.equal(sides.at(-1)?.label, 'without "room"');
});

test('an output is warned of while it is over full scale, too much to compute, or has lost the stereo that it had', () => {
  const warnings = new Warnings((db) => db.toFixed(1));
  const report = (/** @type {any} */ more) => ({ true_peak: -3, playing: true, width: -60, load: 0.2, ...more });
  assert.equal(warnings.of(report({})), '', 'a mono mix has lost nothing');
  assert.equal(warnings.of(report({ width: -10 })), '');
  assert.equal(warnings.of(report({})), 'the output is nearly mono now');
  assert.equal(warnings.of(report({ playing: false })), '');
  assert.match(warnings.of(report({ true_peak: 1.25, load: 0.81 })), /^over full scale by 1\.[23] dB.*nearly mono.*81 % of the time/);
});
