// Runs the tests of the Rust crates, two files of tests at a time, the long ones first, out of the way of what else runs.
// With `long`, those that listen to many parts and settings, which `./zinc test` leaves to `./zinc long`.
// One build for all crates: chosen alone, a crate is compiled anew with other features of its dependencies.
import { spawn, spawnSync } from 'node:child_process';
import { dirname, join } from 'node:path';
import { constants, setPriority } from 'node:os';
import { root } from './program.js';

const AT_ONCE = 2;
/** Files of tests that take longest, by name. */
const LONG = ['rings', 'actions', 'raw_parts', 'zinc_core', 'stems', 'cards', 'saturator', 'handled'];
/** Searches through many parts and settings, by folder and name. */
const SEARCHES = [
  'demo/rings',
  'demo/watched',
  'demo/tone',
  'demo/dynamics',
  'demo/auto_level',
  'demo/amplified',
  'demo/coloured',
  'demo/parts',
  'demo/usual',
  'core/watch',
];
const searching = process.argv[2] === 'long';

/** @returns {{ name: string, program: string, folder: string }[]} */
function built() {
  const cargo = ['test', '--profile', 'checked', '--locked', '--workspace', '--no-run', '--message-format=json'];
  const { status, stdout, stderr } = spawnSync('cargo', cargo, { cwd: root, encoding: 'utf8', maxBuffer: 1 << 28 });
  if (status !== 0) throw new Error(stderr);
  const messages = stdout
    .split('\n')
    .filter(Boolean)
    .map((line) => JSON.parse(line));
  return messages
    .filter((m) => m.executable && m.profile?.test)
    .map((m) => ({ name: m.target.name, program: m.executable, folder: dirname(m.manifest_path) }));
}

/** @param {ReturnType<typeof built>[number]} test @returns {Promise<string>} what it said, if it failed */
function run({ name, program, folder }) {
  return new Promise((resolve) => {
    const env = { ...process.env, RUST_TEST_THREADS: '1', CARGO_MANIFEST_DIR: folder };
    const child = spawn(program, [], { cwd: folder, env });
    if (child.pid) setPriority(child.pid, constants.priority.PRIORITY_LOW);
    let said = '';
    const began = Date.now();
    for (const stream of [child.stdout, child.stderr])
      stream.on('data', (text) => {
        said += text;
      });
    child.on('close', (code) => {
      const report = `---- ${place({ name, folder })}, ${((Date.now() - began) / 1000).toFixed(0)} s\n${said}`;
      console.log(report);
      resolve(code === 0 ? '' : report);
    });
  });
}

const rank = (/** @type {{ name: string }} */ { name }) => (LONG.includes(name) ? LONG.indexOf(name) : LONG.length);
const place = (/** @type {{ name: string, folder: string }} */ { name, folder }) => join(folder, name).slice(root.length + 1);
const waiting = built()
  .filter((test) => SEARCHES.includes(place(test)) === searching)
  .sort((a, b) => rank(a) - rank(b));
const none = waiting.length === 0;
/** @type {string[]} */
const failed = [];
await Promise.all(
  Array.from({ length: AT_ONCE }, async () => {
    for (let test = waiting.shift(); test; test = waiting.shift()) failed.push(await run(test));
  }),
);
const told = failed.filter(Boolean);
// Once more at the end, where it is read first.
if (told.length) console.log(`==== failed: ${told.length}\n${told.join('\n')}`);
if (none) console.log('==== failed: no test was found');
process.exitCode = none || told.length ? 1 : 0;
