import { el } from './dom.js';

// The legend: a table of last, min, max, mean. Its stroke hides a series, its name shows it alone, and what is
// pointed at stands out while the others fade.
const STATISTICS = ['last', 'min', 'max', 'mean', 'sum', 'p95'];

export function legend(host, view, { form = 'table', shows = STATISTICS.slice(0, 4), sort = 'as drawn' } = {}) {
  const names = sorted(view.picture.traces, view.legendSort ?? sort);
  host.replaceChildren();
  if (form === 'none' || !names.length) return;
  const again = () => {
    view.draw(view.picture, view.limits);
    legend(host, view, { form, shows, sort });
  };
  const hide = (trace) => {
    view.off.has(trace.name) ? view.off.delete(trace.name) : view.off.add(trace.name);
    again();
  };
  const alone = (trace) => {
    const all = view.off.size === names.length - 1 && !view.off.has(trace.name);
    view.off.clear();
    if (!all) for (const n of names) if (n !== trace) view.off.add(n.name);
    again();
  };
  const sorter = (by) =>
    el(
      'button',
      {
        type: 'button',
        title: 'Sort by ' + by,
        onclick: () => {
          view.legendSort = view.legendSort === by ? null : by;
          again();
        },
      },
      by + (view.legendSort === by ? ' ↓' : ''),
    );
  const entry = (trace) => {
    const on = String(!view.off.has(trace.name));
    return el(
      'span',
      { class: 'entry' },
      el(
        'button',
        {
          type: 'button',
          class: 'swatch-act',
          onclick: () => hide(trace),
          'aria-pressed': on,
          'aria-label': `Show ${trace.name}`,
          title: on === 'true' ? 'Hide' : 'Show',
        },
        el('span', { class: 'stroke c' + trace.colour + (trace.earlier ? ' earlier' : '') }),
      ),
      el(
        'button',
        { type: 'button', onclick: () => alone(trace), title: `${trace.name}. Click to show only this series; click again to show all` },
        trace.name,
      ),
    );
  };
  const points = (e, trace) => {
    for (const [on, name] of [
      ['pointerenter', trace.name],
      ['pointerleave', null],
      ['focusin', trace.name],
      ['focusout', null],
    ])
      e.addEventListener(on, () => view.near(name));
    return e;
  };
  if (form === 'names') {
    host.className = 'names';
    host.append(...names.map((t) => points(entry(t), t)));
    return;
  }
  host.className = 'legend';
  host.setAttribute('tabindex', '0');
  host.setAttribute('role', 'region');
  host.setAttribute('aria-label', 'Legend');
  // Several units have a column of their own.
  const units = !view.picture.suffix && names.some((t) => t.unit);
  const head = el(
    'tr',
    {},
    el('th', { scope: 'col' }, 'Series' + (view.picture.suffix ? `, ${view.picture.suffix.trim()}` : '')),
    ...shows.map((h) => el('th', { scope: 'col' }, sorter(h))),
    units ? el('th', { scope: 'col' }, 'unit') : null,
  );
  host.append(
    el(
      'table',
      {},
      el('thead', {}, head),
      el(
        'tbody',
        {},
        ...names.map((trace) =>
          points(
            el(
              'tr',
              { class: view.off.has(trace.name) ? 'off' : '' },
              el('td', {}, entry(trace)),
              ...shows.map((h) => el('td', {}, h === 'count' ? String(trace.count) : trace.readout[STATISTICS.indexOf(h)])),
              units ? el('td', {}, trace.unit) : null,
            ),
            trace,
          ),
        ),
      ),
    ),
  );
}

// The greatest first, unit by unit: 3 s are not more than 2 GB. The server says as what numbers count.
export function sorted(traces, by) {
  if (by === 'as drawn') return traces;
  if (by === 'name') return [...traces].sort((a, b) => a.name.localeCompare(b.name));
  const units = [...new Set(traces.map((t) => t.unit))];
  return [...traces].sort(
    (a, b) => units.indexOf(a.unit) - units.indexOf(b.unit) || (b.sizes?.[by] ?? -Infinity) - (a.sizes?.[by] ?? -Infinity),
  );
}
