// @ts-check
/** The time strip: waveform, result, reduction as teeth from the top edge, threshold. */
import { lengthsOf } from '../../session/song-time.js';
import { catalogue, cycles } from '../../engine/ask.js';
import { columnsOf } from '../../draw/wave.js';
import { colour, fresh } from '../../draw/svg.js';

/** dB of reduction over the strip's height. */
const TEETH_DB = 24;
const RULER = 18;
/** Frames in a pair of an overview, and between two values of the live trace. */
const { overview: PAIR, block: BLOCK } = catalogue.frames;

export class TimeStrip {
  /**
   * @param {HTMLElement} place
   * @param {import('../../session/document.js').Session} session
   */
  constructor(place, session) {
    this.canvas = document.createElement('canvas');
    this.canvas.setAttribute('role', 'img');
    this.canvas.setAttribute('aria-label', 'Waveform before and after, with the reduction hanging from the top');
    place.prepend(this.canvas);
    this.session = session;
    this.zoom = 'section';
    this.position = 0;
    this.thresholdDb = 0;
    /** The unit stands between this point of the wire and the next. */
    this.station = 0;
    /** @type {{ before: Float32Array, after: Float32Array } | null} */
    this.hit = null;
    /** @type {import('../../types.js').Treatment | null} */
    this.treatment = null;
    /** @type {import('../../types.js').ReductionFigures | null} */
    this.reduction = null;
    /** Live reduction by block number. @type {Map<number, number>} */
    this.live = new Map();
    /** Of its box: asking it lays the page out. */
    this.size = { width: 0, height: 0 };
    this.frame = 0;
    /** Ruler and waves, which stand while the sound goes on; what they were drawn of, and their highest sample. */
    this.waves = { canvas: document.createElement('canvas'), of: /** @type {unknown[]} */ ([]), peak: 1 };
    this.observer = new ResizeObserver(([{ contentRect }]) => {
      this.size = { width: contentRect.width, height: contentRect.height };
      this.draw();
    });
    this.observer.observe(this.canvas);
  }

  /**
   * @param {import('../../types.js').Treatment | null} treatment
   * @param {number} station
   * @param {number} unit
   * @param {number} thresholdDb
   */
  show(treatment, station, unit, thresholdDb) {
    this.station = station;
    if (treatment !== this.treatment) this.live.clear();
    this.treatment = treatment;
    this.reduction = treatment?.reductions.find((r) => r.unit === unit) ?? null;
    this.thresholdDb = thresholdDb;
    this.draw();
  }

  /** @param {number} frame @param {Float32Array} trace reduction of the blocks that end there */
  follow(frame, trace) {
    this.position = frame;
    const last = Math.floor(frame / BLOCK);
    trace.forEach((db, i) => this.live.set(last - trace.length + i, db));
    this.draw();
  }

  /** First frame and length of what is shown. @returns {[number, number]} */
  stretch() {
    const whole = (this.treatment?.points[0].overview.length ?? 1) * PAIR;
    if (this.zoom === 'song') return [0, whole];
    const here = this.session.sections.find((s) => this.position >= s.start && this.position < s.end);
    return here ? [here.start, here.end - here.start] : [0, whole];
  }

