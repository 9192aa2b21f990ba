// Storms: kills, broken files, broken edits, several windows at once, again and again, each time by other chance; prints what was
// tried and what was lost. `./zinc storm --minutes 30`, or once more what was found: `ZINC_SEED=… ./zinc storm --minutes 1`
import { join } from 'node:path';
import { parseArgs } from 'node:util';
import { dice, seeded } from './dice.js';
import { api, bringIn, scratch, start } from './program.js';
import { wavBytes } from './sound.js';
import { clients } from './storm-clients.js';
import { mutatedEdits } from './storm-edits.js';
import { mutatedFiles } from './storm-files.js';
import { kills } from './storm-kills.js';

/** Windows at once. */
const WINDOWS = 3;

/**
 * All four storms in a folder of its own.
 * @param {number} seed @param {{ kills: number, files: number, edits: number, each: number }} many kills, broken files of a
 * format, broken edits, and edits of each window
 */
export async function storm(seed, many) {
  const folder = scratch();
  const data = join(folder.path, 'data');
  const chance = dice(seed);
  try {
    let server = await start({ data, demo: false });
    const id = (await api(`${server.url}/api/sessions`, { name: 'storm', rate: 48000 })).json.id;
    const tone = Float32Array.from({ length: 9600 }, (_, i) => 0.2 * Math.sin(i * 0.03));
    const { strip } = await bringIn(server.url, id, 'tone.wav', wavBytes(48000, [tone]));
    const change = (/** @type {any} */ edit) => api(`${server.url}/api/sessions/${id}/edits`, { version: 0, edit });
    const units = [{ kind: 'surgical-eq', params: { bands: [{}, {}] } }, ...Array.from({ length: WINDOWS }, () => ({ kind: 'width' }))];
    await change({ edit: 'replace-rack', strip, rack: { zinc_rack: 1, units } });
    await change({ edit: 'add-strip', at: 1, strip: { ...(await asBus(server.url, id)), id: 0 } });
    const found = {
      'broken edits': await mutatedEdits(server.url, id, many.edits, chance),
      'three windows': await clients(server.url, id, WINDOWS, many.each, chance),
      'broken files': await mutatedFiles(server.url, id, folder.path, many.files, chance),
    };
    await server.kill();
    server = await start({ data, demo: false });
    await server.kill();
    return { ...found, kills: await kills(data, many.kills, chance) };
  } finally {
    folder.remove();
  }
}

/** A bus as it is written down, from the main. @param {string} url @param {number} id */
async function asBus(url, id) {
  const { session } = (await api(`${url}/api/sessions/${id}`, undefined, 'GET')).json;
  const main = session.strips.at(-1);
  return { ...main, name: 'Bus', role: 'bus', feeds: main.id };
}

/** @param {Awaited<ReturnType<typeof storm>>} found @param {(words: string) => void} say @returns {string[]} faults */
export function report(found, say) {
  for (const [what, { tried, kept, refused, faults }] of Object.entries(found)) {
    say(`${what}: ${tried} tried, ${kept} kept, ${refused} refused, ${faults.length} faults`);
    faults.slice(0, 20).forEach((fault) => say(`  ${fault}`));
  }
  return Object.values(found).flatMap(({ faults }) => faults);
}

if (process.argv[1]?.endsWith('storm.js')) {
  const { values } = parseArgs({ options: { minutes: { type: 'string', default: '10' } } });
  const until = Date.now() + 60_000 * Number(values.minutes);
  let seed = seeded();
  let faults = 0;
  do {
    console.log(`seed ${seed}`);
    faults += report(await storm(seed, { kills: 20, files: 200, edits: 1000, each: 100 }), console.log).length;
    seed += 1;
  } while (Date.now() < until);
  console.log(faults === 0 ? 'Nothing was lost.' : `${faults} faults.`);
  process.exitCode = faults === 0 ? 0 : 1;
}
