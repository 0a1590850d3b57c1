// The questions that this browser asked last, newest first; kept in it alone.
const KEY = 'vintrel-asked', MOST = 8, SETTLED = 4000;
let timer;

export function asked() {
  try {
    const known = JSON.parse(localStorage.getItem(KEY) || '[]');
    return Array.isArray(known) ? known.filter((q) => typeof q === 'string').slice(0, MOST) : [];
  } catch {
    return [];
  }
}

// A question counts once it has stood for a while: what is typed on the way there does not.
export function remember(query) {
  clearTimeout(timer);
  const text = query.trim();
  if (text) timer = setTimeout(() => localStorage.setItem(KEY, JSON.stringify([text, ...asked().filter((q) => q !== text)].slice(0, MOST))), SETTLED);
}
