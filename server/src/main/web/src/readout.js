// The box beside the pointer: the values at a time, the nearest line marked, at most 12 lines around it.
import { el } from './dom.js';
import { told } from './picture.js';

const MAX_ROWS = 12;

// `rows` are {trace, k}, in the order in which they are told; k is the bucket.
export function readoutBox(rows, near, onlyNear, time) {
  const first = Math.max(0, Math.min(rows.length - MAX_ROWS, rows.indexOf(near) - MAX_ROWS / 2));
  const seen = onlyNear ? [near] : rows.slice(first, first + MAX_ROWS);
  const value = (r) => {
    const { value: text, range, share } = told(r.trace, r.k);
    return [text, share && ` · ${share}`, range && `  (${range})`].join('');
  };
  const line = (r) =>
    el(
      'tr',
      r === near ? { class: 'near' } : {},
      el('td', {}, el('span', { class: 'stroke c' + r.trace.colour + (r.trace.earlier ? ' earlier' : '') })),
      el('td', {}, r.trace.name),
      el('td', {}, value(r)),
    );
  const more = rows.length > seen.length && !onlyNear;
  return el(
    'div',
    { class: 'readout' },
    el('div', { class: 'num' }, time),
    el('table', {}, el('tbody', {}, ...seen.map(line))),
    more ? el('div', { class: 'note' }, `and ${rows.length - seen.length} more`) : null,
  );
}
