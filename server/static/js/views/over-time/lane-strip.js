// @ts-check
/**
 * The lane of one value: a ruled strip of the sheet over the listen bar. Points are set, dragged and
 * typed; a stretch is ridden; a move is written while it plays.
 */
import { ask } from '../../engine/ask.js';
import { html, svg } from '../../draw/svg.js';
import { newGesture } from '../../session/document.js';
import { courseOf } from '../../session/course.js';
import { ownerOf } from '../../session/over-time.js';
import { lengthsOf, metreOf, snapped } from '../../session/song-time.js';
import { host, loopRange } from '../listen-bar.js';
import { note } from '../notes.js';
import { doc } from '../session-frame.js';
import { shortcuts } from '../shortcuts.js';
import { drawLane } from './lane-drawing.js';
import { DRAWS_FROM, Freehand } from './lane-freehand.js';
import { LaneHead } from './lane-head.js';
import { withChanged, withPoint } from './lane-points.js';
import { placeOf, stepped, valueOf } from './lane-rule.js';
import { HEIGHT, LaneScale } from './lane-scale.js';
import { LaneWriting } from './lane-writing.js';
import { paramOf, valueWords } from './words.js';

/** @typedef {import('../../session/over-time.js').Target} Target */
/** @typedef {import('../../session/course.js').Point} Point */

/** Pixels within which a press is on a point. */
const NEAR = 9;
/** Places to the beat by which keys move a point that snaps to nothing. */
const FREE = 32;

/** Says what went wrong, if anything. @param {() => void} run @returns {boolean} whether it went well */
function tried(run) {
  try {
    run();
    return true;
  } catch (error) {
    note(error instanceof Error ? error.message : String(error));
    return false;
  }
}

class LaneStrip {
  constructor() {
    /** @type {Target | null} */
    this.target = null;
    this.selected = -1;
    this.grid = 1;
    this.whole = false;
    /** Stretch to write, in frames. @type {[number, number] | null} */
    this.marked = null;
    this.gesture = '';
    /** What is being drawn by hand. @type {Freehand | null} */
    this.freehand = null;
    this.writing = new LaneWriting((points, gesture) => this.keep(points, gesture));
    this.head = this.headOf();
    this.scale = html('span', { className: 'lane-scale' });
    this.area = svg('svg', { class: 'lane-area', tabindex: 0, role: 'group', height: HEIGHT });
    this.element = html(
      'section',
      { className: 'lane-strip', hidden: true, 'aria-label': 'Lane of a value' },
      this.head.element,
      html('div', { className: 'lane-body' }, this.scale, this.area),
    );
    document.querySelector('.listen-bar')?.before(this.element);
    this.listen();
  }

  headOf() {
    return new LaneHead({
      type: (text) => this.type(text),
      goOn: (then) => this.changePoint({ then }),
      remove: () => this.removePoint(),
      snap: (perBeat) => {
        this.grid = perBeat;
      },
      show: (whole) => {
        this.whole = whole;
        this.draw();
      },
      write: (on) => this.setWriting(on),
      ride: (text) => this.rideMarked(text),
      clear: () => this.keep([], newGesture()),
      close: () => this.close(),
    });
  }

  listen() {
    new ResizeObserver(() => this.draw()).observe(this.area);
    this.area.addEventListener('pointerdown', (event) => this.press(event));
    this.area.addEventListener('pointermove', (event) => this.move(event));
    for (const type of ['pointerup', 'pointercancel'])
      this.area.addEventListener(type, () => {
        this.endFreehand();
        this.gesture = '';
      });
    this.area.addEventListener('dblclick', (event) => {
      if (this.pointNear(event) >= 0) this.removePoint();
    });
    this.area.addEventListener('keydown', (event) => this.key(event));
    for (const type of ['change', 'newer']) doc.addEventListener(type, () => this.draw());
    host.addEventListener('loop', () => this.draw());
    host.addEventListener('report', (event) => {
      const { playing } = /** @type {CustomEvent} */ (event).detail;
      this.drawPlace();
      if (!playing && this.writing.run) this.endRun();
    });
  }

  get isOpen() {
    return !this.element.hidden;
  }

  /** Shows the lane of a value, if the strip is open. @param {Target} target */
  touch(target) {
    if (this.isOpen && !this.writing.isOn && JSON.stringify(target) !== JSON.stringify(this.target)) this.show(target);
    this.lastTouched = target;
  }

  /** @param {Target} target */
  show(target) {
    this.target = target;
    this.selected = -1;
    this.marked = null;
    this.element.hidden = false;
    this.draw();
  }

  close() {
    this.setWriting(false);
    this.element.hidden = true;
    // Other pictures have more room now.
    window.dispatchEvent(new Event('resize'));
  }

  // ---- what is shown ----

  /** First frame and one past the last of what is shown. @returns {[number, number]} */
  shown() {
    const { sections, strips } = doc.session;
    const end = Math.max(1, ...strips.map((s) => (s.audio ? s.audio.start + s.audio.frames : 0)));
    const range = loopRange();
    if (this.whole) return [0, end];
    if (range) return [sections[range[0]].start, sections[range[1]].end];
    const here = sections.find((s) => host.position >= s.start && host.position < s.end);
    return here ? [here.start, here.end] : [0, end];
  }

