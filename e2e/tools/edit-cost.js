// How long an edit takes in the page: a session of 48 tracks with twelve units each, one value of one of them.
// node e2e/tools/edit-cost.js
import { api, browser, open, ready, scratch, start } from './program.js';

const [STRIPS, UNITS, EDITS] = [48, 12, 400];
const folder = scratch();
const server = await start({ data: `${folder.path}/data`, demo: false });
const b = await browser();
try {
  const {
    json: { id },
  } = await api(`${server.url}/api/sessions`, { name: 'large', rate: 48000 });
  const bands = Array.from({ length: 8 }, (_, i) => ({ freq_hz: 60 * 2 ** i, gain_db: 1 }));
  const units = Array.from({ length: UNITS }, (_, i) => (i % 2 ? { kind: 'compressor' } : { kind: 'surgical-eq', params: { bands } }));
  for (let n = 0; n < STRIPS; n += 1) {
    const strip = { id: 0, name: `${n}`, family: 'Gt', role: 'bus', feeds: 1, controls: {}, rack: { zinc_rack: 1, units } };
    await api(`${server.url}/api/sessions/${id}/edits`, { version: 0, edit: { edit: 'add-strip', at: n, strip } });
  }
  const { page } = await open(b, `${server.url}/sessions/${id}/desk`);
  await ready(page).catch(() => {});
  await page.waitForFunction(() => window.zincRack);
  const ms = await page.evaluate(async (count) => {
    const { askSession } = await import('/static/js/session/document.js');
    const { doc } = window.zincRack;
    const strip = doc.session.strips[20];
    const unit = strip.rack.units[6];
    const times = [];
    for (let i = 0; i < count; i += 1) {
      const edit = { edit: 'set-param', strip: strip.id, unit: unit.id, param: 'bands[3].gain_db', value: -i / 100 };
      const begun = performance.now();
      doc.put(askSession({ do: 'wait', number: 1_000_000, edit, instead_of: i ? 1_000_000 : null }).parts);
      times.push(performance.now() - begun);
    }
    return times.sort((x, y) => x - y);
  }, EDITS);
  const at = (/** @type {number} */ share) => ms[Math.floor(share * (ms.length - 1))].toFixed(2);
  console.log(
    `one value of ${STRIPS} x ${UNITS} units: half of the edits within ${at(0.5)} ms, 95 % within ${at(0.95)} ms, the longest ${at(1)} ms`,
  );
} finally {
  await b.close();
  await server.kill();
  folder.remove();
}
