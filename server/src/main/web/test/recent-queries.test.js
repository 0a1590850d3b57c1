import assert from 'node:assert/strict';
import { mock, test } from 'node:test';

const stored = new Map();
globalThis.localStorage = { getItem: (k) => stored.get(k) ?? null, setItem: (k, v) => stored.set(k, v) };
const { recentQueries, remember } = await import('../src/recent-queries.js');

test('a query counts once it is unchanged for a while, newest first, each once, at most eight', () => {
  mock.timers.enable({ apis: ['setTimeout'] });
  remember('cp');
  remember('cpu');
  mock.timers.tick(10_000);
  assert.deepEqual(recentQueries(), ['cpu']);
  for (let i = 0; i < 10; i++) {
    remember(`q${i}`);
    mock.timers.tick(10_000);
  }
  remember('q5');
  mock.timers.tick(10_000);
  assert.equal(recentQueries().length, 8);
  assert.deepEqual(recentQueries().slice(0, 2), ['q5', 'q9']);
  remember('   ');
  mock.timers.tick(10_000);
  assert.equal(recentQueries()[0], 'q5');
  mock.timers.reset();
});

test('what else lies in the storage is no query', () => {
  for (const odd of ['not json', '{}', '[1, null, "cpu"]']) {
    stored.set('vintrel-asked', odd);
    assert.deepEqual(recentQueries(), odd.startsWith('[') ? ['cpu'] : []);
  }
});
