// @ts-check
/** Questions that are answered one at a time, of each asker only the latest: what a hand has passed is not answered. */

/** @typedef {Record<string, unknown> & { ask: string }} Question */
/** @typedef {(answer: any) => void} Take */

export class Latest {
  /** @param {(question: Question) => void} send puts a question to whoever answers; the answer comes by `answered` */
  constructor(send) {
    this.send = send;
    /** The latest question of each asker, the longest waiting first. @type {Map<object, { question: Question, take: Take }>} */
    this.waiting = new Map();
    /** What is being answered. @type {{ of: object, take: Take } | null} */
    this.asked = null;
  }

  /**
   * A later question of the same asker takes the place of one that still waits.
   * @param {object} of who asks @param {Question} question @param {Take} take told the answer
   */
  ask(of, question, take) {
    this.waiting.set(of, { question, take });
    this.next();
  }

  next() {
    const [first] = this.waiting;
    if (this.asked || !first) return;
    const [of, { question, take }] = first;
    this.waiting.delete(of);
    this.asked = { of, take };
    this.send(question);
  }

  /** @param {any} answer that nothing was found is one too; `{ error }` is none, and leaves its asker as it is */
  answered(answer) {
    const done = this.asked;
    this.asked = null;
    this.next();
    if (done && !answer?.error) done.take(answer);
  }

  /** Whoever asked is gone: what still waits is not asked any more, what comes is not told. @param {object} of */
  leave(of) {
    this.waiting.delete(of);
    if (this.asked?.of === of) this.asked.take = () => {};
  }
}