  /** Where frames and places lie in the picture now. */
  laid() {
    return new LaneScale(...this.shown(), Math.max(1, this.area.clientWidth));
  }

  /** @returns {Point[]} */
  points() {
    if (!this.target) return [];
    const owner = ownerOf(doc.session, this.target);
    return owner ? courseOf(owner, this.target.param).points : [];
  }

  get found() {
    const found = this.target && paramOf(this.target);
    if (!found) throw new Error('the value is gone');
    return found;
  }

  draw() {
    if (!this.isOpen || !this.target) return;
    const found = paramOf(this.target);
    if (!found) {
      this.close();
      return;
    }
    const { target, marked } = this;
    const course = courseOf(ownerOf(doc.session, target), target.param);
    this.selected = Math.min(this.selected, course.points.length - 1);
    this.area.setAttribute(
      'aria-label',
      `Lane of ${found.label}: Enter sets a point where the song is, arrows move the selected one, Delete removes it`,
    );
    const pieces = drawLane(this.laid(), found, course, { session: doc.session, selected: this.selected, marked });
    this.playhead = svg('line', { class: 'lane-now', y1: 0, y2: HEIGHT });
    this.area.replaceChildren(...pieces, this.playhead);
    this.drawPlace();
    const end = (/** @type {number} */ place) => valueWords(found.table, found.param, found.spec, valueOf(found, place));
    this.scale.replaceChildren(html('span', {}, end(1)), html('span', {}, end(0.5)), html('span', {}, end(0)));
    const strip = doc.session.strips.find((s) => s.id === target.strip)?.name ?? '';
    this.head.show({ found, strip, point: course.points[this.selected], marked }, doc.session);
  }

  drawPlace() {
    if (!this.isOpen || !this.playhead) return;
    const x = this.laid().x(host.position);
    this.playhead.setAttribute('x1', String(x));
    this.playhead.setAttribute('x2', String(x));
  }

  // ---- points ----

  /** @param {Point[]} points @param {string} gesture */
  keep(points, gesture) {
    const { target } = this;
    if (!target) return;
    void doc.edit({ edit: 'set-lane', strip: target.strip, unit: target.unit, param: target.param, points }, gesture);
  }

  /** @param {number} frame */
  snapped(frame) {
    return this.grid ? snapped(doc.session, frame, this.grid) : Math.max(0, Math.round(frame));
  }

  /** @param {MouseEvent} event @returns {[number, number]} frame and place on the rule */
  under(event) {
    const box = this.area.getBoundingClientRect();
    return this.laid().under(event.clientX - box.left, event.clientY - box.top);
  }

  /** @param {MouseEvent} event @returns {number} */
  pointNear(event) {
    const box = this.area.getBoundingClientRect();
    const [scale, found] = [this.laid(), this.found];
    const [x, y] = [event.clientX - box.left, event.clientY - box.top];
    return this.points().findIndex((p) => Math.hypot(scale.x(p.at) - x, scale.y(placeOf(found, p.value)) - y) < NEAR);
  }

  /** @param {PointerEvent} event */
  press(event) {
    if (event.button !== 0) return;
    this.area.setPointerCapture(event.pointerId);
    this.area.focus();
    const [frame, place] = this.under(event);
    if (event.shiftKey) {
      const at = this.snapped(frame);
      this.marked = [at, at];
      this.gesture = 'mark';
      return;
    }
    this.gesture = newGesture();
    this.selected = this.pointNear(event);
    if (this.selected < 0) {
      this.freehand = new Freehand(this.points(), event.clientX);
      this.freehand.take(this.snapped(frame), valueOf(this.found, place));
      this.freehand.last = [frame, place];
      this.addPoint({ at: this.snapped(frame), value: valueOf(this.found, place), then: 'straight' });
    } else this.draw();
  }

  /** @param {PointerEvent} event */
  move(event) {
    if (!this.gesture || !this.area.hasPointerCapture(event.pointerId)) return;
    const [frame, place] = this.under(event);
    if (this.gesture === 'mark' && this.marked) {
      this.marked = [this.marked[0], this.snapped(frame)];
      this.draw();
    } else if (this.freehand) this.drawOn(this.freehand, event);
    else if (this.selected >= 0) this.changePoint({ at: this.snapped(frame), value: valueOf(this.found, place) }, this.gesture);
  }

  /** Draws on by hand; up to a few pixels it is still one point. @param {Freehand} freehand @param {PointerEvent} event */
  drawOn(freehand, event) {
    if (freehand.drawn.size === 1 && Math.abs(event.clientX - freehand.x) < DRAWS_FROM) return;
    const step = this.grid ? lengthsOf(doc.session).beat / this.grid : 0;
    for (const [frame, place] of freehand.passed(this.under(event), step)) freehand.take(frame, valueOf(this.found, place));
    this.selected = -1;
    this.keep(freehand.points(), this.gesture);
  }

