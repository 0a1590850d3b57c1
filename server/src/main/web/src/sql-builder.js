// Builds a statement for an SQL store from pick lists; the server writes it.
import { el, post } from './dom.js';

export const field = (id, label, input) => [el('label', { for: id }, label), input];

const select = (id, label, options, chosen) =>
  field(
    id,
    label,
    el(
      'select',
      { id, class: 'field' },
      ...options.map((o) => el('option', { value: o, ...(o === chosen ? { selected: '' } : {}) }, o || 'none')),
    ),
  );

export function sqlBuilder(stores, ask, bench) {
  const pickStore = el('select', { id: 'b-store', class: 'field' }, ...stores.map((s) => el('option', {}, s.name)));
  const parts = el('div', { class: 'grid gap-2' });
  const text = el('textarea', { id: 'b-sql', name: 'sql', class: 'field num sql', rows: '6' });

  async function load() {
    parts.replaceChildren(el('p', { class: 'note' }, 'Loading tables…'));
    const answer = await fetch(`/bench/tables?${new URLSearchParams({ store: pickStore.value })}`);
    const tables = await answer.json();
    if (!answer.ok) parts.replaceChildren(el('p', { class: 'fault' }, tables.error?.text || 'Database unreachable.'));
    else if (!tables.length) parts.replaceChildren(el('p', { class: 'note' }, 'This store’s user can’t see any tables.'));
    else draw(tables, tables[0]);
  }

  function draw(tables, table) {
    const of = (kind) => table.columns.filter((c) => c.kind === kind).map((c) => c.name);
    const numbers = of('number');
    const value = numbers.find((n) => !/(^|_)id$/i.test(n)) ?? numbers[0];
    parts.replaceChildren(
      el(
        'div',
        { class: 'builder' },
        ...select(
          'b-table',
          'Table',
          tables.map((x) => x.name),
          table.name,
        ),
        ...select('b-time', 'Time', ['', ...of('time')], of('time')[0]),
        ...select('b-aggregate', 'Aggregate', ['avg', 'sum', 'min', 'max', 'count'], 'sum'),
        ...select('b-value', 'Value', ['', ...numbers], value),
        ...select('b-group', 'Group by', ['', ...of('text')], of('text')[0]),
        ...select('b-every', 'Every', ['minute', 'hour', 'day'], 'hour'),
        ...select('b-column', 'Filter by', ['', ...of('text'), ...numbers], ''),
        ...field('b-is', 'is', el('input', { id: 'b-is', class: 'field' })),
        ...select('b-order', 'Order', ['by time', 'largest first'], 'by time'),
      ),
    );
    for (const input of parts.querySelectorAll('select, input')) {
      input.addEventListener('input', () =>
        input.id === 'b-table'
          ? draw(
              tables,
              tables.find((t) => t.name === input.value),
            )
          : write(),
      );
    }
    write();
  }

  // A press on Run waits for the statement of the latest choice.
  let latest = 0,
    written = Promise.resolve();
  const write = () => (written = statement());

  async function statement() {
    const mine = ++latest;
    const fields = { store: pickStore.value };
    for (const input of parts.querySelectorAll('select, input')) fields[input.id.slice(2)] = input.value;
    try {
      const { sql } = await post('/bench/statement', fields);
      if (mine === latest) text.value = sql;
    } catch (e) {
      if (mine === latest) text.value = `-- ${e.message}`;
    }
  }

  let loaded;
  pickStore.addEventListener('change', () => (loaded = load()));
  ask(
    'Query a database',
    [...field('b-store', 'Store', pickStore), parts, ...field('b-sql', 'SQL statement (you can edit it)', text)],
    async () => {
      await loaded;
      await written;
      if (!text.value.trim()) throw new Error('Choose a table, or write a statement.');
      bench.ask(pickStore.value, text.value);
    },
    'Run',
  );
  loaded = load();
}
