// Questions of pictures: one at a time, of each only the latest.
import assert from 'node:assert/strict';
import { test } from 'node:test';
import { Latest } from '../../server/static/js/engine/latest.js';

/** A queue whose answers are given by hand. */
function answering() {
  /** @type {unknown[]} */
  const sent = [];
  /** @type {string[]} */
  const told = [];
  const latest = new Latest((question) => sent.push(question.n));
  const ask = (/** @type {object} */ of, /** @type {number} */ n) =>
    latest.ask(of, { ask: 'picture', n }, (answer) => told.push(`${n}: ${answer}`));
  return { latest, ask, sent, told };
}

test('of what a hand passes only the first and the last are answered, and both are told', () => {
  const { latest, ask, sent, told } = answering();
  const picture = {};
  for (let n = 1; n <= 40; n += 1) ask(picture, n);
  latest.answered('a');
  latest.answered('b');
  assert.deepEqual(
    [sent, told],
    [
      [1, 40],
      ['1: a', '40: b'],
    ],
  );
});

test('pictures take turns: one that asks on and on keeps no other waiting', () => {
  const { latest, ask, sent } = answering();
  const [one, other] = [{}, {}];
  ask(one, 1);
  ask(one, 2);
  ask(other, 3);
  latest.answered('');
  ask(one, 4);
  latest.answered('');
  latest.answered('');
  assert.deepEqual(sent, [1, 2, 3, 4]);
});

test('no answer is told to a picture that is gone, nor is one that failed; nothing found is an answer', () => {
  const { latest, ask, sent, told } = answering();
  const [one, other, third] = [{}, {}, {}];
  ask(one, 1);
  ask(one, 2);
  ask(other, 3);
  ask(third, 4);
  latest.leave(one);
  latest.answered('late');
  latest.answered({ error: 'no such unit' });
  latest.answered(null);
  assert.deepEqual([sent, told], [[1, 3, 4], ['4: null']]);
});
