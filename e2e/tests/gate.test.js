// What comes slowly, too often, or past the gate: it takes nothing from anybody else.
import assert from 'node:assert/strict';
import { readFileSync, readdirSync, readlinkSync } from 'node:fs';
import { request } from 'node:http';
import { connect } from 'node:net';
import { after, before, describe, test } from 'node:test';
import { scratch, start } from '../tools/program.js';

const folder = scratch();
/** @type {Awaited<ReturnType<typeof start>>} */
let server;
before(async () => {
  server = await start({ data: folder.path, demo: false });
});
after(async () => {
  await server.kill();
  folder.remove();
});

/**
 * Opens a connection and says something on it: what is answered until it is closed.
 * @param {string} words
 * @param {{ localAddress?: string }} [options]
 */
function say(words, options = {}) {
  let heard = '';
  const socket = connect({ host: '127.0.0.1', port: server.port, ...options });
  const closed = new Promise((resolve) => socket.on('close', () => resolve(heard)));
  socket.on('data', (text) => (heard += text)).on('error', () => {});
  socket.write(words);
  return { socket, closed: /** @type {Promise<string>} */ (closed) };
}

/**
 * Status of the list of sounds, asked from an address of this machine on a connection of its own.
 * @param {string} localAddress
 * @param {Record<string, string>} [headers]
 * @returns {Promise<number>}
 */
const asked = (localAddress, headers = {}) =>
  new Promise((resolve, reject) => {
    const options = { localAddress, headers, agent: false };
    const sent = request(`${server.url}/api/sounds`, options, (answer) => resolve(answer.resume().statusCode ?? 0));
    sent.on('error', reject).end();
  });

// Side by side: each is half a minute or more of waiting, and of an address of its own.
describe('what comes slowly', { concurrency: true }, () => {
  test('of 700 connections that say nothing whole a hundred stay, for half a minute; others are answered meanwhile', async () => {
    const half = 'GET / HTTP/1.1\r\nHost: 127.0.0.1\r\nX-Slow: ';
    const all = Array.from({ length: 700 }, () => say(half));
    const began = Date.now();
    // All that are turned away are told why.
    const told = await Promise.all(all.slice(100).map(({ closed }) => closed));
    assert.ok(Date.now() - began < 20_000, 'at once');
    assert.ok(
      told.every((words) => /^HTTP\/1\.1 503 /.test(words) && /Too many connections/.test(words)),
      told.find((words) => !words.includes('503')),
    );
    const open = all.filter(({ socket }) => !socket.destroyed);
    assert.equal(open.length, 100);
    assert.equal(await asked('127.0.0.2'), 200, 'another address has its own');
    // However they go on, byte by byte.
    const drip = setInterval(() => open.forEach(({ socket }) => socket.write('a')), 1000);
    await Promise.all(open.map(({ closed }) => closed));
    clearInterval(drip);
    assert.ok(Date.now() - began > 25_000, 'nobody is hurried');
    assert.equal(await asked('127.0.0.1'), 200, 'their places are free again');
  });

  test('a body that comes too slowly is given up in words, and leaves nothing', async () => {
    const head = (/** @type {string} */ path) =>
      `POST ${path} HTTP/1.1\r\nHost: 127.0.0.1:${server.port}\r\nContent-Type: application/json\r\nContent-Length: 100000\r\n\r\n`;
    const from = { localAddress: '127.0.0.3' };
    const slow = [say(`${head('/api/sessions')}{`, from), say(`${head('/api/sounds?name=slow.wav')}RIFF`, from)];
    const drip = setInterval(() => slow.forEach(({ socket }) => socket.write('a')), 500);
    const answers = await Promise.all(slow.map(({ closed }) => closed));
    clearInterval(drip);
    for (const words of answers) {
      assert.match(words, /^HTTP\/1\.1 408 /);
      assert.match(words, /came too slowly and was given up; nothing was changed/);
    }
    for (const kept of ['temporary', 'audio']) assert.deepEqual(readdirSync(`${folder.path}/${kept}`), [], 'nothing half is left');
  });
});

test('requests on one connection, in a row and ahead of their answers, are answered in their order', async () => {
  const ask = (/** @type {string} */ path, more = '') => `GET ${path} HTTP/1.1\r\nHost: 127.0.0.1:${server.port}\r\n${more}\r\n`;
  const { closed } = say(ask('/api/sounds') + ask('/api/nowhere') + ask('/api/sounds', 'Connection: close\r\n'));
  assert.deepEqual(
    [...(await closed).matchAll(/HTTP\/1\.1 (\d+)/g)].map(([, status]) => status),
    ['200', '404', '200'],
  );
  // What is for a way through this machine is for nobody.
  const through = await say('CONNECT elsewhere.example:443 HTTP/1.1\r\nHost: elsewhere.example:443\r\n\r\n').closed;
  assert.match(through, /^HTTP\/1\.1 405 /);
  assert.match(await say('GET  HTTP nothing\r\n\r\n').closed, /^HTTP\/1\.1 400 /);
});

/** Ports on which a process listens: of its files those that the system lists so. @param {number} pid */
function listening(pid) {
  const own = readdirSync(`/proc/${pid}/fd`).map((file) => {
    try {
      return readlinkSync(`/proc/${pid}/fd/${file}`);
    } catch {
      return '';
    }
  });
  const rows = readFileSync(`/proc/${pid}/net/tcp`, 'utf8').split('\n').slice(1);
  const fields = rows.map((row) => row.trim().split(/\s+/));
  const isListening = ([, , , state, , , , , , inode]) => state === '0A' && own.includes(`socket:[${inode}]`);
  return fields.filter(isListening).map(([, address]) => parseInt(address.split(':')[1], 16));
}

test('past the gate nobody gets in, whatever he says of himself', async () => {
  const inner = listening(/** @type {number} */ (server.pid)).filter((port) => port !== server.port);
  assert.equal(inner.length, 1);
  const past = await fetch(`http://127.0.0.1:${inner[0]}/api/sounds`, { headers: { 'X-Real-IP': '127.0.0.1', 'X-Asked-From': '::1' } });
  assert.equal(past.status, 403);
});
