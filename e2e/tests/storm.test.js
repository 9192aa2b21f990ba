// Storms in a short form; long ones by `./zinc storm`.
import assert from 'node:assert/strict';
import { test } from 'node:test';
import { seeded } from '../tools/dice.js';
import { report, storm } from '../tools/storm.js';

test('kills, broken files, broken edits and windows at once lose nothing that was acknowledged and leave nothing half done', async () => {
  const seed = seeded();
  console.log(`seed ${seed}`);
  const found = await storm(seed, { kills: 20, files: 200, edits: 300, each: 100 });
  const faults = report(found, console.log);
  assert.deepEqual(faults, [], `ZINC_SEED=${seed}`);
  // All of it happened.
  for (const [what, { tried, kept }] of Object.entries(found)) assert.ok(tried > 0 && kept > 0, what);
  const { refused: edits } = found['broken edits'];
  const { refused: files } = found['broken files'];
  assert.ok(edits > 100 && files > 100, `${edits} edits and ${files} files were refused`);
});
