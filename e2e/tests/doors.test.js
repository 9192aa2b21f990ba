// Who gets in: by which address, from which page, and with which passphrase.
import assert from 'node:assert/strict';
import { spawn } from 'node:child_process';
import { request } from 'node:http';
import { join } from 'node:path';
import { after, test } from 'node:test';
import { binary, browser, open, scratch, start } from '../tools/program.js';

const folder = scratch();
/** @type {import('node:child_process').ChildProcess[]} */
const started = [];
after(() => {
  started.forEach((child) => child.kill());
  folder.remove();
});
let count = 0;

/** Starts a server without sessions; what it has printed once it answers. @param {...string} args */
async function serve(...args) {
  count += 1;
  const child = spawn(binary, ['serve', '--data', join(folder.path, `data ${count}`), ...args], { stdio: 'pipe' });
  started.push(child);
  // What lets others in says more, at last where they need https.
  const last = args.some((arg) => arg === '0.0.0.0' || arg === '--proxied') ? 'https' : 'Ctrl+C';
  let said = '';
  let refused = '';
  child.stderr.on('data', (text) => (refused += text));
  await new Promise((resolve, reject) => {
    child.stdout.on('data', (text) => {
      said += text;
      if (said.includes(last) && said.endsWith('\n')) resolve(undefined);
    });
    child.on('exit', () => reject(new Error(refused)));
  });
  const ended = new Promise((resolve) => child.on('exit', resolve));
  const stop = async () => {
    child.kill();
    await ended;
  };
  const url = /** @type {RegExpMatchArray} */ (said.match(/at (http:\S+)\//))[1];
  return { said, url, stop };
}

/**
 * Status of an answer; asked without a browser's own headers.
 * @param {string} url
 * @param {Record<string, string>} [headers]
 * @returns {Promise<number>}
 */
const status = (url, headers = {}, method = 'GET') =>
  new Promise((resolve, reject) => {
    const asked = request(url, { headers, method }, (answer) => resolve(answer.resume().statusCode ?? 0));
    asked.on('error', reject).end();
  });

test('any free port, the usual port and an address of version 6 are printed as they are answered', async () => {
  for (const args of [
    ['--port', '0'],
    ['--port', '0', '--bind', '::1'],
    ['--port', '80'],
  ]) {
    const server = await serve(...args).catch((error) => {
      // Only those who may have it have the usual port.
      assert.ok(args[1] === '80' && /may not do that|another program/.test(error.message), `${args}: ${error.message}`);
    });
    if (!server) continue;
    assert.doesNotMatch(server.url, /:0$/);
    // As a browser says it, which leaves the usual port out; so does the client here.
    assert.equal(await status(`${server.url}/`), 200, server.url);
    assert.equal(await status(`${server.url}/api/sounds`, { Origin: server.url.replace(/:80$/, '') }), 200, server.url);
    assert.doesNotMatch(server.said, /passphrase/, 'it is alone');
    await server.stop();
  }
});

test('a page of another site may lead here and have nothing worked out', async () => {
  const server = await serve('--port', '0');
  const from = (/** @type {Record<string, string>} */ headers, method = 'GET') => status(`${server.url}/`, headers, method);
  for (const site of ['cross-site', 'same-site']) {
    assert.equal(await from({ 'Sec-Fetch-Site': site, 'Sec-Fetch-Mode': 'no-cors' }), 403, site);
    assert.equal(await from({ 'Sec-Fetch-Site': site, 'Sec-Fetch-Mode': 'navigate' }, 'POST'), 403, site);
    assert.equal(await from({ 'Sec-Fetch-Site': site, 'Sec-Fetch-Mode': 'navigate' }), 200, site);
  }
  assert.equal(await from({ 'Sec-Fetch-Site': 'same-origin', 'Sec-Fetch-Mode': 'cors' }), 200);
  const { headers } = await fetch(`${server.url}/api/sounds`);
  assert.equal(headers.get('cross-origin-opener-policy'), 'same-origin');
  assert.equal(headers.get('cross-origin-resource-policy'), 'same-origin');
  await server.stop();
});

test('on a network nothing but the question is served before the passphrase, and guesses have to wait', async () => {
  const server = await serve('--port', '0', '--bind', '0.0.0.0');
  const [, key] = /** @type {RegExpMatchArray} */ (server.said.match(/passphrase is (\S+)/));
  assert.match(server.said, /docs\/security\.md/);
  for (const path of ['/', '/api/sounds', '/static/js/early.js', '/static/engine/zinc_engine.wasm', '/refused', '/nowhere']) {
    assert.equal(await status(server.url + path), 401, path);
  }
  const posted = await fetch(`${server.url}/api/sessions`, { method: 'POST' });
  assert.deepEqual([posted.status, /passphrase/.test((await posted.json()).error)], [401, true]);
  const b = await browser();
  // Typed, from an address of this machine that others could have.
  const outside = server.said.match(/from other machines: (\S+)enter/)?.[1] ?? `${server.url}/`;
  const { page, close } = await open(b, outside);
  await page.getByLabel('Passphrase').fill('not this one');
  await page.getByRole('button', { name: 'Log in' }).click();
  await page.getByText('Wrong passphrase').waitFor();
  await page.getByLabel('Passphrase').fill(key.toUpperCase().replaceAll('-', ' '));
  await page.getByRole('button', { name: 'Log in' }).click();
  await page.getByRole('heading', { name: 'Sessions' }).first().waitFor();
  assert.equal(await page.evaluate(() => document.cookie), '', 'no script reads it');
  await page.reload();
  await page.getByRole('heading', { name: 'Sessions' }).first().waitFor();
  await close();
  // By the address that is printed.
  const asked = await fetch(`${server.url}/enter?key=${key}`, { redirect: 'manual' });
  const cookie = asked.headers.get('set-cookie') ?? '';
  assert.match(cookie, /HttpOnly/i);
  assert.doesNotMatch(cookie, new RegExp(key), 'the browser never holds the passphrase');
  assert.equal(await status(`${server.url}/api/sounds`, { Cookie: cookie.split(';')[0] }), 200);
  // One after another from one address.
  const tries = [];
  for (let n = 0; n < 7; n += 1) {
    // Whatever it says of where it comes from.
    const forged = { 'X-Real-IP': `10.0.0.${n}`, 'X-Forwarded-For': `10.0.0.${n}`, Forwarded: `for=10.0.0.${n}` };
    tries.push(await status(`${server.url}/enter?key=guess${n}`, forged));
  }
  assert.deepEqual(tries, [401, 401, 401, 401, 401, 429, 429]);
  assert.equal(await status(`${server.url}/enter?key=${key}`), 429, 'also the right one');
  await b.close();
  await server.stop();
});

test('what is behind a proxy answers to its name and asks for the passphrase', async () => {
  const server = await serve('--port', '0', '--proxied', 'mix.example');
  const asks = (/** @type {Record<string, string>} */ headers) => status(`${server.url}/`, headers);
  assert.equal(await asks({ Host: 'mix.example', Origin: 'https://mix.example' }), 401);
  assert.equal(await asks({ Host: 'other.example' }), 403);
  assert.equal(await asks({ Host: 'mix.example', Origin: 'https://other.example' }), 403);
  assert.match(server.said, /with it: https:\/\/mix\.example\/enter\?key=/);
  await server.stop();
});

test('a sound is given whole, in part and from its end, as the standard has it', async () => {
  const data = join(folder.path, 'demo');
  const server = await start({ data, bars: 2 });
  const { session } = await (await fetch(`${server.url}/api/sessions/1`)).json();
  const { hash, frames, channels } = session.strips[0].audio;
  const total = frames * channels * 4;
  const asks = (/** @type {string} */ range) => fetch(`${server.url}/api/audio/${hash}`, range ? { headers: { Range: range } } : {});
  const whole = await asks('');
  const bytes = Buffer.from(await whole.arrayBuffer());
  assert.deepEqual([whole.status, bytes.length], [200, total]);
  const several = await asks('bytes=0-3,8-11');
  assert.deepEqual([several.status, (await several.arrayBuffer()).byteLength], [200, total]);
  const last = await asks('bytes=-100');
  assert.deepEqual([last.status, last.headers.get('content-range')], [206, `bytes ${total - 100}-${total - 1}/${total}`]);
  assert.ok(Buffer.from(await last.arrayBuffer()).equals(bytes.subarray(-100)));
  const part = await asks('bytes=40-79');
  assert.ok(part.status === 206 && Buffer.from(await part.arrayBuffer()).equals(bytes.subarray(40, 80)));
  const beyond = await asks(`bytes=${total}-`);
  assert.deepEqual([beyond.status, beyond.headers.get('content-range')], [416, `bytes */${total}`]);
  await server.kill();
});
