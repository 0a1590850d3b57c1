// One alert: its course with limits and what happened, what is done with it, and everything in its order.
import { current, follows, onRange } from './range.js';
import { csrf, el, ending } from './dom.js';
import { load } from './kinds/index.js';

const EVERY_MS = 5_000,
  COURSE_MS = 30_000,
  page = ending('alert');
const root = document.querySelector('.alert-page'),
  id = root.dataset.alert,
  part = (name) => root.querySelector(`[data-${name}]`),
  body = part('chart');
let view = null,
  asked = null,
  kind = '',
  last = 0;

async function course() {
  asked?.abort();
  asked = new AbortController();
  last = Date.now();
  try {
    const fields = new URLSearchParams({ ...current(), page, width: body.clientWidth }),
      answer = await fetch(`/watch/alerts/${id}/course?${fields}`, { signal: asked.signal });
    if (!answer.ok) throw new Error('The chart could not be read. Reload the page to try again.');
    await draw(await answer.json());
  } catch (e) {
    if (e.name !== 'AbortError') empty(e.message);
  }
}

function empty(words) {
  view?.dispose();
  view = null;
  part('marks').replaceChildren();
  body.replaceChildren(el('div', { class: 'empty', role: 'status' }, words));
}

async function draw(told) {
  strip(told);
  if (told.fault || !told.drawing?.picture.traces.length) return empty(told.fault || 'No data in this range.');
  if (!view) {
    const mount = await load('time-chart');
    body.replaceChildren();
    view = mount(body);
  }
  for (const t of told.drawing.picture.traces) t.colour = t.name === told.series ? 4 : t.name === 'Expected' ? 'band' : 'quiet';
  view.update(told.drawing);
  marks(told, view.plot());
}

function strip(told) {
  part('strip').replaceChildren(
    ...told.strip.map((b) => {
      const r = document.createElementNS('http://www.w3.org/2000/svg', 'rect');
      r.setAttribute('x', b.x);
      r.setAttribute('width', b.width);
      r.setAttribute('class', b.look);
      return r;
    }),
  );
}

// Deadbands as shades, what happened as lines over the time axis; labels that would overlap are left to the list.
function marks(told, box) {
  const host = part('marks');
  host.replaceChildren();
  if (!box) return;
  const y = (v) => Math.max(box.top, Math.min(box.top + box.height, box.top + ((box.max - v) / (box.max - box.min)) * box.height)),
    put = (e, css) => {
      Object.assign(e.style, css);
      host.append(e);
    };
  part('strip').style.marginLeft = `${box.left}px`;
  part('strip').style.width = `${box.width}px`;
  for (const s of told.shades)
    put(el('i', { class: `limit-shade ${s.priority}` }), {
      left: `${box.left}px`,
      width: `${box.width}px`,
      top: `${y(s.high)}px`,
      height: `${y(s.low) - y(s.high)}px`,
    });
  let free = Infinity;
  for (const m of [...told.marks].sort((a, b) => b.at - a.at)) {
    const x = box.left + ((m.at - told.from) / (told.to - told.from)) * box.width;
    put(el('i', { class: `raise-mark raise-line ${m.look}${m.strong ? ' strong' : ''}` }), {
      left: `${x}px`,
      top: `${box.top}px`,
      height: `${box.height}px`,
    });
    const wide = m.text.length * 6.6 + 8,
      left = x + wide > box.left + box.width ? x - wide - 2 : x + 3;
    if (left + wide > free) continue;
    free = left - 4;
    put(el('span', { class: `raise-mark mark-text${m.strong ? ' strong' : ''}` }, m.text), { left: `${left}px`, top: `${box.top}px` });
  }
}

// What can change by itself is asked again; the chart less often.
async function now() {
  try {
    const answer = await fetch(`/watch/alerts/${id}?${new URLSearchParams(current())}`);
    if (answer.status === 404) return say('This series is no longer watched: its rule was deleted, or it stopped sending data.');
    if (!answer.ok) return;
    const next = new DOMParser().parseFromString(await answer.text(), 'text/html');
    for (const name of ['now', 'story', 'told']) {
      const from = next.querySelector(`[data-${name}]`),
        to = part(name);
      if (!from || to.contains(document.activeElement) || to.querySelector('details[open]') || from.innerHTML === to.innerHTML) continue;
      to.replaceChildren(...from.childNodes);
    }
    narrow();
  } catch {
    // The next turn tries again.
  }
}

function narrow() {
  for (const row of part('story').querySelectorAll('[data-kind]')) row.hidden = !!kind && row.dataset.kind !== kind;
  for (const b of part('kinds').children) b.setAttribute('aria-pressed', String(b.dataset.kind === kind));
}

async function act(what, more = {}) {
  const answer = await fetch(`/watch/alerts/${what}`, {
    method: 'POST',
    body: new URLSearchParams({ ids: id, ...more }),
    headers: { 'X-CSRF-TOKEN': csrf() },
  }).catch(() => null);
  const told = await answer?.json().catch(() => null);
  if (!answer?.ok) return say(told?.error?.text ?? 'Server unreachable. Nothing was done; try again.');
  if (told.failed.length) say(told.failed[0].text);
  document.activeElement?.blur();
  await now();
  course();
}

function say(words) {
  const place = part('done');
  place.hidden = false;
  place.textContent = words;
  setTimeout(() => (place.hidden = true), 10_000);
}

root.addEventListener('click', (e) => {
  const act1 = e.target.closest('[data-act]'),
    shelf = e.target.closest('[data-shelve]'),
    shown = e.target.closest('[data-kinds] [data-kind]');
  if (act1) act(act1.dataset.act);
  else if (shelf) {
    shelf.closest('details').open = false;
    act('shelve', { until: shelf.dataset.shelve });
  } else if (shown) {
    kind = shown.dataset.kind;
    narrow();
  }
});
part('note')?.addEventListener('submit', async (e) => {
  e.preventDefault();
  const input = e.target.elements.note;
  if (!input.value.trim()) return;
  await act('note', { note: input.value });
  input.value = '';
});
document.addEventListener('keydown', (e) => {
  if (e.ctrlKey || e.metaKey || e.altKey || e.target.closest?.('input, textarea, select, .editor')) return;
  const press = (selector) => root.querySelector(selector)?.click();
  if (e.key === 'a') press('[data-act=acknowledge]');
  else if (e.key === 's') press('.alert-acts summary');
  else if (e.key === 'n') root.querySelector('[name=note]')?.focus();
  else if (e.key === 'o') press('[data-bench]');
  else if (e.key === '[') press('[rel=prev]');
  else if (e.key === ']') press('[rel=next]');
  else return;
  e.preventDefault();
});
onRange(course);
setInterval(() => {
  if (document.hidden) return;
  now();
  if (follows() && Date.now() - last > COURSE_MS) course();
}, EVERY_MS);
course();
