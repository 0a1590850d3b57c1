import assert from 'node:assert/strict';
import { test } from 'node:test';
import { joinTexts, timed, told } from '../src/picture.js';

test('traces with the same times share one array', () => {
  const picture = timed({ traces: [{ times: [1, 2] }, { times: 0 }, { times: [3] }, { times: 2 }] });
  assert.equal(picture.traces[1].times, picture.traces[0].times);
  assert.deepEqual(picture.traces[3].times, [3]);
  assert.equal(timed(picture), picture);
});

test('a bucket is told with its unit, its range where there is one, and its share', () => {
  const trace = { told: { values: '1.0||3.5', ranges: '0.5 to 2.0||', shares: '12 %|20 %|', suffix: ' MB' } };
  assert.deepEqual(told(trace, 0), { value: '1.0 MB', range: '0.5 to 2.0 MB', share: '12 %' });
  assert.deepEqual(told(trace, 2), { value: '3.5 MB', range: '', share: '' });
  assert.deepEqual(told({ told: { values: '7', suffix: '' } }, 0), { value: '7', range: '', share: '' });
});

test('texts that came are put behind what is kept, missing ones too', () => {
  assert.equal(joinTexts('a||c|', 1, 3, '', 1), '|c||');
  assert.equal(joinTexts('a|b', 1, 1, '', 0), 'b');
  assert.equal(joinTexts(undefined, 0, 0, 'x|y', 2), 'x|y');
  assert.equal(joinTexts('a|b', 0, 0, '', 0), '');
});
