import assert from 'node:assert/strict';
import { test } from 'node:test';
import { plotSize } from '../src/plot-size.js';

const LABELLED = { limits: [{ text: 'above 90 %' }] };

function body() {
  const classes = new Set();
  return { classes, classList: { toggle: (name, on) => (on ? classes.add(name) : classes.delete(name)) } };
}

test('a picture made for another size is asked for again, its labels hidden until then', () => {
  const kept = [],
    plot = plotSize({ remembered: () => [300, 100], remember: (px) => kept.push(px.join()) }),
    view = { size: () => [312, 100] },
    at = body();
  assert.deepEqual(plot.fields(null), { 'plot-width': 300, 'plot-height': 100 });
  assert.equal(plot.misplaced(view, LABELLED, at), true);
  assert.ok(at.classes.has('misplaced'));
  assert.deepEqual(plot.fields(view), { 'plot-width': 312, 'plot-height': 100 });
  assert.equal(plot.misplaced(view, LABELLED, at), false);
  assert.ok(!at.classes.has('misplaced'));
  assert.deepEqual(kept, ['312,100', '312,100']);
});

test('without labels, or a hair off, nothing is asked again', () => {
  const plot = plotSize(),
    at = body();
  plot.fields({ size: () => [300, 100] });
  assert.equal(plot.misplaced({ size: () => [302, 98] }, LABELLED, at), false);
  for (const drawing of [{}, { limits: [] }, { limits: [{ text: '' }] }])
    assert.equal(plot.misplaced({ size: () => [600, 400] }, drawing, at), false);
});

test('a plot that never settles shows its labels in the end, and is tried again with the next picture', () => {
  const plot = plotSize(),
    at = body(),
    asked = [];
  let wide = 100;
  for (let i = 0; i < 7; i++) {
    const view = { size: () => [(wide += 10), 100] };
    plot.fields(i ? { size: () => [wide, 100] } : null);
    asked.push(plot.misplaced(view, LABELLED, at));
    assert.equal(at.classes.has('misplaced'), asked.at(-1));
  }
  assert.deepEqual(asked, [true, true, false, true, true, false, true]);
});
