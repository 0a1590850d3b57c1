// The ways to a further panel: by a metric, empty, as a note, or as a copy from another dashboard.
import { el } from './dom.js';
import { pick } from './pick.js';

let open = null;

export function close() {
  // Removing it takes the focus away, which closes it too.
  const was = open;
  open = null;
  was?.remove();
}

// `make` takes what is known of the panel; `note` is the kind of panel that needs no lines.
export function ways(anchor, { make, note, dashboard, say }) {
  if (open) return close();
  const way = (words, on) =>
    el(
      'button',
      {
        type: 'button',
        role: 'menuitem',
        onclick: () => {
          close();
          on();
        },
      },
      words,
    );
  const box = el(
    'div',
    { class: 'pick new-panel', role: 'menu', 'aria-label': 'A new panel' },
    way('Choose a metric', metric),
    way('Write a query', () => make({})),
    way('Copy from a dashboard', copy),
    way('Paste a panel', paste),
    note ? way(note.title, () => make({ title: note.title, kind: note.word, options: { text: 'Write here.' } })) : null,
  );
  box.addEventListener('keydown', (e) => {
    const all = [...box.children],
      to = all[all.indexOf(document.activeElement) + ({ ArrowDown: 1, ArrowUp: -1 }[e.key] ?? NaN)];
    if (e.key === 'Escape') {
      close();
      anchor.focus();
    } else if (to) to.focus();
    else return;
    e.preventDefault();
    e.stopPropagation();
  });
  box.addEventListener('focusout', (e) => !box.contains(e.relatedTarget) && close());
  document.body.append(box);
  open = box;
  const r = anchor.getBoundingClientRect();
  box.style.left = Math.min(r.left, innerWidth - 240) + 'px';
  // A free place may reach beyond the window.
  box.style.top = Math.max(8, Math.min(r.bottom + 4, innerHeight - box.offsetHeight - 8)) + 'px';
  box.firstElementChild.focus();

  async function metric() {
    const known = await (await fetch('/bench/choices?kind=metric')).json();
    pick(anchor, known, '', (name) => make({ title: name, query: name }));
  }

  // What the act Copy of a panel left, or a panel of a document, as JSON.
  async function paste() {
    try {
      const { title, kind, query, options, unit, limits, description, link, at } = JSON.parse(await navigator.clipboard.readText());
      if (!title || !(query || options)) throw new Error('no panel');
      make(JSON.parse(JSON.stringify({ title, kind, query, options, unit, limits, description, link, at })));
    } catch {
      say('The clipboard has no panel. Press Copy on one first.');
    }
  }

  async function copy() {
    const all = (await (await fetch('/goto')).json()).filter((p) => p.kind === 'dashboard' && p.url !== `/dashboards/${dashboard}`);
    choose(all, async ({ url }) => {
      const { document: from } = await (await fetch(`${url}/document`)).json();
      // Its id and what it is repeated by belong to the other dashboard.
      choose(from.panels ?? [], (panel) => {
        const like = structuredClone(panel);
        for (const own of ['id', 'repeat', 'repeat-down']) delete like[own];
        make(like);
      });
    });
  }

  // One of several by its title; titles that several have are told apart by their number.
  function choose(list, then) {
    const titles = list.map((one, i) => (list.filter((o) => o.title === one.title).length > 1 ? `${one.title} (${i + 1})` : one.title));
    pick(anchor, titles, '', (title) => titles.includes(title) && then(list[titles.indexOf(title)]));
  }
}
