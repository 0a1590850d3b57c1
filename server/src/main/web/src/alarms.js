// The alarm list: narrowed by conditions and switches, several are acknowledged, shelved or assigned at once, by keys as well.
import { csrf, el } from './dom.js';
import { current, onRange } from './range.js';
import { ticks } from './strip-axis.js';

const EVERY_MS = 3_000,
  // A row that cleared stays for so long, so that nobody presses the one that slid under the pointer.
  GONE_MS = 30_000,
  UNDO_MS = 10_000,
  LATE_MS = 15_000,
  VIEWS = 'vintrel-alarm-views';
const root = document.querySelector('.alarm-page'),
  host = root.querySelector('#alarms'),
  asks = root.querySelector('[data-asks]'),
  bar = root.querySelector('[data-bar]'),
  done = root.querySelector('[data-done]'),
  canEdit = 'canEdit' in root.dataset,
  title = document.title;
const marked = new Set(),
  folded = new Set(JSON.parse(sessionStorage.getItem('vintrel-folded') ?? '[]')),
  gone = new Map();
let asked = null,
  answered = Date.now(),
  anchor = null,
  otherwise = false,
  states = new URLSearchParams(location.search).get('states') ?? '',
  plain = new URLSearchParams(location.search).has('plain'),
  checkedWords = '';

const rows = () => [...host.querySelectorAll('.alarm:not(.gone)')].filter((r) => !r.hidden);
const ids = () => [...marked];

function fields() {
  const f = new FormData(asks),
    out = { filter: f.get('filter').trim(), group: f.get('group'), sort: f.get('sort'), states, ...(plain ? { plain: '1' } : {}) };
  for (const [k, usual] of [
    ['filter', ''],
    ['group', 'rule'],
    ['sort', 'priority'],
    ['states', ''],
  ])
    if (out[k] === usual) delete out[k];
  return out;
}

// The address keeps what is shown, so that it can be sent to somebody.
function keep() {
  history.replaceState(null, '', `/watch?${new URLSearchParams({ ...fields(), ...current() })}`);
}

async function read() {
  asked?.abort();
  asked = new AbortController();
  try {
    const answer = await fetch(`/watch/list?${new URLSearchParams({ ...fields(), ...current() })}`, { signal: asked.signal });
    if (!answer.ok) throw new Error('no answer');
    const next = new DOMParser().parseFromString(await answer.text(), 'text/html').body;
    answered = Date.now();
    put(next);
  } catch (e) {
    if (e.name !== 'AbortError') checked();
  }
}

// What comes takes the place of what is there; the focused row stays where it is on the screen.
function put(next) {
  const focus = host.contains(document.activeElement) ? document.activeElement : null,
    row = focus?.closest('.alarm, .alarm-group'),
    within = focus?.matches('[data-mark]') ? '[data-mark]' : '',
    key = row?.id ? `#${row.id}` : row?.dataset.group ? `[data-group="${CSS.escape(row.dataset.group)}"]` : null,
    top = row?.getBoundingClientRect().top;
  const before = new Map([...host.querySelectorAll('.alarm:not(.gone)')].map((r) => [r.dataset.id, r]));
  host.replaceChildren(...next.childNodes);
  // What is asked for otherwise leaves out rows that have not cleared.
  if (otherwise) {
    marked.clear();
    gone.clear();
  }
  for (const [id, old] of otherwise ? [] : before)
    if (!host.querySelector(`#alert-${id}`)) {
      if (!gone.has(id)) gone.set(id, { row: old, at: Date.now(), after: old.previousElementSibling?.id ?? '' });
      marked.delete(id);
    }
  otherwise = false;
  stay();
  dress();
  const again = key && host.querySelector(key);
  if (!again) return;
  (within ? again.querySelector(within) : again)?.focus({ preventScroll: true });
  scrollBy(0, again.getBoundingClientRect().top - top);
}

// Only what cleared stays: what a filter hides goes at once.
function stay() {
  for (const [id, g] of gone) {
    if (Date.now() - g.at > GONE_MS || host.querySelector(`#alert-${id}`)) {
      gone.delete(id);
      continue;
    }
    const place = g.after && host.querySelector(`#${CSS.escape(g.after)}`),
      group = host.querySelector(`[data-group="${CSS.escape(g.row.dataset.of)}"]`);
    g.row.classList.add('gone');
    g.row.removeAttribute('tabindex');
    g.row.removeAttribute('id');
    g.row.querySelector('[role=gridcell]:last-child > span')?.replaceChildren('Cleared');
    g.row.querySelector('.what').textContent = `${g.row.dataset.rule}: ${g.row.dataset.series}`;
    g.row.querySelector('[data-mark]')?.setAttribute('disabled', '');
    if (place) place.after(g.row);
    else if (group) group.after(g.row);
    else host.querySelector('.alarm-head')?.after(g.row);
  }
}