  /** The last hit heard, before and after the unit: sample by sample, with the frequency of its cycles. */
  drawHit() {
    const { ink, width, height } = fresh(this.canvas, this.size.width, this.size.height);
    const floor = height - RULER;
    ink.font = '10px Figures';
    if (!this.hit) {
      ink.fillStyle = colour('quiet');
      ink.fillText('Play: the last hit is held here, sample by sample, with the frequency of each cycle.', 14, floor / 2);
      return;
    }
    const { before, after } = this.hit;
    const peak = before.reduce(
      (m, x) => Math.max(m, Math.abs(x)),
      after.reduce((m, x) => Math.max(m, Math.abs(x)), 0.001),
    );
    const [middle, half] = [floor / 2 + 6, floor / 2 - 22];
    const rate = this.session.rate;
    ink.fillStyle = colour('quiet');
    for (let ms = 0; ms < (before.length * 1000) / rate; ms += 10) {
      const x = ((ms * rate) / 1000 / before.length) * width;
      ink.fillRect(x, floor, 1, 5);
      ink.fillText(`${ms} ms`, x + 3, floor + 13);
    }
    for (const [samples, name] of /** @type {[Float32Array, string][]} */ ([
      [before, 'before'],
      [after, 'ink'],
    ])) {
      ink.strokeStyle = colour(name);
      ink.lineWidth = name === 'ink' ? 1.4 : 1;
      ink.beginPath();
      samples.forEach((x, i) => ink.lineTo((i / samples.length) * width, middle - (x / peak) * half));
      ink.stroke();
    }
    ink.fillStyle = colour('ink');
    let free = 0;
    for (const { start, hz } of cycles(after.slice(), rate)) {
      const x = (start / after.length) * width;
      ink.fillRect(x, 2, 1, 8);
      if (x < free) continue;
      const words = hz < 1000 ? `${hz.toFixed(0)}` : `${(hz / 1000).toFixed(1)}k`;
      ink.fillText(words, x + 3, 11);
      free = x + ink.measureText(words).width + 10;
    }
    ink.fillStyle = colour('quiet');
    ink.fillText('Hz, cycle by cycle', 6, 24);
  }

  /** Holds the loudest hit of the last moments. @param {Float32Array} before @param {Float32Array} after */
  holdHit(before, after) {
    if (this.zoom !== 'hit') return;
    // A hit is there when the sound of the later half towers over what came just before it.
    const quarter = before.length >> 2;
    const top = (/** @type {number} */ from, /** @type {number} */ to) =>
      before.subarray(from, to).reduce((m, x) => Math.max(m, Math.abs(x)), 0);
    const [rest, stroke] = [top(0, quarter), top(quarter, 2 * quarter)];
    if (stroke < 0.01 || stroke < 2 * rest) return;
    this.hit = { before, after };
    this.draw();
  }

  /** With the next picture of the page, however often it is asked for. */
  draw() {
    this.frame ||= requestAnimationFrame(() => {
      this.frame = 0;
      this.paint();
    });
  }

  paint() {
    if (this.zoom === 'hit') {
      this.drawHit();
      return;
    }
    const { ink, width, height } = fresh(this.canvas, this.size.width, this.size.height);
    if (!this.treatment || width === 0) return;
    const [from, length] = this.stretch();
    const floor = height - RULER;
    const middle = floor / 2 + 8;
    const half = floor / 2 - 14;
    this.drawWaves(this.treatment, from, length, middle, half);
    ink.drawImage(this.waves.canvas, 0, 0, width, height);
    this.threshold(ink, width, middle, half, this.waves.peak);
    this.teeth(ink, from, length, width, floor);
    const x = ((this.position - from) / length) * width;
    ink.fillStyle = colour('ink');
    if (x >= 0 && x <= width) ink.fillRect(x, 0, 1.5, floor);
  }

  /**
   * Ruler, and the waves before and after, unless they are there.
   * @param {import('../../types.js').Treatment} treatment @param {number} from @param {number} length in frames
   * @param {number} middle @param {number} half of what is drawn
   */
  drawWaves(treatment, from, length, middle, half) {
    const of = [treatment, this.station, from, length, this.size, document.documentElement.dataset.light];
    if (of.every((it, n) => it === this.waves.of[n])) return;
    const { ink, width, height } = fresh(this.waves.canvas, this.size.width, this.size.height);
    const floor = height - RULER;
    this.ruler(ink, from, length, width, floor);
    const { points } = treatment;
    const [into, out] = [this.station, this.station + 1].map((i) => points[Math.min(i, points.length - 1)].overview);
    const peak = into.reduce((/** @type {number} */ m, /** @type {number[]} */ p) => Math.max(m, -p[0] / 1000, p[1] / 1000), 0.02);
    this.waves = { ...this.waves, of, peak };
    const columns = Math.round(width);
    const before = columnsOf(into, from / PAIR, (from + length) / PAIR, columns);
    const after = columnsOf(out, from / PAIR, (from + length) / PAIR, columns);
    ink.fillStyle = colour('before');
    ink.globalAlpha = 0.55;
    before.forEach(([low, high], x) => ink.fillRect(x, middle - (high / peak) * half, 1, Math.max(1, ((high - low) / peak) * half)));
    ink.globalAlpha = 1;
    ink.strokeStyle = colour('ink');
    ink.lineWidth = 1;
    for (const side of [0, 1]) {
      ink.beginPath();
      after.forEach((pair, x) => ink.lineTo(x + 0.5, Math.max(0, Math.min(floor, middle - (pair[side] / peak) * half))));
      ink.stroke();
    }
  }

