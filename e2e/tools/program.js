// Starts the real program and a real browser for tests and pictures.
import { spawn, spawnSync } from 'node:child_process';
import { mkdtempSync, rmSync } from 'node:fs';
import { createServer } from 'node:net';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { chromium } from 'playwright-core';

export const root = join(dirname(fileURLToPath(import.meta.url)), '../..');
/** Which build is driven: `./zinc test` drives the one with its own assertions. */
export const binary = join(root, 'target', process.env.ZINC_PROFILE ?? 'release', 'zinc-rack');

/** A folder of its own, removed at the end. */
export function scratch() {
  const path = mkdtempSync(join(tmpdir(), 'zinc-'));
  return { path, remove: () => rmSync(path, { recursive: true, force: true }) };
}

/** @returns {Promise<number>} a port nobody uses */
export function freePort() {
  return new Promise((resolve) => {
    const probe = createServer();
    probe.listen(0, '127.0.0.1', () => {
      const { port } = /** @type {import('node:net').AddressInfo} */ (probe.address());
      probe.close(() => resolve(port));
    });
  });
}

/** Runs one command to its end. @param {...string} args */
export function run(...args) {
  const { status, stdout, stderr } = spawnSync(binary, args, { encoding: 'utf8', maxBuffer: 1 << 28 });
  return { status, stdout, stderr };
}

/**
 * Starts the server, and waits until it is there and, unless it need not be whole, all of its demo.
 * @param {{ data: string, demo?: boolean, bars?: number, whole?: boolean, port?: number }} options `bars`: of the demo
 * song, where it is made
 */
export async function start({ data, demo = true, bars, whole = true, port }) {
  const chosen = port ?? (await freePort());
  const args = [demo ? 'demo' : 'serve', '--data', data, '--port', String(chosen), ...(bars ? ['--bars', String(bars)] : [])];
  const child = spawn(binary, args, { stdio: 'pipe' });
  const url = `http://127.0.0.1:${chosen}`;
  // The demo is made while it is served.
  const awaited = [url, ...(demo && whole ? ['Four recordings'] : [])];
  let said = '';
  await new Promise((resolve, reject) => {
    child.stdout.on('data', (text) => {
      said += text;
      if (awaited.every((words) => said.includes(words))) resolve(undefined);
    });
    child.on('exit', (code) => reject(new Error(`the server ended with ${code}`)));
  });
  const ended = new Promise((resolve) => child.on('exit', resolve));
  return {
    url,
    pid: child.pid,
    port: chosen,
    kill: async (/** @type {NodeJS.Signals} */ signal = 'SIGTERM') => {
      child.kill(signal);
      await ended;
    },
  };
}

/** A headless browser that may play without a click. */
export function browser() {
  return chromium.launch({
    executablePath: '/usr/bin/chromium',
    args: [
      '--no-sandbox',
      '--disable-gpu',
      '--disable-quic',
      '--no-first-run',
      '--disable-background-networking',
      '--disable-component-update',
      '--disable-sync',
      '--autoplay-policy=no-user-gesture-required',
    ],
  });
}

/** What waits for a page waits so long: a machine whose cores are lent elsewhere is several times slower. */
const PATIENCE_MS = 240_000;

/**
 * A window of its own, patient. @param {import('playwright-core').Browser} b
 * @param {import('playwright-core').BrowserContextOptions} options
 */
export async function patient(b, options) {
  const context = await b.newContext(options);
  context.setDefaultTimeout(PATIENCE_MS);
  return context;
}

/**
 * A page at 1280x800 whose faults are collected.
 * @param {import('playwright-core').Browser} b
 * @param {string} url
 */
export async function open(b, url) {
  const context = await patient(b, { viewport: { width: 1280, height: 800 }, bypassCSP: true, acceptDownloads: true });
  const page = await context.newPage();
  /** @type {string[]} */
  const faults = [];
  page.on('pageerror', (error) => faults.push(error.message));
  page.on('console', (message) => {
    if (message.type() === 'error') faults.push(message.text());
  });
  await page.goto(url);
  return { page, faults, close: () => context.close() };
}

/** Waits until the page can play. @param {import('playwright-core').Page} page */
export async function ready(page) {
  await page.waitForSelector('#play[data-ready]');
}

/** Resolves once a page plays the newest mix and all of it is printed. @param {import('playwright-core').Page} page */
export const allPrinted = (page) => page.waitForFunction(() => window.zincRack?.printing.isOver && !window.zincRack.host.changing);

/** Resolves once the server has every change of a page. @param {import('playwright-core').Page} page */
export const kept = (page) => page.waitForFunction(() => !window.zincRack?.doc.isKeeping);

/**
 * Resolves once the server has every change of every page that is open: what is asserted of a document is not what it
 * was a moment before the page's last change.
 * @param {import('playwright-core').Browser | null} b
 */
export async function allKept(b) {
  for (const page of b?.contexts().flatMap((context) => context.pages()) ?? []) await kept(page);
}

/** @param {string} url @param {unknown} [body] @param {string} [method] */
export async function api(url, body, method = 'POST') {
  const response = await fetch(url, {
    method,
    body: body === undefined ? undefined : JSON.stringify(body),
    headers: body === undefined ? {} : { 'Content-Type': 'application/json' },
  });
  return { status: response.status, json: await response.json() };
}

/**
 * Brings one file into a session and waits until it is read.
 * @param {string} url
 * @param {number} session
 * @param {string} name
 * @param {BodyInit} body
 * @returns {Promise<any>} what became of it, or `{ error }`
 */
export async function bringIn(url, session, name, body) {
  const made = await fetch(`${url}/api/sessions/${session}/files?name=${encodeURIComponent(name)}`, { method: 'POST', body });
  const answer = await made.json();
  return answer.job ? follow(url, answer.job) : answer;
}

/**
 * Waits for a job to end; its result, or `{ error }`.
 * @param {string} url
 * @param {number} job
 * @returns {Promise<any>}
 */
export async function follow(url, job) {
  for (;;) {
    const { json } = await api(`${url}/api/jobs/${job}`, undefined, 'GET');
    if (json.state === 'done') return json.result;
    if (json.state !== 'running') return { error: json.error ?? json.state };
    await new Promise((resolve) => setTimeout(resolve, 30));
  }
}

/** Where something is drawn. @param {import('playwright-core').Locator} of */
export async function boxOf(of) {
  const box = await of.boundingBox();
  if (!box) throw new Error('it is not drawn');
  return box;
}
