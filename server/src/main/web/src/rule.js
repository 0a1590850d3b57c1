// The sheet of a rule: what it watches as a chart with limits that are dragged, what it would have done, its messages.
// Everything that is changed stays here until it is saved.
import { bounds, current, follows, onRange, setRange } from './range.js';
import { csrf, el, ending } from './dom.js';
import { load } from './kinds/index.js';
import { queryEditor } from './query-editor.js';
import { pickMetric } from './metric-pick.js';
import { draft } from './rule/draft.js';
import { handles } from './rule/handles.js';
import { limits } from './rule/limits.js';
import { band } from './rule/band.js';
import { silence } from './rule/silence.js';
import { more } from './rule/more.js';
import { messages } from './rule/messages.js';
import { trade } from './rule/trade.js';
import { marked } from './rule/faults.js';

// While the page follows, it is asked anew when the picture would move by a pixel or two, a minute apart at least.
const LEAST_MS = 60_000,
  PIXELS = 500,
  // Between two pictures while a limit is dragged.
  STEP_MS = 60,
  page = ending('rule');
const root = document.querySelector('.rule-page'),
  part = (name) => root.querySelector(`[data-${name}]`),
  body = part('chart'),
  name = root.dataset.rule ?? '',
  canEdit = 'canEdit' in root.dataset;
let view = null,
  asked = null,
  last = 0,
  waits = false,
  answer = null,
  savedWords = '';

const state = draft(JSON.parse(root.dataset.document), {
  bar: part('bar'),
  trouble: part('trouble'),
  name,
  version: Number(root.dataset.version),
  canEdit,
  changed: (how) => show(how),
  failed: (faults) => mark(faults, answer?.advice ?? []),
});
const context = { state, answer: () => answer, root };
const sheet = {
  limits: limits(part('limits'), context),
  band: band(part('band'), context),
  silence: silence(part('silence'), context),
  more: more(part('more'), context),
  messages: messages(part('messages'), context),
  trade: trade(part('trade'), context),
  handles: handles(part('handles'), context),
};

// ---- the query ----

const query = queryEditor(part('query'), {
  query: () => state.doc().query ?? '',
  change: (text, words) => state.put(['query'], text, words ?? 'query', 'query'),
  delay: 350,
});

function bench() {
  const q = state.doc().query ?? '';
  part('bench').href = `/bench?${new URLSearchParams({ q, ...current() })}`;
  part('bench').hidden = !q.trim();
}

// ---- the title ----

for (const input of root.querySelectorAll('.rule-head [data-path]')) {
  const path = input.dataset.path;
  input.readOnly = !canEdit;
  input.addEventListener('input', () => state.put([path], input.value || undefined, path, path));
}

function heads() {
  for (const input of root.querySelectorAll('.rule-head [data-path]')) {
    const value = state.doc()[input.dataset.path] ?? '';
    if (input.value !== value) input.value = value;
    input.parentElement.dataset.grows = value || input.placeholder;
  }
  part('watched').textContent = answer?.watched ? `watches ${answer.watched}${state.doc().owner ? ` for ${state.doc().owner}` : ''}` : '';
}

// ---- what the page shows ----

// `how` is what was done: a limit that is dragged needs nothing made anew but the handles.
function show(how = {}) {
  if (how.query !== false) query.set(state.doc().query ?? '');
  if (!how.dragged) {
    sheet.limits.show();
    sheet.band.show();
    sheet.silence.show();
    sheet.more.show();
  } else sheet.limits.values();
  sheet.handles.show();
  heads();
  bench();
  if (how.asks !== false) rehearse({ held: how.held });
}

function mark(faults, advice) {
  marked(root, faults, advice, query);
}

// A series keeps its colour while rows come and go.
const colours = new Map();
function colourOf(series) {
  if (/^\d+ others?$/.test(series)) return 'quiet';
  if (/^Expected( of |$)/.test(series)) return 'band';
  if (!colours.has(series)) colours.set(series, colours.size % 8);
  return colours.get(series);
}

