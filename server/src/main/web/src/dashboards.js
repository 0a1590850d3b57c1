// The list of dashboards: one is chosen and described beside the list; several are marked, moved, starred or deleted.
const list = document.querySelector('.dashboard-list'),
  side = document.querySelector('[data-side]'),
  several = document.querySelector('[data-several]'),
  rows = [...(list?.querySelectorAll('li') ?? [])];
const MOST_PICTURES = 40;
let asked = null;

const chosen = () => rows.find((r) => r.hasAttribute('aria-current'));

async function cardOf(row, signal) {
  const answer = await fetch(`/dashboards/${row.dataset.name}/card`, { signal });
  if (!answer.ok) return null;
  const card = new DOMParser().parseFromString(await answer.text(), 'text/html').querySelector('.dashboard-card');
  picture(row, card);
  return card;
}

// A menu that is open stays: the same card is not made anew under it.
function put(card) {
  const now = side.querySelector('.dashboard-card');
  if (now?.dataset.card === card.dataset.card && now.querySelector('details[open]')) return;
  side.replaceChildren(card);
}

// A row gets the lines of its card if it has none.
function picture(row, card) {
  const small = row.querySelector('.thumb svg');
  if (small && !small.querySelector('path')) small.append(...[...card.querySelectorAll('.thumb path')].map((p) => p.cloneNode()));
}

// Dashboards that nobody has opened are asked for their pictures one after the other.
async function pictures() {
  for (const row of rows.filter((r) => !r.querySelector('.thumb path')).slice(0, MOST_PICTURES))
    try {
      const card = await cardOf(row);
      if (card && row === chosen()) put(card);
    } catch {
      return;
    }
}

async function choose(row) {
  if (!row) return;
  for (const r of rows) r.toggleAttribute('aria-current', r === row) && r.setAttribute('aria-current', 'true');
  row.scrollIntoView({ block: 'nearest' });
  asked?.abort();
  asked = new AbortController();
  try {
    const card = await cardOf(row, asked.signal);
    if (card) put(card);
  } catch {
    // Another was chosen meanwhile, or the server is away: what is shown stays.
  }
}

for (const row of rows) {
  row.addEventListener('click', (e) => !e.target.closest('a, button, input') && choose(row));
  row.querySelector('input[type=checkbox]').addEventListener('change', mark);
}

// Those that are marked go along with whatever is done to several.
function mark() {
  const marked = rows.filter((r) => r.querySelector('input[type=checkbox]').checked);
  several.hidden = !marked.length;
  several.querySelector('[data-marked]').textContent = `${marked.length} marked`;
  for (const old of several.querySelectorAll('[data-name-of]')) old.remove();
  for (const { dataset } of marked) {
    const field = Object.assign(document.createElement('input'), { type: 'hidden', name: 'names', value: dataset.name });
    field.dataset.nameOf = '';
    several.append(field);
  }
  const export_ = several.querySelector('[data-export]');
  export_.href = `/dashboards/export?${new URLSearchParams(marked.map((r) => ['name', r.dataset.name]))}`;
}

addEventListener('keydown', (e) => {
  const at = document.activeElement;
  if (e.ctrlKey || e.metaKey || e.altKey || /^(INPUT|TEXTAREA|SELECT)$/.test(at?.tagName)) {
    if (!(at?.type === 'checkbox' && 'jksm'.includes(e.key))) return;
  }
  const now = rows.indexOf(chosen()),
    free = !at || at === document.body || list?.contains(at);
  if (e.key === 'j') choose(rows[Math.min(rows.length - 1, now + 1)]);
  else if (e.key === 'k') choose(rows[Math.max(0, now - 1)]);
  else if (e.key === '/') document.querySelector('[data-search]').focus();
  else if (!chosen() || !free) return;
  else if (e.key === 'Enter' && !at?.closest('a, button')) chosen().querySelector('.what a').click();
  else if (e.key === 's') chosen().querySelector('.star button').click();
  else if (e.key === ' ' && !at?.closest('button, input')) {
    const box = chosen().querySelector('input[type=checkbox]');
    box.checked = !box.checked;
    mark();
  } else if (e.key === 'm' && several.querySelector('[name=folder]')) {
    if (several.hidden) {
      chosen().querySelector('input[type=checkbox]').checked = true;
      mark();
    }
    several.querySelector('[name=folder]').focus();
  } else return;
  e.preventDefault();
});

pictures();
