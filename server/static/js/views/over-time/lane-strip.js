// @ts-check
/**
 * The lane of one value: a ruled strip of the sheet over the listen bar. Points are set, dragged and
 * typed; a stretch is ridden; a move is written while it plays.
 */
import { ask } from '../../engine/ask.js';
import { tabs, lamp } from '../../controls/tabs.js';
import { html, svg } from '../../draw/svg.js';
import { newGesture } from '../../session/document.js';
import { courseOf } from '../../session/course.js';
import { ownerOf, unitWith } from '../../session/over-time.js';
import { host, loopRange } from '../listen-bar.js';
import { note } from '../notes.js';
import { doc } from '../session-frame.js';
import { shortcuts } from '../shortcuts.js';
import { drawLane } from './lane-drawing.js';
import { Written, withChanged, withPoint } from './lane-points.js';
import { placeOf, stepped, valueOf } from './lane-rule.js';
import { HEIGHT, LaneScale } from './lane-scale.js';
import { metreOf, paramOf, placeWords, valueWords } from './words.js';

/** @typedef {import('../../session/over-time.js').Target} Target */
/** @typedef {import('../../session/course.js').Point} Point */

/** Pixels within which a press is on a point. */
const NEAR = 9;
/** Places to the beat that points snap to. */
const GRIDS = [
  { id: '0', label: 'free' },
  { id: '1', label: 'beat' },
  { id: '4', label: '16th' },
];
const THEN = [
  { id: 'straight', label: 'straight on' },
  { id: 'held', label: 'held' },
  { id: 'free', label: 'lets go' },
];

class LaneStrip {
  constructor() {
    /** @type {Target | null} */
    this.target = null;
    this.selected = -1;
    this.grid = 1;
    this.whole = false;
    this.writing = false;
    /** The move being written. @type {Written | null} */
    this.run = null;
    /** Stretch to ride, in frames. @type {[number, number] | null} */
    this.marked = null;
    this.gesture = '';
    this.title = html('b');
    this.scale = html('span', { className: 'lane-scale' });
    this.area = svg('svg', { class: 'lane-area', tabindex: 0, role: 'group', height: HEIGHT });
    this.typed = html('input', {
      className: 'rule-value lane-typed',
      placeholder: 'bar 9.1: value',
      'aria-label': 'A point, typed as a place and a value',
      autocomplete: 'off',
      spellcheck: false,
    });
    this.then = tabs(THEN, 'straight', 'From the selected point on', (then) =>
      this.changePoint({ then: /** @type {Point['then']} */ (then) }),
    );
    this.write = lamp(false, 'write', (on) => this.setWriting(on), 'Write while it plays: the control moved is drawn');
    this.ride = html('input', { className: 'rule-value', value: '-3', size: 5, 'aria-label': 'Ride the marked stretch by so many dB' });
    this.rideBox = html(
      'span',
      { className: 'lane-ride', title: 'Shift and drag marks a stretch' },
      'ride by ',
      this.ride,
      ' dB ',
      this.button('ride', () => this.rideMarked()),
    );
    this.stretch = html('span', { className: 'quiet figure' });
    this.element = html(
      'section',
      { className: 'lane-strip', hidden: true, 'aria-label': 'Lane of a value' },
      html(
        'div',
        { className: 'lane-head' },
        this.title,
        this.typed,
        this.then,
        this.button('remove point', () => this.removePoint()),
        tabs(GRIDS, '1', 'Points snap to', (grid) => {
          this.grid = Number(grid);
        }),
        tabs(
          [
            { id: 'loop', label: 'section' },
            { id: 'song', label: 'song' },
          ],
          'loop',
          'Stretch shown',
          (shown) => {
            this.whole = shown === 'song';
            this.draw();
          },
        ),
        this.write,
        this.rideBox,
        this.stretch,
        this.button('no lane', () => this.keep([], newGesture())),
        this.button('close', () => this.close()),
      ),
      html('div', { className: 'lane-body' }, this.scale, this.area),
    );
    document.querySelector('.listen-bar')?.before(this.element);
    this.listen();
  }

  /** @param {string} label @param {() => void} run */
  button(label, run) {
    const button = html('button', { type: 'button', className: 'plain-button' }, label);
    button.addEventListener('click', run);
    return button;
  }

