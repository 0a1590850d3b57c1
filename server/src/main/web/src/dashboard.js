// A dashboard: every panel asks the server for its picture, and again when the range changes.
import { load } from './kinds/index.js';
import { save } from './table.js';
import { live } from './live.js';
import { current, setRange } from './range.js';
import { csrf, el, ending, idOf, post } from './dom.js';
import { sections } from './sections.js';
import { whole } from './appending.js';
import { clock } from './time.js';
import { plotSize } from './plot-size.js';

// A panel this near to the view asks and draws, px.
const MARGIN = 120;
const page = ending('dashboard');
const root = document.querySelector('[data-dashboard]');
// A panel's place on the grid: by script, since a style attribute would be against the security policy.
for (const figure of document.querySelectorAll('.figure')) {
  const place = figure.dataset.at.split(',');
  ['column', 'row', 'width', 'height'].forEach((name, i) => figure.style.setProperty('--' + name, place[i]));
}
sections(document.querySelector('.figures'), root.dataset.dashboard);
document.querySelector('.figures').classList.add('placed');
const panels = [...document.querySelectorAll('.figure')].map(panel);

function panel(figure) {
  const body = figure.querySelector('.body'),
    kind = figure.dataset.kind;
  const self = { figure, view: null, abort: null, inView: false, due: false, refresh };
  let good = 0,
    version = 0,
    shown = null,
    wide = 0,
    wait = 0;
  // Drawings are made for a size; charts follow by themselves until the next one.
  new ResizeObserver(() => {
    const now = body.clientWidth;
    if (wide && Math.abs(now - wide) > 8) {
      clearTimeout(wait);
      wait = setTimeout(() => panels.includes(self) && refresh(), 250);
    }
    wide = now;
  }).observe(body);

  // Which copy it is: control=value, for each control that repeats it.
  const copies = () => figure.dataset.copyOf?.split('\n') ?? [];

  // The plot of a panel of this size as it was last: limits are labelled in their places from the first picture on.
  const plotKey = () => `plot ${root.dataset.dashboard}/${figure.dataset.panel} ${body.clientWidth} ${body.clientHeight}`;
  const plot = plotSize({
    remembered: () => (sessionStorage.getItem(plotKey()) ?? '0,0').split(',').map(Number),
    remember: (px) => sessionStorage.setItem(plotKey(), px.join()),
  });

  // A panel out of sight waits until it comes into view.
  async function refresh() {
    self.abort?.abort();
    if (!self.inView) {
      self.due = true;
      return;
    }
    self.due = false;
    self.abort = new AbortController();
    const slow = setTimeout(() => figure.classList.add('waiting'), 200);
    const p = new URLSearchParams(location.search);
    p.set('page', page);
    for (const copy of copies()) p.append('panel-copy', copy);
    p.set('from', current().from);
    p.set('to', current().to);
    p.set('width', body.clientWidth);
    p.set('height', Math.max(60, body.clientHeight));
    p.set('has', version);
    for (const [key, px] of Object.entries(plot.fields(self.view))) p.set(key, px);
    try {
      await put(await post(`/dashboards/${root.dataset.dashboard}/panels/${figure.dataset.panel}`, p, self.abort.signal));
      figure.dataset.done = good = Date.now();
      figure.classList.remove('stale');
    } catch (e) {
      if (e.name !== 'AbortError') fault(e);
    } finally {
      clearTimeout(slow);
      figure.classList.remove('waiting');
    }
  }

  function clear() {
    self.view?.dispose();
    self.view = null;
    body.replaceChildren();
  }

  // The last picture stays, faded, with what is wrong and how old it is.
  function fault(e) {
    const words = e.detail ? e.message : 'Server unreachable. Check the connection and try again.';
    if (self.view) {
      figure.classList.add('stale');
      figure.querySelector('.advice')?.remove();
      body.before(
        el('p', { class: 'advice fault', role: 'status' }, el('span', {}, '▸'), el('span', {}, `${words} Shown as of ${clock(good)}.`)),
      );
      return;
    }
    clear();
    figure.querySelector('.reading').textContent = '';
    const code = e.detail?.code;
    body.append(
      el(
        'div',
        { class: 'empty', role: 'status' },
        el('div', { class: 'fault' }, words),
        code ? el('div', { class: 'num' }, code) : null,
        el('button', { class: 'btn', type: 'button', onclick: refresh }, 'Try again'),
      ),
    );
    figure.dataset.done = Date.now();
  }

  // What an answer lacks is said on the panel; the rest of the advice is for who writes queries.
  function lacks(data) {
    figure.querySelector('.advice')?.remove();
    const some = data.advice.filter((a) => ['store-unreachable', 'raw-dropped', 'sketch'].includes(a.code));
    if (some.length && !data.empty)
      body.before(el('p', { class: 'advice', role: 'status' }, el('span', {}, '▸'), el('span', {}, some.map((a) => a.text).join('; '))));
  }

  async function put(data) {
    lacks(data);
    const drawing = whole(data, shown);
    shown = drawing;
    version = data.version ?? 0;
    figure.querySelector('.reading').textContent = drawing?.reading ?? '';
    figure.querySelector('.unit').textContent = drawing?.picture?.axis.note ?? '';
    if (data.empty) {
      clear();
      const go = data.empty.nearest
        ? el(
            'button',
            { class: 'btn', type: 'button', onclick: () => setRange(data.empty.nearest - 1800e3, data.empty.nearest + 60e3) },
            'Go to the latest sample',
          )
        : null;
      body.append(el('div', { class: 'empty', role: 'status' }, data.empty.text, go));
      return;
    }
    if (!self.view) {
      const mount = await load(kind);
      body.replaceChildren();
      self.view = mount(body);
    }
    self.view.update(drawing);
    if (plot.misplaced(self.view, drawing, body)) refresh();
  }

  figure.querySelector('[data-csv]')?.addEventListener('click', async () => {
    const p = new URLSearchParams(location.search);
    p.set('from', current().from);
    p.set('to', current().to);
    p.set('width', body.clientWidth);
    for (const copy of copies()) p.append('panel-copy', copy);
    const answer = await fetch(`/dashboards/${root.dataset.dashboard}/panels/${figure.dataset.panel}/csv`, {
      method: 'POST',
      body: p,
      headers: { 'X-CSRF-TOKEN': csrf() },
    });
    if (answer.ok)
      save(
        figure
          .querySelector('h2')
          .textContent.trim()
          .replace(/[\\/:*?"<>|]+/g, '-') + '.csv',
        await answer.text(),
      );
    else fault(Object.assign(new Error('The file could not be created.'), { detail: (await answer.json().catch(() => ({}))).error }));
  });
  figure.querySelector('[data-link]')?.addEventListener('click', async (e) => {
    const to = new URL(location.href);
    // A control may have several values: only the range is set anew.
    for (const [key, value] of Object.entries(current())) to.searchParams.set(key, value);
    to.hash = `panel=${figure.dataset.panel}`;
    await navigator.clipboard?.writeText(to.href).catch(() => (location.hash = to.hash));
    e.target.textContent = 'Copied';
    setTimeout(() => (e.target.textContent = 'Link'), 1500);
  });
  figure.querySelector('[data-copy]')?.addEventListener('click', async (e) => {
    const { document: all } = await (await fetch(`/dashboards/${root.dataset.dashboard}/document`)).json(),
      panel = all.panels.find((p) => idOf(p) === figure.dataset.panel),
      done = await navigator.clipboard?.writeText(JSON.stringify(panel, null, 2)).then(
        () => true,
        () => false,
      );
    e.target.textContent = done ? 'Copied' : 'Not allowed';
    setTimeout(() => (e.target.textContent = 'Copy'), 1500);
  });
  const files = () => import('./image.js');
  figure.querySelector('[data-png]')?.addEventListener('click', async () => (await files()).savePng(figure, figure.dataset.panel));
  figure
    .querySelector('[data-svg]')
    ?.addEventListener('click', async () => (await files()).saveSvg(figure, figure.dataset.panel, self.view?.lines));
  for (const [act, place] of [
    ['open', 'bench'],
    ['watch', 'watch'],
  ])
    figure.querySelector(`[data-${act}]`)?.addEventListener('click', (e) => {
      e.preventDefault();
      const p = new URLSearchParams(location.search);
      for (const [key, value] of Object.entries(current())) p.set(key, value);
      for (const copy of copies()) p.append('panel-copy', copy);
      location.href = `/dashboards/${root.dataset.dashboard}/panels/${figure.dataset.panel}/${place}?${p}`;
    });
  return self;
}

const sight = new IntersectionObserver(
  (seen) => {
    for (const { target, isIntersecting } of seen) {
      const one = panels.find((x) => x.figure === target);
      if (!one) continue;
      one.inView = isIntersecting;
      if (isIntersecting && one.due) one.refresh();
    }
  },
  { rootMargin: `${MARGIN}px` },
);
for (const one of panels) {
  // The observer tells only with the next frame.
  const { top, bottom, height } = one.figure.getBoundingClientRect();
  one.inView = height > 0 && top < innerHeight + MARGIN && bottom > -MARGIN;
  sight.observe(one.figure);
}

// What is chosen stands in the address. Where other choices or the panels depend on it, the page is made again.
function choose(name, values) {
  const p = new URLSearchParams(location.search);
  p.delete(name);
  if (!values.length) p.append(name, '');
  for (const v of values) p.append(name, v);
  const to = `${location.pathname}?${p}`;
  if (root.dataset.reloads) return location.assign(to);
  history.pushState(null, '', to);
  shownChoices = chosen();
  panels.forEach((one) => one.refresh());
}

// Back and forward over choices: the server says what each control shows then.
const chosen = () => {
  const p = new URLSearchParams(location.search);
  for (const key of ['from', 'to', 'edit']) p.delete(key);
  return p.toString();
};
let shownChoices = chosen();
addEventListener('popstate', () => {
  if (chosen() !== shownChoices) location.reload();
});

for (const input of document.querySelectorAll('[data-control]'))
  input.addEventListener('change', () => choose(input.name, input.value.trim() ? [input.value.trim()] : []));

for (const menu of document.querySelectorAll('[data-control-several]')) {
  const boxes = () => [...menu.querySelectorAll('input[type=checkbox]')],
    apply = () => {
      const values = boxes()
        .filter((b) => b.checked)
        .map((b) => b.value);
      menu.querySelector('.chosen').textContent = !values.length
        ? 'all'
        : values.length <= 2
          ? values.join(', ')
          : `${values.length} chosen`;
      menu.open = false;
      menu.querySelector('summary').focus();
      choose(menu.dataset.controlSeveral, values);
    };
  menu.querySelector('[data-take]').addEventListener('click', apply);
  menu.querySelector('[data-take-all]').addEventListener('click', () => {
    for (const b of boxes()) b.checked = false;
    apply();
  });
  menu.querySelector('[data-find-choice]').addEventListener('input', (e) => {
    for (const b of boxes()) b.parentElement.hidden = !b.value.toLowerCase().includes(e.target.value.toLowerCase());
  });
  menu.addEventListener('keydown', (e) => {
    if (e.key !== 'Escape' || !menu.open) return;
    menu.open = false;
    menu.querySelector('summary').focus();
  });
  menu.addEventListener('toggle', () => {
    const list = menu.querySelector(':scope > div');
    menu.classList.remove('leftward');
    menu.classList.toggle('leftward', menu.open && list.getBoundingClientRect().right > innerWidth - 8);
  });
  menu.addEventListener('focusout', (e) => {
    if (e.relatedTarget && !menu.contains(e.relatedTarget)) menu.open = false;
  });
}

// A link to a panel scrolls to it.
const linked = new URLSearchParams(location.hash.slice(1)).get('panel');
document.querySelector(`[data-panel="${CSS.escape(linked ?? '')}"]`)?.scrollIntoView({ block: 'center' });

// Editing begins by the button, by the key e, or with the address of a dashboard that was just made.
const bar = document.querySelector('[data-edit-bar]');
async function startEditing() {
  for (const one of panels) {
    one.abort?.abort();
    one.view?.dispose();
  }
  panels.length = 0;
  sight.disconnect();
  const wanted = new URLSearchParams(location.search).get('edit');
  await (await import('./edit.js')).edit(root, bar, wanted);
}
document.querySelector('[data-edit]')?.addEventListener('click', startEditing);
addEventListener('keydown', (e) => {
  if (e.key !== 'e' || e.ctrlKey || e.metaKey || e.altKey || e.target.closest?.('input, textarea, select, .editor')) return;
  document.querySelector('[data-edit]')?.click();
});
if (document.querySelector('[data-edit]') && new URLSearchParams(location.search).has('edit')) startEditing();

// What a panel is about: while the pointer is on it, or pinned by a press; closed by Escape.
for (const button of document.querySelectorAll('[data-about]')) {
  const text = button.nextElementSibling;
  let pinned = false;
  const set = (open, pin = false) => {
    pinned = open && pin;
    text.hidden = !open;
    button.setAttribute('aria-expanded', String(open));
  };
  button.addEventListener('click', () => set(!pinned, true));
  button.parentElement.addEventListener('pointerenter', (e) => e.pointerType === 'mouse' && set(true, pinned));
  button.parentElement.addEventListener('pointerleave', () => pinned || set(false));
  button.parentElement.addEventListener('keydown', (e) => e.key === 'Escape' && set(false));
  button.parentElement.addEventListener('focusout', (e) => !button.parentElement.contains(e.relatedTarget) && set(false));
}

const all = () => panels.forEach((one) => one.refresh());
live(all);
// What draws the kinds is fetched beside the data.
for (const kind of new Set(panels.map((one) => one.figure.dataset.kind))) load(kind);
all();
