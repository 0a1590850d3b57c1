import { chart, summary } from '../chart.js';
import { legend } from '../legend.js';
import { el } from '../dom.js';

export function mount(body) {
  const plot = body.appendChild(el('div', { class: 'plot', role: 'img' })),
    list = body.appendChild(el('div')),
    view = chart(plot);

  function update(drawing) {
    body.classList.toggle('beside', drawing.legend.place === 'right' && drawing.legend.form !== 'none');
    view.picture = drawing.picture;
    view.dress = drawing;
    if (!list.contains(document.activeElement)) legend(list, view, drawing.legend);
    view.draw(drawing.picture, drawing.limits);
    plot.setAttribute('aria-label', summary(drawing.picture));
  }

  return { update, size: view.size, dispose: view.dispose, image: view.image };
}
