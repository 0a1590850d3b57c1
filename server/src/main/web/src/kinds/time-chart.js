import { chart, summary } from '../chart.js';
import { legend } from '../legend.js';
import { el } from '../dom.js';

const NARROW = 480;

export function mount(body) {
  const plot = body.appendChild(el('div', { class: 'plot' })),
    list = body.appendChild(el('div')),
    view = chart(plot),
    // Not the whole plot: labels over it are links.
    face = plot.querySelector('.canvas');
  face.setAttribute('role', 'img');

  function update(drawing) {
    // In a narrow panel there is no room inside.
    const { place, form } = drawing.legend,
      at = place === 'inside' && body.clientWidth < NARROW ? 'below' : place;
    for (const [look, where] of Object.entries({ beside: 'right', within: 'inside' }))
      body.classList.toggle(look, at === where && form !== 'none');
    view.picture = drawing.picture;
    view.dress = drawing;
    if (!list.contains(document.activeElement)) legend(list, view, drawing.legend);
    view.draw(drawing.picture, drawing.limits);
    lay({ ...drawing.legend, place: at });
    face.setAttribute('aria-label', summary(drawing.picture));
  }

  // So many rows of the legend are seen; one inside the plot stands in its upper left corner, since labels of limits are at the right.
  function lay({ form, place: at, rows, width }) {
    const p = at === 'inside' && view.plotBox();
    list.style.maxHeight = rows ? `${rows * 24 + (form === 'table' ? 18 : 0)}px` : p ? `${p.height - 12}px` : '';
    list.style.width = width && at !== 'below' ? `${width}px` : '';
    list.style.top = p ? `${plot.offsetTop + p.top + 6}px` : '';
    list.style.left = p ? `${plot.offsetLeft + p.left + 8}px` : '';
  }

  // Where a setting shows, px from the left and top of the body; null: nowhere in particular.
  function part(group, name) {
    const p = view.plotBox();
    if (!p) return null;
    const [x, y] = [plot.offsetLeft, plot.offsetTop],
      box = (left, top, width, height) => ({ left: x + left, top: y + top, width, height });
    if (group === 'Legend') return { left: list.offsetLeft, top: list.offsetTop, width: list.offsetWidth, height: list.offsetHeight };
    if (group !== 'Axes')
      return group === 'Lines' || group === 'Limits' || group === 'Style rules' ? box(p.left, p.top, p.width, p.height) : null;
    if (name === 'zones') return box(0, p.top + p.height, plot.clientWidth, plot.clientHeight - p.top - p.height);
    return name === 'axes' ? box(p.left + p.width, p.top, plot.clientWidth - p.left - p.width, p.height) : box(0, p.top, p.left, p.height);
  }

  // The group and the name of the settings of a place in the body.
  function settingAt(left, top) {
    const p = view.plotBox(),
      [x, y] = [left - plot.offsetLeft, top - plot.offsetTop];
    if (!p) return null;
    if (x < 0 || y < 0 || x > plot.clientWidth || y > plot.clientHeight) return ['Legend', 'legend'];
    if (y > p.top + p.height) return ['Axes', 'zones'];
    if (x > p.left + p.width) return ['Axes', 'axes'];
    return x < p.left ? ['Axes', 'scale'] : ['Lines', 'draw'];
  }

  function place() {
    const p = view.plotBox();
    return p && { ...p, left: p.left + plot.offsetLeft, top: p.top + plot.offsetTop };
  }

  return { update, size: view.size, dispose: view.dispose, image: view.image, lines: view.lines, part, settingAt, plot: place };
}
