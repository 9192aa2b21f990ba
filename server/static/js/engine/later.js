// @ts-check
/**
 * Questions to the core that only a picture waits for: answered beside the page, one after another, and of each picture
 * only the latest. While a hand moves, the page's own thread has nothing to work out.
 */
import { module, onSounds } from './ask.js';
import { Latest } from './latest.js';

/** @type {Worker | null} */
let worker = null;

function start() {
  const made = new Worker('/static/js/engine/drawing.worker.js', { type: 'module' });
  made.postMessage({ module });
  onSounds((message) => made.postMessage(message));
  made.onmessage = ({ data }) => latest.answered(data);
  // One that breaks down is made anew for the next question.
  made.onerror = () => {
    made.terminate();
    worker = null;
    latest.answered({ error: 'the worker broke down' });
  };
  return made;
}

const latest = new Latest((question) => {
  worker ??= start();
  worker.postMessage({ question });
});

/**
 * Asks for a picture. A later question of the same picture takes the place of one that still waits.
 * @param {object} of what stands for the picture
 * @param {import('./latest.js').Question} question
 * @param {import('./latest.js').Take} take told the answer
 */
export const askLater = (of, question, take) => latest.ask(of, question, take);

/** A picture is gone: what it still waits for is not asked any more. @param {object} of */
export const leave = (of) => latest.leave(of);
