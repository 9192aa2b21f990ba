// @ts-check
/**
 * Long work at the server, followed to its end. All that is waited for is followed by one connection: a browser
 * has six to a server, and what is to be kept or heard must never wait for one behind figures.
 */
import { request } from './api.js';

/** @typedef {(label: string, share: number, cancel: () => void) => void} OnProgress */
/** @typedef {{ job: number, state: string, label: string, share: number, result: any, error: string }} Standing */
/** @typedef {{ onProgress: OnProgress, resolve: (ended: Standing) => void, reject: (error: Error) => void }} Waiting */

/** What is waited for, by job. @type {Map<number, Waiting>} */
const waiting = new Map();
/** Jobs that this page has asked to stop. @type {Set<number>} */
const cancelled = new Set();
/** @type {EventSource | null} */
let stream = null;
/** The jobs it follows. */
let followed = '';
/** Times the connection was lost one after another, how often that may be, and the pause after the first, in ms. */
let losses = 0;
const MOST_LOSSES = 4;
const PAUSE_MS = 250;

/** Follows what is waited for now, unless that is what is followed. */
function listen() {
  const wanted = [...waiting.keys()].join(',');
  if (wanted === followed) return;
  followed = wanted;
  stream?.close();
  stream = wanted === '' ? null : new EventSource(`/api/jobs/events?of=${wanted}`);
  if (!stream) return;
  stream.onmessage = (event) => {
    losses = 0;
    JSON.parse(event.data).forEach(hear);
  };
  stream.onerror = lost;
}

/** The connection is lost: it is made again a few times, each after a longer pause, before the work is given up. */
function lost() {
  stream?.close();
  stream = null;
  followed = '';
  losses += 1;
  if (losses <= MOST_LOSSES) {
    setTimeout(listen, PAUSE_MS * 2 ** losses);
    return;
  }
  losses = 0;
  const all = [...waiting.values()];
  waiting.clear();
  all.forEach(({ reject }) => reject(new Error('The server cannot be reached. Start it again; every kept change is safe.')));
}

/** Asks a job to stop. @param {number} job */
export const cancel = (job) => {
  cancelled.add(job);
  void request(`/api/jobs/${job}/cancel`).catch(() => {});
};

/** How one job stands. @param {Standing} state */
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
  if (state.state === 'failed') one.reject(new Error(state.error));
  else one.resolve(state);
}

/**
 * Follows a job until nothing more will happen.
 * @param {number} job
 * @param {OnProgress} onProgress
 * @returns {Promise<Standing>}
 */
function ended(job, onProgress) {
  return new Promise((resolve, reject) => {
    waiting.set(job, { onProgress, resolve, reject });
    queueMicrotask(listen);
  });
}

/**
 * Follows a job to its end.
 * @param {number} job
 * @param {OnProgress} onProgress
 * @returns {Promise<any>} the result; null when cancelled
 */
export async function follow(job, onProgress) {
  const { state, result } = await ended(job, onProgress);
  cancelled.delete(job);
  return state === 'done' ? result : null;
}

/**
 * Starts long work and follows it to its end. Work that was stopped though nobody here asked for it (the server took
 * this page for gone) is started again.
 * @param {string} url
 * @param {unknown} body
 * @param {OnProgress} onProgress
 * @param {(job: number) => void} [begun] told of each job that is started
 * @returns {Promise<any>} the result; null when cancelled
 */
export async function longWork(url, body, onProgress, begun = () => {}) {
  for (;;) {
    const { job } = await request(url, body);
    begun(job);
    const { state, result } = await ended(job, onProgress);
    const asked = cancelled.delete(job);
    if (state === 'done') return result;
    if (asked) return null;
  }
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
    let own = 0;
    const result = await longWork(url, body, onProgress, (job) => {
      own = job;
      if (mine === asked) running = job;
      else cancel(job);
    });
    if (running === own) running = 0;
    return mine === asked ? result : null;
  };
}