  /** @param {CanvasRenderingContext2D} ink @param {number} width @param {number} middle @param {number} half @param {number} peak */
  threshold(ink, width, middle, half, peak) {
    const y = (10 ** (this.thresholdDb / 20) / peak) * half;
    if (y > half) return;
    ink.strokeStyle = colour('taken');
    ink.setLineDash([5, 4]);
    for (const at of [middle - y, middle + y]) {
      ink.beginPath();
      ink.moveTo(0, at);
      ink.lineTo(width, at);
      ink.stroke();
    }
    ink.setLineDash([]);
  }

  /** @param {CanvasRenderingContext2D} ink @param {number} from @param {number} length @param {number} width @param {number} floor */
  teeth(ink, from, length, width, floor) {
    ink.fillStyle = colour('taken');
    for (let x = 0; x < width; x += 2) {
      const start = from + (length * x) / width;
      const end = from + (length * (x + 2)) / width;
      let most = 0;
      for (let i = Math.floor(start / PAIR); i <= Math.floor(end / PAIR); i += 1)
        most = Math.max(most, (this.reduction?.trace[i] ?? 0) / 10);
      const heard = this.live.get(Math.floor(start / BLOCK));
      if (heard !== undefined && this.zoom === 'section') most = Math.max(most, heard);
      if (most > 0.05) ink.fillRect(x, 0, 1.4, (most / TEETH_DB) * floor);
    }
    ink.font = '10px Figures';
    ink.fillStyle = colour('quiet');
    for (const db of [6, 12]) {
      const y = (db / TEETH_DB) * floor;
      ink.fillStyle = colour('panel');
      ink.fillRect(width - 50, y - 7, 50, 13);
      ink.fillStyle = colour('quiet');
      ink.fillText(`−${db} dB`, width - 47, y + 3);
      ink.fillRect(width - 6, y, 6, 1);
    }
  }

  /** @param {CanvasRenderingContext2D} ink @param {number} from @param {number} length @param {number} width @param {number} floor */
  ruler(ink, from, length, width, floor) {
    const { beat, bar } = lengthsOf(this.session);
    ink.font = '10px Figures';
    const every = length / bar > 12 ? 4 : 1;
    if (length / beat < 40) {
      ink.fillStyle = colour('faint');
      for (let b = Math.ceil(from / beat); b * beat < from + length; b += 1)
        ink.fillRect(((b * beat - from) / length) * width, 0, 1, floor);
    }
    for (let n = Math.ceil(from / bar - 1e-6); n * bar < from + length - 1; n += 1) {
      const x = ((n * bar - from) / length) * width;
      ink.fillStyle = colour('rule');
      ink.fillRect(x, 0, 1, floor + 5);
      ink.fillStyle = colour('quiet');
      if (n % every === 0) ink.fillText(String(n + 1), x + 3, floor + 13);
    }
    ink.fillStyle = colour('quiet');
    const section = this.session.sections.find((s) => from >= s.start && from < s.end);
    if (!section || this.zoom === 'song') return;
    // On a plate of its own, so that a bar's number under it does not show through.
    const wide = ink.measureText(section.name).width;
    ink.fillStyle = colour('panel');
    ink.fillRect(width / 2 - wide / 2 - 5, floor + 3, wide + 10, RULER - 4);
    ink.fillStyle = colour('ink');
    ink.fillText(section.name, width / 2 - wide / 2, floor + 13);
  }

  end() {
    cancelAnimationFrame(this.frame);
    this.observer.disconnect();
  }
}
