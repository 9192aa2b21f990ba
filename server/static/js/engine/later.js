// @ts-check
/**
 * Questions to the core that only a picture waits for: answered beside the page, one after another, and of each picture
 * only the latest. While a hand moves, the page's own thread has nothing to work out.
 */
import { module, onSounds } from './ask.js';

/** @typedef {{ question: Record<string, unknown> & { ask: string }, take: (answer: any) => void }} Waiting */

/** The latest question of each picture, the longest waiting first. @type {Map<object, Waiting>} */
const waiting = new Map();
/** What is being answered. @type {{ of: object, take: Waiting['take'] } | null} */
let asked = null;
/** @type {Worker | null} */
let worker = null;

function start() {
  const made = new Worker('/static/js/engine/drawing.worker.js', { type: 'module' });
  made.postMessage({ module });
  onSounds((message) => made.postMessage(message));
  made.onmessage = ({ data }) => {
    const done = asked;
    asked = null;
    next();
    // What has no answer leaves its picture as it is; that there is nothing is an answer.
    if (done && !data?.error) done.take(data);
  };
  return made;
}

function next() {
  const [first] = waiting;
  if (asked || !first) return;
  const [of, { question, take }] = first;
  waiting.delete(of);
  asked = { of, take };
  worker ??= start();
  worker.postMessage({ question });
}

/**
 * Asks for a picture. A later question of the same picture takes the place of one that still waits.
 * @param {object} of what stands for the picture
 * @param {Waiting['question']} question
 * @param {Waiting['take']} take told the answer
 */
export function askLater(of, question, take) {
  waiting.set(of, { question, take });
  next();
}

/** A picture is gone: what it still waits for is not asked any more. @param {object} of */
export function leave(of) {
  waiting.delete(of);
  if (asked?.of === of) asked.take = () => {};
}
