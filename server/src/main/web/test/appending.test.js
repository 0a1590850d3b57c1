import assert from 'node:assert/strict';
import { test } from 'node:test';
import { whole } from '../src/appending.js';

const drawing = (times, values, more = {}) => ({ picture: { traces: [{ times, values, ...more }] }, styles: [{}] });

test('what came is put behind what is kept', () => {
  const last = drawing([10, 20, 30, 40], [1, 2, 3, 4], { low: [0, 1, 2, 3] }),
    next = whole({ keeps: [[1, 2]], drawing: drawing([40, 50], [4.5, 5], { low: [3.5, 4] }) }, last);
  assert.deepEqual(next.picture.traces[0].times, [20, 30, 40, 50]);
  assert.deepEqual(next.picture.traces[0].values, [2, 3, 4.5, 5]);
  assert.deepEqual(next.picture.traces[0].low, [1, 2, 3.5, 4]);
});

test('texts and shared times go along', () => {
  const two = (times, values, told) => ({
      picture: {
        traces: [
          { times, values, told: { values: told, ranges: null } },
          { times: 0, values, told: { values: told } },
        ],
      },
      styles: [{}, {}],
    }),
    last = two([10, 20, 30], [1, null, 3], '1.0||3.0'),
    keeps = [
      [1, 2],
      [1, 2],
    ],
    next = whole({ keeps, drawing: two([40], [4], '4.0') }, last).picture.traces;
  assert.equal(next[1].told.values, '|3.0|4.0');
  assert.deepEqual(next[0].times, [20, 30, 40]);
  assert.equal(next[1].times, next[0].times);
});

test('stacks keep where they lie', () => {
  const last = drawing([10, 20], [1, 2]),
    now = drawing([30], [3]);
  last.styles[0] = { base: [0, 0], drawn: [1, 2] };
  now.styles[0] = { base: [5], drawn: [8] };
  const next = whole({ keeps: [[1, 1]], drawing: now }, last);
  assert.deepEqual(next.styles[0], { base: [0, 5], drawn: [2, 8] });
});

test('everything is taken where nothing is kept', () => {
  const now = drawing([30], [3]);
  assert.equal(whole({ drawing: now }, null), now);
  assert.deepEqual(whole({ keeps: [[0, 0]], drawing: now }, drawing([10], [1])).picture.traces[0].values, [3]);
});