function dress() {
  ticks(host);
  const state = host.querySelector('[data-state]').dataset;
  checkedWords = state.checkedWords;
  root.dataset.late = state.late ?? '';
  document.title = state.total === '0' ? title : `(${state.total}) ${title}`;
  switches();
  groupChoices();
  for (const g of host.querySelectorAll('.alarm-group')) fold(g, folded.has(g.dataset.group));
  for (const r of host.querySelectorAll('.alarm')) r.classList.toggle('marked', marked.has(r.dataset.id));
  for (const box of host.querySelectorAll('[data-mark]')) box.checked = marked.has(box.closest('.alarm').dataset.id);
  for (const b of host.querySelectorAll('.flood-bars > span'))
    b.firstElementChild.style.height = `${(100 * b.dataset.count) / b.dataset.most}%`;
  selection();
  checked();
}

function checked() {
  const place = root.querySelector('[data-checked]'),
    silent = Date.now() - answered > LATE_MS,
    late = silent || root.dataset.late === 'yes';
  place.className = late ? 'late ml-auto' : 'note ml-auto';
  place.textContent = silent ? `Not updated for ${Math.round((Date.now() - answered) / 1000)} s: the server is unreachable` : checkedWords;
  root.classList.toggle('stale', late);
}

function switches() {
  const place = asks.querySelector('[data-switches]'),
    focus = document.activeElement?.dataset?.state;
  place.replaceChildren(
    ...[...host.querySelectorAll('[data-switch]')].map((s) =>
      el(
        'button',
        {
          type: 'button',
          'data-state': s.dataset.switch,
          'aria-pressed': String(s.dataset.on === 'yes'),
          title: s.dataset.text,
          onclick: () => turn(s.dataset.switch),
        },
        s.dataset.switch === 'other' ? 'Other' : s.dataset.text,
        el('span', { class: 'num' }, ` ${s.dataset.count}`),
      ),
    ),
  );
  if (focus) place.querySelector(`[data-state=${focus}]`)?.focus();
}

function turn(word) {
  const all = [...host.querySelectorAll('[data-switch]')].map((s) => s.dataset.switch),
    on = new Set(states ? states.split(',') : all);
  on.has(word) ? on.delete(word) : on.add(word);
  states = on.size === all.length || !on.size ? '' : [...on].join(',');
  changed();
}

function groupChoices() {
  const select = asks.elements.group,
    now = select.dataset.now || select.value,
    wanted = ['rule', 'none', ...[...host.querySelectorAll('[data-label]')].map((l) => l.dataset.label)];
  if (!wanted.includes(now)) wanted.push(now);
  if (wanted.join() !== [...select.options].map((o) => o.value).join())
    select.replaceChildren(...wanted.map((w) => el('option', { value: w, selected: w === now ? '' : null }, w === 'none' ? 'nothing' : w)));
  select.value = now;
  select.dataset.now = now;
}

// Conditions that could come next, after what is typed already.
function offers() {
  const input = asks.elements.filter,
    begun = input.value.match(/^(.*\b(?:and|or)\s+)?/i)[0] ?? '';
  root
    .querySelector('#alarm-conditions')
    .replaceChildren(
      ...[...host.querySelectorAll('[data-condition]')].slice(0, 200).map((c) => el('option', { value: begun + c.dataset.condition })),
    );
}

function changed() {
  otherwise = true;
  keep();
  read();
}

// ---- rows ----

function fold(group, on) {
  group.setAttribute('aria-expanded', String(!on));
  for (const r of host.querySelectorAll(`.alarm[data-of="${CSS.escape(group.dataset.group)}"]`)) r.hidden = on;
}

function toggleFold(group) {
  const key = group.dataset.group;
  folded.has(key) ? folded.delete(key) : folded.add(key);
  sessionStorage.setItem('vintrel-folded', JSON.stringify([...folded]));
  fold(group, folded.has(key));
}

