// The time range of the page: kept in the address, changed by the rail and by drags across charts.
import { duration } from './time.js';

const listeners = new Set();
let state = read();

function read() {
  const p = new URLSearchParams(location.search);
  const from = p.get('from') || '-1h';
  const to = p.get('to') || 'now';
  return { from, to };
}

export const current = () => state;
export const follows = () => state.to === 'now' && state.from.startsWith('-');
export const onRange = (listener) => listeners.add(listener);

function tell() {
  for (const listener of listeners) listener(state);
}

// Numbers are ms since the epoch, texts are relative times.
export function setRange(from, to, { replace = false } = {}) {
  state = { from: String(from), to: String(to) };
  const p = new URLSearchParams(location.search);
  p.set('from', state.from);
  p.set('to', state.to);
  const url = `${location.pathname}?${p}`;
  if (replace) history.replaceState(null, '', url);
  else history.pushState(null, '', url);
  tell();
}

export function follow(millis) {
  setRange(`-${duration(millis)}`, 'now');
}

window.addEventListener('popstate', () => {
  state = read();
  tell();
});

// The range's ends in ms; relative ones count from now.
export function bounds(now = Date.now()) {
  const one = (t) => (t === 'now' ? now : /^\d+$/.test(t) ? Number(t) : t.startsWith('-') ? now - millisOf(t.slice(1)) : NaN);
  return { from: one(state.from), to: one(state.to) };
}

export function millisOf(text) {
  const sizes = { ms: 1, s: 1e3, m: 6e4, h: 36e5, d: 864e5, w: 6048e5 };
  let total = 0;
  for (const [, n, u] of text.matchAll(/(\d+)(ms|[smhdw])/g)) total += n * sizes[u];
  return total;
}
