// @ts-check
/** Requests to the server; every refusal is an Error with the server's sentence. */

/** Answers that say "not now" though they are below 500: too slow, too many. */
const NOT_NOW = [408, 425, 429];

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
  if (response.ok) return answer;
  // A fault or a busy server passes: only what was understood and refused is a refusal.
  const isPassing = response.status >= 500 || NOT_NOW.includes(response.status);
  throw isPassing ? new Fault(answer.error) : new Refusal(answer.error, answer.code);
}

/** The server met a fault or was too busy; trying again may help. */
export class Fault extends Error {}

/** The server understood and said no; trying again will not help. */
export class Refusal extends Error {
  /** @param {string} sentence @param {string} [code] which no it was, where that matters */
  constructor(sentence, code = '') {
    super(sentence);
    this.code = code;
  }
}
