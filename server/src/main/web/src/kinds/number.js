import { chart } from '../chart.js';
import { el } from '../dom.js';

export function mount(body) {
  const tiles = body.appendChild(el('div', { class: 'tiles' }));
  let shown = [];

  // A tile stays while there is one at its place: what is in it changes.
  function tile() {
    const name = el('div', { class: 'tile-name' }),
      big = el('div', { class: 'big' }),
      change = el('div', { class: 'note' }),
      out = tiles.appendChild(el('div', { class: 'tile' }, name, big, change));
    let plot = null,
      view = null;
    return {
      update(t) {
        name.hidden = !t.name;
        name.textContent = name.title = t.name ?? '';
        big.className = 'big' + (t.passed ? ' passed-' + t.passed : '');
        big.replaceChildren(t.value, t.unit ? el('small', {}, t.unit) : '');
        const about = [t.when, t.change].filter(Boolean).join(' · ');
        change.hidden = !about;
        change.textContent = change.title = about;
        if (t.course && !view) {
          plot = out.appendChild(el('div', { class: 'plot', 'aria-hidden': 'true' }));
          view = chart(plot, { bare: true });
        }
        if (plot) plot.hidden = !t.course;
        if (t.course) view.draw(t.course);
      },
      dispose() {
        view?.dispose();
        out.remove();
      },
    };
  }

  function update(drawing) {
    tiles.classList.toggle('several', drawing.tiles.length > 1);
    while (shown.length > drawing.tiles.length) shown.pop().dispose();
    while (shown.length < drawing.tiles.length) shown.push(tile());
    drawing.tiles.forEach((t, i) => shown[i].update(t));
  }

  function dispose() {
    for (const one of shown) one.dispose();
    shown = [];
  }

  return { update, dispose, size: () => [0, 0] };
}
