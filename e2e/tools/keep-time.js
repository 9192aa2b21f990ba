// Milliseconds until an edit is kept, thirty of them one after another, while everything is printed and measured anew: run
// by `./zinc bench`.
import { readdirSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { api, browser, open, ready, scratch, start } from './program.js';

const EDITS = 30;
const SESSION = 2;

const folder = scratch();
const server = await start({ data: folder.path });
const b = await browser();
try {
  const { session } = (await api(`${server.url}/api/sessions/${SESSION}`, undefined, 'GET')).json;
  const strip = session.strips.find((/** @type {{ name: string }} */ s) => s.name === 'Cellos').id;
  const prints = join(folder.path, 'prints');
  for (const file of readdirSync(prints)) rmSync(join(prints, file));
  const { page } = await open(b, `${server.url}/sessions/${SESSION}/bench/${strip}`);
  await ready(page);
  const ms = await page.evaluate(async (count) => {
    const { doc } = window.zincRack;
    const unit = doc.find(doc.strip).rack.units[0].id;
    const times = [];
    for (let i = 0; i < count; i += 1) {
      const begun = performance.now();
      await doc.edit({ edit: 'set-param', strip: doc.strip, unit, param: 'trim_db', value: -i / 10 });
      await doc.idle();
      times.push(performance.now() - begun);
    }
    return times.sort((x, y) => x - y);
  }, EDITS);
  console.log(
    `kept while all is printed and measured: half within ${ms[EDITS / 2].toFixed(0)} ms, the longest ${ms[EDITS - 1].toFixed(0)} ms`,
  );
} finally {
  await b.close();
  await server.kill();
  folder.remove();
}
