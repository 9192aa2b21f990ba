// Prints every strip of every session of the demo and says a hash of each sound: what may change no sound is held to it.
// node e2e/tools/print-hashes.js > before; …; node e2e/tools/print-hashes.js | diff before -
import { createHash } from 'node:crypto';
import { api, follow, scratch, start } from './program.js';

const folder = scratch();
const server = await start({ data: `${folder.path}/data` });
try {
  for (const id of [1, 2]) {
    const {
      json: { session },
    } = await api(`${server.url}/api/sessions/${id}`, undefined, 'GET');
    for (const strip of session.strips) {
      const {
        json: { job },
      } = await api(`${server.url}/api/sessions/${id}/prints`, { strip: strip.id, bits: '32f' });
      const { key } = await follow(server.url, job);
      const sound = await (await fetch(`${server.url}/api/printed/${key}?name=x.wav`)).arrayBuffer();
      process.stdout.write(
        `${createHash('sha256').update(Buffer.from(sound)).digest('hex').slice(0, 24)} ${session.name} / ${strip.name}\n`,
      );
    }
  }
} finally {
  await server.kill();
  folder.remove();
}
