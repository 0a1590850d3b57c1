// The limits of a rule: a condition, a priority, delays and a deadband each.
import { el } from '../dom.js';
import { choice, duration, field, number, refill } from './fields.js';

export const PRIORITIES = ['critical', 'high', 'medium', 'low'];
const MOST = 3;
const CONDITIONS = [
  ['above'],
  ['below'],
  ['at least'],
  ['at most'],
  ['outside'],
  ['outside-band', 'outside the expected band'],
  ['stale', 'stale for'],
  ['absent'],
];
export const conditionOf = (l) => CONDITIONS.find(([c]) => l[c] !== undefined)?.[0] ?? 'above';
export const isUp = (c) => c === 'above' || c === 'at least';
export const hasValue = (c) => !['stale', 'absent', 'outside-band'].includes(c);
const hasDeadband = (c) => hasValue(c) || c === 'outside-band';
const WIDTH = 4;

export function shape(priority) {
  const host = el('span', { class: 'shape-of', 'aria-hidden': 'true' });
  host.innerHTML = `<svg class="shape ${priority}"><use href="#${priority}"></use></svg>`;
  return host;
}

export function limits(host, { state, answer }) {
  const all = () => state.doc().limits ?? [];
  const unit = () => answer()?.sign ?? '';
  const opened = new Set();
  let active = 0;

  const set = (i, next, words) =>
    state.change((d) => ({ ...d, limits: d.limits.map((l, k) => (k === i ? clean(next) : l)) }), words, null, { query: false, held: true });

  // A number in place of another condition's.
  function other(l, to) {
    const from = conditionOf(l),
      { [from]: was, ...rest } = l,
      a = Array.isArray(was) ? was[1] : typeof was === 'number' && hasValue(from) ? was : (answer()?.greatest ?? 0);
    if (!hasDeadband(to)) delete rest.deadband;
    if (to === 'outside-band') return { [to]: WIDTH, ...rest };
    const low = Math.min(answer()?.least ?? a - 1, a - 1e-9 - Math.abs(a) / 100);
    return { [to]: to === 'outside' ? [rounded(low), a] : to === 'stale' ? '5m' : to === 'absent' ? true : a, ...rest };
  }

  const rounded = (v) => Number(v.toPrecision(3));

  function clean(l) {
    const out = { ...l };
    if (out.deadband === 0 || out.deadband === '') delete out.deadband;
    for (const delay of ['on-delay', 'off-delay']) if (/^0?[smh]?$/.test(out[delay] ?? '0')) delete out[delay];
    if (out.checks === '1 of 1') delete out.checks;
    return out;
  }

  function one(l, i) {
    const place = `limits[${i}]`,
      c = conditionOf(l),
      off = !state.canEdit,
      free = PRIORITIES.filter((p) => p === l.priority || !all().some((o) => o.priority === p)),
      value = (v, to, key) =>
        field(
          { value: v, label: `Limit, ${l.priority ?? ''}`, place: `${place}.${c}`, key, unit: shownUnit(), read: number, width: 52, off },
          to,
        ),
      [times, outOf] = (l.checks ?? '1 of 1').split(' of '),
      checks = (a, b) => set(i, { ...l, checks: `${a} of ${b}` }, 'checks');
    const values = !hasValue(c)
      ? c === 'outside-band'
        ? [
            field(
              {
                value: l[c],
                label: 'Width of the band, standard deviations',
                place: `${place}.outside-band`,
                unit: 'σ wide',
                read: number,
                width: 40,
                off,
              },
              (v) => set(i, { ...l, [c]: v }, 'width'),
            ),
          ]
        : c === 'stale'
          ? [
              duration({ value: l.stale, label: 'Without a value for', place: `${place}.stale`, off }, (v) =>
                set(i, { ...l, stale: v }, 'limit'),
              ),
            ]
          : []
      : c === 'outside'
        ? [
            value(l.outside[0], (v) => set(i, { ...l, outside: [v, l.outside[1]] }, 'limit'), `${place}.low`),
            el('span', { class: 'note' }, 'to'),
            value(l.outside[1], (v) => set(i, { ...l, outside: [l.outside[0], v] }, 'limit'), `${place}.high`),
          ]
        : [value(l[c], (v) => set(i, { ...l, [c]: v }, 'limit'), `${place}.value`)];
    const row = el(
      'div',
      {
        class: `rule-limit ${l.priority ?? 'medium'}${i === active ? ' active' : ''}`,
        'data-row': place,
        role: 'group',
        'aria-label': `Limit ${i + 1}`,
      },
      el(
        'div',
        { class: 'rule-line' },
        shape(l.priority ?? 'medium'),
        choice({ value: l.priority ?? 'medium', label: 'Priority', choices: free.map((p) => [p]), place: `${place}.priority`, off }, (p) =>
          set(i, { ...l, priority: p }, 'priority'),
        ),
        choice({ value: c, label: 'Condition', choices: CONDITIONS, place: `${place}.condition`, off }, (to) =>
          set(i, other(l, to), 'condition'),
        ),
        ...values,
        el('span', { class: 'note' }, 'for'),
        duration({ value: l['on-delay'] ?? '0s', label: 'On-delay', place: `${place}.on-delay`, off }, (v) =>
          set(i, { ...l, 'on-delay': v }, 'on-delay'),
        ),
        state.canEdit && all().length > 1
          ? el(
              'button',
              {
                type: 'button',
                class: 'rule-remove',
                'aria-label': `Remove the limit ${l.priority ?? ''}`,
                title: 'Remove',
                onclick: () =>
                  state.change((d) => ({ ...d, limits: d.limits.filter((_, k) => k !== i) }), 'limit', null, { query: false, held: true }),
              },
              '×',
            )
          : null,
      ),
      el(
        'div',
        { class: 'rule-line' },
        el('span', { class: 'note' }, 'clears'),
        ...(hasDeadband(c)
          ? [
              field(
                { value: l.deadband ?? 0, label: 'Deadband', place: `${place}.deadband`, unit: shownUnit(), read: number, width: 46, off },
                (v) => set(i, { ...l, deadband: v }, 'deadband'),
              ),
              el('span', { class: 'note' }, isUp(c) ? 'below it, for' : c.startsWith('outside') ? 'inside, for' : 'above it, for'),
            ]
          : [el('span', { class: 'note' }, 'with a value, for')]),
        duration({ value: l['off-delay'] ?? '0s', label: 'Off-delay', place: `${place}.off-delay`, off }, (v) =>
          set(i, { ...l, 'off-delay': v }, 'off-delay'),
        ),
        opened.has(i) || l.checks
          ? null
          : el(
              'button',
              {
                type: 'button',
                class: 'text-accent',
                'data-key': `${place}.more`,
                onclick: () => {
                  opened.add(i);
                  show();
                },
              },
              'More',
            ),
      ),
      opened.has(i) || l.checks
        ? el(
            'div',
            { class: 'rule-line' },
            el('span', { class: 'note' }, 'if'),
            field({ value: times, label: 'Checks past the limit', place: `${place}.checks`, width: 40, off }, (v) => checks(v, outOf)),
            el('span', { class: 'note' }, 'of the last'),
            field({ value: outOf, label: 'Of the last checks', place: `${place}.checks`, key: `${place}.outof`, width: 40, off }, (v) =>
              checks(times, v),
            ),
            el('span', { class: 'note' }, 'checks are past the limit'),
          )
        : null,
    );
    row.addEventListener('focusin', () => {
      if (active === i) return;
      active = i;
      [...host.querySelectorAll('.rule-limit')].forEach((r, k) => r.classList.toggle('active', k === i));
      host.dispatchEvent(new CustomEvent('limit', { detail: i, bubbles: true }));
    });
    return row;
  }

  const shownUnit = () => (unit().length > 8 ? '' : unit());

  function add() {
    const free = PRIORITIES.find((p) => !all().some((o) => o.priority === p)),
      base = all().at(-1),
      c = base ? conditionOf(base) : 'above',
      next =
        base && hasValue(c) && c !== 'outside'
          ? { ...structuredClone(base), priority: free }
          : { above: rounded(answer()?.greatest ?? 0), priority: free };
    state.change((d) => ({ ...d, limits: [...(d.limits ?? []), next] }), 'added limit', null, { query: false, held: true });
  }

  function show() {
    active = Math.min(active, Math.max(0, all().length - 1));
    refill(
      host,
      el(
        'div',
        { class: 'rule-section' },
        el('h2', {}, 'Limits'),
        state.canEdit && all().length && all().length < MOST
          ? el('button', { type: 'button', class: 'text-accent', 'data-key': 'add-limit', onclick: add }, 'Add a limit')
          : null,
      ),
      all().length ? '' : el('p', { class: 'note' }, 'A limit is proposed from the history when the query returns values.'),
      ...all().map(one),
    );
  }

  // Of a limit that is dragged only the numbers change.
  function values() {
    all().forEach((l, i) => {
      const c = conditionOf(l),
        put = (key, v) => {
          const input = host.querySelector(`[data-key="${CSS.escape(key)}"]`);
          if (input && document.activeElement !== input) input.value = v;
        };
      if (c === 'outside') l.outside.forEach((v, k) => put(`limits[${i}].${k ? 'high' : 'low'}`, v));
      else if (hasValue(c)) put(`limits[${i}].value`, l[c]);
      put(`limits[${i}].deadband`, l.deadband ?? 0);
    });
  }

  return { show, values, active: () => active };
}