function mark(row, on = !marked.has(row.dataset.id)) {
  if (!canEdit) return;
  on ? marked.add(row.dataset.id) : marked.delete(row.dataset.id);
  row.classList.toggle('marked', on);
  const box = row.querySelector('[data-mark]');
  if (box) box.checked = on;
  selection();
}

function selection() {
  bar.hidden = !marked.size || !canEdit;
  root.classList.toggle('selecting', !bar.hidden);
  bar.querySelector('[data-selected]').textContent = `${marked.size} selected`;
  const all = host.querySelector('[data-all]');
  if (all) all.checked = marked.size > 0 && rows().every((r) => marked.has(r.dataset.id));
}

host.addEventListener('click', (e) => {
  const box = e.target.closest('[data-mark]'),
    group = e.target.closest('.alarm-group'),
    many = e.target.closest('[data-acknowledge-ids]');
  if (box) {
    const row = box.closest('.alarm'),
      list = rows();
    if (e.shiftKey && anchor) {
      const [a, b] = [list.findIndex((r) => r.dataset.id === anchor), list.indexOf(row)].sort((x, y) => x - y);
      for (const r of list.slice(Math.max(0, a), b + 1)) mark(r, box.checked);
    } else mark(row, box.checked);
    anchor = row.dataset.id;
  } else if (e.target.closest('[data-all]')) for (const r of rows()) mark(r, e.target.checked);
  else if (group) toggleFold(group);
  else if (many) act('acknowledge', { ids: many.dataset.acknowledgeIds.split(',') });
  else if (e.target.closest('[data-plain]')) show(true);
  else if (e.target.closest('[data-unplain]')) show(false);
  else if (e.target.closest('[data-clear]')) {
    asks.elements.filter.value = '';
    states = '';
    changed();
  }
});
host.addEventListener('dblclick', (e) => {
  const row = e.target.closest('.alarm');
  if (row && !e.target.closest('a, input')) location.href = row.dataset.url;
});

function show(asPlain) {
  plain = asPlain;
  changed();
}

// ---- what is done ----

const UNDO = { acknowledge: 'take-back', 'take-back': 'acknowledge', shelve: 'unshelve' };
const WORDS = {
  acknowledge: 'acknowledged',
  'take-back': 'not acknowledged any more',
  shelve: 'shelved',
  unshelve: 'unshelved',
  assign: 'assigned',
};

async function act(what, more, undoes = false) {
  try {
    const answer = await fetch(`/watch/alerts/${what}`, {
        method: 'POST',
        body: new URLSearchParams(more),
        headers: { 'X-CSRF-TOKEN': csrf() },
      }),
      told = await answer.json();
    if (!answer.ok) return say(told.error?.text ?? 'That failed. Try again.', true);
    const n = told.done.length,
      words = `${n} ${n === 1 ? 'alert' : 'alerts'} ${WORDS[what]}`,
      failed = told.failed.length ? ` ${told.failed.length} failed: ${told.failed[0].text}.` : '';
    if (!undoes) marked.clear();
    say(
      n ? `${words}.${failed}` : `Nothing was done.${failed}`,
      !n,
      !undoes && n && UNDO[what] ? () => act(UNDO[what], { ids: told.done }, true) : null,
    );
    bar.elements.note.value = '';
    await read();
  } catch {
    say('Server unreachable. Nothing was done; try again.', true);
  }
}

let quietAt = 0;
function say(words, fault, undo) {
  clearTimeout(quietAt);
  done.hidden = false;
  done.classList.toggle('fault', !!fault);
  done.replaceChildren(words, undo ? el('button', { type: 'button', class: 'text-accent ml-3', onclick: undo }, 'Undo') : '');
  quietAt = setTimeout(() => (done.hidden = true), UNDO_MS);
}

const note = () => bar.elements.note.value;
const until = () => (bar.elements.until.value === 'at' ? bar.elements.at.value : bar.elements.until.value);
const acknowledge = (some) => act('acknowledge', { ids: some, note: note() });
const shelve = (some) => act('shelve', { ids: some, until: until(), note: note() });
bar.addEventListener('submit', (e) => {
  e.preventDefault();
  acknowledge(ids());
});
bar.querySelector('[data-shelve]').addEventListener('click', () => shelve(ids()));
bar.querySelector('[data-assign]').addEventListener('click', () => act('assign', { ids: ids(), to: bar.elements.to.value.trim() }));
bar.querySelector('[data-none]').addEventListener('click', clear);
bar.elements.until.addEventListener('change', () => (bar.elements.at.hidden = bar.elements.until.value !== 'at'));
bar.elements.to.value = bar.elements.to.dataset.me ?? '';

