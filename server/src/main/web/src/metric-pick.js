// A metric is found as on the Bench: by name, description, label or value, with what is known of it and its latest course.
import { sparkline } from './sparkline.js';
import { el, post } from './dom.js';

let open = null;

export function close() {
  open?.remove();
  open = null;
}

// `chosen` takes what the catalogue knows of the metric: its name, and the line that asks for it. `here` leaves out
// external stores; `ways` are other choices, above the metrics, each with its words and what it does.
export function pickMetric(anchor, chosen, { here = false, now = '', ways = [] } = {}) {
  close();
  let asked = null,
    wait = 0,
    typing = 0,
    shownOf = '';
  const input = el('input', { class: 'field', type: 'search', 'aria-label': 'Find a metric', placeholder: 'Metric, label or value' }),
    list = el('div', { class: 'catalogue', role: 'group', 'aria-label': 'Metrics' }),
    about = el('div', { class: 'metric-about', role: 'status' }),
    box = el(
      'div',
      { class: 'pick metric-pick', role: 'dialog', 'aria-label': 'Choose a metric' },
      input,
      ...ways.map((way) =>
        el(
          'button',
          {
            type: 'button',
            class: 'way',
            onclick: () => {
              close();
              way.on();
            },
          },
          way.words,
        ),
      ),
      list,
      about,
    );

  async function fill() {
    asked?.abort();
    asked = new AbortController();
    const fields = new URLSearchParams({ search: input.value, ...(here ? { here } : {}) });
    try {
      const answer = await fetch(`/bench/catalogue?${fields}`, { signal: asked.signal });
      if (!answer.ok) throw new Error('no answer');
      list.innerHTML = await answer.text();
      show(input.value ? list.querySelector('[data-metric]') : list.querySelector(`[data-metric="${CSS.escape(now)}"]`));
    } catch (e) {
      if (e.name !== 'AbortError') list.replaceChildren(el('p', { class: 'fault' }, 'Server unreachable. Type again to try again.'));
    }
  }

  // What is known of the metric under the pointer or the focus.
  function show(button) {
    for (const b of list.querySelectorAll('[aria-current]')) b.removeAttribute('aria-current');
    if (!button) return about.replaceChildren();
    button.setAttribute('aria-current', 'true');
    const m = button.dataset;
    if (m.line === shownOf) return;
    shownOf = m.line;
    const course = el('span', { class: 'course' });
    about.replaceChildren(
      el('div', {}, el('b', { class: 'num' }, m.metric), el('p', { class: 'note' }, m.note ? `${m.about}. ${m.note}` : m.about)),
      course,
    );
    clearTimeout(wait);
    wait = setTimeout(async () => {
      const data = await post('/bench/answer', { query: m.line, from: '-1h', to: 'now', width: 300, height: 60 }).catch(() => null);
      const line = data?.ledger.at(-1),
        drawn = line && [line.source, ...line.steps].findLast((r) => r.glimpse)?.glimpse;
      if (shownOf === m.line && drawn?.series.length) course.append(sparkline(drawn, 110, 30), el('span', { class: 'note' }, 'last hour'));
    }, 150);
  }

  // Enter may come before the list of what was typed.
  async function take() {
    clearTimeout(typing);
    await fill();
    list.querySelector('[aria-current]')?.click();
  }

  const rows = () => [...box.querySelectorAll('.way, summary, [data-metric]')].filter((e) => e.offsetParent);
  box.addEventListener('keydown', (e) => {
    const all = rows(),
      at = all.indexOf(document.activeElement);
    if (e.key === 'Escape') {
      close();
      anchor.focus();
    } else if (e.key === 'ArrowDown') all[Math.min(all.length - 1, at + 1)]?.focus();
    else if (e.key === 'ArrowUp') (at > 0 ? all[at - 1] : input).focus();
    else if (e.key === 'Enter' && e.target === input) take();
    else return;
    e.preventDefault();
    e.stopPropagation();
  });
  list.addEventListener('click', (e) => {
    const button = e.target.closest('[data-metric]');
    if (!button) return;
    close();
    anchor.focus();
    chosen(button.dataset);
  });
  for (const on of ['pointerover', 'focusin'])
    list.addEventListener(on, (e) => {
      const button = e.target.closest('[data-metric]');
      if (button) show(button);
    });
  input.addEventListener('input', () => {
    clearTimeout(typing);
    typing = setTimeout(fill, 150);
  });
  document.body.append(box);
  open = box;
  const r = anchor.getBoundingClientRect();
  box.style.left = Math.max(8, Math.min(r.left, innerWidth - box.offsetWidth - 8)) + 'px';
  box.style.top = Math.max(8, Math.min(r.bottom + 4, innerHeight - 428)) + 'px';
  input.focus();
  fill();
}

addEventListener(
  'pointerdown',
  (e) => {
    if (open && !open.contains(e.target)) close();
  },
  true,
);
