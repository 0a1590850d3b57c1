// The Bench: catalogue at the left, query and its picture at the right.
import { chart, csv, legend, save, summary, table } from './chart.js';
import { editor } from './editor.js';
import { live } from './live.js';
import { current, setRange } from './range.js';
import { el, post } from './words.js';

const $ = (id) => document.getElementById(id);
let words = { metrics: [], labels: {}, steps: [] }, abort, timer, last, form = 'chart';
const plot = $('plot'), view = chart(plot);
const input = editor($('editor'), $('editor').dataset.query, () => words, () => { clearTimeout(timer); timer = setTimeout(run, 350); });
fetch('/bench/words').then((r) => r.json()).then((w) => { words = w; });

async function run() {
  const query = input.get().trim();
  const p = new URLSearchParams(location.search);
  if ((p.get('q') || '') !== query) {
    query ? p.set('q', query) : p.delete('q');
    history.replaceState(null, '', `${location.pathname}?${p}`);
  }
  $('start').hidden = !!query;
  $('result').hidden = !query;
  if (!query) return;
  abort?.abort();
  abort = new AbortController();
  const wait = setTimeout(() => $('said').textContent = 'Reading …', 200);
  try {
    put(await post('/bench/answer', { query, ...current(), width: plot.clientWidth || 900, height: plot.clientHeight || 300 }, abort.signal));
  } catch (e) {
    if (e.name !== 'AbortError') fault(e);
  } finally {
    clearTimeout(wait);
  }
}

function fault(e) {
  const d = e.detail;
  $('fault').textContent = d ? (d.line ? `Line ${d.line}, column ${d.column}: ` : '') + d.text : 'The server can’t be reached.';
  $('said').textContent = '';
}

function put(data) {
  last = data;
  $('fault').textContent = '';
  $('said').textContent = data.said;
  $('advice').replaceChildren(...data.advice.map((a) => el('p', { class: 'advice' }, el('span', {}, '▸'), el('span', {}, a.text))));
  $('hollow').hidden = !data.empty;
  $('hollow').replaceChildren();
  if (data.empty) {
    $('hollow').append(data.empty.text);
    if (data.empty.nearest) $('hollow').append(el('button', { class: 'btn', type: 'button', onclick: () => setRange(data.empty.nearest - 1800e3, data.empty.nearest + 60e3) }, 'Go to the newest sample'));
  }
  show();
}

function show() {
  for (const tab of document.querySelectorAll('[data-form]')) tab.setAttribute('aria-pressed', tab.dataset.form === form);
  $('chart').hidden = form !== 'chart' || !!last?.empty;
  $('table').hidden = form !== 'table' || !!last?.empty;
  if (!last || last.empty) return;
  if (form === 'table') $('table').replaceChildren(table(last.table));
  else {
    view.picture = last.picture;
    legend($('legend'), view, { form: 'table' });
    view.draw(last.picture);
    plot.setAttribute('aria-label', summary(last.picture));
  }
}

document.addEventListener('click', (e) => {
  const metric = e.target.closest?.('[data-metric]');
  if (metric) {
    input.set(metric.dataset.metric + (metric.dataset.kind === 'counter' ? ' then rate' : ''));
    input.focus();
  }
  const example = e.target.closest?.('[data-example]');
  if (example) { input.set(example.dataset.example); input.focus(); }
});
for (const tab of document.querySelectorAll('[data-form]')) tab.addEventListener('click', () => { form = tab.dataset.form; show(); });
$('csv').addEventListener('click', () => last && save('vintrel.csv', csv(last.picture)));
live(run);
document.fonts.ready.then(run);
