// What waiting costs and spares: alerts by on-delay, as a picture that is clicked to take a setting.
import { csrf, el } from '../dom.js';
import { without } from './fields.js';

const W = 380,
  H = 150,
  PLOT = { right: 22, top: 26, bottom: 24 };

function svg(tag, attributes, ...children) {
  const e = document.createElementNS('http://www.w3.org/2000/svg', tag);
  for (const [k, v] of Object.entries(attributes)) e.setAttribute(k, v);
  e.append(...children);
  return e;
}

export function trade(host, { state, root }) {
  let limit = 0,
    asked = null,
    timer = 0,
    last = null;

  root.addEventListener('limit', (e) => {
    limit = e.detail;
    if (last) ask(last, 0);
  });

  // It follows when nothing moves any more.
  function ask(how, delay = 250) {
    last = how;
    clearTimeout(timer);
    timer = setTimeout(() => run(how), delay);
  }

  async function run({ page, name, range, width }) {
    asked?.abort();
    asked = new AbortController();
    limit = Math.min(limit, Math.max(0, (state.doc().limits ?? []).length - 1));
    try {
      const answer = await fetch('/watch/rules/trade-off', {
        method: 'POST',
        body: new URLSearchParams({ document: JSON.stringify(state.doc()), name, limit, ...range, page, width }),
        headers: { 'X-CSRF-TOKEN': csrf() },
        signal: asked.signal,
      });
      if (answer.ok) show(await answer.json());
    } catch (e) {
      if (e.name !== 'AbortError') host.hidden = true;
    }
  }

  function take(p) {
    state.change(
      (d) => ({
        ...d,
        limits: d.limits.map((l, k) => {
          if (k !== limit) return l;
          return {
            ...without(l, 'on-delay', 'deadband'),
            ...(p.deadband ? { deadband: p.deadband } : {}),
            ...(p.onDelay === '0s' ? {} : { 'on-delay': p.onDelay }),
          };
        }),
      }),
      'on-delay',
      null,
      { query: false, held: true },
    );
  }

  function show(t) {
    host.hidden = !t.words;
    if (host.hidden) return;
    host.replaceChildren(
      el('div', { class: 'rule-section' }, el('h2', {}, t.title)),
      t.shown.some((p) => p.alerts) || t.bare.some(Boolean) ? picture(t) : '',
      el(
        'p',
        { class: 'trade-words' },
        t.words,
        t.suggested && state.canEdit ? ' ' : '',
        t.suggested && state.canEdit
          ? el('button', { type: 'button', class: 'text-accent', onclick: () => take(t.suggested) }, 'Apply')
          : '',
      ),
    );
  }

  function picture(t) {
    const most = Math.max(1, ...t.shown.map((p) => p.alerts), ...t.bare),
      left = 16 + 7 * String(most).length,
      x = (i) => left + (i / Math.max(1, t.shown.length - 1)) * (W - left - PLOT.right),
      y = (n) => PLOT.top + (1 - n / most) * (H - PLOT.top - PLOT.bottom),
      path = (values) => values.map((n, i) => `${i ? 'L' : 'M'}${x(i).toFixed(1)} ${y(n).toFixed(1)}`).join(''),
      out = svg('svg', { viewBox: `0 0 ${W} ${H}`, class: 'trade', role: 'group', 'aria-label': t.title }),
      text = (s, at) => svg('text', at, s),
      better = t.suggested ? t.shown.findIndex((p) => p.onDelay === t.suggested.onDelay) : -1;
    for (const n of [0, Math.round(most / 2), most].filter((n, i, a) => a.indexOf(n) === i))
      out.append(
        svg('line', { class: 'grid', x1: left, x2: W - PLOT.right, y1: y(n), y2: y(n) }),
        text(String(n), { class: 'axis', x: left - 8, y: y(n) + 4, 'text-anchor': 'end' }),
      );
    if (better >= 0)
      out.append(
        svg('rect', { class: 'knee', x: x(better) - 15, y: 8, width: 30, height: H - 8 - PLOT.bottom }),
        text('suggested', { class: 'knee-word', x: Math.min(W - 34, Math.max(62, x(better))), y: 18, 'text-anchor': 'middle' }),
      );
    if (t.bare.length) {
      out.append(svg('path', { class: 'bare', d: path(t.bare) }));
      const i = t.bare.findIndex((n, k) => k > 0 && y(t.shown[k].alerts) - y(n) > 16);
      if (i > 0 && i !== better) out.append(text('with no deadband', { class: 'axis', x: x(i) + 6, y: y(t.bare[i]) - 4 }));
    }
    out.append(svg('path', { class: 'curve', d: path(t.shown.map((p) => p.alerts)) }));
    t.shown.forEach((p, i) => {
      const own = p.onDelay === t.own.onDelay,
        dot = svg('circle', { cx: x(i), cy: y(p.alerts), r: own ? 5.5 : 3.5, class: own ? 'own' : 'dot' }),
        hit = svg('circle', { cx: x(i), cy: y(p.alerts), r: 14, class: 'hit' }),
        place = svg(
          'g',
          state.canEdit
            ? { role: 'button', tabindex: 0, 'aria-label': `${p.about}${own ? '; as set' : ''}`, class: 'point' }
            : { role: 'img', 'aria-label': p.about, class: 'point' },
          svg('title', {}, p.about),
          dot,
          hit,
        );
      const taken = () => state.canEdit && take(i === better ? t.suggested : p);
      place.addEventListener('click', taken);
      place.addEventListener('keydown', (e) => {
        if (e.key !== 'Enter' && e.key !== ' ') return;
        e.preventDefault();
        taken();
      });
      out.append(place, text(p.label, { class: `axis${own ? ' own' : ''}`, x: x(i), y: H - 8, 'text-anchor': 'middle' }));
      if (own && i !== better)
        out.append(text(String(p.alerts), { class: 'own-count', x: x(i) + (i ? 0 : 14), y: y(p.alerts) - 10, 'text-anchor': 'middle' }));
    });
    return out;
  }

  return { ask };
}
