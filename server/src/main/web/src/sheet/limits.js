// The limits of a panel: a side, a value and a priority each.
import { el } from '../dom.js';
import { value } from './value.js';

const PRIORITIES = ['critical', 'high', 'medium', 'low'];

// `first` is where a new limit lies.
export function limits(panel, put, counted, feeds, first) {
  const host = el('div', { class: 'limit-rows' });
  const list = () => panel().limits ?? [];

  function set(next) {
    put(next.length ? next : undefined);
    fill();
    counted();
  }

  function one(l, i) {
    const side = l.above != null ? 'above' : 'below',
      change = (to) => set(list().map((x, k) => (k === i ? to : x))),
      select = (label, choices, now, on) =>
        el(
          'select',
          { class: 'field', 'aria-label': label, onchange: (e) => on(e.target.value) },
          ...choices.map((c) => el('option', { selected: c === now }, c)),
        );
    return el(
      'span',
      { class: 'limit' },
      select('Priority of the limit', PRIORITIES, l.priority, (priority) => change({ ...l, priority })),
      select('Side of the limit', ['above', 'below'], side, (s) => change({ [s]: l[side], priority: l.priority })),
      value(
        {
          form: 'number',
          label: 'Value of the limit',
          title: `Limit, ${l.priority}: ${side}`,
          about: 'A number, or = and a line.',
          limit: true,
        },
        {
          get: () => list()[i]?.[side],
          set: (v) => v !== undefined && put(list().map((x, k) => (k === i ? { ...x, [side]: v } : x))),
          feeds,
          place: `limits[${i}]`,
        },
      ),
      el(
        'button',
        { type: 'button', 'aria-label': 'Remove the limit', title: 'Remove', onclick: () => set(list().filter((_, k) => k !== i)) },
        '×',
      ),
    );
  }

  function fill() {
    host.replaceChildren(
      ...list().map(one),
      el(
        'button',
        { type: 'button', class: 'text-accent', onclick: () => set([...list(), { above: first(), priority: 'medium' }]) },
        '+ Limit',
      ),
    );
  }
  fill();
  return host;
}
