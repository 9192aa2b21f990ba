// Prints a digest of the sources the engine module is built from.
import { createHash } from 'node:crypto';
import { readFileSync, readdirSync } from 'node:fs';
import { dirname, join, relative } from 'node:path';
import { fileURLToPath } from 'node:url';

const root = join(dirname(fileURLToPath(import.meta.url)), '../..');

/** @param {string} folder @returns {string[]} */
function files(folder) {
  return readdirSync(folder, { withFileTypes: true }).flatMap((entry) => {
    const path = join(folder, entry.name);
    return entry.isDirectory() ? files(path) : [path];
  });
}

export function engineDigest() {
  const sources = [
    ...files(join(root, 'fourier/src')),
    ...files(join(root, 'core/src')),
    ...files(join(root, 'engine/src')),
    join(root, 'fourier/Cargo.toml'),
    join(root, 'core/Cargo.toml'),
    join(root, 'engine/Cargo.toml'),
    join(root, 'Cargo.toml'),
  ];
  const hash = createHash('sha256');
  for (const file of sources.sort()) hash.update(`${relative(root, file)}\n`).update(readFileSync(file));
  return hash.digest('hex');
}

if (process.argv[1] === fileURLToPath(import.meta.url)) console.log(engineDigest());