  listen() {
    new ResizeObserver(() => this.draw()).observe(this.area);
    this.area.addEventListener('pointerdown', (event) => this.press(event));
    this.area.addEventListener('pointermove', (event) => this.move(event));
    this.area.addEventListener('pointerup', () => {
      this.gesture = '';
    });
    this.area.addEventListener('dblclick', (event) => {
      if (this.pointNear(event) >= 0) this.removePoint();
    });
    this.area.addEventListener('keydown', (event) => this.key(event));
    this.typed.addEventListener('change', () => this.type());
    this.typed.addEventListener('keydown', (/** @type {KeyboardEvent} */ event) => {
      event.stopPropagation();
      if (event.key === 'Enter') this.type();
    });
    this.ride.addEventListener('keydown', (/** @type {KeyboardEvent} */ event) => {
      event.stopPropagation();
      if (event.key === 'Enter') this.rideMarked();
    });
    for (const type of ['change', 'newer']) doc.addEventListener(type, () => this.draw());
    host.addEventListener('loop', () => this.draw());
    host.addEventListener('report', (event) => {
      const { playing } = /** @type {CustomEvent} */ (event).detail;
      this.drawPlace();
      if (!playing && this.run) this.endRun();
    });
  }

  get isOpen() {
    return !this.element.hidden;
  }

  /** Shows the lane of a value, if the strip is open. @param {Target} target */
  touch(target) {
    if (this.isOpen && !this.writing && JSON.stringify(target) !== JSON.stringify(this.target)) this.show(target);
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
    this.endRun();
    this.setWriting(false);
    this.element.hidden = true;
    this.dispatch();
  }

  dispatch() {
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
    const { table, param, spec, label } = found;
    const { target, marked } = this;
    const course = courseOf(ownerOf(doc.session, target), target.param);
    this.selected = Math.min(this.selected, course.points.length - 1);
    const of = doc.session.strips.find((s) => s.id === target.strip)?.name ?? '';
    this.title.textContent = `${label} · ${of}`;
    this.area.setAttribute(
      'aria-label',
      `Lane of ${label}: Enter sets a point where the song is, arrows move the selected one, Delete removes it`,
    );
    const pieces = drawLane(this.laid(), found, course, { session: doc.session, selected: this.selected, marked });
    this.playhead = svg('line', { class: 'lane-now', y1: 0, y2: HEIGHT });
    this.area.replaceChildren(...pieces, this.playhead);
    this.drawPlace();
    const end = (/** @type {number} */ place) => valueWords(table, param, spec, valueOf(found, place));
    this.scale.replaceChildren(html('span', {}, end(1)), html('span', {}, end(0.5)), html('span', {}, end(0)));
    const point = course.points[this.selected];
    if (document.activeElement !== this.typed)
      this.typed.value = point ? `${placeWords(doc.session, point.at)}: ${valueWords(table, param, spec, point.value)}` : '';
    for (const button of this.then.children) button.setAttribute('aria-pressed', String(point && button.dataset.option === point.then));
    this.rideBox.hidden = spec.domain.type !== 'number' || spec.domain.quantity !== 'decibels';
    this.stretch.textContent = marked
      ? `${placeWords(doc.session, Math.min(...marked))} to ${placeWords(doc.session, Math.max(...marked))}`
      : '';
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
    const at = Math.max(0, Math.round(frame));
    return this.grid ? ask({ ask: 'place', about: { place: 'snapped', frame: at, per_beat: this.grid, metre: metreOf(doc.session) } }) : at;
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
    if (this.selected < 0) this.addPoint({ at: this.snapped(frame), value: valueOf(this.found, place), then: 'straight' });
    else this.draw();
  }

