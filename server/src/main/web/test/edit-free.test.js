import assert from 'node:assert/strict';
import test from 'node:test';
import { firstFree, freePlaces } from '../src/edit-free.js';

let seed = 11;
const random = (n) => (seed = (seed * 48271) % 2147483647) % n;
const overlap = (a, b) => a.x < b.x + b.w && b.x < a.x + a.w && a.y < b.y + b.h && b.y < a.y + a.h;

// All free rectangles, tried one by one.
function all(taken, columns, rows) {
  const out = [];
  for (let x = 0; x < columns; x++)
    for (let y = 0; y < rows; y++)
      for (let w = 2; x + w <= columns; w++)
        for (let h = 3; y + h <= rows; h++) if (!taken.some((t) => overlap(t, { x, y, w, h }))) out.push({ x, y, w, h });
  return out;
}

test('free places are free, apart, and the largest that there are', () => {
  for (let turn = 0; turn < 120; turn++) {
    const rows = 4 + random(9),
      taken = Array.from({ length: random(7) }, () => {
        const x = random(11),
          y = random(rows);
        return { x, y, w: 1 + random(12 - x), h: 1 + random(5) };
      }),
      found = freePlaces(taken, 12, rows);
    const so = [...taken];
    for (const p of found) {
      assert.ok(p.x >= 0 && p.y >= 0 && p.x + p.w <= 12 && p.y + p.h <= rows && p.w >= 2 && p.h >= 3);
      const others = all(so, 12, rows);
      assert.ok(
        others.some((o) => JSON.stringify(o) === JSON.stringify(p)),
        'is free',
      );
      assert.equal(p.w * p.h, Math.max(...others.map((o) => o.w * o.h)));
      so.push(p);
    }
    if (found.length < 8) assert.equal(all(so, 12, rows).length, 0, 'nothing is left');
  }
});

test('a new panel goes to the first place in reading order with room for it', () => {
  const places = [
    { x: 0, y: 9, w: 12, h: 9 },
    { x: 6, y: 2, w: 6, h: 6 },
    { x: 0, y: 2, w: 3, h: 6 },
  ];
  assert.deepEqual(firstFree(places, { w: 6, h: 6 }), places[1]);
  assert.deepEqual(firstFree(places, { w: 2, h: 3 }), places[2]);
  assert.equal(firstFree(places, { w: 12, h: 12 }), null);
});