  /** What was drawn by hand is thinned, in the same step of undo. */
  endFreehand() {
    const { freehand } = this;
    this.freehand = null;
    if (!freehand || freehand.drawn.size < 2) return;
    const { table, param } = this.found;
    const about = { lane: 'written', points: freehand.lane, run: freehand.run };
    this.keep(ask({ ask: 'over-time', table, param, about }), this.gesture);
  }

  /** @param {Point} point */
  addPoint(point) {
    const points = withPoint(this.points(), point);
    this.selected = points.indexOf(point);
    this.keep(points, this.gesture || newGesture());
  }

  /** @param {Partial<Point>} part @param {string} [gesture] */
  changePoint(part, gesture = newGesture()) {
    const points = this.points();
    if (points[this.selected]) this.keep(withChanged(points, this.selected, part), gesture);
  }

  removePoint() {
    const points = this.points().filter((_, i) => i !== this.selected);
    if (points.length < this.points().length) this.keep(points, newGesture());
    this.selected = Math.min(this.selected, points.length - 1);
    this.draw();
  }

  /** @param {string} typed */
  type(typed) {
    const text = typed.trim();
    if (!text || !this.target) return;
    const { table, param } = this.found;
    const understood = tried(() => {
      const point = ask({ ask: 'over-time', table, param, about: { lane: 'point', text, metre: metreOf(doc.session) } });
      const before = this.points()[this.selected];
      if (before && before.at === point.at) point.then = before.then;
      this.gesture = '';
      this.addPoint(point);
    });
    this.head.mark(understood);
  }

  /** @param {KeyboardEvent} event */
  key(event) {
    const point = this.points()[this.selected];
    const beat = lengthsOf(doc.session).beat / (this.grid || FREE);
    const far = event.shiftKey ? 10 : 1;
    const along = { ArrowRight: beat, ArrowLeft: -beat }[event.key];
    const up = { ArrowUp: 0.01, ArrowDown: -0.01 }[event.key];
    if (event.key === 'Enter') {
      const value = point ? point.value : this.found.everywhere;
      this.gesture = '';
      this.addPoint({ at: this.snapped(host.position), value, then: 'straight' });
    } else if (event.key === 'Delete' || event.key === 'Backspace') this.removePoint();
    else if (event.key === 'n' || event.key === 'p') this.step(event.key === 'n' ? 1 : -1);
    else if (along && point) this.changePoint({ at: point.at + Math.round(along * far) });
    else if (up && point) this.changePoint({ value: stepped(this.found, point.value, up * far) });
    else return;
    event.preventDefault();
    event.stopPropagation();
  }

  /** Selects the next point, or the one before. @param {number} way */
  step(way) {
    const count = this.points().length;
    this.selected = count ? (this.selected + way + count) % count : -1;
    this.draw();
  }

  /** @param {string} typed dB */
  rideMarked(typed) {
    const { target } = this;
    if (!target) return;
    if (!this.marked) {
      note('Mark the stretch first: Shift and drag over the lane, or loop a section and press "write" for all of it.');
      const range = loopRange();
      if (!range) return;
      this.marked = [doc.session.sections[range[0]].start, doc.session.sections[range[1]].end];
    }
    const { marked } = this;
    const { table, param, everywhere } = this.found;
    tried(() => {
      const by = Number(typed.replace(',', '.').replace('−', '-'));
      if (!Number.isFinite(by)) throw new Error('A stretch is written by a number of dB: -3 or +2.');
      const [from, to] = [Math.min(...marked), Math.max(...marked)];
      const course = courseOf(ownerOf(doc.session, target), target.param);
      const { sections, rate } = doc.session;
      this.keep(
        ask({ ask: 'over-time', table, param, about: { lane: 'ridden', everywhere, course, sections, rate, from, to, by } }),
        newGesture(),
      );
    });
  }

  // ---- written while it plays ----

  /** @param {boolean} on */
  setWriting(on) {
    if (!on) this.endRun();
    this.writing.isOn = on;
    this.head.showWriting(on);
  }

  /**
   * Takes a move of a control into its lane, if moves are written now.
   * @param {import('../../session/document.js').Edit} edit
   * @returns {boolean} whether it was taken
   */
  takes(edit) {
    const { target } = this;
    if (!this.isOpen || !this.writing.isOn || !host.playing || !target) return false;
    return this.writing.takes(
      edit,
      target,
      () => this.points(),
      host.position,
      () => this.endRun(),
    );
  }

  /** A unit as the move that is being written has it now. @param {import('../../session/document.js').Unit} unit */
  written(unit) {
    return this.writing.unit(unit, this.target);
  }

  endRun() {
    this.writing.end(this.target && paramOf(this.target));
  }
}

/** The page's lane. */
export const lane = new LaneStrip();

shortcuts({
  keys: 'N',
  does: 'lane of the value touched last; again: close it',
  run: () => {
    if (lane.isOpen) lane.close();
    else if (lane.lastTouched) lane.show(lane.lastTouched);
    else note('Touch a control first: its lane is shown.');
  },
});
