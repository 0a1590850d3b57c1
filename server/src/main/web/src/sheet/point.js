// From a setting to the part of the picture that it changes, and from the picture back to its settings; limits are dragged.
import { el } from '../dom.js';

const NEAR = 6;

// Where a value lies on an axis, and back. `linear`: up to which size a signed scale is about linear.
export const placeOf = (v, { scale, linear }) =>
    scale === 'signed log' ? Math.sign(v) * Math.log10(1 + Math.abs(v) / linear) : scale === 'linear' || !scale ? v : Math.log10(v),
  valueOf = (at, { scale, linear }) =>
    scale === 'signed log' ? Math.sign(at) * (10 ** Math.abs(at) - 1) * linear : scale === 'linear' || !scale ? at : 10 ** at;

// The value at a place, as round as a pixel allows.
export function rounded(at, axis, pixel) {
  const step = 10 ** Math.floor(Math.log10(Math.abs(valueOf(at + pixel, axis) - valueOf(at, axis)) || 1));
  return Number((Math.round(valueOf(at, axis) / step) * step).toPrecision(10));
}

// `view` gives what is drawn; `go` takes the group and the name of a setting; `limit` takes an index and a value.
export function point(body, looks, { view, drawing, go, limit, limitAt }) {
  const outline = el('div', { class: 'ps-outline', hidden: '', 'aria-hidden': 'true' }),
    frame = body.parentElement;
  frame.append(outline);

  function show(box) {
    outline.hidden = !box;
    if (!box) return;
    const dx = body.offsetLeft,
      dy = body.offsetTop;
    for (const [side, px] of Object.entries({ left: box.left + dx, top: box.top + dy, width: box.width, height: box.height }))
      outline.style[side] = `${px}px`;
  }

  const of = (e) => {
    const setting = e.target.closest?.('.setting, .limit'),
      group = e.target.closest?.('.group')?.dataset.group;
    return group ? (view()?.part?.(group, setting?.dataset.name ?? '') ?? null) : null;
  };
  looks.addEventListener('pointerover', (e) => show(of(e)));
  looks.addEventListener('pointerleave', () => show(null));
  looks.addEventListener('focusin', (e) => show(e.target.matches(':focus-visible') ? of(e) : null));
  looks.addEventListener('focusout', () => show(null));

  const at = (e) => {
    const r = body.getBoundingClientRect();
    return [e.clientX - r.left, e.clientY - r.top];
  };

  // The limit under the pointer, if it is a number.
  function grip(e) {
    const plot = view()?.plot?.();
    if (!plot || e.target.closest('.legend, .legend-table, button')) return null;
    const [x, y] = at(e);
    if (x < plot.left || x > plot.left + plot.width) return null;
    const yOf = (v) => plot.top + (plot.height * (plot.max - v)) / (plot.max - plot.min),
      found = (drawing()?.limits ?? []).find((l) => !l.course && Number.isFinite(limitAt(l.index)) && Math.abs(yOf(l.at) - y) <= NEAR);
    return found && { ...found, plot };
  }

  body.addEventListener('pointermove', (e) => {
    if (!e.buttons) body.classList.toggle('on-limit', !!grip(e));
  });
  // Before the chart sees it, which would begin a new range.
  body.addEventListener(
    'pointerdown',
    (e) => {
      const held = e.button === 0 && grip(e);
      if (!held) return;
      e.stopPropagation();
      e.preventDefault();
      const { plot } = held,
        pixel = (plot.max - plot.min) / plot.height,
        line = el('div', { class: `ps-limit ${held.priority}` }, el('span', {})),
        value = (ev) => {
          const y = Math.max(plot.top, Math.min(plot.top + plot.height, at(ev)[1]));
          return rounded(plot.max - (y - plot.top) * pixel, plot, pixel);
        };
      const was = limitAt(held.index);
      let now = was;
      const move = (ev) => {
          now = value(ev);
          line.style.top = `${body.offsetTop + plot.top + (plot.max - placeOf(now, plot)) / pixel}px`;
          line.style.left = `${body.offsetLeft + plot.left}px`;
          line.style.width = `${plot.width}px`;
          line.firstChild.textContent = String(now);
          if (!line.isConnected) frame.append(line);
        },
        end = (keep) => {
          removeEventListener('pointermove', move);
          removeEventListener('pointerup', up);
          removeEventListener('keydown', escape, true);
          line.remove();
          if (keep && now !== was) limit(held.index, now);
        },
        up = () => end(true),
        escape = (ev) => {
          if (ev.key !== 'Escape') return;
          ev.stopPropagation();
          end(false);
        };
      addEventListener('pointermove', move);
      addEventListener('pointerup', up);
      addEventListener('keydown', escape, true);
    },
    true,
  );

  // A press on an axis, the plot or the legend goes to its settings.
  let began = [0, 0];
  body.addEventListener('pointerdown', (e) => (began = [e.clientX, e.clientY]), true);
  body.addEventListener('click', (e) => {
    // What was dragged is no press.
    if (Math.hypot(e.clientX - began[0], e.clientY - began[1]) > 4) return;
    if (e.target.closest('button, a, input')) return;
    const [x, y] = at(e),
      on = grip(e);
    if (on) return go('Limits', '');
    const [group, name] = view()?.settingAt?.(x, y) ?? [];
    if (group) go(group, name);
  });

  return { dispose: () => outline.remove() };
}