  /** @param {PointerEvent} event */
  move(event) {
    if (!this.gesture || !this.area.hasPointerCapture(event.pointerId)) return;
    const [frame, place] = this.under(event);
    if (this.gesture === 'mark' && this.marked) {
      this.marked = [this.marked[0], this.snapped(frame)];
      this.draw();
    } else if (this.selected >= 0) this.changePoint({ at: this.snapped(frame), value: valueOf(this.found, place) }, this.gesture);
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

  type() {
    const text = this.typed.value.trim();
    if (!text || !this.target) return;
    const { table, param } = this.found;
    try {
      const point = ask({ ask: 'over-time', table, param, about: { lane: 'point', text, metre: metreOf(doc.session) } });
      const before = this.points()[this.selected];
      if (before && before.at === point.at) point.then = before.then;
      this.gesture = '';
      this.addPoint(point);
      this.typed.removeAttribute('aria-invalid');
    } catch (error) {
      this.typed.setAttribute('aria-invalid', 'true');
      note(error instanceof Error ? error.message : String(error));
    }
  }

  /** @param {KeyboardEvent} event */
  key(event) {
    const point = this.points()[this.selected];
    const beat = (doc.session.rate * 60) / doc.session.tempo_bpm / (this.grid || 32);
    const far = event.shiftKey ? 10 : 1;
    const along = { ArrowRight: beat, ArrowLeft: -beat }[event.key];
    const up = { ArrowUp: 0.01, ArrowDown: -0.01 }[event.key];
    if (event.key === 'Enter') {
      const value = point ? point.value : this.found.everywhere;
      this.gesture = '';
      this.addPoint({ at: this.snapped(host.position), value, then: 'straight' });
    } else if (event.key === 'Delete' || event.key === 'Backspace') this.removePoint();
    else if (event.key === 'n' || event.key === 'p') {
      const count = this.points().length;
      this.selected = count ? (this.selected + (event.key === 'n' ? 1 : -1) + count) % count : -1;
      this.draw();
    } else if (along && point) this.changePoint({ at: point.at + Math.round(along * far) });
    else if (up && point) this.changePoint({ value: stepped(this.found, point.value, up * far) });
    else return;
    event.preventDefault();
    event.stopPropagation();
  }

  rideMarked() {
    const { target } = this;
    if (!target) return;
    if (!this.marked) {
      note('Mark the stretch first: Shift and drag over the lane, or loop a section and press "ride" for all of it.');
      const range = loopRange();
      if (!range) return;
      this.marked = [doc.session.sections[range[0]].start, doc.session.sections[range[1]].end];
    }
    const { table, param, everywhere } = this.found;
    const by = Number(this.ride.value.replace(',', '.').replace('−', '-'));
    try {
      if (!Number.isFinite(by)) throw new Error('A stretch is ridden by a number of dB: -3 or +2.');
      const [from, to] = [Math.min(...this.marked), Math.max(...this.marked)];
      const course = courseOf(ownerOf(doc.session, target), target.param);
      const points = ask({
        ask: 'over-time',
        table,
        param,
        about: { lane: 'ridden', everywhere, course, sections: doc.session.sections, rate: doc.session.rate, from, to, by },
      });
      this.keep(points, newGesture());
    } catch (error) {
      note(error instanceof Error ? error.message : String(error));
    }
  }

  // ---- written while it plays ----

  /** @param {boolean} on */
  setWriting(on) {
    if (this.writing && !on) this.endRun();
    this.writing = on;
    this.write.setAttribute('aria-pressed', String(on));
  }

  /**
   * Takes a move of a control into its lane, if moves are written now.
   * @param {import('../../session/document.js').Edit} edit
   * @returns {boolean} whether it was taken
   */
  takes(edit) {
    const { target } = this;
    if (!this.isOpen || !this.writing || !host.playing || !target) return false;
    if (edit.edit !== 'set-param' && edit.edit !== 'set-control') return false;
    const [unit, param] = edit.edit === 'set-param' ? [edit.unit, edit.param] : [0, edit.control];
    if (edit.strip !== target.strip || unit !== target.unit || param !== target.param) return false;
    this.run ??= new Written(this.points(), newGesture());
    if (!this.run.take(Math.max(0, Math.round(host.position)), edit.value)) {
      // A loop has begun anew.
      this.endRun();
      return this.takes(edit);
    }
    this.keep(this.run.points(), this.run.gesture);
    return true;
  }

  /** A unit as the move that is being written has it now. @param {import('../../session/document.js').Unit} unit */
  written(unit) {
    const last = this.run?.run.at(-1);
    return last && this.target?.unit === unit.id ? unitWith(unit, this.target.param, last.value) : unit;
  }

  /** The move is over: it is thinned, and what was drawn after it stands again; one step of undo. */
  endRun() {
    const { run: written, target } = this;
    this.run = null;
    if (!written || !target || written.run.length === 0) return;
    const { table, param } = this.found;
    const points = ask({ ask: 'over-time', table, param, about: { lane: 'written', points: written.lane, run: written.run } });
    this.keep(points, written.gesture);
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
