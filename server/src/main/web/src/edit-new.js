// The ways to a further panel: by a metric, empty, as a note, or as a copy from another dashboard.
import { el } from './dom.js';
import { pick } from './pick.js';
import { pickMetric } from './metric-pick.js';

let open = null;

export function close() {
  // Removing it takes the focus away, which closes it too.
  const was = open;
  open = null;
  was?.remove();
}

export const NO_PANEL = 'The clipboard has no panel. Select one and press Ctrl+C, or press Copy on it outside of editing.';

// A panel from JSON, as the act Copy leaves it or a document has it, or null.
export function panelOf(text) {
  try {
    const { title, kind, query, options, time, unit, limits, description, link, at } = JSON.parse(text);
    return title && (query || options)
      ? JSON.parse(JSON.stringify({ title, kind, query, options, time, unit, limits, description, link, at }))
      : null;
  } catch {
    return null;
  }
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
    way('Write a query', () => make({}, { write: true })),
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

  function metric() {
    pickMetric(anchor, ({ metric: title, line: query }) => make({ title, query }));
  }

  async function paste() {
    const known = panelOf(await navigator.clipboard.readText().catch(() => ''));
    if (known) make(known);
    else say(NO_PANEL);
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