function dashes(drawing) {
  const drawn = new Set(drawing?.picture.traces.map((t) => t.name));
  for (const row of part('rehearsal').querySelectorAll('[data-series]')) {
    if (!drawn.has(row.dataset.series)) continue;
    const dash = el('i', { class: 'dash' });
    dash.style.background = `var(--s${colourOf(row.dataset.series)})`;
    row.querySelector('.name').prepend(dash);
  }
}

async function draw(drawing) {
  if (!drawing?.picture.traces.length) {
    view?.dispose();
    view = null;
    body.replaceChildren(el('div', { class: 'empty', role: 'status' }, drawing ? 'No data in this range.' : ''));
    return;
  }
  if (!view) {
    const mount = await load('time-chart');
    body.replaceChildren();
    view = mount(body);
    addEventListener('resize', () => requestAnimationFrame(() => sheet.handles.show()));
  }
  for (const t of drawing.picture.traces) t.colour = colourOf(t.name);
  // Limits are drawn by the handles.
  view.update({ ...drawing, limits: [] });
}

function empty() {
  view?.dispose();
  view = null;
  const choose = el('button', { type: 'button', class: 'btn main' }, 'Choose a metric');
  choose.addEventListener('click', () =>
    pickMetric(choose, (m) => {
      state.put(['query'], m.line ?? m.metric, 'metric');
      if (!state.doc().title) state.put(['title'], m.metric, 'title');
    }),
  );
  body.replaceChildren(
    el('div', { class: 'empty' }, el('p', {}, 'A rule watches every series that its query returns.'), canEdit ? choose : ''),
  );
  part('says').replaceChildren(
    el('p', { class: 'sentence note' }, 'Choose a metric to see what a limit would have done in the last week.'),
  );
}

// Only limits or delays are another than before: the same range, so that no question is asked.
const range = (held) => (held && answer?.to ? { from: answer.from, to: answer.to } : current());

// The last rehearsal stays, faded, until the next one is there. While one is asked, the next one waits.
async function rehearse({ held = false } = {}) {
  if (!(state.doc().query ?? '').trim()) return empty();
  if (held && asked) {
    waits = true;
    return;
  }
  asked?.abort();
  const mine = (asked = new AbortController());
  last = Date.now();
  const slow = setTimeout(() => root.setAttribute('aria-busy', 'true'), 250),
    long = setTimeout(() => part('says').append(reading(mine)), 2_000);
  try {
    const fields = { document: JSON.stringify(state.doc()), name, ...range(held), page, width: body.clientWidth },
      got = await fetch('/watch/rules/rehearsal', {
        method: 'POST',
        body: new URLSearchParams(fields),
        headers: { 'X-CSRF-TOKEN': csrf() },
        signal: mine.signal,
      });
    if (!got.ok) throw new Error('The rehearsal failed. Reload the page to try again.');
    const read = new DOMParser().parseFromString(await got.text(), 'text/html');
    await put(read, held);
  } catch (e) {
    if (e.name !== 'AbortError') part('says').replaceChildren(el('p', { class: 'fault', role: 'status' }, e.message));
  } finally {
    clearTimeout(slow);
    clearTimeout(long);
    if (asked === mine) {
      asked = null;
      root.removeAttribute('aria-busy');
      root.querySelector('.reading')?.remove();
      if (waits) {
        waits = false;
        setTimeout(() => rehearse({ held: true }), STEP_MS);
      }
    }
  }
}

function reading(mine) {
  const stop = el('button', { type: 'button', class: 'text-accent', onclick: () => mine.abort() }, 'Cancel');
  return el('p', { class: 'note reading', role: 'status' }, 'Loading… ', stop);
}

