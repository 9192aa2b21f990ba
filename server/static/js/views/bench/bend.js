// @ts-check
/** The bend: output against input level, over where this material really lives. */
import { ask, catalogue } from '../../engine/ask.js';
import { path, svg } from '../../draw/svg.js';

const FLOOR = -60;
const EDGE = { left: 30, right: 8, top: 10, bottom: 22 };
/** Lowest bin of the histogram. */
const HISTOGRAM_FLOOR = catalogue.histogram_floor_db;

/** The level where a unit begins to take away: its threshold, or its ceiling. @param {import('../../types.js').Unit} unit */
export const beginsAt = (unit) => unit.params.threshold_db ?? unit.params.ceiling_db;

export class Bend {
  /** @param {HTMLElement} place */
  constructor(place) {
    this.svg = svg('svg', { role: 'img', 'aria-label': 'Output level against input level' });
    place.replaceChildren(this.svg);
    this.unit = null;
    /** @type {number[] | null} */
    this.histogram = null;
    this.dot = svg('g');
    /** Of its box: asking it lays the page out. */
    this.size = { width: 0, height: 0 };
    this.observer = new ResizeObserver(
      ([
        {
          contentRect: { width, height },
        },
      ]) => {
        this.size = { width, height };
        this.draw();
      },
    );
    this.observer.observe(place);
  }

  /** @param {import('../../types.js').Unit} unit @param {number[] | null} histogram thousandths of time per dB */
  show(unit, histogram) {
    this.unit = unit;
    this.histogram = histogram;
    this.draw();
  }

  /** @param {number} db */
  x(db) {
    return EDGE.left + ((db - FLOOR) / -FLOOR) * (this.size.width - EDGE.left - EDGE.right);
  }
  /** @param {number} db */
  y(db) {
    return EDGE.top + (db / FLOOR) * (this.size.height - EDGE.top - EDGE.bottom);
  }

  draw() {
    const { width, height } = this.size;
    if (!this.unit || width === 0) return;
    this.svg.setAttribute('viewBox', `0 0 ${width} ${height}`);
    const parts = [];
    for (let db = FLOOR; db <= 0; db += 12) {
      parts.push(svg('line', { x1: this.x(db), x2: this.x(db), y1: this.y(0), y2: this.y(FLOOR), class: 'grid-line' }));
      parts.push(svg('line', { x1: this.x(FLOOR), x2: this.x(0), y1: this.y(db), y2: this.y(db), class: 'grid-line' }));
      parts.push(svg('text', { x: this.x(db), y: height - 8, 'text-anchor': 'middle' }, String(db).replace('-', '−')));
      parts.push(svg('text', { x: EDGE.left - 4, y: this.y(db) + 4, 'text-anchor': 'end' }, String(db).replace('-', '−')));
    }
    const most = Math.max(1, ...(this.histogram ?? []));
    (this.histogram ?? []).forEach((share, i) => {
      const db = HISTOGRAM_FLOOR + i;
      if (db < FLOOR || db >= 0 || share === 0) return;
      const tall = (share / most) * (height - EDGE.top - EDGE.bottom) * 0.4;
      parts.push(
        svg('rect', {
          x: this.x(db) + 0.5,
          y: this.y(FLOOR) - tall,
          width: Math.max(1, this.x(db + 1) - this.x(db) - 1),
          height: tall,
          fill: 'var(--before)',
          opacity: 0.45,
        }),
      );
    });
    const threshold = beginsAt(this.unit);
    parts.push(
      svg('line', {
        x1: this.x(threshold),
        x2: this.x(threshold),
        y1: this.y(0),
        y2: this.y(FLOOR),
        stroke: 'var(--taken)',
        'stroke-dasharray': '5 4',
      }),
    );
    parts.push(svg('line', { x1: this.x(FLOOR), y1: this.y(FLOOR), x2: this.x(0), y2: this.y(0), class: 'grid-line strong' }));
    const out = ask({ ask: 'bend', unit: this.unit, from: FLOOR });
    const points = out.map((/** @type {number} */ db, /** @type {number} */ i) => [
      this.x(FLOOR + i),
      Math.max(EDGE.top - 8, Math.min(this.y(FLOOR), this.y(db))),
    ]);
    parts.push(svg('path', { d: path(points), class: 'curve' }), this.dot);
    this.svg.replaceChildren(...parts);
  }

  /** Where the sound is now. @param {number} inDb @param {number} reductionDb */
  follow(inDb, reductionDb) {
    if (!this.unit || inDb < FLOOR) {
      this.dot.replaceChildren();
      return;
    }
    const [x, y] = [this.x(Math.min(0, inDb)), this.y(Math.min(0, inDb - reductionDb + (this.unit.params.makeup_db ?? 0)))];
    this.dot.replaceChildren(svg('path', { d: `M${x} ${y - 6}L${x + 6} ${y}L${x} ${y + 6}L${x - 6} ${y}Z`, fill: 'var(--taken)' }));
  }

  end() {
    this.observer.disconnect();
  }
}
