// The controls of a dashboard: what each is called, where its choices come from, what is chosen at first.
import { el, post } from '../dom.js';
import { current } from '../range.js';

const KINDS = [
  { key: 'metric', title: 'values of a label', fields: ['metric', 'label', 'where', 'several', 'default'] },
  { key: 'query', title: 'result of a query', fields: ['query', 'label', 'several', 'default'] },
  { key: 'values', title: 'fixed list', fields: ['values', 'several', 'default'] },
  { key: 'text', title: 'text', fields: ['default'] },
  { key: 'stores', title: 'store', fields: ['default'] },
  { key: 'intervals', title: 'bucket width', fields: ['intervals', 'default'] },
];
const FIELDS = {
  metric: { label: 'Metric', hint: 'host.cpu.busy' },
  label: { label: 'Label', hint: 'as the name' },
  where: { label: 'Condition', hint: 'site = $site' },
  query: { label: 'Query', hint: 'host.cpu.busy then max by host then top 5' },
  values: { label: 'Values', hint: 'gold, silver', list: true },
  intervals: { label: 'Widths', hint: '1m, 5m, 1h', list: true },
  default: { label: 'Default', hint: 'all', list: true },
  several: { label: 'Several values', truth: true },
};
const FIRST = {
  text: true,
  stores: true,
  intervals: ['1m', '5m', '1h'],
  values: ['a', 'b'],
  metric: 'host.cpu.busy',
  query: 'host.cpu.busy then max by host',
};

const kindOf = (c) => KINDS.find((k) => k.key in c) ?? KINDS[0];

// Of a fault in a control: which one, and what is wrong with it.
const FAULT = /\.controls\[(\d+)\]\.?(.*)$/s;

// `list` gives the controls, `put` takes them after a change with what it was.
export function controls(host, { dashboard, list, put, close }) {
  let asked = 0;
  const set = (i, next, words) =>
    put(
      list().map((c, k) => (k === i ? next : c)),
      words,
    );

  function input(c, i, name) {
    const f = FIELDS[name];
    if (f.truth)
      return el(
        'label',
        { class: 'flex gap-2' },
        el('input', {
          type: 'checkbox',
          ...(c[name] ? { checked: '' } : {}),
          onchange: (e) => set(i, without({ ...c, [name]: e.target.checked }, name, !e.target.checked), name),
        }),
        f.label,
      );
    return field(f.label, f.list ? (c[name] ?? []).join(', ') : (c[name] ?? ''), f.hint, (text) => {
      const value = f.list
        ? text
            .split(',')
            .map((x) => x.trim())
            .filter(Boolean)
        : text.trim();
      const empty = !value.length && name !== kindOf(c).key;
      set(i, without({ ...c, [name]: value }, name, empty), `${name} of ${c.name}`);
    });
  }

  const field = (label, value, hint, on) =>
    el(
      'label',
      { class: label === FIELDS.query.label ? 'control-field long' : 'control-field' },
      el('span', { class: 'note' }, label),
      el('input', { class: 'field', value, placeholder: hint, onchange: (e) => on(e.target.value) }),
    );

  function without(c, name, empty) {
    if (empty) delete c[name];
    return c;
  }

  function row(c, i) {
    const kind = kindOf(c);
    return el(
      'div',
      { class: 'control-row', role: 'group', 'aria-label': `Control ${c.name}` },
      field('Name, used as $name', c.name, 'site', (v) => set(i, { ...c, name: v.trim() }, `name of ${c.name}`)),
      field('Title', c.title ?? '', c.name, (v) => set(i, without({ ...c, title: v.trim() }, 'title', !v.trim()), `title of ${c.name}`)),
      el(
        'label',
        { class: 'control-field' },
        el('span', { class: 'note' }, 'Values from'),
        el(
          'select',
          {
            class: 'field',
            onchange: (e) => {
              const to = KINDS.find((k) => k.title === e.target.value);
              const next = { name: c.name, [to.key]: FIRST[to.key] };
              if (c.title) next.title = c.title;
              set(i, next, `kind of ${c.name}`);
            },
          },
          ...KINDS.map((k) => el('option', { selected: k === kind }, k.title)),
        ),
      ),
      ...kind.fields.map((name) => input(c, i, name)),
      el(
        'button',
        {
          type: 'button',
          class: 'text-accent',
          onclick: () =>
            put(
              list().filter((_, k) => k !== i),
              `remove control ${c.name}`,
            ),
        },
        'Remove',
      ),
      el('p', { class: 'offers note', role: 'status' }),
    );
  }

  // Under each control what it offers just now, or what is wrong with it.
  async function offers() {
    const mine = ++asked,
      rows = [...host.querySelectorAll('.control-row')],
      draft = { kind: 'dashboard', name: dashboard, title: dashboard, controls: list(), panels: [] };
    if (!rows.length) return;
    const found = await post(`/dashboards/${dashboard}/offers`, { document: JSON.stringify(draft), ...current() }).catch(() => null);
    if (!found || mine !== asked) return;
    found.offers.forEach((o, i) => says(rows[i], o.words, o.fault));
    mark(found.faults);
  }

  function says(row, text, fault) {
    const note = row.querySelector('.offers');
    note.textContent = text;
    note.classList.toggle('fault', fault);
  }

  function mark(faults) {
    for (const f of faults) {
      const [, i, text] = f.match(FAULT) ?? [],
        row = host.querySelectorAll('.control-row')[i];
      if (row) says(row, text, true);
    }
  }

  function free() {
    for (let n = 1; ; n++) if (!list().some((c) => c.name === `control${n}`)) return `control${n}`;
  }

  function show() {
    host.replaceChildren(
      el(
        'header',
        {},
        el('h2', {}, 'Controls'),
        el('span', { class: 'note' }, 'Use a control in a line as $name. Bucket widths and stores apply to all panels.'),
        el('button', { type: 'button', class: 'btn', onclick: close }, 'Close'),
      ),
      ...list().map(row),
      el(
        'button',
        {
          type: 'button',
          class: 'btn',
          onclick: () => put([...list(), { name: free(), metric: FIRST.metric, label: 'site' }], 'added control'),
        },
        '+ Control',
      ),
    );
    if (!host.hidden) offers();
  }
  show();
  return { show, mark };
}
