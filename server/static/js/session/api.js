// @ts-check
/** Requests to the server; every refusal is an Error with the server's sentence. */

/**
 * @param {string} url
 * @param {unknown} [body]
 * @param {string} [method]
 * @returns {Promise<any>}
 */
export async function request(url, body, method = 'POST') {
  const json = body !== undefined && !(body instanceof Blob);
  const response = await fetch(url, {
    method,
    body: json ? JSON.stringify(body) : /** @type {any} */ (body),
    headers: json ? { 'Content-Type': 'application/json' } : {},
  });
  const answer = await response.json();
  if (!response.ok) throw new Refusal(answer.error, answer.code);
  return answer;
}

/** The server understood and said no; trying again will not help. */
export class Refusal extends Error {
  /** @param {string} sentence @param {string} [code] which no it was, where that matters */
  constructor(sentence, code = '') {
    super(sentence);
    this.code = code;
  }
}

/**
 * Starts long work and follows it to its end.
 * @param {string} url
 * @param {unknown} body
 * @param {(label: string, share: number, cancel: () => void) => void} onProgress
 * @returns {Promise<any>} the result; null when cancelled
 */
export async function longWork(url, body, onProgress) {
  const { job } = await request(url, body);
  return follow(job, onProgress);
}

/**
 * Follows a job to its end.
 * @param {number} job
 * @param {(label: string, share: number, cancel: () => void) => void} onProgress
 * @returns {Promise<any>} the result; null when cancelled
 */
export function follow(job, onProgress) {
  const cancel = () => void request(`/api/jobs/${job}/cancel`);
  return new Promise((resolve, reject) => {
    const events = new EventSource(`/api/jobs/${job}/events`);
    events.onmessage = (event) => {
      const state = JSON.parse(event.data);
      if (state.state === 'running') {
        onProgress(state.label, state.share, cancel);
        return;
      }
      events.close();
      if (state.state === 'done') resolve(state.result);
      else if (state.state === 'cancelled') resolve(null);
      else reject(new Error(state.error));
    };
    events.onerror = () => {
      events.close();
      reject(new Error('The server cannot be reached. Start it again; every kept change is safe.'));
    };
  });
}
