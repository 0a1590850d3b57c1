// Small things that pages share: times as text, requests with the CSRF token.
export function duration(millis) {
  const sizes = [[6048e5, 'w'], [864e5, 'd'], [36e5, 'h'], [6e4, 'm'], [1e3, 's']];
  for (const [size, unit] of sizes) if (millis >= size && millis % size === 0) return millis / size + unit;
  return Math.max(1, Math.round(millis / 1000)) + 's';
}

export const zone = () => document.documentElement.dataset.zone || 'UTC';

const clocks = new Map();
export function time(ms, form) {
  const key = zone() + JSON.stringify(form);
  if (!clocks.has(key)) clocks.set(key, new Intl.DateTimeFormat('en-GB', { timeZone: zone(), hourCycle: 'h23', ...form }));
  return clocks.get(key).format(ms);
}
export const stamp = (ms) => time(ms, { weekday: 'short', day: 'numeric', month: 'short', hour: '2-digit', minute: '2-digit', second: '2-digit' });
export const typed = (ms) => time(ms, { year: 'numeric', month: '2-digit', day: '2-digit', hour: '2-digit', minute: '2-digit' }).replace(/(\d+)\/(\d+)\/(\d+), /, '$3-$2-$1 ');

const csrf = () => document.querySelector('meta[name=csrf]')?.content || '';

export async function post(url, fields, signal) {
  const answer = await fetch(url, { method: 'POST', body: new URLSearchParams(fields), headers: { 'X-CSRF-TOKEN': csrf() }, signal });
  const body = await answer.json().catch(() => ({ error: { code: 'http.' + answer.status, text: 'the server did not answer as expected' } }));
  if (!answer.ok) throw Object.assign(new Error(body.error?.text || 'failed'), { detail: body.error });
  return body;
}

export function cookie(name, value) {
  document.cookie = `${name}=${value};path=/;max-age=31536000;samesite=lax`;
}

export function el(tag, attributes = {}, ...children) {
  const e = document.createElement(tag);
  for (const [k, v] of Object.entries(attributes)) {
    if (k.startsWith('on')) e.addEventListener(k.slice(2), v);
    else if (v !== false && v != null) e.setAttribute(k, v);
  }
  e.append(...children.filter((c) => c != null));
  return e;
}

// A name of this page for its questions; when it goes away the server ends them.
export function ending(name) {
  const page = `${name}-${crypto.randomUUID?.() ?? Math.random().toString(36).slice(2)}`;
  addEventListener('pagehide', () => navigator.sendBeacon('/bench/end', new URLSearchParams({ page, _csrf: csrf() })));
  return page;
}
