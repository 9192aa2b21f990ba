// @ts-check
/**
 * Long work at the server, followed to its end. All that is waited for is followed by one connection: a browser
 * has six to a server, and what is to be kept or heard must never wait for one behind figures.
 */
import { request } from './api.js';

/** @typedef {(label: string, share: number, cancel: () => void) => void} OnProgress */
/** @typedef {{ onProgress: OnProgress, resolve: (result: any) => void, reject: (error: Error) => void }} Waiting */

/** What is waited for, by job. @type {Map<number, Waiting>} */
const waiting = new Map();
/** @type {EventSource | null} */
let stream = null;
/** The jobs it follows. */
let followed = '';

/** Follows what is waited for now, unless that is what is followed. */
function listen() {
  const wanted = [...waiting.keys()].join(',');
  if (wanted === followed) return;
  followed = wanted;
  stream?.close();
  stream = wanted === '' ? null : new EventSource(`/api/jobs/events?of=${wanted}`);
  if (!stream) return;
  stream.onmessage = (event) => JSON.parse(event.data).forEach(hear);
  stream.onerror = () => {
    const lost = [...waiting.values()];
    waiting.clear();
    listen();
    lost.forEach(({ reject }) => reject(new Error('The server cannot be reached. Start it again; every kept change is safe.')));
  };
}

const cancel = (/** @type {number} */ job) => void request(`/api/jobs/${job}/cancel`).catch(() => {});

/** How one job stands. @param {any} state */
function hear(state) {
  const one = waiting.get(state.job);
  if (!one) return;
  if (state.state === 'running') {
    one.onProgress(state.label, state.share, () => cancel(state.job));
    return;
  }
  waiting.delete(state.job);
  // What ends together is let go together.
  queueMicrotask(listen);
  if (state.state === 'done') one.resolve(state.result);
  else if (state.state === 'cancelled') one.resolve(null);
  else one.reject(new Error(state.error));
}

/**
 * Follows a job to its end.
 * @param {number} job
 * @param {OnProgress} onProgress
 * @returns {Promise<any>} the result; null when cancelled
 */
export function follow(job, onProgress) {
  return new Promise((resolve, reject) => {
    waiting.set(job, { onProgress, resolve, reject });
    queueMicrotask(listen);
  });
}

/**
 * Starts long work and follows it to its end.
 * @param {string} url
 * @param {unknown} body
 * @param {OnProgress} onProgress
 * @returns {Promise<any>} the result; null when cancelled
 */
export async function longWork(url, body, onProgress) {
  const { job } = await request(url, body);
  return follow(job, onProgress);
}

/**
 * Long work of which only what was asked for last matters: what it overtakes is cancelled, so that figures of an
 * older state do not hold up those of the present one.
 * @returns {typeof longWork} what is overtaken resolves to null
 */
export function latestWork() {
  let asked = 0;
  let running = 0;
  return async (url, body, onProgress) => {
    asked += 1;
    const mine = asked;
    if (running) cancel(running);
    running = 0;
    const { job } = await request(url, body);
    if (mine !== asked) {
      cancel(job);
      return null;
    }
    running = job;
    const result = await follow(job, onProgress);
    if (running === job) running = 0;
    return mine === asked ? result : null;
  };
}
