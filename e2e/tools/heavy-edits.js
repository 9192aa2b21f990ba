// The heaviest that one request can ask of a session: how long each takes, and the server's memory. Nothing a request of 1 MiB
// asks for is to take over 5 s or 200 MB. `node e2e/tools/heavy-edits.js`
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { api, scratch, start } from './program.js';

/** As many as a session has. */
const STRIPS = 500;
/** As many as a step has. */
const TOGETHER = 2000;
const folder = scratch();
const server = await start({ data: join(folder.path, 'data'), demo: false });
const id = await made('heavy');
const other = await made('other');

/** @param {string} name */
async function made(name) {
  return (await api(`${server.url}/api/sessions`, { name, rate: 48000 })).json.id;
}
const memory = () => Number(/VmHWM:\s+(\d+)/.exec(readFileSync(`/proc/${server.pid}/status`, 'utf8'))?.[1]) / 1000;

/** @param {string} what @param {string} path @param {any} [body] @param {string} [method] */
async function timed(what, path, body, method) {
  const began = performance.now();
  const { status, json } = await api(`${server.url}/api/sessions/${path}`, body, method);
  const took = (performance.now() - began).toFixed(0);
  console.log(
    `${what}: ${status} in ${took} ms, memory so far ${memory().toFixed(0)} MB${json.error ? ` (${json.error.slice(0, 90)})` : ''}`,
  );
  return json;
}
/** @param {string} what @param {any} edit */
const edit = (what, edit) => timed(what, `${id}/edits`, { version: 0, edit });
/** @param {string} what */
const undo = (what) => timed(what, `${id}/undo`, { version: 0 });
/** @param {number} length @param {(n: number) => any} one */
const several = (length, one) => ({ edit: 'several', edits: Array.from({ length }, (_, n) => one(n)) });

const main = (await api(`${server.url}/api/sessions/${id}`, undefined, 'GET')).json.session.strips.at(-1);
const bus = (/** @type {number} */ n) => ({
  edit: 'add-strip',
  at: 0,
  strip: { ...main, id: 0, name: `Bus ${n}`, role: 'bus', feeds: main.id },
});
await edit(`${2 * STRIPS} buses`, several(2 * STRIPS, bus));
const waits = edit(`${STRIPS} buses`, several(STRIPS, bus));
await timed('an edit of another session meanwhile', `${other}/edits`, {
  version: 0,
  edit: { edit: 'set-tempo', tempo_bpm: 99, beats_per_bar: 4 },
});
await waits;
const { session } = (await api(`${server.url}/api/sessions/${id}`, undefined, 'GET')).json;
const strips = session.strips.map((/** @type {any} */ s) => s.id).filter((/** @type {number} */ of) => of !== main.id);
const points = Array.from({ length: 4000 }, (_, i) => ({ at: i * 1000, value: -(i % 20) }));
for (let n = 0; n < 12; n += 1) await edit('a lane of 4000', { edit: 'set-lane', strip: strips[n], unit: 0, param: 'level_db', points });
await edit('points on beats', { edit: 'set-points-on', beats: true });
const tempo = (/** @type {number} */ n) => ({ edit: 'set-tempo', tempo_bpm: 60 + n / 10, beats_per_bar: 4 });
for (const many of [160, TOGETHER]) {
  await edit(`${many} tempi over twelve lanes`, several(many, tempo));
  await undo('its undo');
}
const unit = { kind: 'compressor' };
await edit(
  `${TOGETHER} units`,
  several(TOGETHER, (n) => ({ edit: 'add-unit', strip: strips[n % 450], at: 0, unit })),
);
await undo('its undo');
await timed('its redo', `${id}/redo`, { version: 0 });
const level = (/** @type {number} */ n) => ({ edit: 'set-control', strip: strips[n % STRIPS], control: 'level_db', value: -n / 100 });
await edit(`${TOGETHER} faders`, several(TOGETHER, level));
await edit(
  `${STRIPS} strips go`,
  several(STRIPS, (n) => ({ edit: 'remove-strip', strip: strips.at(-1 - n) })),
);
await undo('its undo');
await edit('one fader of all that', level(1));
await timed('all of it is read', `${id}`, undefined, 'GET');
await server.kill();
folder.remove();
