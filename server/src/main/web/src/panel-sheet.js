// The sheet of a panel: its lines at the left, the kinds, its picture and how it looks at the right.
// Every change is handed on at once as the whole panel; nothing is kept until the dashboard is saved.
import { el, post } from './dom.js';
import { queryEditor } from './query-editor.js';
import { stamp } from './time.js';
import { load } from './kinds/index.js';
import { plotSize } from './plot-size.js';
import { dress } from './sheet/dress.js';
import { all as allFeeds, renamed } from './sheet/feed.js';
import { fit } from './sheet/fit.js';
import { point } from './sheet/point.js';
import { strip } from './sheet/strip.js';

const COLUMN = 103,
  ROW = 50,
  TALLEST = 270,
  // Of the height beside the lines: a picture up to this stays while its settings scroll.
  SHARE = 0.6;

// `put` takes the panel after a change, what it was, and the field; `asked` gives what a request of it says. With `write`
// the lines are written as text from the start.
export function sheet(root, panel, { dashboard, kinds, asked, put, close, write = false }) {
  let p = structuredClone(panel),
    view = null,
    shown = '',
    abort = null,
    wait = 0,
    fitting = null,
    windowed = false,
    wrong = '',
    fed = {};
  // Settings of another kind are kept for the way back.
  const before = new Map(),
    plot = plotSize();
  const kindOf = () => kinds.find((k) => k.word === (p.kind ?? kinds[0].word));

  function hand(next, what, name) {
    p = next;
    asks.heard();
    put(p, what, name);
    ask();
  }

  // An empty value is no value.
  function field(name, v, what) {
    const next = { ...p, [name]: v };
    if (v === '' || v == null) delete next[name];
    hand(next, what, name);
  }

  function option(name, v, what) {
    const options = { ...(p.options ?? {}) };
    if (v === undefined) delete options[name];
    else options[name] = v;
    const next = { ...p, options };
    if (!Object.keys(options).length) delete next.options;
    hand(next, what, `options/${name}`);
  }

  function choose(word) {
    if (word !== kindOf().word) {
      before.set(kindOf().word, p.options);
      const next = { ...p, kind: word, options: before.get(word) };
      if (!next.options) delete next.options;
      if (word === kinds[0].word) delete next.kind;
      hand(next, 'kind', 'kind');
      looks.fill();
      kindsStrip.mark();
    }
    if (kindsStrip.unfit(word)) openFit();
    else closeFit();
  }

  // ---- the parts ----

  const title = el('input', {
    class: 'ps-title',
    id: 'ps-title',
    'aria-label': 'Title',
    maxlength: '200',
    oninput: (e) => field('title', e.target.value, 'title'),
  });
  const crumb = el(
    'div',
    { class: 'ps-crumb' },
    el(
      'button',
      { type: 'button', class: 'text-accent', onclick: close, title: 'Back to the dashboard; nothing is saved yet' },
      dashboard.title,
    ),
    el('span', { 'aria-hidden': 'true' }, '›'),
    title,
  );
  const summary = el('span', { class: 'note ps-summary' }),
    as = (how, words) => el('button', { type: 'button', 'data-as': how, 'aria-pressed': String(how === 'chips') }, words),
    addLine = el('button', { type: 'button', class: 'btn', onclick: () => newLine() }, '+ Line');
  const stripHost = el('div', { class: 'ps-strip', role: 'group', 'aria-label': 'Kind of panel' }),
    size = el('span', { class: 'note' }),
    body = el('div', { class: 'body' }),
    frame = el(
      'div',
      { class: 'ps-frame figure' },
      el(
        'header',
        {},
        el('h2', {}),
        size,
        el('button', {
          type: 'button',
          class: 'text-accent',
          onclick: () => {
            windowed = !windowed;
            place();
            ask(0);
          },
        }),
      ),
      body,
    ),
    fitHost = el('div', { class: 'ps-fit', hidden: '' }),
    looksHost = el('div', { class: 'ps-dress' });
  const out = el(
    'section',
    { class: 'panel-sheet', tabindex: '-1', 'aria-label': `Panel sheet: ${p.title}` },
    el(
      'div',
      { class: 'ps-left ledger' },
      el(
        'header',
        {},
        el('h2', {}, 'Lines'),
        el('span', { class: 'choice', role: 'group', 'aria-label': 'Write the lines as' }, as('chips', 'Chips'), as('text', 'Text')),
        summary,
      ),
      el('p', { class: 'fault ps-fault', 'data-part': 'fault', role: 'status' }),
      el('div', { class: 'editor', 'data-part': 'text', hidden: '' }),
      el('div', { class: 'ps-lines', 'data-part': 'lines' }),
      el('div', { class: 'ps-add' }, addLine),
      el('div', { class: 'ps-advice', 'data-part': 'advice' }),
      el('p', { class: 'note ps-keys' }, 'Alt ↑ ↓ moves a step, Space switches it, Ctrl E shows the text'),
    ),
    el('div', { class: 'ps-right' }, stripHost, frame, fitHost, looksHost),
  );

  const asks = queryEditor(out.querySelector('.ps-left'), {
      query: () => p.query ?? '',
      change(query, words, renaming, typed) {
        if (renaming) p = renamed(p, renaming.from, renaming.to);
        field('query', query, words);
        if (renaming) looks.fill();
        // A press is not typing: nothing more is to be waited for.
        if (!typed) ask(0);
      },
      feeds: (name) =>
        allFeeds(p, kindOf())
          .filter((f) => f.line === name)
          .map((f) => f.words),
      label: 'Lines',
      hint: 'host.cpu.busy then max by host',
    }),
    { lines } = asks;
  const kindsStrip = strip(stripHost, kinds, { chosen: () => kindOf().word, choose, all: showAll });
  const feeds = {
    lines: () =>
      lines
        .lines()
        .filter((l) => l.name)
        .map(({ name, hidden }) => ({ name, hidden })),
    at: (place) => fed[place],
    hide: (name) => lines.edit({ edit: 'show-line', line: lines.lines().findIndex((l) => l.name === name) }, `hide ${name}`),
    age: (at) => (at ? stamp(at) : ''),
  };
  let drawing = null;
  // A new limit lies near the upper end of what is drawn, where it can be seen and dragged.
  const newLimit = () => (drawing?.axes?.[0]?.scale === 'linear' ? (drawing.picture.axis.ticks.at(-2)?.at ?? 0) : 0);
  const looks = dress(looksHost, { kind: kindOf, panel: () => p, field, option, controls: dashboard.controls, feeds, newLimit });
  let drags = 0;
  const pointing = point(body, looksHost, {
    view: () => view,
    drawing: () => drawing,
    go: looks.go,
    limitAt: (i) => p.limits?.[i]?.above ?? p.limits?.[i]?.below,
    limit(i, v) {
      const side = p.limits[i].above != null ? 'above' : 'below';
      // One drag is one step.
      hand({ ...p, limits: p.limits.map((l, k) => (k === i ? { ...l, [side]: v } : l)) }, 'limit', `limits/drag ${++drags}`);
      looks.fill();
      ask(0);
    },
  });

  // On narrow screens the sheet is two pages, with the picture on both.
  const page = (name, words) =>
      el(
        'button',
        {
          type: 'button',
          'data-page-of': name,
          onclick: () => turn(name),
        },
        words,
      ),
    pages = el(
      'div',
      { class: 'choice ps-pages', role: 'group', 'aria-label': 'Page of the sheet' },
      page('lines', 'Lines'),
      page('dress', 'Settings'),
    );
  function turn(name) {
    out.dataset.page = name;
    for (const b of pages.children) b.setAttribute('aria-pressed', String(b.dataset.pageOf === name));
  }
  out.prepend(pages);
  turn('lines');

  async function newLine() {
    const { pickMetric } = await import('./metric-pick.js'),
      named = lines
        .lines()
        .map((l) => l.name)
        .filter(Boolean),
      add = (text, words) => {
        asks.write('chips');
        asks.turn(lines.lines().length);
        lines.edit({ edit: 'add-line', text }, words);
      },
      formula = named.length > 1 ? `${named[0]} / ${named[1]}` : named.length ? `${named[0]} * 100` : '';
    pickMetric(addLine, ({ metric, line }) => add(line, `line of ${metric}`), {
      ways: formula ? [{ words: `Formula from lines: ${formula}`, on: () => add(formula, 'formula') }] : [],
    });
  }

  // ---- the picture ----

  function place() {
    const [, , w, h] = p.at,
      room = frame.parentElement.clientWidth || out.clientWidth,
      wide = Math.min(room, windowed ? room : w * COLUMN),
      tall = Math.min(TALLEST, windowed ? TALLEST : h * ROW - 10);
    frame.style.width = `${wide}px`;
    frame.style.height = `${Math.max(120, tall)}px`;
    frame.classList.toggle('stays', Math.max(120, tall) <= SHARE * (frame.parentElement.clientHeight - 94));
    size.textContent = windowed ? '' : `${w} × ${h} on the dashboard`;
    frame.querySelector('header button').textContent = windowed ? 'As on the dashboard' : 'Fill the window';
  }

  // What a request says: the draft with its circumstances.
  function fields(more) {
    const out = asked(p);
    for (const [key, value] of Object.entries({ draft: JSON.stringify(p), ...more })) out.set(key, value);
    return out;
  }

  function ask(after = 120) {
    clearTimeout(wait);
    wait = setTimeout(answer, after);
  }

  async function answer() {
    abort?.abort();
    if (kindOf().query && !p.query?.trim()) return begin();
    abort = new AbortController();
    const mine = abort;
    const slow = setTimeout(() => mine === abort && body.classList.add('faded'), 200);
    try {
      const data = await post(
        `/dashboards/${dashboard.name}/sheet`,
        fields({
          width: body.clientWidth || 600,
          height: Math.max(60, body.clientHeight),
          ...plot.fields(view),
        }),
        mine.signal,
      );
      clearTimeout(slow);
      await show(data);
    } catch (e) {
      if (e.name !== 'AbortError') stale(e.message);
    } finally {
      clearTimeout(slow);
    }
  }

  function begin() {
    summary.textContent = '';
    frame.querySelector('h2').textContent = p.title;
    asks.put([], []);
    clear();
    body.append(el('div', { class: 'empty', role: 'status' }, 'Nothing to draw yet. Press + Line and choose a metric.'));
  }

  // The last picture stays, faded, and what is wrong stands in the ledger.
  async function stale(words) {
    wrong = words;
    asks.say(words);
    body.classList.add('faded');
    if (!(await asks.outlined()) && !asks.writesText() && p.query) asks.write('text');
  }

  async function show(data) {
    if (data.panel.fault) return stale(data.panel.fault);
    wrong = '';
    body.classList.remove('faded');
    frame.querySelector('h2').textContent = p.title;
    summary.textContent = p.query ? data.summary : '';
    asks.put(data.ledger ?? [], data.panel.advice);
    kindsStrip.put(data.strip ?? []);
    fed = data.panel.fed ?? {};
    looks.fed();
    if (data.panel.empty || !data.panel.drawing) {
      clear();
      body.append(el('div', { class: 'empty', role: 'status' }, data.panel.empty?.text ?? 'Nothing to draw.'));
      return;
    }
    drawing = data.panel.drawing;
    if (shown !== drawing.kind) {
      clear();
      shown = drawing.kind;
      view = (await load(shown))(body);
    }
    view.update(drawing);
    if (plot.misplaced(view, drawing, body)) ask(0);
    looks.caught(drawing);
  }

  function applied(query, words) {
    asks.set(query);
    field('query', query, words.toLowerCase());
  }

  function clear() {
    view?.dispose();
    view = null;
    shown = '';
    body.replaceChildren();
  }

  // ---- Fit ----

  async function openFit() {
    const kind = kindOf(),
      draft = JSON.stringify(p);
    const data = await post(`/dashboards/${dashboard.name}/fit`, fields({ width: body.clientWidth || 600 })).catch((e) => ({
      fault: e.message,
      proposals: [],
    }));
    if (draft !== JSON.stringify(p) || data.fault || !data.gives) return;
    closeFit();
    frame.hidden = looksHost.hidden = true;
    fitHost.hidden = false;
    fitting = await fit(fitHost, data, kind, {
      use: (proposal) => {
        closeFit();
        applied(proposal.query, 'the proposed steps');
      },
      preview,
      keep: (word) => {
        closeFit();
        if (word !== kindOf().word) choose(word);
      },
      others: kinds.filter((k) => kindsStrip.fitting().includes(k.word) && k.query),
    });
  }

  function closeFit() {
    fitting?.dispose();
    fitting = null;
    frame.hidden = looksHost.hidden = false;
    fitHost.hidden = true;
    preview(null);
  }

  // The steps of a proposal, dashed, where they would be added.
  function preview(proposal) {
    asks.rows.querySelector('.would-add')?.remove();
    if (!proposal) return;
    const box =
      [...asks.rows.children].find((b) => (b.querySelector('.line-name')?.value ?? '') === proposal.line) ?? asks.rows.lastElementChild;
    box?.append(
      el(
        'div',
        { class: 'would-add' },
        el('p', { class: 'note' }, 'Steps added by ', el('strong', {}, proposal.text)),
        ...proposal.steps.map((s) => el('code', {}, el('b', {}, 'then'), ` ${s}`)),
      ),
    );
  }

  let overlaid = false;
  async function showAll() {
    if (overlaid) return;
    overlaid = true;
    const { allKinds } = await import('./sheet/all-kinds.js'),
      shown = lines.lines().filter((l) => !l.hidden),
      last = shown.length === 1 ? [shown[0].source, ...shown[0].steps].findLast((r) => !r.off && r.shape) : null;
    await allKinds(out.querySelector('.ps-right'), kinds, {
      drawn: kindsStrip.last(),
      chosen: kindOf().word,
      shape: last ? `Your ${last.shape}` : shown.length ? `Your ${shown.length} lines` : '',
      choose,
      closed: () => (overlaid = false),
    });
  }

  function keys(e) {
    if (overlaid) return;
    const at = document.activeElement,
      types = at?.shadowRoot || /^(INPUT|TEXTAREA|SELECT)$/.test(at?.tagName);
    if ((e.ctrlKey || e.metaKey) && e.key === 'e') asks.write(asks.writesText() ? 'chips' : 'text');
    else if (e.key === 'Escape' && fitting) closeFit();
    else if (types || e.ctrlKey || e.metaKey || e.altKey) return;
    else if (fitting && fitting.proposals[e.key - 1]) {
      const chosen = fitting.proposals[e.key - 1];
      closeFit();
      applied(chosen.query, 'the proposed steps');
    } else if (e.key === '/') looks.find.focus();
    else if (e.key === 'k') showAll();
    else return;
    e.preventDefault();
    e.stopPropagation();
  }
  addEventListener('keydown', keys, true);

  root.querySelector('.head').prepend(crumb);
  root.append(out);
  title.value = p.title;
  place();
  const sizes = new ResizeObserver(() => {
    const was = frame.clientWidth;
    place();
    if (frame.clientWidth !== was) ask(200);
  });
  sizes.observe(out);
  ask(0);
  if (write) asks.write('text');
  else out.focus({ preventScroll: true });

  return {
    // Another state of the panel: after an undo.
    show(next) {
      if (JSON.stringify(next) === JSON.stringify(p)) return;
      p = structuredClone(next);
      if (document.activeElement !== title) title.value = p.title;
      asks.set(p.query ?? '');
      closeFit();
      looks.fill();
      kindsStrip.mark();
      place();
      ask(0);
    },
    refresh: () => ask(0),
    // Why it can't be drawn, or nothing.
    fault: () => wrong,
    leaveText: () => out.focus({ preventScroll: true }),
    dispose() {
      removeEventListener('keydown', keys, true);
      clearTimeout(wait);
      abort?.abort();
      sizes.disconnect();
      kindsStrip.dispose();
      pointing.dispose();
      fitting?.dispose();
      view?.dispose();
      crumb.remove();
      out.remove();
    },
  };
}
