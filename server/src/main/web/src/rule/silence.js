// What it means when a series has no value, and when the query fails.
import { el } from '../dom.js';
import { choice, duration, refill } from './fields.js';

const MEANS = (shown) => [
  ['show', `is shown as ${shown}`],
  ['raise', 'raises an alert'],
  ['hold', 'holds the state'],
];

export function silence(host, { state }) {
  const off = !state.canEdit;
  const put = (key, v, usual, words) => state.put([key], v === usual ? undefined : v, words, null, { query: false, held: true });

  function row(title, key, shown) {
    const doc = state.doc();
    return el(
      'div',
      { class: 'rule-line silence', 'data-row': key },
      el('span', {}, title),
      duration({ value: doc[`${key}-after`] ?? '5m', label: title, place: `${key}-after`, off }, (v) =>
        put(`${key}-after`, v, '5m', title),
      ),
      choice({ value: doc[key] ?? 'show', label: `${title}: what it means`, choices: MEANS(shown), place: key, off }, (v) =>
        put(key, v, 'show', title),
      ),
    );
  }

  const show = () =>
    refill(
      host,
      el('div', { class: 'rule-section' }, el('h2', {}, 'Missing data and faults')),
      row('No data for', 'missing', 'No data'),
      row('Query fails for', 'fault', 'Fault'),
    );
  return { show };
}
