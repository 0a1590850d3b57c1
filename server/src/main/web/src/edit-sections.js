// The headings of a dashboard's sections while it is edited: rows of the grid that panels make room for.
import { el } from './dom.js';
import { placeAmong, reordered } from './edit-order.js';

const COLUMNS = 12,
  // Px from the edges of the window at which a drag scrolls, and how far at once.
  EDGE = 70,
  SPEED = 12;

// `first` is the value that a repeated section is shown for. `doc` gives the document, `change` takes a named step, `end` is the first free row.
export function sections(host, { doc, change, end, first }) {
  const items = [];
  const list = () => doc().sections ?? [];
  const idOf = (i) => `section ${i}`;

  const with_ = (d, next) => {
    const out = { ...d, sections: next };
    if (!next.length) delete out.sections;
    return out;
  };

  function set(i, part, words, joins) {
    change(
      words,
      (d) =>
        with_(
          d,
          d.sections.map((s, k) => {
            if (k !== i) return s;
            const next = { ...s, ...part };
            for (const name of ['folded', 'repeat']) if (!next[name]) delete next[name];
            return next;
          }),
        ),
      joins,
    );
  }

  // A section with its panels goes to a place among the sections.
  function move(i, to) {
    const from = placeAmong(list(), i);
    if (to === from || to < 0 || to >= list().length) return;
    const row = reordered(list(), end(), i, to);
    change(`move ${list()[i].title}`, (d) => ({
      ...with_(
        d,
        d.sections.map((s) => ({ ...s, row: row(s.row) })),
      ),
      panels: (d.panels ?? []).map((p) => ({ ...p, at: [p.at[0], row(p.at[1]), p.at[2], p.at[3]] })),
    }));
  }

  // Dragged by its grip: a line shows where the section would begin. Escape leaves all as it was.
  function drag(i, e) {
    if (e.button !== 0 || list().length < 2) return;
    e.preventDefault();
    const order = list()
        .map((s, k) => ({ row: s.row, k }))
        .sort((a, b) => a.row - b.row),
      others = order.filter((s) => s.k !== i),
      line = host.appendChild(el('div', { class: 'section-line' })),
      ends = new AbortController(),
      { signal } = ends;
    let to = placeAmong(list(), i);
    items[i].classList.add('dragged');
    const show = (y) => {
      const tops = others.map((s) => items[s.k].getBoundingClientRect().top),
        box = host.getBoundingClientRect();
      to = tops.filter((top) => top + 16 < y).length;
      line.style.top = `${(tops[to] ?? box.bottom) - box.top - 6}px`;
      if (y < EDGE) scrollBy(0, -SPEED);
      if (y > innerHeight - EDGE) scrollBy(0, SPEED);
    };
    const done = (keep) => {
      ends.abort();
      line.remove();
      items[i]?.classList.remove('dragged');
      if (keep) move(i, to);
    };
    show(e.clientY);
    addEventListener('pointermove', (ev) => show(ev.clientY), { signal });
    addEventListener('pointerup', () => done(true), { signal });
    addEventListener('pointercancel', () => done(false), { signal });
    addEventListener(
      'keydown',
      (ev) => {
        if (ev.key !== 'Escape') return;
        ev.preventDefault();
        ev.stopPropagation();
        done(false);
      },
      { signal, capture: true },
    );
  }

  function heading(i) {
    const act = (text, words, on) => el('button', { type: 'button', title: words, 'aria-label': words, onclick: on }, text),
      title = el('input', {
        class: 'section-title',
        'aria-label': 'Title of the section',
        maxlength: '200',
        oninput: (e) => e.target.value.trim() && set(i, { title: e.target.value }, 'title of a section', `section/${i}/title`),
      }),
      repeat = el('select', {
        class: 'field',
        'aria-label': 'Repeat the section for each value of',
        onchange: (e) => set(i, { repeat: e.target.value }, `repeat ${list()[i].title}`),
      }),
      folded = el('input', {
        type: 'checkbox',
        onchange: (e) => set(i, { folded: e.target.checked }, `collapse ${list()[i].title}`),
      });
    const item = el(
      'div',
      { class: 'grid-stack-item section-item', 'gs-id': idOf(i) },
      el(
        'div',
        { class: 'grid-stack-item-content section-edit' },
        el(
          'span',
          { class: 'grip', title: 'Drag the section with its panels', 'aria-hidden': 'true', onpointerdown: (e) => drag(i, e) },
          '⋮⋮',
        ),
        title,
        el('label', { class: 'note repeat' }, 'repeat for ', repeat),
        el('label', { class: 'note' }, folded, ' collapsed by default'),
        el(
          'span',
          { class: 'acts' },
          act('↑', 'Move the section up', () => move(i, placeAmong(list(), i) - 1)),
          act('↓', 'Move the section down', () => move(i, placeAmong(list(), i) + 1)),
          act('Delete', 'Delete the heading; its panels stay', () =>
            change(`delete ${list()[i].title}`, (d) =>
              with_(
                d,
                d.sections.filter((_, k) => k !== i),
              ),
            ),
          ),
        ),
      ),
    );
    const shown = el('span', { class: 'note' });
    title.after(shown);
    item.fill = (s) => {
      shown.textContent = s.repeat && first(s.repeat) ? `shown: ${first(s.repeat)}` : '';
      if (document.activeElement !== title) title.value = s.title;
      const controls = (doc().controls ?? []).map((c) => c.name);
      repeat.replaceChildren(
        el('option', { value: '' }, 'nothing'),
        ...controls.map((c) => el('option', { value: c, selected: s.repeat === c }, c)),
      );
      repeat.parentElement.hidden = !controls.length;
      folded.checked = !!s.folded;
    };
    return item;
  }

  return {
    add() {
      const row = end();
      change('added section', (d) => with_(d, [...(d.sections ?? []), { title: 'New section', row }]));
      const input = items.at(-1)?.querySelector('.section-title');
      input?.scrollIntoView({ block: 'nearest' });
      input?.focus();
      input?.select();
    },
    show(grid) {
      while (items.length > list().length) grid.removeWidget(items.pop());
      list().forEach((s, i) => {
        if (!items[i]) {
          items[i] = heading(i);
          host.append(items[i]);
          grid.makeWidget(items[i], { id: idOf(i), x: 0, y: s.row - 1, w: COLUMNS, h: 1, noMove: true, noResize: true });
        }
        items[i].fill(s);
      });
    },
    // Where each heading belongs on the grid.
    places: () => list().map((s, i) => [items[i], { x: 0, y: s.row - 1, w: COLUMNS, h: 1 }]),
    // The document after panels pushed headings; `at` is by the ids of the grid.
    moved: (d, at) => (d.sections ? { ...d, sections: d.sections.map((s, i) => ({ ...s, row: at.get(idOf(i))?.[1] ?? s.row })) } : d),
  };
}
