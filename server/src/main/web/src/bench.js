// The Bench: catalogue at the left, the query as lines and steps, and its answer at the right.
import { chart, summary } from './chart.js';
import { legend } from './legend.js';
import { sparkline } from './sparkline.js';
import { save, table } from './table.js';
import { saveDialogs } from './save-dialogs.js';
import { choices, metricOf, storeOf } from './ledger.js';
import { queryEditor } from './query-editor.js';
import { live } from './live.js';
import { recentQueries, remember } from './recent-queries.js';
import { current, setRange } from './range.js';
import { el, ending, post } from './dom.js';
import { stamp } from './time.js';

const $ = (id) => document.getElementById(id);
const page = ending('bench');
let abort,
  last,
  form = new URLSearchParams(location.search).get('form') || 'chart',
  query = $('editor').dataset.query || '';
const past = [];
const plot = $('plot'),
  view = chart(plot);
const asked = queryEditor(document.querySelector('.ledger'), {
    query: () => query,
    change: (text) => change(text),
    active: () => showLabels(),
    delay: 350,
  }),
  { lines } = asked;

function change(text) {
  if (text === query) return;
  past.push(query);
  $('undo').disabled = false;
  query = text;
  run();
}

// The address shows the same when it is opened again.
function address() {
  const p = new URLSearchParams(location.search);
  for (const [name, value] of [
    ['q', query.trim()],
    ['step', $('step').value],
    ['compare', $('compare').value],
    ['form', form === 'chart' || !query.trim() ? '' : form],
  ])
    value ? p.set(name, value) : p.delete(name);
  if (`?${p}` !== location.search) history.replaceState(null, '', `${location.pathname}?${p}`);
  sessionStorage.setItem('vintrel-bench', p);
}

async function run() {
  address();
  const empty = !query.trim();
  $('start').hidden = !empty;
  $('answer').hidden = empty;
  $('add-line').hidden = empty;
  $('undo').hidden = empty && !past.length;
  if (empty) {
    asked.put([], []);
    $('summary').textContent = '';
    showLabels();
    begin();
    return;
  }
  abort?.abort();
  abort = new AbortController();
  const wait = setTimeout(() => ($('summary').textContent = 'Loading…'), 200);
  try {
    put(
      await post(
        '/bench/answer',
        {
          query,
          ...current(),
          step: $('step').value,
          compare: $('compare').value,
          page,
          width: plot.clientWidth || 560,
          height: plot.clientHeight || 300,
        },
        abort.signal,
      ),
    );
  } catch (e) {
    if (e.name !== 'AbortError') fault(e);
  } finally {
    clearTimeout(wait);
  }
}

function fault(e) {
  const d = e.detail;
  asked.say(
    d ? (d.line ? `Line ${d.line}, column ${d.column}: ` : '') + d.text : 'Server unreachable. Check the connection and try again.',
  );
  $('summary').textContent = '';
  // What is still shown is the answer to another question.
  $('result').classList.add('stale');
  // What can't be read has no chips: it is mended as text.
  if (d?.code === 'syntax' && !asked.writesText()) asked.write('text');
  else if (d) asked.outlined();
}

function put(data) {
  last = data;
  $('result').classList.remove('stale');
  $('summary').textContent = data.summary;
  remember(query);
  asked.put(data.ledger, data.advice);
  showLabels();
  $('empty-state').hidden = !data.empty;
  $('empty-state').replaceChildren();
  if (data.empty) {
    $('empty-state').append(data.empty.text);
    if (data.empty.nearest)
      $('empty-state').append(
        el(
          'button',
          { class: 'btn', type: 'button', onclick: () => setRange(data.empty.nearest - 1800e3, data.empty.nearest + 60e3) },
          'Go to the latest data',
        ),
      );
  }
  if (data.isTable && form === 'chart') form = 'table';
  show();
}

async function show() {
  for (const tab of document.querySelectorAll('[data-form]')) tab.setAttribute('aria-pressed', tab.dataset.form === form);
  $('chart').hidden = form !== 'chart' || !!last?.empty;
  const always = form === 'samples' || form === 'plan';
  $('table').hidden = form === 'chart' || (!!last?.empty && !always);
  $('empty-state').hidden = !last?.empty || always;
  if (!last) return;
  if (form === 'samples') {
    const data = await post('/bench/samples', { query, ...current() }).catch(() => null);
    if (data && form === 'samples')
      $('table').replaceChildren(data.rows.length ? table(data) : el('p', { class: 'empty' }, 'No raw samples in this range.'));
  } else if (form === 'plan') $('table').replaceChildren(table(last.plan));
  else if (last.empty) return;
  else if (form === 'table') $('table').replaceChildren(table(last.table));
  else if (form === 'statistics') $('table').replaceChildren(table(last.statistics));
  else {
    view.picture = last.picture;
    legend($('legend'), view, { form: 'table' });
    view.draw(last.picture);
    plot.setAttribute('aria-label', summary(last.picture));
  }
}

// The empty Bench: questions to begin with and those asked before, each with what it gives now.
function begin() {
  const known = recentQueries();
  $('before').hidden = !known.length;
  $('before')
    .querySelector('.questions')
    .replaceChildren(
      ...known.map((q) =>
        el(
          'button',
          { type: 'button', class: 'question', 'data-example': q },
          el('span', { class: 'what' }, el('span', { class: 'num' }, q)),
          el('span', { class: 'sketch' }),
        ),
      ),
    );
  for (const b of $('start').querySelectorAll('[data-example]')) sketch(b);
}

