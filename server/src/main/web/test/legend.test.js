import assert from 'node:assert/strict';
import { test } from 'node:test';
import { sorted } from '../src/legend.js';

const trace = (name, unit, mean) => ({ name, unit, sizes: { mean } });

test('numbers are sorted within their unit', () => {
  const traces = [trace('a', 's', 3), trace('b', 'GB', 2), trace('c', 's', 9), trace('d', 'GB', 5), trace('e', 's')];
  const names = (by) => sorted(traces, by).map((t) => t.name);
  assert.deepEqual(names('mean'), ['c', 'a', 'e', 'd', 'b']);
  assert.deepEqual(names('name'), ['a', 'b', 'c', 'd', 'e']);
  assert.deepEqual(names('as drawn'), ['a', 'b', 'c', 'd', 'e']);
});