async function put(read, held) {
  const next = JSON.parse(read.querySelector('[data-answer]').dataset.answer);
  if (next.faults.length) {
    mark(next.faults, []);
    root.classList.add('faulty');
    if (next.faults.some((f) => f.place === 'query')) query.outlined();
    return;
  }
  root.classList.remove('faulty');
  answer = next;
  if (next.proposal && !(state.doc().limits ?? []).length && canEdit) {
    state.begin({ limits: [next.proposal], ...(next.unit && !state.doc().unit ? { unit: next.unit } : {}) });
    show({ query: false, held: true });
  }
  if (!held) query.put(next.outline, []);
  mark([], next.advice);
  const says = read.querySelector('.rehearsal-says');
  if (says) {
    if (!state.changed()) savedWords = says.querySelector('.sentence').textContent.trim().replace(/\s+/g, ' ');
    else if (savedWords && name) {
      const brief = savedWords.replace(/^[^:]*: /, '').replace(/;.*$/, '.');
      says.querySelector('[data-notes]').prepend(el('span', { class: 'as-saved' }, `As saved: ${brief} `));
    }
    part('says').replaceChildren(says);
  }
  part('rehearsal').replaceChildren(...read.querySelectorAll('.strip-rows'));
  await draw(next.drawing);
  dashes(next.drawing);
  sheet.handles.show(view?.plot());
  raises();
  heads();
  sheet.messages.show();
  sheet.band.show();
  sheet.trade.ask({ page, name, held, range: { from: next.from, to: next.to }, width: body.clientWidth });
}

// ---- each raise opens on the chart ----

function open(raised) {
  const room = Math.max((raised.to - raised.from) * 1.5, 20 * 60_000);
  setRange(Math.round(raised.from - room), Math.round(raised.to + room));
}

// The longest few have their length at the foot of the chart; all of a row open by its strip.
function raises() {
  const box = view?.plot(),
    host = part('handles');
  host.querySelectorAll('.raise-mark').forEach((m) => m.remove());
  if (!box) return;
  const taken = [];
  for (const r of answer.raised.slice(0, 8)) {
    const x = box.left + ((Math.max(r.from, answer.from) - answer.from) / (answer.to - answer.from)) * box.width,
      left = Math.min(x + 3, box.left + box.width - 60);
    if (taken.some((t) => Math.abs(t - left) < 66)) continue;
    taken.push(left);
    const line = el('i', { class: `raise-mark raise-line ${r.priority}` }),
      mark = el(
        'button',
        { type: 'button', class: 'raise-mark', title: `${r.series}: ${r.began}, ${r.lasted}. Zoom to it`, onclick: () => open(r) },
        r.lasted.split(' ').slice(0, 2).join(' '),
      );
    line.style.left = `${x}px`;
    line.style.top = `${box.top}px`;
    line.style.height = `${box.height}px`;
    mark.style.left = `${left}px`;
    mark.style.top = `${box.top + box.height - 20}px`;
    host.append(line, mark);
  }
}

part('rehearsal').addEventListener('click', (e) => {
  const strip = e.target.closest('.state-strip'),
    row = strip?.closest('[data-series]');
  if (!row || !answer) return;
  const box = strip.getBoundingClientRect(),
    at = answer.from + ((e.clientX - box.left) / box.width) * (answer.to - answer.from),
    near = answer.raised.filter((r) => r.series === row.dataset.series).sort((a, b) => Math.abs(a.from - at) - Math.abs(b.from - at))[0];
  if (near) open(near);
});

addEventListener('keydown', (e) => {
  if (e.defaultPrevented || !canEdit) return;
  const at = document.activeElement,
    types = at?.shadowRoot || /^(INPUT|TEXTAREA|SELECT)$/.test(at?.tagName);
  if ((e.ctrlKey || e.metaKey) && e.key === 's') state.save();
  else if ((e.ctrlKey || e.metaKey) && e.key.toLowerCase() === 'z' && !types) e.shiftKey ? state.redo() : state.undo();
  else return;
  e.preventDefault();
});

onRange(() => {
  bench();
  rehearse();
});
setInterval(() => {
  const { from, to } = bounds();
  const due = Date.now() - last >= Math.max(LEAST_MS, (to - from) / PIXELS);
  if (follows() && !document.hidden && !asked && !sheet.handles.busy() && due) rehearse();
}, 5_000);
show();
