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
