// The points of a lane and where they lie, without a browser.
import assert from 'node:assert/strict';
import { test } from 'node:test';
import { Written, withChanged, withPoint } from '../../server/static/js/views/over-time/lane-points.js';
import { HEIGHT, LaneScale } from '../../server/static/js/views/over-time/lane-scale.js';

/** @param {number} at @param {number} value */
const point = (at, value) => ({ at, value, then: /** @type {const} */ ('straight') });
const lane = [point(100, 1), point(200, 2), point(300, 3)];

test('a point joins in order, and one at the same place gives way', () => {
  assert.deepEqual(
    withPoint(lane, point(250, 9)).map((p) => p.value),
    [1, 2, 9, 3],
  );
  assert.deepEqual(
    withPoint(lane, point(200, 9)).map((p) => p.value),
    [1, 9, 3],
  );
  assert.equal(lane.length, 3, 'what it was made of stays');
});

test('a point that is dragged stays between its neighbours, and the first never comes before the song', () => {
  assert.equal(withChanged(lane, 1, { at: 900 })[1].at, 299);
  assert.equal(withChanged(lane, 1, { at: 0 })[1].at, 101);
  assert.equal(withChanged(lane, 0, { at: -50 })[0].at, 0);
  assert.deepEqual(withChanged(lane, 1, { value: 7 })[1], point(200, 7));
});

test('a move written over a lane leaves what was before it, counts each place once, and ends where the song goes back', () => {
  const written = new Written(lane, 'g');
  assert.ok(written.take(150, 5));
  assert.ok(written.take(150, 6));
  assert.ok(written.take(180, 7));
  assert.deepEqual(written.points(), [point(100, 1), point(150, 6), point(180, 7)]);
  assert.equal(written.take(120, 8), false);
  assert.equal(written.points().length, 3);
});

test('a place in the picture and the frame under it are each other', () => {
  const scale = new LaneScale(48_000, 144_000, 400);
  for (const [frame, place] of [
    [48_000, 0],
    [96_000, 0.5],
    [140_000, 1],
  ]) {
    const [back, up] = scale.under(scale.x(frame), scale.y(place));
    assert.ok(Math.abs(back - frame) < 1e-6 && Math.abs(up - place) < 1e-9);
  }
  assert.ok(scale.y(1) > 0 && scale.y(0) < HEIGHT);
});

test('a short stretch is ruled by beats, a longer one by bars, a song by eight bars, each where it is', () => {
  const beat = 24_000;
  const beats = new LaneScale(beat, 9 * beat, 400).ruling(beat, 4 * beat);
  assert.deepEqual(
    beats.map(({ at, isBar }) => [at / beat, isBar]),
    [1, 2, 3, 4, 5, 6, 7, 8].map((n) => [n, n % 4 === 0]),
  );
  const bars = new LaneScale(0, 60 * beat, 400).ruling(beat, 4 * beat);
  assert.ok(bars.length === 15 && bars.every(({ isBar }) => isBar));
  assert.equal(new LaneScale(0, 800 * beat, 400).ruling(beat, 4 * beat)[1].at, 32 * beat);
});
