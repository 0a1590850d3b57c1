// The list of rules: narrowed by what is typed, its strips follow the range of the page.
import { current, follows, onRange } from './range.js';
import { ticks } from './strip-axis.js';

const FOLLOW_MS = 15_000;
const root = document.querySelector('.rules-page'),
  host = root.querySelector('[data-list]'),
  search = root.querySelector('[data-search]');
let asked = null;

function narrow() {
  const wanted = search.value.trim().toLowerCase().split(/\s+/).filter(Boolean);
  let shown = 0,
    folder = null,
    inFolder = 0;
  const end = () => folder && (folder.hidden = !inFolder);
  for (const row of host.querySelectorAll('.rule-folder, .rule-row')) {
    if (row.matches('.rule-folder')) {
      end();
      folder = row;
      inFolder = 0;
      continue;
    }
    row.hidden = !wanted.every((w) => row.dataset.words.includes(w));
    shown += row.hidden ? 0 : 1;
    inFolder += row.hidden ? 0 : 1;
  }
  end();
  root.querySelector('[data-none]').hidden = shown > 0 || !host.querySelector('.rule-row');
}

async function read() {
  asked?.abort();
  asked = new AbortController();
  try {
    const answer = await fetch(`/watch/rules?${new URLSearchParams(current())}`, { signal: asked.signal });
    if (!answer.ok || host.contains(document.activeElement) || host.querySelector('details[open]')) return;
    const next = new DOMParser().parseFromString(await answer.text(), 'text/html').querySelector('[data-list]');
    host.replaceChildren(...next.childNodes);
    ticks(host);
    narrow();
  } catch {
    // The next turn tries again.
  }
}

search.addEventListener('input', narrow);
addEventListener('keydown', (e) => {
  if (e.key !== '/' || /^(INPUT|TEXTAREA|SELECT)$/.test(document.activeElement?.tagName)) return;
  e.preventDefault();
  search.focus();
});
onRange(read);
setInterval(() => follows() && !document.hidden && read(), FOLLOW_MS);
ticks(host);
narrow();
