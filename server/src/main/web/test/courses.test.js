import assert from 'node:assert/strict';
import test from 'node:test';
import { bars, line, ribbon, runs, slopes } from '../src/courses.js';

// A pen that writes down where it was, curves at many places along them.
function pen() {
  const at = [],
    out = {
      at,
      moveTo: (x, y) => at.push([x, y]),
      lineTo: (x, y) => at.push([x, y]),
      closePath: () => at.push('close'),
      bezierCurveTo(x1, y1, x2, y2, x3, y3) {
        const [x0, y0] = at.at(-1);
        for (let t = 0.05; t < 1.001; t += 0.05) {
          const u = 1 - t,
            mix = (a, b, c, d) => u ** 3 * a + 3 * u * u * t * b + 3 * u * t * t * c + t ** 3 * d;
          at.push([mix(x0, x1, x2, x3), mix(y0, y1, y2, y3)]);
        }
      },
    };
  return out;
}
let seed = 7;
const random = () => (seed = (seed * 48271) % 2147483647) / 2147483647;

test('gaps part a course', () => {
  assert.deepEqual(runs([NaN, 1, 2, NaN, NaN, 3]), [
    [1, 2],
    [5, 5],
  ]);
  assert.deepEqual(runs([1, 2, 3], [1, NaN, 3]), [
    [0, 0],
    [2, 2],
  ]);
  assert.deepEqual(runs([]), []);
});

test('a smooth course stays between its neighbours', () => {
  for (let turn = 0; turn < 200; turn++) {
    const n = 2 + Math.floor(random() * 12),
      xs = [],
      ys = [];
    for (let k = 0; k < n; k++) {
      xs.push((xs.at(-1) ?? 0) + 0.5 + random() * 20);
      ys.push(random() < 0.3 && k ? ys[k - 1] : random() * 100);
    }
    const p = pen();
    line(p, { xs, ys, curve: 'smooth' });
    let k = 0;
    for (const [x, y] of p.at) {
      while (k < n - 2 && x > xs[k + 1] + 1e-9) k++;
      assert.ok(y >= Math.min(ys[k], ys[k + 1]) - 1e-6 && y <= Math.max(ys[k], ys[k + 1]) + 1e-6, `${x} ${y} of ${xs} ${ys}`);
    }
    assert.deepEqual(p.at.at(-1).map(Math.round), [xs.at(-1), ys.at(-1)].map(Math.round));
  }
});

test('slopes follow a straight line', () => assert.deepEqual([...slopes([0, 1, 3], [0, 2, 6], 0, 2)], [2, 2, 2]));

test('a step stands before or after its value', () => {
  const before = pen(),
    after = pen(),
    course = { xs: [0, 10, 20], ys: [1, 5, 2] };
  line(before, { ...course, curve: 'step before' });
  line(after, { ...course, curve: 'step after' });
  assert.deepEqual(before.at, [
    [0, 1],
    [0, 5],
    [10, 5],
    [10, 2],
    [20, 2],
  ]);
  assert.deepEqual(after.at, [
    [0, 1],
    [10, 1],
    [10, 5],
    [20, 5],
    [20, 2],
  ]);
});

test('the way back along a ribbon is the way there', () => {
  const xs = [0, 10, 25, 30],
    ys = [4, 9, 2, 7];
  for (const curve of ['straight', 'smooth', 'step before', 'step after']) {
    const p = pen();
    ribbon(p, { xs, ys, base: ys, curve });
    const way = p.at.slice(0, -1),
      there = way.slice(0, way.length / 2),
      back = way.slice(way.length / 2).reverse();
    there.forEach(([x, y], i) => {
      assert.ok(Math.abs(x - back[i][0]) < 1e-6, curve);
      assert.ok(Math.abs(y - back[i][1]) < 1e-6, curve);
    });
    assert.equal(p.at.at(-1), 'close');
  }
});

test('bars stand on their base, whichever end is up', () => {
  const p = pen();
  bars(p, { xs: [0, 10, 20], ys: [5, NaN, 30], base: [20, 20, 20], width: 8 });
  assert.deepEqual(
    p.at.filter((x) => x !== 'close').map(([, y]) => y),
    [5, 5, 20, 20, 20, 20, 30, 30],
  );
});
