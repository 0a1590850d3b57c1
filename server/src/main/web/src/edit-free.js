// The free places of a dashboard that is edited: each offers the ways to a new panel; dragging over its cells gives the size.
import { el } from './dom.js';

const LEAST = { w: 2, h: 3 },
  MOST = 8;

// The largest free rectangles that do not overlap, largest first: at least two columns wide and three rows high, eight at
// most. Panels and places are {x, y, w, h} in cells from 0.
export function freePlaces(taken, columns, rows) {
  const free = Array.from({ length: rows }, () => new Array(columns).fill(true)),
    out = [];
  const take = ({ x, y, w, h }) => {
    for (let r = y; r < Math.min(rows, y + h); r++) free[r].fill(false, x, x + w);
  };
  taken.forEach(take);
  for (let best = largest(free, columns); best && out.length < MOST; best = largest(free, columns)) {
    out.push(best);
    take(best);
  }
  return out;
}

// For each row and column as the lower left corner: how far up and right it is free.
function largest(free, columns) {
  const up = new Array(columns).fill(0);
  let best = null;
  for (let r = 0; r < free.length; r++) {
    for (let c = 0; c < columns; c++) up[c] = free[r][c] ? up[c] + 1 : 0;
    for (let c = 0; c < columns; c++)
      for (let w = 1, h = up[c]; c + w <= columns; w++) {
        h = Math.min(h, up[c + w - 1]);
        if (h < LEAST.h) break;
        if (w >= LEAST.w && (!best || w * h > best.w * best.h)) best = { x: c, y: r - h + 1, w, h };
      }
  }
  return best;
}

// The first place in reading order that has room, or null.
export const firstFree = (places, { w, h }) => [...places].sort((a, b) => a.y - b.y || a.x - b.x).find((p) => p.w >= w && p.h >= h) ?? null;

// `offer` takes the place that was pressed or dragged, and what the ways to a panel stand at.
export function free(host, { columns, row, offer }) {
  let shown = [];
  const style = (e, { x, y, w, h }) => {
    e.style.left = `${(100 * x) / columns}%`;
    e.style.width = `${(100 * w) / columns}%`;
    e.style.top = `${y * row}px`;
    e.style.height = `${h * row}px`;
  };

  function place(at) {
    const button = el(
        'button',
        {
          type: 'button',
          'aria-haspopup': 'menu',
          'aria-label': `Panel here: row ${at.y + 1}, columns ${at.x + 1} to ${at.x + at.w}, ${at.h} rows high`,
        },
        el('span', {}, '+ Panel here'),
      ),
      out = el('div', { class: 'free-place' }, button),
      mark = el('div', { class: 'free-mark', hidden: '' });
    out.append(mark);
    style(out, at);
    let from = null,
      chosen = null;
    const cell = (e) => {
      const r = out.getBoundingClientRect(),
        within = (px, size, n) => Math.max(0, Math.min(n - 1, Math.floor((px / size) * n)));
      return [within(e.clientX - r.left, r.width, at.w), within(e.clientY - r.top, r.height, at.h)];
    };
    button.addEventListener('pointerdown', (e) => {
      if (e.button) return;
      from = cell(e);
      chosen = null;
      button.setPointerCapture(e.pointerId);
    });
    button.addEventListener('pointermove', (e) => {
      if (!from) return;
      const [c, r] = cell(e);
      if (!chosen && c === from[0] && r === from[1]) return;
      const x = Math.min(c, from[0]),
        y = Math.min(r, from[1]);
      chosen = { x: at.x + x, y: at.y + y, w: Math.max(1, Math.abs(c - from[0]) + 1), h: Math.max(2, Math.abs(r - from[1]) + 1) };
      chosen.y = Math.min(chosen.y, at.y + at.h - chosen.h);
      mark.hidden = false;
      mark.textContent = `${chosen.w} × ${chosen.h} cells`;
      mark.style.left = `${(100 * (chosen.x - at.x)) / at.w}%`;
      mark.style.width = `${(100 * chosen.w) / at.w}%`;
      mark.style.top = `${(chosen.y - at.y) * row}px`;
      mark.style.height = `${chosen.h * row}px`;
    });
    button.addEventListener('pointerup', () => (from = null));
    button.addEventListener('pointercancel', () => {
      from = chosen = null;
      mark.hidden = true;
    });
    button.addEventListener('click', () => {
      offer(chosen ?? at, button);
      chosen = null;
      mark.hidden = true;
    });
    return out;
  }

  return {
    // Anew, for what is taken now; rows: how many there are.
    show(taken, rows) {
      const now = freePlaces(taken, columns, rows);
      if (JSON.stringify(now) === JSON.stringify(shown.map((s) => s.at))) return;
      for (const s of shown) s.out.remove();
      shown = now.map((at) => ({ at, out: host.appendChild(place(at)) }));
    },
    first: (size) =>
      firstFree(
        shown.map((s) => s.at),
        size,
      ),
  };
}
