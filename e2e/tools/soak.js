// Runs the browser's tests many times with a busy machine beside them, and says which failed how often.
// node e2e/tools/soak.js --times 5 [--busy 1] [file.test.js ...]
import { readdirSync } from 'node:fs';
import { basename, join } from 'node:path';
import { run } from 'node:test';
import { parseArgs } from 'node:util';
import { Worker } from 'node:worker_threads';
import { root } from './program.js';

const { values, positionals } = parseArgs({
  options: { times: { type: 'string', default: '5' }, busy: { type: 'string', default: '1' } },
  allowPositionals: true,
});
const folder = join(root, 'e2e/tests');
const chosen = positionals.map((name) => basename(name));
const files = readdirSync(folder).filter((name) => name.endsWith('.test.js') && (chosen.length === 0 || chosen.includes(name)));
const times = Number(values.times);
if (!(times > 0) || files.length === 0) {
  console.error('Say how often (--times 5) and, to run only some, names of files in e2e/tests.');
  process.exit(2);
}

/** How often each failed. @type {Map<string, number>} */
const failed = new Map();
let passed = 0;

/** One run of all, two files at a time. */
function once() {
  return new Promise((resolve) => {
    const stream = run({ files: files.map((name) => join(folder, name)), concurrency: 2 });
    stream.on('test:pass', ({ nesting }) => {
      if (nesting === 0) passed += 1;
    });
    stream.on('test:fail', ({ name, file }) => {
      const test = `${basename(file ?? '')}: ${name}`;
      failed.set(test, (failed.get(test) ?? 0) + 1);
      console.log(`failed: ${test}`);
    });
    stream.on('end', resolve);
    stream.resume();
  });
}

const loops = Array.from({ length: Number(values.busy) }, () => new Worker('for (;;) Math.sqrt(Math.random());', { eval: true }));
for (let n = 1; n <= times; n += 1) {
  const begun = Date.now();
  await once();
  console.log(`run ${n} of ${times}: ${Math.round((Date.now() - begun) / 1000)} s, ${failed.size} of its tests have failed so far`);
}
await Promise.all(loops.map((loop) => loop.terminate()));
for (const [test, count] of [...failed].sort((a, b) => b[1] - a[1])) console.log(`${count} of ${times}: ${test}`);
console.log(`${passed} passed, ${[...failed.values()].reduce((sum, n) => sum + n, 0)} failed, in ${times} runs of ${files.length} files`);
process.exit(failed.size > 0 ? 1 : 0);
