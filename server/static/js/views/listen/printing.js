// @ts-check
/** What the server prints for what this page plays: followed while it can be heard already. */
import { cancel, follow } from '../../session/work.js';

/**
 * @typedef {object} Heard told of
 * @property {(label: string, share: number, cancel: () => void) => void} busy how far it has come
 * @property {() => void} idle nothing is printed any more
 * @property {() => void} printed all of it is printed
 * @property {() => void} stopped it was stopped though nobody here asked for it: the server took this page for gone
 * @property {(words: string) => void} said what a person has to know
 */

export class Printing {
  /** @param {Heard} heard */
  constructor(heard) {
    this.heard = heard;
    /** The job that makes what is played here and not printed yet; 0 for none. */
    this.job = 0;
    /** Streams asked for so far, and which of those is what is played. */
    this.asked = 0;
    this.played = 0;
    /** Whether streams will be asked for once a run of changes is over. */
    this.isDue = false;
    /** Jobs of streams that were asked for before others, which have not come yet. @type {number[]} */
    this.overtaken = [];
  }

  /** Whether something is being printed. */
  get isOn() {
    return this.job !== 0;
  }

  /** Whether the newest streams are played, and all of them are printed. */
  get isOver() {
    return !this.isDue && !this.isOn && this.played === this.asked;
  }

  /** Streams are asked for: what was asked for before is not played any more once they are here. @returns {number} which */
  ask() {
    this.isDue = false;
    this.asked += 1;
    return this.asked;
  }

  /** Whether nothing was asked for since. @param {number} order as `ask` said */
  isNewest(order) {
    return order === this.asked;
  }

  /**
   * The streams asked for are here, and with them the job that prints them. Answers may come in another order than they
   * were asked for in: only the newest takes over. What it is made from may be shared with what it takes over from, so that
   * is let go only now.
   * @param {number} order
   * @param {number} job 0 where nothing is left to print
   * @returns {boolean} whether they are to be played
   */
  take(order, job) {
    if (!this.isNewest(order)) {
      if (this.played > order) this.letGo([job]);
      else this.overtaken.push(job);
      return false;
    }
    this.letGo([this.job, ...this.overtaken.splice(0)]);
    this.played = order;
    this.job = job;
    if (!job) this.heard.idle();
    return true;
  }

  /** @param {number[]} jobs */
  letGo(jobs) {
    jobs.filter((job) => job !== 0).forEach(cancel);
  }

  /** Follows a job that was taken to its end, unless another takes over. @param {number} job */
  async follow(job) {
    let isAsked = false;
    try {
      const made = await follow(job, (label, share, stop) => {
        const asked = () => {
          isAsked = true;
          stop();
        };
        if (job === this.job) this.heard.busy(label, share, asked);
      });
      if (job !== this.job) return;
      if (made) this.heard.printed();
      else if (!isAsked) this.heard.stopped();
      else this.heard.said('Printing was cancelled: playing waits where nothing is printed yet. Load the page again to print the rest.');
    } catch (error) {
      if (job === this.job) this.heard.said(error instanceof Error ? error.message : String(error));
    } finally {
      if (job === this.job) {
        this.job = 0;
        this.heard.idle();
      }
    }
  }
}
