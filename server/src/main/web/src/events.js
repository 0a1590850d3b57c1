// Events search: what is found over time by level, and row by row.
import { live } from './live.js';
import { current, follows, setRange } from './range.js';
import { el, ending, post } from './dom.js';
import { stamp } from './time.js';

const $ = (id) => document.getElementById(id);
const page = ending('events');
const svg = (tag, attributes) => {
  const e = document.createElementNS('http://www.w3.org/2000/svg', tag);
  for (const [k, v] of Object.entries(attributes)) e.setAttribute(k, v);
  return e;
};
let abort, timer, last;
const open = new Set();

async function run() {
  const p = new URLSearchParams(location.search);
  for (const id of ['where', 'text']) $(id).value.trim() ? p.set(id, $(id).value.trim()) : p.delete(id);
  if (`?${p}` !== location.search) history.replaceState(null, '', `${location.pathname}?${p}`);
  sessionStorage.setItem('vintrel-events', p);
  abort?.abort();
  abort = new AbortController();
  const wait = setTimeout(() => ($('summary').textContent = 'Loading…'), 200);
  try {
    put(
      await post(
        '/bench/events/answer',
        { where: $('where').value, text: $('text').value, ...current(), page, width: $('bars').clientWidth || 1200 },
        abort.signal,
      ),
    );
  } catch (e) {
    if (e.name === 'AbortError') return;
    const d = e.detail;
    $('fault').textContent = d
      ? (d.line ? `Column ${d.column}: ` : '') + d.text
      : 'Server unreachable. Check the connection and try again.';
    $('where').setAttribute('aria-invalid', 'true');
  } finally {
    clearTimeout(wait);
  }
}

function put(data) {
  last = data;
  $('fault').textContent = '';
  $('where').removeAttribute('aria-invalid');
  $('summary').textContent = data.summary;
  $('count').href = `/bench?${new URLSearchParams({ q: data.query, ...current() })}`;
  bars(data);
  $('empty-state').hidden = !data.empty;
  $('empty-state').replaceChildren();
  if (data.empty) {
    $('empty-state').append(data.empty.text);
    if (data.empty.nearest)
      $('empty-state').append(
        el(
          'button',
          { class: 'btn', type: 'button', onclick: () => setRange(data.empty.nearest - 1800e3, data.empty.nearest + 60e3) },
          'Go to the latest event',
        ),
      );
  }
  $('rows').replaceChildren(...data.rows.map(row));
  if (data.cut) $('rows').append(el('p', { class: 'note py-2' }, data.cut));
}

function row(r) {
  const values = [...Object.entries(r.labels), ...Object.entries(r.fields)];
  const details = el(
    'div',
    { class: 'fields' },
    ...values.map(([k, v]) => el('button', { type: 'button', title: 'Show only these', onclick: () => narrow(k, v) }, `${k} = ${v}`)),
  );
  details.hidden = !open.has(r.id);
  const says = el(
    'button',
    {
      type: 'button',
      class: 'says',
      'aria-expanded': String(open.has(r.id)),
      onclick: () => {
        open.has(r.id) ? open.delete(r.id) : open.add(r.id);
        details.hidden = !open.has(r.id);
        says.setAttribute('aria-expanded', String(open.has(r.id)));
      },
    },
    r.text || '(no text)',
  );
  const from = el('span', { class: 'from' }, [r.labels.service, r.labels.host].filter(Boolean).join(' · '));
  return el(
    'div',
    { class: 'event' },
    el('span', { class: 'num' }, r.time),
    el(
      'button',
      { type: 'button', class: 'level ' + r.level, title: 'Show only this level', onclick: () => narrow('level', r.level) },
      r.level || '–',
    ),
    says,
    from,
    details,
  );
}

const ALL = 'events where ';

async function narrow(label, value) {
  const now = $('where').value.trim(),
    edit = JSON.stringify({ edit: 'add-condition', line: 0, label, is: '=', value });
  const made = await post('/queries/edit', { query: now ? ALL + now : 'events', edit }).catch(() => null);
  if (!made || made.query === ALL + now) return;
  $('where').value = made.query.slice(ALL.length);
  run();
}

function bars(data) {
  const host = $('bars'),
    w = host.clientWidth,
    h = host.clientHeight - 18,
    { from, to } = data;
  const levels = Object.keys(data.counts),
    n = data.counts[levels[0]]?.length || 0;
  const x = (t) => ((t - from) / (to - from)) * w,
    out = svg('svg', { width: w, height: h + 18 });
  for (let i = 0; i < n; i++) {
    let y = h;
    for (const level of levels) {
      const count = data.counts[level][i],
        tall = (count / data.most) * (h - 14);
      if (!count) continue;
      y -= tall;
      out.append(
        svg('rect', {
          x: x(data.start + i * data.pitch) + 0.5,
          y,
          width: Math.max(1, x(data.start + data.pitch) - x(data.start) - 1),
          height: Math.max(0.7, tall),
          class: 'bar ' + (level || 'none'),
        }),
      );
    }
  }
  out.append(svg('line', { x1: 0, x2: w, y1: h + 0.5, y2: h + 0.5, class: 'base' }));
  const label = svg('text', { x: 0, y: 10, class: 'tick' });
  label.textContent = data.mostSaid;
  out.append(label);
  for (const k of data.timeTicks) {
    if (x(k.at) < 22 || x(k.at) > w - 20) continue;
    const t = svg('text', { x: x(k.at), y: h + 14, class: 'tick', 'text-anchor': 'middle' });
    t.textContent = k.text;
    out.append(t);
  }
  host.replaceChildren(out);
  host.setAttribute('aria-label', `${data.summary}, from ${stamp(from)} to ${stamp(to)}: ` + levels.map((l) => data.said[l]).join(', '));
  $('key').replaceChildren(
    ...levels.map((l) =>
      el(
        'button',
        { type: 'button', onclick: () => narrow('level', l) },
        el('span', { class: 'swatch ' + (l || 'none') }),
        ` ${data.said[l]}`,
      ),
    ),
  );
}

$('bars').addEventListener('pointerdown', (e) => {
  if (!last) return;
  const box = $('bars').getBoundingClientRect(),
    start = e.clientX,
    timeAt = (px) => Math.round(last.from + ((px - box.left) / box.width) * (last.to - last.from));
  addEventListener(
    'pointerup',
    (up) => {
      const [a, b] = [Math.min(start, up.clientX), Math.max(start, up.clientX)];
      if (b - a > 4) setRange(timeAt(a), timeAt(b));
    },
    { once: true },
  );
});
for (const id of ['where', 'text'])
  $(id).addEventListener('input', () => {
    clearTimeout(timer);
    timer = setTimeout(run, 350);
  });
$('tail').addEventListener('change', () => {
  if ($('tail').checked && !follows()) setRange('-15m', 'now');
});
setInterval(() => {
  if ($('tail').checked && follows() && !document.hidden) run();
}, 2000);
new ResizeObserver(() => last && bars(last)).observe($('bars'));
live(run);
document.fonts.ready.then(run);
