// From what the expected band is learned: whose days, and the times that are left out.
import { el } from '../dom.js';
import { field, refill } from './fields.js';
import { conditionOf } from './limits.js';

const spoken = (span) =>
  span
    .replace(/:00(\.000)?Z/g, 'Z')
    .replace(/T/g, ' ')
    .replaceAll('Z', '')
    .replace('/', ' to ');

export function band(host, { state, answer }) {
  const off = !state.canEdit,
    put = (key, v, words) => state.put([key], v, words, null, { query: false, held: true });

  function leaveOut() {
    const { from, to } = answer() ?? {};
    if (!to) return;
    const span = [from, to].map((at) => new Date(Math.round(at / 60_000) * 60_000).toISOString().replace(':00.000Z', 'Z')).join('/');
    put('leave-out', [...(state.doc()['leave-out'] ?? []), span], 'left out');
  }

  function one(span, i, all) {
    const rest = all.filter((_, k) => k !== i);
    return el(
      'li',
      {},
      el('span', { class: 'num' }, spoken(span)),
      off
        ? null
        : el(
            'button',
            {
              type: 'button',
              class: 'rule-remove',
              'aria-label': `Learn from ${spoken(span)} again`,
              title: 'Learn from it again',
              onclick: () => put('leave-out', rest.length ? rest : undefined, 'left out'),
            },
            '×',
          ),
    );
  }

  function show() {
    const doc = state.doc(),
      spans = doc['leave-out'] ?? [];
    host.hidden = !(doc.limits ?? []).some((l) => conditionOf(l) === 'outside-band');
    if (host.hidden) return;
    refill(
      host,
      el('div', { class: 'rule-section' }, el('h2', {}, 'Expected band')),
      el('p', { class: 'note' }, answer()?.band ?? ''),
      el(
        'div',
        { class: 'rule-line', 'data-row': 'zone' },
        el('span', {}, 'Days and weeks of'),
        field({ value: doc.zone ?? 'UTC', label: 'Time zone', place: 'zone', width: 120, off }, (v) =>
          put('zone', v.trim() && v.trim() !== 'UTC' ? v.trim() : undefined, 'time zone'),
        ),
      ),
      el(
        'div',
        { class: 'rule-line', 'data-row': 'leave-out' },
        el('span', { class: 'note' }, spans.length ? 'Not learned from (UTC):' : 'Past incidents can be left out of what it learns from.'),
        off
          ? null
          : el(
              'button',
              { type: 'button', class: 'text-accent', 'data-key': 'leave-out', title: 'The range that the chart shows', onclick: leaveOut },
              'Leave out this range',
            ),
      ),
      spans.length ? el('ul', { class: 'left-out' }, ...spans.map(one)) : '',
    );
  }
  return { show };
}
