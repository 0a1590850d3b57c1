// Editing a dashboard in place: panels are added, moved, sized, copied, deleted and dressed; nothing is kept until Save.
import { GridStack } from 'gridstack';
import { csrf, el, idOf, post } from './dom.js';
import { live } from './live.js';
import { current } from './range.js';
import { picture } from './edit-picture.js';
import { free } from './edit-free.js';
import { NO_PANEL, panelOf, ways } from './edit-new.js';
import { sections } from './edit-sections.js';
import { controls } from './sheet/controls.js';
import { sheet } from './panel-sheet.js';

const COLUMNS = 12,
  ROW = 50,
  NEW = { w: 6, h: 7 };

// `wanted` is the id of a panel whose sheet is opened at once, if there is one of it.
export async function edit(root, bar, wanted = null) {
  const name = root.dataset.dashboard,
    { document: start, version, kinds } = await (await fetch(`/dashboards/${name}/document`)).json(),
    undos = [],
    redos = [],
    views = new Map();
  let doc = start,
    basis = start,
    base = version,
    open = null,
    openSheet = null,
    grid = null,
    saved = JSON.stringify(start);

  // What is repeated is shown once while it is edited: for the first of its values.
  const firsts = new Map();
  for (const { dataset } of root.querySelectorAll('[data-copy-of]'))
    for (const copy of dataset.copyOf.split('\n')) {
      const [control, value] = copy.split(/=(.*)/s);
      if (!firsts.has(control)) firsts.set(control, value);
    }
  function asked(p) {
    const out = new URLSearchParams(location.search),
      section = (doc.sections ?? []).filter((s) => s.row <= p.at[1]).sort((a, b) => b.row - a.row)[0];
    for (const [key, value] of Object.entries(current())) out.set(key, value);
    for (const control of [section?.repeat, p.repeat])
      if (control && firsts.has(control)) out.append('panel-copy', `${control}=${firsts.get(control)}`);
    return out;
  }

  const figures = root.querySelector('.figures'),
    host = el('div', { class: 'grid-stack arranging' }),
    fault = el('div', { class: 'edit-fault', role: 'alert' }),
    unsaved = el('span', { class: 'note unsaved' }),
    undo = el('button', { class: 'btn named-step', type: 'button', onclick: () => step(undos, redos) }, 'Undo'),
    redo = el('button', { class: 'btn named-step', type: 'button', onclick: () => step(redos, undos) }, 'Redo'),
    addSection = el('button', { class: 'btn', type: 'button', onclick: () => heads.add() }, '+ Section'),
    add = el(
      'button',
      { class: 'btn', type: 'button', 'aria-haspopup': 'menu', onclick: () => offer() },
      '+ Panel',
      el('kbd', { 'aria-hidden': 'true' }, 'N'),
    ),
    settings = el('button', { class: 'btn', type: 'button', 'aria-expanded': 'false', onclick: () => openControls() }, 'Controls'),
    discard = el('button', { class: 'btn', type: 'button', onclick: leave }, 'Discard'),
    save = el('button', { class: 'btn main', type: 'button', onclick: () => keep(base) }, 'Save'),
    // The dashboard's own controls move down a row: the first has what is done and what becomes of it.
    tools = el('div', { class: 'edit-tools' }),
    selected = el('span', { 'aria-live': 'polite' }),
    foot = el('p', { class: 'edit-keys note' }, selected);
  tools.append(...document.querySelectorAll('.head-controls'), settings, el('span', { class: 'ml-auto flex gap-3' }, addSection, add));
  root.querySelector('.head').after(tools);
  bar.replaceChildren(unsaved, undo, redo, discard, save);
  for (const [keys, does] of [
    ['← ↑ ↓ →', 'move'],
    ['Shift ← ↑ ↓ →', 'resize'],
    ['Enter', 'edit'],
    ['D', 'copy'],
    ['Del', 'delete'],
    ['Tab', 'next panel'],
  ])
    foot.append(el('span', { class: 'key-does' }, el('kbd', {}, keys), ` ${does}`));
  foot.append(el('span', { class: 'key-does all-keys' }, el('kbd', {}, '?'), ' all keys'));
  figures.replaceWith(host);
  host.after(foot);
  host.before(fault);
  root.classList.add('editing');

  const changed = () => JSON.stringify(doc) !== saved;
  addEventListener('beforeunload', (e) => changed() && e.preventDefault());

  // One named step. What is typed into the sheet joins the step before while the field is the same.
  function change(words, make, joins = null) {
    const last = undos.at(-1);
    if (!(joins && last?.joins === joins)) undos.push({ words, joins, doc });
    redos.length = 0;
    doc = make(structuredClone(doc));
    show();
  }

  function step(from, to) {
    const one = from.pop();
    if (!one) return;
    to.push({ ...one, doc });
    doc = one.doc;
    show();
    controlSheet.show();
    if (open && find(open)) openSheet.show(find(open));
    else if (open) close();
  }

  function words() {
    const u = undos.at(-1),
      r = redos.at(-1);
    // In a panel's sheet it goes without saying which panel it is.
    const short = (one, word) => {
      const of = open && find(open) ? ` of ${find(open).title}` : '';
      return one ? [`${word} `, el('b', {}, of && one.words.endsWith(of) ? one.words.slice(0, -of.length) : one.words)] : [word];
    };
    undo.replaceChildren(...short(u, 'Undo'));
    redo.replaceChildren(...short(r, 'Redo'));
    undo.title = u?.words ?? '';
    redo.title = r?.words ?? '';
    const n = panels().length;
    root.querySelector('[data-panel-count]').textContent = `${n} panel${n === 1 ? '' : 's'}`;
    undo.disabled = !u;
    redo.disabled = !r;
    save.disabled = !changed();
    unsaved.textContent = changed() && undos.length ? `${undos.length} unsaved change${undos.length > 1 ? 's' : ''}` : '';
  }

  // ---- the controls ----

  const controlHost = el('section', { class: 'controls-sheet', hidden: '', 'aria-label': 'Controls of the dashboard' }),
    controlSheet = controls(controlHost, {
      dashboard: name,
      list: () => doc.controls ?? [],
      put: (next, words) => {
        change(words, (d) => {
          const out = { ...d, controls: next };
          if (!next.length) delete out.controls;
          return out;
        });
        controlSheet.show();
      },
      close: () => openControls(false),
    });
  host.before(controlHost);

  function openControls(on = controlHost.hidden) {
    controlHost.hidden = !on;
    settings.setAttribute('aria-expanded', String(on));
    controlSheet.show();
    if (on) controlHost.querySelector('input, button')?.focus();
    else settings.focus();
  }

  const panels = () => doc.panels ?? [];
  const find = (id) => panels().find((p) => idOf(p) === id);

  function freeId(title) {
    const plain = idOf({ title });
    let id = plain;
    for (let n = 2; find(id); n++) id = `${plain}-${n}`;
    return id;
  }

  const end = () => Math.max(1, ...panels().map((p) => p.at[1] + p.at[3]), ...(doc.sections ?? []).map((s) => s.row + 1));
  const heads = sections(host, { doc: () => doc, change, end, first: (control) => firsts.get(control) });

  function create(like) {
    const [x, , w, h] = like.at;
    append(`${like.title}, copy`, structuredClone(like), { x: x - 1, y: end() - 1, w, h }, `copy ${like.title}`);
  }

  // What is known of a panel becomes one: at a place, else at the first that has room, else below all others.
  function append(title, known, at, words = 'added panel', how = {}) {
    const id = freeId(title),
      size = { w: known.at?.[2] ?? NEW.w, h: known.at?.[3] ?? NEW.h },
      { x, y, w, h } = at ?? { x: 0, y: end() - 1, ...spots.first(size), ...size };
    change(words, (d) => ({ ...d, panels: [...(d.panels ?? []), { ...known, title, id, at: [x + 1, y + 1, w, h] }] }));
    focus(id);
    sheetOf(id, how);
  }

  const offer = (at, anchor = add) =>
    ways(anchor, {
      make: (known, how) => append(known.title ?? 'New panel', known, at, 'added panel', how),
      note: kinds.find((k) => !k.query),
      dashboard: name,
      say: (words) => fault.replaceChildren(el('div', { class: 'fault' }, words)),
    });

  const spots = free(host, { columns: COLUMNS, row: ROW, offer });

  function remove(id) {
    const gone = find(id);
    if (open === id) close();
    say('');
    change(`delete ${gone.title}`, (d) => ({ ...d, panels: d.panels.filter((p) => idOf(p) !== id) }));
  }

  function put(id, panel, what, field) {
    change(
      `${what} of ${panel.title}`,
      (d) => ({ ...d, panels: d.panels.map((p) => (idOf(p) === id ? { ...panel, id } : p)) }),
      `${id}/${field}`,
    );
  }

  function focus(id) {
    const item = host.querySelector(`[gs-id="${CSS.escape(id)}"]`);
    item?.scrollIntoView({ block: 'nearest' });
    item?.focus();
  }

  // ---- the grid ----

  function figure(p) {
    const id = idOf(p),
      act = (text, on) => el('button', { type: 'button', onclick: on }, text);
    return el(
      'div',
      {
        class: 'grid-stack-item',
        'gs-id': id,
        tabindex: '0',
        'aria-label': `${p.title}: arrow keys move, Shift and arrow keys size, Enter edits, D copies, Delete deletes`,
      },
      el(
        'div',
        { class: 'figure grid-stack-item-content' },
        el(
          'header',
          {},
          el('h2', {}, p.title),
          el(
            'span',
            { class: 'acts' },
            act('Edit', () => sheetOf(id)),
            act('Copy', () => create(find(id))),
            act('Delete', () => remove(id)),
          ),
        ),
        el('div', { class: 'body' }),
      ),
    );
  }

  function show() {
    words();
    const ids = new Set(panels().map(idOf));
    if (!grid) {
      grid = GridStack.init(
        { column: COLUMNS, cellHeight: ROW, margin: 5, float: true, minRow: 4, handle: '.figure', resizable: { handles: 'e,se,s' } },
        host,
      );
      grid.on('dragstop resizestop', moved);
    }
    grid.batchUpdate();
    for (const [id, view] of [...views])
      if (!ids.has(id)) {
        view.dispose();
        views.delete(id);
        grid.removeWidget(view.item);
      }
    for (const p of panels()) {
      const id = idOf(p);
      if (views.has(id)) continue;
      const item = figure(p);
      host.append(item);
      grid.makeWidget(item, { id, ...placeOf(p) });
      views.set(id, picture(item, { name, kinds, asked }));
    }
    heads.show(grid);
    // What is put in its place can push another out of its own, until all are where they belong.
    const wanted = new Map([...panels().map((p) => [views.get(idOf(p)).item, placeOf(p)]), ...heads.places()]);
    for (let pass = 0, off = true; pass < 5 && off; pass++) {
      off = false;
      for (const [item, at] of wanted) {
        const n = item.gridstackNode;
        if (n.x === at.x && n.y === at.y && n.w === at.w && n.h === at.h) continue;
        grid.update(item, at);
        off = true;
      }
    }
    grid.batchUpdate(false);
    spots.show(grid.engine.nodes, Math.max(end() - 1, panels().length ? 0 : NEW.h));
    if (!open) for (const p of panels()) views.get(idOf(p)).draw(p);
  }

  const placeOf = (p) => ({ x: p.at[0] - 1, y: p.at[1] - 1, w: p.at[2], h: p.at[3] });

  // Several panels may have made room for one: all places are one step.
  function moved(event, item) {
    const p = find(item.gridstackNode?.id ?? item.getAttribute('gs-id'));
    if (p) places(`${event.type === 'dragstop' ? 'move' : 'resize'} ${p.title}`);
    else show();
  }

  function places(words, joins) {
    const at = new Map(grid.engine.nodes.map((n) => [n.id, [n.x + 1, n.y + 1, n.w, n.h]]));
    change(
      words,
      (d) => heads.moved({ ...d, panels: (d.panels ?? []).map((one) => ({ ...one, at: at.get(idOf(one)) ?? one.at })) }, at),
      joins,
    );
  }

  // What is selected, and where it is, in the line of keys at the foot.
  function say(title, words = '') {
    selected.replaceChildren(...(title ? [el('b', {}, title), words] : ['Tab selects a panel']));
  }

  function nudge(id, dx, dy, sizes) {
    const p = find(id);
    let [x, y, w, h] = p.at;
    if (sizes) {
      w = Math.max(1, Math.min(COLUMNS + 1 - x, w + dx));
      h = Math.max(2, h + dy);
    } else {
      x = Math.max(1, Math.min(COLUMNS + 1 - w, x + dx));
      y = Math.max(1, y + dy);
    }
    if (String([x, y, w, h]) === String(p.at)) return;
    const what = sizes ? 'resize' : 'move';
    // Others make room, as they do for the mouse.
    grid.update(views.get(id).item, { x: x - 1, y: y - 1, w, h });
    places(`${what} ${p.title}`, `${id}/${what}`);
    const [column, row, width, height] = find(id).at;
    say(p.title, `: row ${row}, columns ${column} to ${column + width - 1}, ${height} rows high`);
  }

  host.addEventListener('keydown', (e) => {
    const item = e.target.closest('.grid-stack-item'),
      id = item?.getAttribute('gs-id');
    if (!find(id) || e.target !== item || e.ctrlKey || e.metaKey) return;
    const to = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[e.key];
    if (to) nudge(id, ...to, e.shiftKey);
    else if (e.key === 'Enter') sheetOf(id);
    else if (e.key === 'd') create(find(id));
    else if (e.key === 'Delete') remove(id);
    else return;
    e.preventDefault();
  });
  // A press that is no drag selects a panel.
  host.addEventListener('click', (e) => {
    if (!e.target.closest('button, a, input, select, summary')) e.target.closest('.grid-stack-item')?.focus({ preventScroll: true });
  });
  host.addEventListener('focusin', (e) => {
    const p = find(e.target.closest('.grid-stack-item')?.getAttribute('gs-id'));
    if (p) say(p.title, ' is selected');
  });
  addEventListener('keydown', (e) => {
    if (e.defaultPrevented) return;
    const at = document.activeElement,
      types = at?.shadowRoot || /^(INPUT|TEXTAREA|SELECT)$/.test(at?.tagName);
    if ((e.ctrlKey || e.metaKey) && e.key === 's') keep(base);
    else if ((e.ctrlKey || e.metaKey) && e.key === 'z' && !types) e.shiftKey ? step(redos, undos) : step(undos, redos);
    else if (e.key === 'n' && !types && !e.ctrlKey && !e.metaKey && !e.altKey && !open) offer();
    else if (e.key === 'Escape' && open) types ? openSheet.leaveText() : close();
    else return;
    e.preventDefault();
  });

  // The clipboard has a panel as JSON, from here, from another dashboard or from a document.
  const inText = () => document.activeElement?.shadowRoot || /^(INPUT|TEXTAREA|SELECT)$/.test(document.activeElement?.tagName);
  document.addEventListener('paste', (e) => {
    if (open || inText()) return;
    const known = panelOf(e.clipboardData.getData('text/plain'));
    if (known) append(known.title, known, null, `pasted ${known.title}`);
    else fault.replaceChildren(el('div', { class: 'fault' }, NO_PANEL));
    e.preventDefault();
  });
  document.addEventListener('copy', (e) => {
    const p = find(document.activeElement?.closest('.grid-stack-item')?.getAttribute('gs-id'));
    if (open || inText() || !p || String(getSelection())) return;
    e.clipboardData.setData('text/plain', JSON.stringify(p));
    e.preventDefault();
  });

  // ---- the sheet ----

  function sheetOf(id, how = {}) {
    const p = find(id);
    if (!p) return close();
    openSheet?.dispose();
    open = id;
    root.classList.add('with-sheet');
    openSheet = sheet(root, p, {
      dashboard: { name, title: doc.title, controls: (doc.controls ?? []).map((c) => c.name) },
      kinds,
      asked,
      put: (panel, what, field) => put(id, panel, what, field),
      close,
      ...how,
    });
  }

  function close() {
    openSheet?.dispose();
    openSheet = null;
    root.classList.remove('with-sheet');
    const was = open;
    open = null;
    show();
    if (was) focus(was);
  }

  // ---- saving ----

  function leave() {
    if (changed() && !confirm('Discard all changes since the last save?')) return;
    saved = JSON.stringify(doc);
    location.href = `/dashboards/${name}`;
  }

  // What can't be drawn is saved only when that is wanted.
  function keep(on) {
    if (!changed()) return;
    const bad = panels()
      .map((p) => ({ p, why: idOf(p) === open ? openSheet.fault() : views.get(idOf(p))?.fault() }))
      .filter(({ why }) => why);
    if (!bad.length) return send('save', { version: on });
    const act = (text, does) => el('button', { class: 'btn', type: 'button', onclick: does }, text);
    fault.replaceChildren(
      ...bad.slice(0, 3).map(({ p, why }) => el('div', { class: 'fault' }, `${p.title} can’t be drawn: ${why}.`)),
      bad.length > 3 ? el('div', { class: 'fault' }, `${bad.length - 3} more panels can’t be drawn.`) : '',
      el(
        'div',
        { class: 'flex gap-2 mt-2' },
        act(`Edit ${bad[0].p.title}`, () => {
          fault.replaceChildren();
          sheetOf(idOf(bad[0].p));
        }),
        act('Save anyway', () => send('save', { version: on })),
      ),
    );
  }

  // To this dashboard, or as a copy of it with the name that the answer says.
  async function send(how, fields = {}) {
    save.disabled = true;
    try {
      const answer = await fetch(`/dashboards/${name}/${how}`, {
          method: 'POST',
          body: new URLSearchParams({ document: JSON.stringify(doc), ...fields }),
          headers: { 'X-CSRF-TOKEN': csrf() },
        }),
        body = await answer.json();
      if (answer.ok) {
        saved = JSON.stringify(doc);
        location.href = `/dashboards/${body.name ?? name}`;
      } else if (answer.status === 412) stale(body);
      else {
        controlSheet.mark(body.faults ?? []);
        fault.replaceChildren(
          ...(body.faults ?? [body.error?.text ?? 'The dashboard could not be saved.']).map((f) =>
            el('div', { class: 'fault' }, titled(f)),
          ),
        );
      }
    } catch {
      fault.replaceChildren(el('div', { class: 'fault' }, 'Server unreachable. Nothing is lost; save again later.'));
    }
    words();
  }

  // `panels[5].query: …` is about a panel that has a title.
  const titled = (words) => words.replace(/^.*?panels\[(\d+)\]\.?/, (all, i) => (panels()[i] ? `${panels()[i].title}: ` : all));

  function stale(body) {
    const act = (text, on) => el('button', { class: 'btn', type: 'button', onclick: on }, text);
    fault.replaceChildren(
      el('div', { class: 'fault' }, `${body.by} saved a newer version: ${body.changes.join('; ') || 'see its history'}.`),
      el(
        'div',
        { class: 'flex gap-2 mt-2' },
        act('Merge', () => merge().catch((e) => fault.replaceChildren(el('div', { class: 'fault' }, e.message)))),
        act('Overwrite with mine', () => {
          base = body.version;
          keep(base);
        }),
        act('Save as a copy', () => send('save-copy')),
        act('Discard mine', () => {
          saved = JSON.stringify(doc);
          location.reload();
        }),
      ),
    );
  }

  // What only one side changed comes from that side; where both did, mine stays, and it is said.
  async function merge() {
    const merged = await post(`/dashboards/${name}/merge`, { basis: JSON.stringify(basis), mine: JSON.stringify(doc) });
    base = merged.version;
    basis = merged.theirs;
    change('merge', () => merged.document);
    const { both, back } = merged;
    fault.replaceChildren(
      el(
        'div',
        {},
        both.length ? `Merged. Changed by both: ${both.join(', ')}; your version is kept.` : 'Merged. Nothing was changed on both sides.',
        back.length ? ` You deleted ${back.join(', ')}, but another user changed it; it is restored.` : '',
        ' Review the result, then save.',
      ),
    );
  }

  say('');
  show();
  // On a new range, and at the rail's pace unless a panel is being changed.
  live((now) => {
    if (open) {
      if (now) openSheet.refresh();
    } else for (const p of panels()) views.get(idOf(p))?.draw(p, true);
  });
  if (wanted && find(wanted)) sheetOf(wanted);
  if (!panels().length) add.focus();
}
