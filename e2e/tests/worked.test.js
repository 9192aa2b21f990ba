// The worked session of the demo: every unit does something that can be measured, and the mix keeps below full scale.
import assert from 'node:assert/strict';
import { spawnSync } from 'node:child_process';
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { test } from 'node:test';
import { WHOLE_SONG, house } from '../tools/house.js';
import { api, binary, follow, run } from '../tools/program.js';
import { readWav } from '../tools/sound.js';

const at = house({ pages: false, bars: WHOLE_SONG });

/** What a unit may change and still count as doing something. */
const LEAST = { lufs: 0.05, third_db: 0.4, crest_db: 0.2, width_db: 0.5, share: 0.02 };

/** @param {any} before @param {any} after figures of the wire around a unit */
function changes(before, after) {
  const thirds = before.third_octave.map((/** @type {number} */ db, /** @type {number} */ i) =>
    Math.max(db, after.third_octave[i]) > -90 ? Math.abs(after.third_octave[i] - db) : 0,
  );
  return (
    Math.abs(after.lufs - before.lufs) > LEAST.lufs ||
    Math.max(...thirds) > LEAST.third_db ||
    Math.abs(after.crest_db - before.crest_db) > LEAST.crest_db ||
    Math.abs(after.width_db - before.width_db) > LEAST.width_db
  );
}

/** Asserts that every unit of a strip does something; how many there are. @param {any} strip @param {any} treatment */
function judged(strip, treatment) {
  strip.rack.units.forEach((/** @type {any} */ unit, /** @type {number} */ i) => {
    const works = [...treatment.reductions, ...treatment.moves].some((figure) => figure.unit === unit.id && figure.share > LEAST.share);
    assert.ok(works || changes(treatment.points[i], treatment.points[i + 1]), `${strip.name}: ${unit.kind} ${i + 1}`);
    assert.ok(unit.why, `${strip.name}: ${unit.kind} ${i + 1} has no reason`);
  });
  return strip.rack.units.length;
}

test('no unit of the worked session does nothing', async () => {
  const { session } = await at.document(2);
  let units = 0;
  const waiting = session.strips.filter((/** @type {any} */ s) => s.rack.units.length);
  const measure = async () => {
    for (let strip = waiting.shift(); strip; strip = waiting.shift()) {
      const asked = await api(`${at.server.url}/api/sessions/2/strips/${strip.id}/evidence`, {});
      const { treatment } = await follow(at.server.url, asked.json.job);
      units += judged(strip, treatment);
    }
  };
  await Promise.all([measure(), measure()]);
  assert.ok(units > 30, `${units} units`);
});

test('nothing is said against a compressor of the worked session', async () => {
  const { session } = await at.document(2);
  const waiting = session.strips.filter((/** @type {any} */ s) => s.rack.units.some((/** @type {any} */ u) => u.kind === 'compressor'));
  assert.ok(waiting.length >= 8, `${waiting.length} strips`);
  /** @type {string[]} */
  const said = [];
  const listen = async () => {
    for (let strip = waiting.shift(); strip; strip = waiting.shift()) {
      const asked = await api(`${at.server.url}/api/sessions/2/strips/${strip.id}/pairs`, {});
      const faults = (await follow(at.server.url, asked.json.job)).filter((/** @type {any} */ pair) => pair.code);
      said.push(...faults.map((/** @type {any} */ f) => `${strip.name}: ${f.code}, ${f.says}`));
    }
  };
  await Promise.all([listen(), listen()]);
  assert.deepEqual(said, []);
});

/** Power of half the sum of both sides over that of half their difference, in dB. @param {Float32Array[]} channels */
function sideUnderMidDb([left, right]) {
  let mid = 0;
  let side = 0;
  for (let i = 0; i < left.length; i += 1) {
    mid += (left[i] + right[i]) ** 2;
    side += (left[i] - right[i]) ** 2;
  }
  return 10 * Math.log10(mid / side);
}

test('the worked mix is wide and stays a decibel under full scale; a report whose reader leaves early is no failure', async () => {
  const { session } = await at.document(2);
  const main = session.strips.find((/** @type {any} */ s) => s.role === 'main');
  const asked = await api(`${at.server.url}/api/sessions/2/prints`, { strip: main.id, bits: '24' });
  const { key } = await follow(at.server.url, asked.json.job);
  const out = join(at.folder.path, 'worked.wav');
  writeFileSync(out, Buffer.from(await (await fetch(`${at.server.url}/api/printed/${key}?name=x.wav`)).arrayBuffer()));
  const { true_peak_dbtp: peak } = JSON.parse(run('measure', out, '--json').stdout);
  assert.ok(peak < -1 && peak > -20, `${peak} dBTP`);
  const sideUnderMid = sideUnderMidDb(readWav(out).channels);
  assert.ok(sideUnderMid > 6 && sideUnderMid < 10, `side ${sideUnderMid.toFixed(1)} dB under mid; records of such music have 6 to 10`);
  const { status, stderr } = spawnSync('bash', ['-c', `set -o pipefail; "${binary}" measure "${out}" | true`], { encoding: 'utf8' });
  assert.equal(status, 0, stderr);
});
