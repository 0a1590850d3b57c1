// What is done with an answer: a file, an image, a link, a panel, a rule; and the builder for databases.
import { save } from './chart.js';
import { quoted } from './ledger.js';
import { current } from './range.js';
import { el, post } from './words.js';

const csrf = () => document.querySelector('meta[name=csrf]')?.content || '';

export function keep(menu, dialog, bench) {
  const acts = { csv, image: bench.image, link, dashboard, watch };
  menu.addEventListener('click', (e) => {
    const act = e.target.closest('[data-act]');
    if (!act) return;
    menu.open = false;
    acts[act.dataset.act]();
  });

  async function csv() {
    const answer = await fetch('/bench/csv', { method: 'POST', body: new URLSearchParams({ query: bench.query(), ...current(), step: bench.step() }), headers: { 'X-CSRF-TOKEN': csrf() } });
    if (answer.ok) save('vintrel.csv', await answer.text());
  }

  async function link() {
    await navigator.clipboard?.writeText(location.href).catch(() => {});
    ask('Link', [el('label', { for: 'link-text' }, 'This address shows the same'), el('input', { id: 'link-text', class: 'field num', readonly: '', value: location.href })], null);
  }

  // A form in the dialog; what is typed stays when the server refuses it.
  function ask(title, fields, send, word = 'Keep') {
    const fault = el('p', { class: 'fault', role: 'alert' });
    const form = el('form', { method: 'dialog', class: 'grid gap-2' }, el('h2', {}, title), ...fields, fault, el('div', { class: 'flex gap-3 mt-1' }, send ? el('button', { class: 'btn main', type: 'submit' }, word) : null, el('button', { class: 'btn', type: 'button', onclick: () => dialog.close() }, send ? 'Cancel' : 'Close')));
    form.addEventListener('submit', async (e) => {
      e.preventDefault();
      try {
        const done = await send(Object.fromEntries(new FormData(form)));
        if (done?.url) form.replaceChildren(el('p', {}, 'Kept. ', el('a', { href: done.url }, 'Open it')), el('button', { class: 'btn w-fit', type: 'button', onclick: () => dialog.close() }, 'Close'));
        else dialog.close();
      } catch (x) {
        fault.textContent = x.detail?.faults?.join('; ') || x.detail?.text || 'The server can’t be reached.';
      }
    });
    dialog.replaceChildren(form);
    dialog.showModal();
    dialog.querySelector('input:not([readonly]), select')?.focus();
  }

  const field = (id, label, input) => [el('label', { for: id }, label), input];

  async function dashboard() {
    const known = await fetch('/bench/dashboards').then((r) => r.json());
    const list = el('datalist', { id: 'dashboards' }, ...known.map((d) => el('option', { value: d.name }, d.title)));
    ask('To dashboard', [...field('k-title', 'Title of the panel', el('input', { id: 'k-title', name: 'title', class: 'field', required: '' })), ...field('k-dashboard', 'Dashboard: pick one, or type a new name', el('input', { id: 'k-dashboard', name: 'dashboard', class: 'field', list: 'dashboards', required: '', autocomplete: 'off' })), list, ...field('k-show', 'Shown as', el('select', { id: 'k-show', name: 'show', class: 'field' }, ...['lines', 'number', 'table'].map((s) => el('option', { value: s, ...(s === 'table' && bench.form() === 'table' ? { selected: '' } : {}) }, s))))],
      (f) => post('/bench/panel', { ...f, query: bench.query() }));
  }

  function watch() {
    ask('Watch this', [...field('k-title', 'Title of the rule', el('input', { id: 'k-title', name: 'title', class: 'field', required: '' })), el('div', { class: 'flex gap-2' }, el('select', { name: 'direction', class: 'field', 'aria-label': 'Direction' }, el('option', { value: 'above' }, 'above'), el('option', { value: 'below' }, 'below')), el('input', { name: 'limit', class: 'field num flex-1 min-w-0', inputmode: 'decimal', required: '', 'aria-label': 'Limit', placeholder: 'limit' }), el('span', { class: 'self-center note' }, 'for'), el('input', { name: 'delay', class: 'field num w-20', value: '1m', 'aria-label': 'On-delay' })), ...field('k-priority', 'Priority', el('select', { id: 'k-priority', name: 'priority', class: 'field' }, ...['critical', 'high', 'medium', 'low'].map((s) => el('option', { value: s, ...(s === 'medium' ? { selected: '' } : {}) }, s))))],
      (f) => post('/bench/rule', { ...f, query: bench.query() }), 'Watch');
  }

  // The builder: table, time, value, aggregate, filter, group, order become a statement.
  fetch('/bench/databases').then((r) => (r.ok ? r.json() : [])).then((stores) => {
    bench.databases.hidden = !stores.length;
    bench.databases.addEventListener('click', () => builder(stores));
  });

  async function builder(stores) {
    const pickStore = el('select', { id: 'b-store', class: 'field' }, ...stores.map((s) => el('option', {}, s.name)));
    const parts = el('div', { class: 'grid gap-2' });
    const text = el('textarea', { id: 'b-sql', name: 'sql', class: 'field num sql', rows: '6', required: '' });
    const load = async () => {
      parts.replaceChildren(el('p', { class: 'note' }, 'Reading the tables …'));
      const answer = await fetch(`/bench/tables?${new URLSearchParams({ store: pickStore.value })}`);
      const tables = await answer.json();
      if (!answer.ok) return parts.replaceChildren(el('p', { class: 'fault' }, tables.error?.text || 'It can’t be reached.'));
      choose(tables, parts, text, stores.find((s) => s.name === pickStore.value).dialect);
    };
    pickStore.addEventListener('change', load);
    ask('Ask a database', [...field('b-store', 'Store', pickStore), parts, ...field('b-sql', 'The statement, to change as you like', text)], async (f) => { bench.ask(`sql ${quoted(pickStore.value)} """${f.sql}"""`); }, 'Ask');
    load();
  }

  function choose(tables, parts, text, dialect) {
    const select = (id, label, options, chosen) => [el('label', { for: id }, label), el('select', { id, class: 'field' }, ...options.map((o) => el('option', { value: o, ...(o === chosen ? { selected: '' } : {}) }, o || 'none')))];
    const draw = (t) => {
      const numbers = t.columns.filter((c) => c.kind === 'number').map((c) => c.name);
      const of = (kind) => t.columns.filter((c) => c.kind === kind).map((c) => c.name);
      parts.replaceChildren(el('div', { class: 'builder' },
        ...select('b-table', 'Table', tables.map((x) => x.name), t.name), ...select('b-time', 'Time', ['', ...of('time')], of('time')[0]), ...select('b-agg', 'Aggregate', ['avg', 'sum', 'min', 'max', 'count'], 'sum'), ...select('b-value', 'Value', ['', ...numbers], numbers.find((n) => !/(^|_)id$/i.test(n)) ?? numbers[0]), ...select('b-group', 'Group by', ['', ...of('text')], of('text')[0]), ...select('b-every', 'Every', ['minute', 'hour', 'day'], 'hour'), ...select('b-column', 'Only where', ['', ...of('text'), ...numbers], ''),
        el('label', { for: 'b-is' }, 'is'), el('input', { id: 'b-is', class: 'field' }), ...select('b-order', 'Order', ['by time', 'largest first'], 'by time')));
      parts.querySelectorAll('select, input').forEach((x) => x.addEventListener('input', () => (x.id === 'b-table' ? draw(tables.find((y) => y.name === x.value)) : write())));
      write();
    };
    const v = (id) => parts.querySelector('#' + id).value;
    const name = (n) => (/^[a-z_][a-z0-9_]*$/i.test(n) ? n : `"${n}"`);
    const write = () => {
      const time = v('b-time'), group = v('b-group'), value = v('b-agg') === 'count' ? 'count(*)' : `${v('b-agg')}(${name(v('b-value'))})`;
      const every = v('b-every'), parts = { minute: '%H:%i:00', hour: '%H:00:00', day: '00:00:00' };
      const at = !time ? '' : dialect === 'mysql' ? `timestamp(date_format(${name(time)}, '%Y-%m-%d ${parts[every]}'))` : `date_trunc('${every}', ${name(time)})`;
      const columns = [time ? `${at} as at` : '', group ? name(group) : '', `${value} as reading`].filter(Boolean);
      const tests = [time ? `${name(time)} >= :from and ${name(time)} < :to` : '', v('b-column') && v('b-is') ? `${name(v('b-column'))} = ${/^-?\d+(\.\d+)?$/.test(v('b-is')) ? v('b-is') : quoted(v('b-is'))}` : ''].filter(Boolean);
      const groups = [at, group ? name(group) : ''].filter(Boolean);
      text.value = [`select ${columns.join(', ')}`, `from ${name(v('b-table'))}`, tests.length ? `where ${tests.join(' and ')}` : '', groups.length ? `group by ${groups.join(', ')}` : '', v('b-order') === 'by time' && time ? 'order by 1' : 'order by reading desc'].filter(Boolean).join('\n');
    };
    if (tables.length) draw(tables[0]);
    else parts.replaceChildren(el('p', { class: 'note' }, 'Its user can see no table.'));
  }
}
