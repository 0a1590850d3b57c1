// Editing a dashboard in place: panels are added, moved, sized, copied, deleted and dressed; nothing is kept until Save.
import { GridStack } from 'gridstack';
import { csrf, el, post } from './dom.js';
import { live } from './live.js';
import { current } from './range.js';
import { load } from './kinds/index.js';
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

  const figures = root.querySelector('.figures'),
    host = el('div', { class: 'grid-stack arranging' }),
    fault = el('div', { class: 'edit-fault', role: 'alert' }),
    unsaved = el('span', { class: 'note unsaved' }),
    undo = el('button', { class: 'btn', type: 'button', onclick: () => step(undos, redos) }, 'Undo'),
    redo = el('button', { class: 'btn', type: 'button', onclick: () => step(redos, undos) }, 'Redo'),
    add = el('button', { class: 'btn add-panel', type: 'button', onclick: () => create() }, '+ Panel'),
    settings = el(
      'button',
      { class: 'btn add-panel', type: 'button', 'aria-expanded': 'false', onclick: () => openControls() },
      'Controls',
    ),
    discard = el('button', { class: 'btn', type: 'button', onclick: leave }, 'Discard'),
    save = el('button', { class: 'btn main', type: 'button', onclick: () => keep(base) }, 'Save'),
    foot = el('p', { class: 'edit-keys note' });
  bar.replaceChildren(unsaved, add, settings, undo, redo, discard, save);
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
      return one ? `${word} ${of && one.words.endsWith(of) ? one.words.slice(0, -of.length) : one.words}` : word;
    };
    undo.textContent = short(u, 'Undo');
    redo.textContent = short(r, 'Redo');
    undo.title = u?.words ?? '';
    redo.title = r?.words ?? '';
    undo.disabled = !u;
    redo.disabled = !r;
    save.disabled = !changed();
    unsaved.textContent = changed() && undos.length ? `${undos.length} change${undos.length > 1 ? 's' : ''} not saved` : '';
  }

  // ---- the controls ----

  const controlHost = el('section', { class: 'controls-sheet', hidden: '', 'aria-label': 'Controls of the dashboard' }),
    controlSheet = controls(controlHost, {
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
  const idOf = (p) => p.id ?? p.title.toLowerCase().replace(/[^a-z0-9]+/g, '-');
  const find = (id) => panels().find((p) => idOf(p) === id);

  function freeId(title) {
    const plain = title.toLowerCase().replace(/[^a-z0-9]+/g, '-');
    let id = plain;
    for (let n = 2; find(id); n++) id = `${plain}-${n}`;
    return id;
  }

  const end = () => Math.max(1, ...panels().map((p) => p.at[1] + p.at[3]));

  function create(like = null) {
    const title = like ? `${like.title}, copy` : 'New panel',
      id = freeId(title),
      at = [like ? like.at[0] : 1, end(), like ? like.at[2] : NEW.w, like ? like.at[3] : NEW.h],
      panel = like ? { ...structuredClone(like), title, id, at } : { title, id, at };
    change(like ? `copy of ${like.title}` : 'added panel', (d) => ({ ...d, panels: [...(d.panels ?? []), panel] }));
    focus(id);
    sheetOf(id);
  }

  function remove(id) {
    const gone = find(id);
    if (open === id) close();
    change(`deletion of ${gone.title}`, (d) => ({ ...d, panels: d.panels.filter((p) => idOf(p) !== id) }));
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
      const id = idOf(p),
        place = { x: p.at[0] - 1, y: p.at[1] - 1, w: p.at[2], h: p.at[3] };
      if (!views.has(id)) {
        const item = figure(p);
        host.append(item);
        grid.makeWidget(item, { id, ...place });
        views.set(id, picture(item));
      } else grid.update(views.get(id).item, place);
    }
    grid.batchUpdate(false);
    if (!open) for (const p of panels()) views.get(idOf(p)).draw(p);
  }

  // Several panels may have made room for one: all places are one step.
  function moved(event, item) {
    const at = new Map(grid.engine.nodes.map((n) => [n.id, [n.x + 1, n.y + 1, n.w, n.h]])),
      p = find(item.gridstackNode?.id ?? item.getAttribute('gs-id'));
    change(`${event.type === 'dragstop' ? 'place' : 'size'} of ${p.title}`, (d) => ({
      ...d,
      panels: d.panels.map((one) => ({ ...one, at: at.get(idOf(one)) ?? one.at })),
    }));
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
    const what = sizes ? 'size' : 'place';
    change(
      `${what} of ${p.title}`,
      (d) => ({ ...d, panels: d.panels.map((o) => (idOf(o) === id ? { ...o, at: [x, y, w, h] } : o)) }),
      `${id}/${what}`,
    );
    foot.textContent = `${p.title}: row ${y}, columns ${x} to ${x + w - 1}, ${h} rows high`;
  }

  host.addEventListener('keydown', (e) => {
    const item = e.target.closest('.grid-stack-item'),
      id = item?.getAttribute('gs-id');
    if (!id || e.target !== item || e.ctrlKey || e.metaKey) return;
    const to = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[e.key];
    if (to) nudge(id, ...to, e.shiftKey);
    else if (e.key === 'Enter') sheetOf(id);
    else if (e.key === 'd') create(find(id));
    else if (e.key === 'Delete') remove(id);
    else return;
    e.preventDefault();
  });
  host.addEventListener('focusin', (e) => {
    const p = find(e.target.closest('.grid-stack-item')?.getAttribute('gs-id'));
    if (p)
      foot.textContent = `${p.title} is selected. Arrow keys move, Shift and arrow keys size, Enter edits, D copies, Delete deletes, Ctrl Z undoes`;
  });
  addEventListener('keydown', (e) => {
    if (e.defaultPrevented) return;
    const at = document.activeElement,
      types = at?.shadowRoot || /^(INPUT|TEXTAREA|SELECT)$/.test(at?.tagName);
    if ((e.ctrlKey || e.metaKey) && e.key === 's') keep(base);
    else if ((e.ctrlKey || e.metaKey) && e.key === 'z' && !types) e.shiftKey ? step(redos, undos) : step(undos, redos);
    else if (e.key === 'n' && !types && !e.ctrlKey && !e.metaKey && !e.altKey) create();
    else if (e.key === 'Escape' && open) close();
    else return;
    e.preventDefault();
  });

  // ---- a panel's picture ----

  function picture(item) {
    const body = item.querySelector('.body'),
      title = item.querySelector('h2');
    let last = '',
      kind = '',
      view = null,
      abort = null,
      wait = 0;

    // Drawings are made for a size.
    let wide = 0;
    const sizes = new ResizeObserver(() => {
      const now = body.clientWidth;
      if (wide && Math.abs(now - wide) > 8 && last) {
        clearTimeout(wait);
        wait = setTimeout(() => ask(JSON.parse(last)), 200);
      }
      wide = now;
    });
    sizes.observe(body);

    async function ask(p) {
      abort?.abort();
      const needsLines = kinds.find((k) => k.word === (p.kind ?? kinds[0].word)).query;
      if (needsLines && !p.query?.trim()) {
        clear();
        body.append(el('div', { class: 'empty', role: 'status' }, 'Nothing to draw yet. Write a line, such as host.cpu.busy.'));
        return;
      }
      abort = new AbortController();
      const fields = new URLSearchParams({
        draft: JSON.stringify(p),
        ...current(),
        width: body.clientWidth || 400,
        height: Math.max(60, body.clientHeight),
      });
      const [w, h] = view?.size() ?? [0, 0];
      fields.set('plot-width', w);
      fields.set('plot-height', h);
      try {
        const data = await post(`/dashboards/${name}/draft`, fields, abort.signal);
        if (data.fault) throw new Error(data.fault);
        item.querySelector('.draft-fault')?.remove();
        body.classList.remove('faded');
        if (data.empty) {
          clear();
          body.append(el('div', { class: 'empty', role: 'status' }, data.empty.text));
          return;
        }
        if (kind !== data.drawing.kind) {
          clear();
          kind = data.drawing.kind;
          view = (await load(kind))(body);
        }
        view.update(data.drawing);
      } catch (e) {
        if (e.name === 'AbortError') return;
        // The last picture stays, faded, with what is wrong beside it.
        body.classList.add('faded');
        item.querySelector('.draft-fault')?.remove();
        body.before(el('p', { class: 'draft-fault fault', role: 'status' }, e.message));
      }
    }

    function clear() {
      view?.dispose();
      view = null;
      kind = '';
      body.replaceChildren();
    }

    return {
      item,
      draw(p, again = false) {
        const now = JSON.stringify(p);
        if (now === last && !again) return;
        const first = last === '';
        last = now;
        title.textContent = p.title;
        clearTimeout(wait);
        wait = setTimeout(() => ask(p), first ? 0 : 150);
      },
      dispose() {
        clearTimeout(wait);
        sizes.disconnect();
        abort?.abort();
        view?.dispose();
      },
    };
  }

  // ---- the sheet ----

  function sheetOf(id) {
    const p = find(id);
    if (!p) return close();
    openSheet?.dispose();
    open = id;
    root.classList.add('with-sheet');
    openSheet = sheet(root, p, {
      dashboard: { name, title: doc.title, controls: (doc.controls ?? []).map((c) => c.name) },
      kinds,
      put: (panel, what, field) => put(id, panel, what, field),
      close,
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

  async function keep(on) {
    if (!changed()) return;
    save.disabled = true;
    try {
      const answer = await fetch(`/dashboards/${name}/save`, {
          method: 'POST',
          body: new URLSearchParams({ document: JSON.stringify(doc), version: on }),
          headers: { 'X-CSRF-TOKEN': csrf() },
        }),
        body = await answer.json();
      if (answer.ok) {
        saved = JSON.stringify(doc);
        location.href = `/dashboards/${name}`;
      } else if (answer.status === 412) stale(body);
      else
        fault.replaceChildren(
          ...(body.faults ?? [body.error?.text ?? 'The dashboard could not be saved.']).map((f) => el('div', { class: 'fault' }, f)),
        );
    } catch {
      fault.replaceChildren(el('div', { class: 'fault' }, 'Server unreachable. Nothing is lost; save again later.'));
    }
    words();
  }

  function stale(body) {
    const act = (text, on) => el('button', { class: 'btn', type: 'button', onclick: on }, text);
    fault.replaceChildren(
      el('div', { class: 'fault' }, `Changed meanwhile by ${body.by}: ${body.changes.join('; ') || 'see its history'}.`),
      el(
        'div',
        { class: 'flex gap-2 mt-2' },
        act('Merge panel by panel', () => merge(body.version)),
        act('Keep mine', () => {
          base = body.version;
          keep(base);
        }),
        act('Take theirs', () => {
          saved = JSON.stringify(doc);
          location.reload();
        }),
      ),
    );
  }

  // Panels that only one side changed come from that side; where both did, mine stays, and it is said.
  async function merge(to) {
    const theirs = (await (await fetch(`/dashboards/${name}/document`)).json()).document,
      by = (d) => new Map((d.panels ?? []).map((p) => [idOf(p), JSON.stringify(p)])),
      [was, mine, other] = [by(basis), by(doc), by(theirs)],
      both = [],
      kept = [],
      out = [];
    for (const [id, text] of mine) {
      if (text !== was.get(id)) {
        if (other.get(id) !== was.get(id)) both.push(JSON.parse(text).title);
        out.push(JSON.parse(text));
      } else if (other.has(id)) out.push(JSON.parse(other.get(id)));
    }
    for (const [id, text] of other) {
      if (mine.has(id) || text === was.get(id)) continue;
      // What was deleted here and changed there is not lost.
      if (was.has(id)) kept.push(JSON.parse(text).title);
      out.push(JSON.parse(text));
    }
    base = to;
    basis = theirs;
    change('merge', () => ({ ...theirs, panels: out }));
    fault.replaceChildren(
      el(
        'div',
        {},
        both.length ? `Merged. Both changed ${both.join(', ')}: yours is kept.` : 'Merged. Nothing was changed on both sides.',
        kept.length ? ` You deleted ${kept.join(', ')}, which was changed meanwhile: it is back.` : '',
        ' Look it over, then save.',
      ),
    );
  }

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