function clear() {
  marked.clear();
  dress();
}

// ---- keys ----

const line = root.querySelector('[data-keys-line]');
for (const [keys, does] of [
  ['J K', 'move'],
  ['X', 'select'],
  ['A', 'acknowledge'],
  ['S', 'shelve'],
  ['Enter', 'open'],
  ['/', 'filter'],
  ['G', 'group by'],
])
  line.append(el('span', { class: 'key-does' }, el('kbd', {}, keys), ` ${does}`));
host.addEventListener('focusin', (e) => (line.hidden = !e.target.closest('.alarm') || !canEdit));

document.addEventListener('keydown', (e) => {
  if (e.ctrlKey || e.metaKey || e.altKey) return;
  if (e.target.closest?.('input:not([type=checkbox]), textarea, select, .editor')) {
    if (e.key === 'Escape') e.target.blur();
    return;
  }
  const list = [...host.querySelectorAll('.alarm[tabindex], .alarm-group')].filter((r) => !r.hidden),
    now = document.activeElement.closest?.('.alarm, .alarm-group'),
    i = list.indexOf(now),
    row = now?.matches('.alarm') ? now : null,
    some = marked.size ? ids() : row ? [row.dataset.id] : [];
  const move = (to) => {
    const next = list[Math.max(0, Math.min(list.length - 1, to))];
    if (e.shiftKey && row) mark(row, true);
    next?.focus();
    if (e.shiftKey && next?.matches('.alarm')) mark(next, true);
  };
  const key = e.key.toLowerCase();
  if (key === 'j') move(i + 1);
  else if (key === 'k') move(i < 0 ? 0 : i - 1);
  else if (key === 'x' && row) mark(row);
  else if (key === 'x' && now) for (const r of rows().filter((o) => o.dataset.of === now.dataset.group)) mark(r, true);
  else if (key === 'a' && some.length && canEdit) acknowledge(some);
  else if (key === 's' && some.length && canEdit) shelve(some);
  else if (key === 'enter' && row && document.activeElement === row) location.href = row.dataset.url;
  else if (key === 'enter' && now && document.activeElement === now) toggleFold(now);
  else if (key === '/') asks.elements.filter.focus();
  else if (key === 'g') {
    const s = asks.elements.group;
    s.dataset.now = s.options[(s.selectedIndex + 1) % s.options.length].value;
    s.value = s.dataset.now;
    changed();
  } else if (key === 'p' && (plain || host.querySelector('.flood'))) show(!plain);
  else if (key === 'escape' && marked.size) clear();
  else return;
  e.preventDefault();
});

// ---- views that are kept in this browser ----

function views() {
  const kept = JSON.parse(localStorage.getItem(VIEWS) ?? '{}'),
    store = (next) => {
      localStorage.setItem(VIEWS, JSON.stringify(next));
      views();
    };
  const names = Object.keys(kept);
  asks.querySelector('[data-views]').replaceChildren(
    el(
      'details',
      { class: 'menu' },
      el('summary', { class: 'btn' }, 'Views'),
      el(
        'div',
        { class: 'help-menu' },
        ...names.map((n) =>
          el(
            'span',
            { class: 'view-row' },
            el('a', { href: `/watch?${kept[n]}&${new URLSearchParams(current())}` }, n),
            el(
              'button',
              {
                type: 'button',
                'aria-label': `Delete the view ${n}`,
                onclick: () => {
                  delete kept[n];
                  store(kept);
                },
              },
              '×',
            ),
          ),
        ),
        el(
          'button',
          {
            type: 'button',
            onclick: () => {
              const name = prompt('Name of the view');
              if (name?.trim()) store({ ...kept, [name.trim().slice(0, 60)]: String(new URLSearchParams(fields())) });
            },
          },
          'Save this view',
        ),
      ),
    ),
  );
}

asks.addEventListener('submit', (e) => {
  e.preventDefault();
  changed();
});
asks.addEventListener('change', (e) => {
  if (e.target.name === 'group') e.target.dataset.now = e.target.value;
  changed();
});
asks.elements.filter.addEventListener('focus', offers);
asks.elements.filter.addEventListener('input', offers);
onRange(changed);
setInterval(() => !document.hidden && read(), EVERY_MS);
document.addEventListener('visibilitychange', () => !document.hidden && read());
views();
dress();
