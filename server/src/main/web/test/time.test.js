import assert from 'node:assert/strict';
import { test } from 'node:test';

globalThis.document = { documentElement: { dataset: { zone: 'Europe/Paris' } } };
const { duration, stamp, typed } = await import('../src/time.js');

test('durations have the largest unit that divides them', () => {
  assert.equal(duration(90_000), '90s');
  assert.equal(duration(3_600_000), '1h');
  assert.equal(duration(14 * 86_400_000), '2w');
  assert.equal(duration(1), '1s');
});

test('times are in the zone of the page, also over the change of the clock', () => {
  const before = Date.UTC(2026, 2, 29, 0, 59, 59);
  assert.match(stamp(before), /01:59:59$/);
  assert.match(stamp(before + 1000), /03:00:00$/);
  assert.equal(typed(Date.UTC(2026, 10, 25, 23, 30)), '2026-11-26 00:30');
});
