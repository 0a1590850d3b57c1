// Elements, and requests with the CSRF token.
export const csrf = () => document.querySelector('meta[name=csrf]')?.content || '';

export async function post(url, fields, signal) {
  const answer = await fetch(url, { method: 'POST', body: new URLSearchParams(fields), headers: { 'X-CSRF-TOKEN': csrf() }, signal });
  const body = await answer.json().catch(() => ({ error: { code: 'http.' + answer.status, text: 'unexpected response from the server' } }));
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

// A name of this page for its queries; when the page closes, the server cancels them.
export function ending(name) {
  const page = `${name}-${crypto.randomUUID?.() ?? Math.random().toString(36).slice(2)}`;
  addEventListener('pagehide', () => navigator.sendBeacon('/bench/end', new URLSearchParams({ page, _csrf: csrf() })));
  return page;
}

// The id of a panel of a document, as the server makes it from the title.
export const idOf = (panel) => panel.id ?? panel.title.toLowerCase().replace(/[^a-z0-9]+/g, '-');
