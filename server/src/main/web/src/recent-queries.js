// The latest queries of this browser, newest first; stored only in it.
const KEY = 'vintrel-asked',
  MAX = 8,
  SETTLED_MS = 4000;
let timer;

export function recentQueries() {
  try {
    const known = JSON.parse(localStorage.getItem(KEY) || '[]');
    return Array.isArray(known) ? known.filter((q) => typeof q === 'string').slice(0, MAX) : [];
  } catch {
    return [];
  }
}

// A query counts once it is unchanged for a while: what is typed on the way there does not.
export function remember(query) {
  clearTimeout(timer);
  const text = query.trim();
  if (text)
    timer = setTimeout(
      () => localStorage.setItem(KEY, JSON.stringify([text, ...recentQueries().filter((q) => q !== text)].slice(0, MAX))),
      SETTLED_MS,
    );
}
