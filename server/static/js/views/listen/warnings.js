// @ts-check
/** What is wrong with the output, while it is. */

/** Width over which a mix counts as stereo, and under which its stereo has been lost, in dB of side against mid. */
const WIDE_DB = -20;
const LOST_STEREO_DB = -45;
/** Share of the audio thread's time from which gaps are near. */
const HEAVY_LOAD = 0.7;

export class Warnings {
  /** @param {(db: number) => string} level a level in words */
  constructor(level) {
    this.level = level;
    this.wasWide = false;
  }

  /** @param {Pick<import('../../engine/host.js').Report, 'true_peak' | 'playing' | 'width' | 'load'>} report @returns {string} */
  of(report) {
    const words = [];
    if (report.true_peak > 0) words.push(`over full scale by ${this.level(report.true_peak)} dB: bring the main down`);
    if (this.wasWide && report.playing && report.width < LOST_STEREO_DB) words.push('the output is nearly mono now');
    if (report.load > HEAVY_LOAD)
      words.push(`the sound takes ${(report.load * 100).toFixed(0)} % of the time there is: print what is finished`);
    this.wasWide ||= report.width > WIDE_DB;
    return words.join(' · ');
  }
}
