// What a large session takes: memory of the server while 48 stereo tracks of 5 minutes
// come in and are printed, memory of the page playing them, and the time from opening
// the page to sound. `node e2e/tools/memory.js [tracks] [minutes]`
import { execFileSync } from 'node:child_process';
import { readFileSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { api, bringIn, browser, follow, scratch, start } from './program.js';

const [tracks, minutes] = [Number(process.argv[2] ?? 48), Number(process.argv[3] ?? 5)];
const folder = scratch();
const server = await start({ data: join(folder.path, 'data'), demo: false });
const say = (/** @type {string} */ words) => console.log(words);
/** Highest memory of the server so far, in MB. */
const highest = () => Number(/VmHWM:\s+(\d+)/.exec(readFileSync(`/proc/${server.pid}/status`, 'utf8'))?.[1]) / 1000;

const {
  json: { id },
} = await api(`${server.url}/api/sessions`, { name: 'large', rate: 48000 });
let began = performance.now();
for (let n = 0; n < tracks; n += 1) {
  const file = join(folder.path, 'track.wav');
  execFileSync('sox', [
    '-R',
    '-n',
    '-r',
    '48000',
    '-c',
    '2',
    '-b',
    '16',
    file,
    'synth',
    String(minutes * 60),
    'sine',
    String(60 + 13 * n),
    'sine',
    String(90 + 17 * n),
    'vol',
    '0.05',
  ]);
  const done = await bringIn(server.url, id, `track ${n}.wav`, readFileSync(file));
  if (done.error) throw new Error(done.error);
  rmSync(file);
}
say(
  `${tracks} stereo tracks of ${minutes} min imported in ` +
    `${((performance.now() - began) / 1000).toFixed(0)} s; the server's memory was at most ${highest().toFixed(0)} MB`,
);
const {
  json: { session },
} = await api(`${server.url}/api/sessions/${id}`, undefined, 'GET');
const unit = { kind: 'compressor', params: { threshold_db: -30 } };
await api(`${server.url}/api/sessions/${id}/edits`, {
  version: 0,
  edit: { edit: 'several', edits: session.strips.map((/** @type {any} */ s) => ({ edit: 'add-unit', strip: s.id, at: 0, unit })) },
});
began = performance.now();
const main = session.strips.at(-1).id;
const {
  json: { job },
} = await api(`${server.url}/api/sessions/${id}/prints`, { strip: main, bits: '24' });
const printed = await follow(server.url, job);
if (printed.error) throw new Error(printed.error);
say(`printed in ${((performance.now() - began) / 1000).toFixed(0)} s; the server's memory was at most ${highest().toFixed(0)} MB`);
const b = await browser();
// A page the test library does not attach to: its record of what was fetched would count as the tab's memory.
const control = await b.newBrowserCDPSession();
const { targetId } = await control.send('Target.createTarget', { url: 'about:blank' });
const { sessionId } = await control.send('Target.attachToTarget', { targetId, flatten: false });
let asked = 0;
/** @type {Map<number, (value: any) => void>} */
const waiting = new Map();
control.on('Target.receivedMessageFromTarget', ({ message }) => {
  const { id: answered, result } = JSON.parse(message);
  waiting.get(answered)?.(result);
});
/** @param {string} method @param {object} params @returns {Promise<any>} */
const tell = (method, params) =>
  new Promise((resolve) => {
    asked += 1;
    waiting.set(asked, resolve);
    void control.send('Target.sendMessageToTarget', { sessionId, message: JSON.stringify({ id: asked, method, params }) });
  });
/** @param {string} expression */
const until = async (expression) => {
  for (;;) {
    const { result } = await tell('Runtime.evaluate', { expression: `Boolean(${expression})`, returnByValue: true });
    if (result?.value === true) return;
    await new Promise((resolve) => setTimeout(resolve, 20));
  }
};
began = performance.now();
await tell('Page.navigate', { url: `${server.url}/sessions/${id}/desk` });
await until("document.querySelector('#play[data-ready]')");
await tell('Runtime.evaluate', { expression: "document.getElementById('play').click()" });
await until('window.zincRack?.host.position > 0');
say(`playing ${((performance.now() - began) / 1000).toFixed(2)} s after the page was opened`);
await new Promise((resolve) => setTimeout(resolve, 20_000));
const { processInfo } = await control.send('SystemInfo.getProcessInfo');
const resident = processInfo
  .filter((p) => p.type === 'renderer')
  .map((p) => Number(/VmRSS:\s+(\d+)/.exec(readFileSync(`/proc/${p.id}/status`, 'utf8'))?.[1]) / 1000);
say(`the tab took ${Math.max(...resident).toFixed(0)} MB after 20 s of playing`);
await b.close();
await server.kill();
folder.remove();
