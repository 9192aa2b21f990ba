// An impulse response written by the program, convolved by another program, is the unit.
import assert from 'node:assert/strict';
import { spawnSync } from 'node:child_process';
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { after, test } from 'node:test';
import { run, scratch } from '../tools/program.js';
import { RATE, peakDifferenceDb, readWav, wavBytes } from '../tools/sound.js';

const folder = scratch();
after(() => folder.remove());
const file = (/** @type {string} */ name) => join(folder.path, name);

/** @param {string} name @param {any} unit */
function rackFile(name, unit) {
  writeFileSync(file(name), JSON.stringify({ zinc_rack: 1, units: [unit] }));
  return file(name);
}

/** Half a second of noise with silence after it. */
function burst() {
  let seed = 7;
  return Float32Array.from({ length: 2 * RATE }, (_, i) => {
    seed = (seed * 1664525 + 1013904223) % 4294967296;
    return i < RATE / 2 ? 0.2 * (seed / 2147483648 - 1) : 0;
  });
}

const racks = {
  'a drawn curve': {
    kind: 'drawn-eq',
    params: {
      points: [
        [60, 4],
        [200, -6],
        [900, 0],
        [2500, 5],
        [8000, -3],
      ].map(([freq_hz, gain_db]) => ({ freq_hz, gain_db })),
      contour: 0.6,
      low_end_hz: 35,
    },
  },
  'a surgical EQ': {
    kind: 'surgical-eq',
    params: {
      bands: [
        { shape: 'high-pass', freq_hz: 80 },
        { freq_hz: 700, gain_db: -9, q: 4 },
        { shape: 'high-shelf', freq_hz: 6000, gain_db: 5 },
      ],
    },
  },
};

for (const [what, unit] of Object.entries(racks)) {
  test(`the impulse response of ${what}, convolved by another program, equals the unit within -100 dBFS`, () => {
    const rack = rackFile('rack.json', unit);
    const written = run('impulse', file('ir.wav'), '--rack', rack, '--json');
    assert.equal(written.status, 0, written.stderr);
    const { latency_samples: latency } = JSON.parse(written.stdout);
    writeFileSync(file('in.wav'), wavBytes(RATE, [burst()]));
    const processed = run('process', file('in.wav'), file('out.wav'), '--rack', rack);
    assert.equal(processed.status, 0, processed.stderr);
    const [kernel] = readWav(file('ir.wav')).channels;
    writeFileSync(file('taps.txt'), Array.from(kernel, (x) => x.toPrecision(10)).join('\n'));
    // SoX centres a filter on its middle, so the sound is led in by as much silence.
    const lead = Math.ceil(kernel.length / 2) / RATE;
    const convolved = spawnSync(
      'sox',
      [file('in.wav'), '-b', '32', '-e', 'floating-point', file('there.wav'), 'pad', String(lead), '2', 'fir', file('taps.txt')],
      { encoding: 'utf8' },
    );
    assert.equal(convolved.status, 0, convolved.stderr);
    const [own] = readWav(file('out.wav')).channels;
    const [other] = readWav(file('there.wav')).channels;
    const peakAt = (/** @type {Float32Array} */ x) => x.reduce((best, v, i) => (Math.abs(v) > Math.abs(x[best]) ? i : best), 0);
    const shift = peakAt(other) - peakAt(own);
    // Where SoX puts the middle of the kernel, less what prints cut off.
    const middle = Math.ceil(kernel.length / 2) - Math.floor(kernel.length / 2) + latency;
    assert.ok(Math.abs(shift - middle) <= 2, `${shift} frames apart, ${middle} expected`);
    const difference = peakDifferenceDb(own, other.slice(shift), Math.min(own.length, other.length - shift, RATE));
    assert.ok(difference < -100, `${difference} dBFS`);
  });
}
