import { chart } from '../chart.js';
import { el } from '../dom.js';

export function mount(body) {
  let views = [];
  const tiles = body.appendChild(el('div', { class: 'tiles' }));

  function dispose() {
    for (const view of views) view.dispose();
    views = [];
  }

  function tile(t) {
    const plot = t.course ? el('div', { class: 'plot', 'aria-hidden': 'true' }) : null,
      out = el(
        'div',
        { class: 'tile' },
        t.name ? el('div', { class: 'tile-name', title: t.name }, t.name) : null,
        el('div', { class: 'big' + (t.passed ? ' passed-' + t.passed : '') }, t.value, t.unit ? el('small', {}, t.unit) : null),
        t.change ? el('div', { class: 'note' }, t.change) : null,
        plot,
      );
    tiles.append(out);
    if (plot) {
      const view = chart(plot, { bare: true });
      view.draw(t.course);
      views.push(view);
    }
  }

  function update(drawing) {
    dispose();
    tiles.replaceChildren();
    tiles.classList.toggle('several', drawing.tiles.length > 1);
    drawing.tiles.forEach(tile);
  }

  return { update, dispose, size: () => [0, 0] };
}
