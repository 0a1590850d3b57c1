import assert from 'node:assert/strict';
import { test } from 'node:test';
import { placeAmong, reordered } from '../src/edit-order.js';

// A small generator of numbers, so that a failure can be repeated.
function numbers(seed) {
  let x = seed;
  return (n) => (x = (x * 1103515245 + 12345) % 2147483648) % n;
}

test('a section goes with its panels, and what is above the first stays', () => {
  const sections = [{ row: 4 }, { row: 9 }, { row: 20 }],
    row = reordered(sections, 25, 0, 2);
  assert.deepEqual([1, 3].map(row), [1, 3]);
  assert.deepEqual([4, 5, 8].map(row), [20, 21, 24]);
  assert.deepEqual([9, 10, 19].map(row), [4, 5, 14]);
  assert.deepEqual([20, 24].map(row), [15, 19]);
  assert.equal(placeAmong(sections, 1), 1);
});

test('every row has another place, those of a section stay together, in the order that was asked for', () => {
  const random = numbers(7);
  for (let round = 0; round < 500; round++) {
    const rows = [...new Set(Array.from({ length: 1 + random(6) }, () => 1 + random(40)))],
      sections = rows.map((row) => ({ row })),
      end = 42 + random(10),
      from = random(sections.length),
      to = random(sections.length),
      row = reordered(sections, end, from, to),
      all = Array.from({ length: end - 1 }, (_, k) => k + 1),
      now = all.map(row);
    assert.deepEqual(
      [...now].sort((a, b) => a - b),
      all,
    );
    const first = Math.min(...rows);
    for (const r of all) {
      if (r < first) assert.equal(row(r), r);
      else if (!rows.includes(r)) assert.equal(row(r), row(r - 1) + 1);
    }
    const after = sections.map((s) => ({ row: row(s.row) }));
    assert.equal(placeAmong(after, from), to);
    // The others keep their order.
    const others = sections.filter((_, k) => k !== from).sort((a, b) => a.row - b.row);
    for (let k = 1; k < others.length; k++) assert.ok(row(others[k - 1].row) < row(others[k].row));
  }
});
