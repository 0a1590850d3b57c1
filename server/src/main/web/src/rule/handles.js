// Limits as lines across the chart, each with a tab that is dragged or moved by keys; deadbands as shades.
import { el } from '../dom.js';
import { without } from './fields.js';
import { conditionOf, hasValue, isUp, shape } from './limits.js';

const TAB = 26;
const KEYS = { ArrowUp: 1, ArrowDown: -1, PageUp: 10, PageDown: -10 };

export function handles(host, { state, answer }) {
  let box = null,
    held = null;

  const all = () => state.doc().limits ?? [];

  // Values with their unit, as the server wrote them for the same limits.
  const texts = new Map();
  const textOf = (v) => {
    const unit = answer()?.sign ?? '';
    return texts.get(v) ?? `${v}${unit && unit.length < 9 ? ` ${unit}` : ''}`;
  };

  // What stands on the chart: each end of each limit.
  function lines() {
    const out = [];
    all().forEach((l, i) => {
      const c = conditionOf(l);
      if (!hasValue(c)) return;
      const ends = c === 'outside' ? l.outside : [l[c]];
      ends.forEach((v, k) => {
        if (typeof v !== 'number') return;
        const up = c === 'outside' ? k === 1 : isUp(c);
        out.push({ i, k, c, v, up, l, words: c === 'outside' ? (k ? 'above' : 'below') : c, deadband: Number(l.deadband) || 0 });
      });
    });
    return out;
  }

  const place = (v) => box.top + ((box.max - v) / (box.max - box.min)) * box.height;
  const valueAt = (px) => box.max - ((px - box.top) / box.height) * (box.max - box.min);

  // 1, 2 or 5 times a power of ten: about a pixel and a half.
  function step() {
    const each = ((box.max - box.min) / box.height) * 1.5,
      power = 10 ** Math.floor(Math.log10(each));
    return power * (each / power <= 1 ? 1 : each / power <= 2 ? 2 : each / power <= 5 ? 5 : 10);
  }
  const snapped = (v) => Number((Math.round(v / step()) * step()).toPrecision(10));

  function moved(line, v, joins) {
    const c = line.c,
      next = c === 'outside' ? line.l.outside.map((o, k) => (k === line.k ? v : o)) : v;
    if (c === 'outside' && !(next[0] < next[1])) return;
    state.change((d) => ({ ...d, limits: d.limits.map((l, k) => (k === line.i ? { ...l, [c]: next } : l)) }), 'limit', joins, {
      query: false,
      held: true,
      dragged: true,
    });
  }

  function widened(line, v, joins) {
    const deadband = Number(Math.max(0, line.up ? line.v - v : v - line.v).toPrecision(6));
    state.change(
      (d) => ({
        ...d,
        limits: d.limits.map((l, k) => {
          if (k !== line.i) return l;
          return deadband ? { ...l, deadband } : without(l, 'deadband');
        }),
      }),
      'deadband',
      joins,
      { query: false, held: true, dragged: true },
    );
  }

  // Esc puts back what is dragged.
  function drag(e, of, does) {
    if (!state.canEdit || e.button) return;
    e.preventDefault();
    const joins = `drag-${Date.now()}`,
      before = structuredClone(all()),
      host0 = host.getBoundingClientRect();
    let last = null;
    held = of;
    const move = (m) => {
        const v = snapped(valueAt(Math.max(box.top, Math.min(box.top + box.height, m.clientY - host0.top))));
        if (v === last) return;
        last = v;
        const line = lines().find((o) => o.i === of.i && o.k === of.k);
        if (line) does(line, v, joins);
      },
      end = () => {
        removeEventListener('pointermove', move);
        removeEventListener('pointerup', end);
        removeEventListener('keydown', esc, true);
        held = null;
        if (last !== null) state.change((d) => d, '', joins, { query: false, held: true });
      },
      esc = (k) => {
        if (k.key !== 'Escape') return;
        k.preventDefault();
        state.change((d) => ({ ...d, limits: before }), 'limit', joins, { query: false, held: true });
        last = null;
        end();
      };
    addEventListener('pointermove', move);
    addEventListener('pointerup', end);
    addEventListener('keydown', esc, true);
  }

  function keys(e, line) {
    const { least, greatest } = answer() ?? {},
      by = KEYS[e.key];
    let v = null;
    if (by) v = snapped(line.v + by * step() * (e.shiftKey && Math.abs(by) === 1 ? 10 : 1));
    else if (e.key === 'Home') v = least;
    else if (e.key === 'End') v = greatest;
    if (v === null || !Number.isFinite(v) || !state.canEdit) return;
    e.preventDefault();
    moved(line, v, `keys-${line.i}-${line.k}`);
  }

  function show(plot) {
    if (plot) {
      box = plot;
      const values = lines().map((l) => l.v);
      if (values.length === answer().limits.length) values.forEach((v, i) => texts.set(v, answer().limits[i]));
    }
    const focused = host.contains(document.activeElement) ? document.activeElement.dataset.key : null;
    host.querySelectorAll('.limit-part').forEach((p) => p.remove());
    if (!box) return;
    const right = box.left + box.width,
      ranked = lines().map((line) => ({ line, at: Math.max(box.top, Math.min(box.top + box.height, place(line.v))) }));
    ranked.sort((a, b) => a.at - b.at);
    ranked.forEach((r, i) => (r.tab = Math.max(r.at - 12, i ? ranked[i - 1].tab + TAB : box.top - 12)));
    // Those at the foot move up again.
    for (let i = ranked.length - 1, floor = box.top + box.height - 12; i >= 0; i--) {
      ranked[i].tab = Math.min(ranked[i].tab, floor);
      floor = ranked[i].tab - TAB;
    }
    for (const r of ranked) draw(r, right);
    if (focused) host.querySelector(`[data-key="${focused}"]`)?.focus();
  }

  function draw({ line, at, tab }, right) {
    const p = line.l.priority ?? 'medium',
      narrow = host.clientWidth - right < 100,
      inside = place(line.v) >= box.top - 1 && place(line.v) <= box.top + box.height + 1,
      put = (e, css) => {
        Object.assign(e.style, css);
        host.append(e);
        return e;
      };
    if (inside) {
      put(el('i', { class: `limit-part limit-rule ${p}` }), { left: `${box.left}px`, top: `${at}px`, width: `${box.width}px` });
      if (line.deadband) {
        const edge = Math.max(box.top, Math.min(box.top + box.height, place(line.up ? line.v - line.deadband : line.v + line.deadband)));
        put(el('i', { class: `limit-part limit-shade ${p}` }), {
          left: `${box.left}px`,
          top: `${Math.min(at, edge)}px`,
          width: `${box.width}px`,
          height: `${Math.abs(edge - at)}px`,
        });
      }
      const grip = put(el('i', { class: 'limit-part deadband-grip', title: 'Drag to set the deadband' }), {
        left: `${box.left}px`,
        width: `${box.width}px`,
        top: `${Math.max(box.top, Math.min(box.top + box.height, place(line.up ? line.v - line.deadband : line.v + line.deadband))) + (line.deadband ? -3 : line.up ? 4 : -10)}px`,
      });
      grip.addEventListener('pointerdown', (e) => drag(e, line, widened));
    }
    const button = put(
      el(
        'button',
        {
          type: 'button',
          class: `limit-part limit-tab ${p}${inside ? '' : ' off-chart'}`,
          role: 'slider',
          'data-key': `handle-${line.i}-${line.k}`,
          'aria-orientation': 'vertical',
          'aria-label': `Limit ${p}, ${line.words}`,
          'aria-valuenow': line.v,
          'aria-valuemin': Math.min(answer()?.least ?? line.v, line.v),
          'aria-valuemax': Math.max(answer()?.greatest ?? line.v, line.v),
          'aria-valuetext': `${line.words} ${textOf(line.v)}`,
          title: 'Drag, or use the arrow keys',
        },
        shape(p),
        el('span', {}, `${line.words} `, el('span', { class: 'num' }, textOf(line.v))),
      ),
      { ...(narrow ? { right: `${host.clientWidth - right + 2}px` } : { left: `${right + 6}px` }), top: `${tab}px` },
    );
    button.addEventListener('pointerdown', (e) => {
      button.focus();
      drag(e, line, moved);
    });
    button.addEventListener('keydown', (e) => keys(e, line));
  }

  return { show, busy: () => held !== null };
}
