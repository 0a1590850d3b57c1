import assert from 'node:assert/strict';
import test from 'node:test';
import { placeOf, rounded, valueOf } from '../src/sheet/point.js';

const AXES = [
  { scale: 'linear', linear: 1 },
  { scale: 'log', linear: 1 },
  { scale: 'log 2', linear: 1 },
  { scale: 'signed log', linear: 0.5 },
];

test('a place on an axis gives the value that lies there', () => {
  for (const axis of AXES)
    for (const v of [0.001, 0.5, 1, 37, 90, 12_000])
      assert.ok(Math.abs(valueOf(placeOf(v, axis), axis) - v) < v * 1e-9, `${axis.scale} ${v}`);
  assert.equal(valueOf(placeOf(-40, AXES[3]), AXES[3]).toFixed(6), '-40.000000');
});

test('a dragged limit is as round as a pixel allows, and within it', () => {
  for (const axis of AXES)
    for (let px = 0; px < 150; px += 7) {
      const pixel = 3 / 150,
        at = 3 - px * pixel,
        v = rounded(at, axis, pixel);
      assert.ok(Math.abs(placeOf(v, axis) - at) <= pixel, `${axis.scale} ${at} ${v}`);
      assert.ok(String(v).replace(/[-.]/g, '').replace(/^0+/, '').length <= 5, `${axis.scale} ${v}`);
    }
});
