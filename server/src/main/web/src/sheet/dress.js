// How a panel looks, as a data sheet: a faint label and its value, five to a row; what differs from the default stands out.
import { el } from '../dom.js';
import { told } from './feed.js';
import { value } from './value.js';
import { limits } from './limits.js';
import { rules } from './rules.js';

const LIMITS = 'Limits';
const WORDS = [
  { name: 'unit', label: 'unit', form: 'text', otherwise: '', about: 'The unit of the values; none: from the data.', words: 'ucum' },
  {
    name: 'time',
    label: 'time',
    form: 'text',
    otherwise: '',
    empty: "the page's",
    about: 'Shows its own time: today, yesterday, this week, or how far back, such as -24h.',
    words: 'range own period',
  },
  {
    name: 'link',
    label: 'link',
    form: 'text',
    otherwise: '',
    about: 'Where the title leads: a page of Vintrel or an address.',
    words: 'href url',
  },
  {
    name: 'description',
    label: 'description',
    form: 'text',
    long: true,
    otherwise: '',
    about: 'Shown on request beside the title, as Markdown.',
    words: 'description help',
  },
];

export function dress(host, { kind, panel, field, option, controls, feeds, newLimit }) {
  let only = 'all',
    caught = {};
  const grid = el('div', { class: 'dress-grid' }),
    all = el('button', { type: 'button', 'aria-pressed': 'true', onclick: () => narrow('all') }),
    changed = el('button', { type: 'button', 'aria-pressed': 'false', onclick: () => narrow('changed') });
  const find = el('input', {
    class: 'field',
    type: 'search',
    placeholder: 'Find a setting',
    'aria-label': 'Find a setting',
    // Others are dimmed in place, so that nothing moves.
    oninput: (e) => {
      const wanted = e.target.value.toLowerCase().trim(),
        found = [];
      for (const out of grid.querySelectorAll('.setting')) {
        const is = out.dataset.find.includes(wanted);
        out.classList.toggle('dim', !is);
        if (is) found.push(out);
      }
      none.hidden = found.length > 0;
      if (wanted) found[0]?.scrollIntoView({ block: 'nearest' });
    },
  });
  const none = el('span', { class: 'note', role: 'status', hidden: '' }, 'No setting contains this.');
  host.replaceChildren(
    el(
      'header',
      {},
      el('h2', {}, 'Settings'),
      find,
      el('span', { class: 'choice', role: 'group', 'aria-label': 'Settings shown' }, all, changed),
      none,
      el('span', { class: 'note keys' }, '← → step through the choices, Delete resets to the default'),
    ),
    grid,
  );

  function narrow(to) {
    only = to;
    all.setAttribute('aria-pressed', String(to === 'all'));
    changed.setAttribute('aria-pressed', String(to === 'changed'));
    grid.classList.toggle('only-changed', only === 'changed');
  }

  // What became of a value is seen at its place, in its group, and in the head.
  function count() {
    let total = 0;
    for (const group of grid.querySelectorAll('.group')) {
      const n = group.querySelectorAll('.setting .value.changed, .limit, .rule').length;
      for (const s of group.querySelectorAll('.setting')) s.classList.toggle('is-default', !s.querySelector('.value.changed, input'));
      total += n;
      group.querySelector('.count').textContent = n || '';
      group.classList.toggle('is-default', !n);
    }
    all.textContent = `All ${grid.querySelectorAll('.setting').length}`;
    changed.textContent = `Changed ${total}`;
  }

  const setting = (s, get, set) =>
    el(
      'span',
      {
        class: 'setting',
        'data-find': `${s.label} ${s.words} ${s.choices?.join(' ') ?? ''} ${s.group ?? ''}`.toLowerCase(),
        'data-name': s.name,
      },
      el('span', { class: 'label', onclick: (e) => e.target.parentElement.querySelector('button')?.click() }, s.label),
      value(s, {
        get,
        set: (v) => {
          set(v);
          // The value marks itself as changed after this.
          queueMicrotask(count);
        },
        feeds,
        place: s.name,
      }),
    );

  const group = (name, ...inside) =>
    el(
      'div',
      { class: 'group', 'data-group': name },
      el('h3', {}, name, el('span', { class: 'count' })),
      el('div', { class: 'settings' }, ...inside),
    );

  // Once for each value of a control.
  const repeats = () =>
    controls.length
      ? [
          {
            name: 'repeat',
            label: 'repeat for',
            form: 'choice',
            choices: ['', ...controls],
            otherwise: '',
            about: 'Repeats the panel for each selected value of a control.',
            words: 'copies each',
          },
          {
            name: 'repeat-down',
            label: 'copies',
            form: 'truth',
            says: ['down', 'across'],
            otherwise: false,
            about: 'Whether the copies go across or down.',
            words: 'repeat direction',
          },
        ]
      : [];
  const limitList = () => limits(panel, (v) => field('limits', v, 'limits'), count, feeds, newLimit);

  const rows = (s) =>
    rules(s, {
      list: () => panel().options?.[s.name] ?? [],
      put: (v) => option(s.name, v.length ? v : undefined, s.label),
      caught: () => caught[s.name] ?? [],
      counted: count,
      feeds,
    });

  function fill() {
    const k = kind(),
      settings = k.settings.map((s) => ({ ...s, long: s.name === 'text' })),
      plain = settings.filter((s) => s.form !== 'records'),
      records = settings.filter((s) => s.form === 'records'),
      names = [...new Set(plain.map((s) => s.group))];
    grid.replaceChildren(
      ...names.map((g) =>
        group(
          g,
          ...plain
            .filter((s) => s.group === g)
            .map((s) =>
              setting(
                s,
                () => panel().options?.[s.name],
                (v) => option(s.name, v, s.label),
              ),
            ),
          ...(g === LIMITS ? [limitList()] : []),
          ...records.filter((s) => s.group === g).map(rows),
        ),
      ),
      ...(names.includes(LIMITS) ? [] : [group(LIMITS, limitList())]),
      ...records.filter((s) => !names.includes(s.group)).map((s) => group(s.group, rows(s))),
      group(
        'Panel',
        ...[...WORDS, ...repeats()].map((s) =>
          setting(
            s,
            () => panel()[s.name],
            (v) => field(s.name, v, s.label),
          ),
        ),
      ),
    );
    count();
  }

  fill();
  return {
    fill,
    find,
    // To the settings of a part of the picture; the group is seen for a moment.
    go(group, name) {
      narrow('all');
      const to = grid.querySelector(`[data-group="${CSS.escape(group)}"]`),
        at = to?.querySelector(name ? `[data-name="${CSS.escape(name)}"] .value` : '.limit .value, .value');
      to?.scrollIntoView({ block: 'nearest' });
      at?.focus();
      to?.classList.add('pointed');
      setTimeout(() => to?.classList.remove('pointed'), 1200);
    },
    // What lines gave for the settings that they feed.
    fed() {
      for (const out of grid.querySelectorAll('.value')) out.show?.();
      told();
    },
    // What style rules are for just now, and what is on which axis.
    caught({ caught: styles, axes, picture } = {}) {
      const on = [];
      for (const { name, axis } of picture?.traces ?? []) {
        const { setting = -1 } = axes?.[axis ?? 0] ?? {};
        if (setting >= 0) (on[setting] ??= []).push(name);
      }
      caught = { styles: styles ?? [], axes: Array.from(on, (names) => names ?? []) };
      for (const out of grid.querySelectorAll('.rule')) out.show?.();
    },
  };
}
