// A large session: how long 48 stereo tracks of 5 minutes take to come in, two at a time as a page brings them, and what an
// edit takes meanwhile; from play to sound with nothing printed, without racks and with amplifiers on eight of them; the
// memory of server and page. `node e2e/tools/memory.js [tracks] [minutes]`
import { execFileSync } from 'node:child_process';
import { readFileSync, readdirSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { api, bringIn, browser, follow, open, ready, scratch, start } from './program.js';
import { attachRecorder } from './sound.js';

const [tracks, minutes] = [Number(process.argv[2] ?? 48), Number(process.argv[3] ?? 5)];
/** Imports at once, as a page has. */
const AT_ONCE = 2;
/** Tracks with an amplifier. */
const AMPLIFIED = 8;
const folder = scratch();
const server = await start({ data: join(folder.path, 'data'), demo: false });
const say = (/** @type {string} */ words) => console.log(words);
/** Highest memory of the server so far, in MB. */
const highest = () => Number(/VmHWM:\s+(\d+)/.exec(readFileSync(`/proc/${server.pid}/status`, 'utf8'))?.[1]) / 1000;

/** A stereo file of two tones. @param {number} n */
function made(n) {
  const file = join(folder.path, `track ${n}.wav`);
  const tones = ['sine', String(60 + 13 * n), 'sine', String(90 + 17 * n)];
  execFileSync('sox', ['-R', '-n', '-r', '48000', '-c', '2', '-b', '16', file, 'synth', String(minutes * 60), ...tones, 'vol', '0.05']);
  return file;
}

const {
  json: { id },
} = await api(`${server.url}/api/sessions`, { name: 'large', rate: 48000 });
const change = (/** @type {any} */ edit) => api(`${server.url}/api/sessions/${id}/edits`, { version: 0, edit });
const files = Array.from({ length: tracks }, (_, n) => made(n));
let began = performance.now();
let isOver = false;
/** Milliseconds each edit took to be kept while tracks came in. @type {number[]} */
const kept = [];
const works = (async () => {
  for (let n = 0; !isOver; n += 1) {
    const asked = performance.now();
    await change({ edit: 'set-control', strip: 1, control: 'level_db', value: -(n % 10) });
    kept.push(performance.now() - asked);
    await new Promise((resolve) => setTimeout(resolve, 500));
  }
})();
const toCome = files.map((file, n) => ({ file, name: `track ${n}.wav` }));
await Promise.all(
  Array.from({ length: AT_ONCE }, async () => {
    for (let next = toCome.shift(); next; next = toCome.shift()) {
      const done = await bringIn(server.url, id, next.name, readFileSync(next.file));
      if (done.error) throw new Error(done.error);
      rmSync(next.file);
    }
  }),
);
isOver = true;
await works;
say(
  `${tracks} stereo tracks of ${minutes} min imported in ${((performance.now() - began) / 1000).toFixed(0)} s; an edit meanwhile was ` +
    `kept within ${Math.max(...kept).toFixed(0)} ms; the server's memory was at most ${highest().toFixed(0)} MB`,
);
const {
  json: { session },
} = await api(`${server.url}/api/sessions/${id}`, undefined, 'GET');
/** From play to the first sound on the Desk with nothing printed. @param {string} what */
async function pressToSound(what) {
  const prints = join(folder.path, 'data', 'prints');
  for (const file of readdirSync(prints)) rmSync(join(prints, file));
  const { page, close } = await open(b, `${server.url}/sessions/${id}/desk`);
  await ready(page);
  await attachRecorder(page);
  const pressed = performance.now();
  await page.keyboard.press('Space');
  await page.waitForFunction(() => window.heard.some(([left]) => left.some((x) => Math.abs(x) > 1e-4)), undefined, { polling: 10 });
  say(`${what}, nothing printed: sound ${((performance.now() - pressed) / 1000).toFixed(2)} s after play`);
  await close();
}
const b = await browser();
await pressToSound('without racks');
const trackIds = session.strips.filter((/** @type {any} */ s) => s.role !== 'main').map((/** @type {any} */ s) => s.id);
const several = (/** @type {any[]} */ edits) => change({ edit: 'several', edits });
await several(
  trackIds.slice(0, AMPLIFIED).map((/** @type {number} */ strip) => ({ edit: 'add-unit', strip, at: 0, unit: { kind: 'amp' } })),
);
await pressToSound(`amplifiers on ${AMPLIFIED}`);
const unit = { kind: 'compressor', params: { threshold_db: -30 } };
await several(trackIds.map((/** @type {number} */ strip) => ({ edit: 'add-unit', strip, at: 0, unit })));
began = performance.now();
const main = session.strips.at(-1).id;
const {
  json: { job },
} = await api(`${server.url}/api/sessions/${id}/prints`, { strip: main, bits: '24' });
const printed = await follow(server.url, job);
if (printed.error) throw new Error(printed.error);
say(`printed in ${((performance.now() - began) / 1000).toFixed(0)} s; the server's memory was at most ${highest().toFixed(0)} MB`);
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