async function sketch(button) {
  const place = button.querySelector('.sketch');
  const data = await post('/bench/answer', { query: button.dataset.example, ...current(), width: 300, height: 60 }).catch(() => null);
  const line = data?.ledger.findLast((l) => !l.hidden),
    drawn = line && [line.source, ...line.steps].findLast((r) => !r.off)?.glimpse;
  place.replaceChildren(
    drawn?.series.length
      ? sparkline(drawn, 220, 38)
      : el('span', { class: 'note' }, !data ? 'not available' : data.empty ? 'no data in this range' : data.isTable ? 'a table' : ''),
  );
}

function addLine(operation) {
  asked.turn(lines.lines().length);
  lines.edit(operation);
}

// Labels of the active line's metric: a click on a value narrows the line to it.
async function showLabels() {
  const line = lines.lines()[asked.active()],
    metric = line ? metricOf(line) : '',
    store = line ? storeOf(line) : '';
  const box = $('labels'),
    key = `${metric} ${store}`;
  if (box.dataset.key === key) return;
  box.dataset.key = key;
  box.hidden = !metric;
  if (!metric) return box.replaceChildren();
  const names = await choices('label', line);
  if (box.dataset.key !== key) return;
  const known = [...document.querySelectorAll(`button[data-metric="${CSS.escape(metric)}"]`)];
  const of = (known.find((b) => (b.dataset.store || '') === store) || known[0])?.dataset;
  box.replaceChildren(
    el('h2', {}, el('span', { class: 'num' }, metric)),
    of ? el('p', { class: 'note' }, of.about) : '',
    of?.note ? el('p', { class: 'note' }, of.note) : '',
    ...names.map((label) => {
      const values = el('div', { class: 'values' });
      const d = el('details', {}, el('summary', {}, label), values);
      d.addEventListener('toggle', async () => {
        if (!d.open || values.childElementCount) return;
        const all = await choices('value', line, label);
        values.append(
          ...all.map((v) =>
            el(
              'button',
              {
                type: 'button',
                onclick: () => lines.where(asked.active(), label, v),
              },
              v,
            ),
          ),
        );
      });
      return d;
    }),
  );
}

async function around(t) {
  const reach = Math.max(30e3, ((last.picture.to - last.picture.from) / 60) | 0);
  const rows = await post('/bench/events/around', { at: Math.round(t), reach: Math.round(reach) }).catch(() => []);
  const box = $('around');
  box.hidden = false;
  box.replaceChildren(
    el(
      'div',
      { class: 'flex gap-3 items-baseline' },
      el('h2', {}, 'Events around ', el('span', { class: 'num' }, stamp(t))),
      el('a', { href: `/bench/events?from=${Math.round(t - reach)}&to=${Math.round(t + reach)}` }, 'Search there'),
      el(
        'button',
        {
          type: 'button',
          class: 'ml-auto',
          'aria-label': 'Close',
          onclick: () => {
            box.hidden = true;
          },
        },
        '×',
      ),
    ),
    rows.length
      ? el(
          'div',
          { class: 'events' },
          ...rows.map((r) =>
            el(
              'div',
              { class: 'event' },
              el('span', { class: 'num' }, r.time),
              el('span', { class: 'level ' + r.level }, r.level),
              el('span', {}, r.text),
              el('span', { class: 'from' }, r.labels.host || ''),
            ),
          ),
        )
      : el('p', { class: 'note' }, 'No events around this time.'),
  );
}

document.addEventListener('click', (e) => {
  const metric = e.target.closest?.('[data-metric]');
  if (metric) addLine({ edit: 'add-line', text: metric.dataset.line });
  const example = e.target.closest?.('[data-example]');
  if (example) {
    asked.set(example.dataset.example);
    change(example.dataset.example);
  }
});
for (const tab of document.querySelectorAll('[data-form]'))
  tab.addEventListener('click', () => {
    form = tab.dataset.form;
    address();
    show();
  });
document.querySelector('[data-write]').addEventListener('click', () => asked.write('text'));
$('undo').addEventListener('click', () => {
  query = past.pop() ?? '';
  $('undo').disabled = !past.length;
  asked.set(query);
  run();
});
$('add-line').addEventListener('click', () => document.querySelector('[name=search]').focus());
for (const id of ['step', 'compare']) {
  $(id).value = new URLSearchParams(location.search).get(id) || '';
  $(id).addEventListener('change', run);
}
plot.addEventListener('pick', (e) => around(e.detail));
saveDialogs($('keep'), $('ask-more'), {
  query: () => query,
  form: () => form,
  step: () => $('step').value,
  title: () => {
    const line = lines.lines().findLast((l) => !l.hidden);
    return line ? line.name || metricOf(line) : '';
  },
  // As the chart writes values: without one if lines differ.
  unit: () => last?.picture?.suffix?.trim() ?? '',
  image: () => save('vintrel.png', view.image()),
  databases: $('add-sql'),
  ask: (store, statement) => addLine({ edit: 'add-statement', store, statement }),
});
live(run);
document.fonts.ready.then(run);
