// Arranging a dashboard: panels are dragged and resized by mouse or by keyboard, then saved as a whole.
import { GridStack } from 'gridstack';
import { el, post } from './dom.js';

export function arrange(root, button) {
  const figures = root.querySelector('.figures');
  const items = [...figures.querySelectorAll('.figure')].map((figure) => {
    const [x, y, w, h] = figure.dataset.at.split(',').map(Number);
    figure.className = 'figure grid-stack-item-content';
    return el(
      'div',
      {
        class: 'grid-stack-item',
        'gs-x': x - 1,
        'gs-y': y - 1,
        'gs-w': w,
        'gs-h': h,
        'gs-id': figure.dataset.panel,
        tabindex: '0',
        'aria-label': `${figure.querySelector('h2').textContent}: arrow keys move, Shift + arrow keys resize`,
      },
      figure,
    );
  });
  figures.className = 'grid-stack arranging';
  figures.replaceChildren(...items);
  const grid = GridStack.init(
    { column: 12, cellHeight: 50, margin: 5, float: true, minRow: 1, handle: '.figure', resizable: { handles: 'e,se,s' } },
    figures,
  );
  figures.addEventListener('keydown', (e) => {
    const item = e.target.closest('.grid-stack-item'),
      node = item?.gridstackNode;
    const step = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[e.key];
    if (!node || !step) return;
    e.preventDefault();
    if (e.shiftKey) grid.update(item, { w: Math.max(1, node.w + step[0]), h: Math.max(2, node.h + step[1]) });
    else grid.update(item, { x: Math.max(0, node.x + step[0]), y: Math.max(0, node.y + step[1]) });
  });
  const fault = el('span', { class: 'fault', role: 'alert' });
  const save = el(
    'button',
    {
      class: 'btn main',
      type: 'button',
      onclick: async () => {
        const places = grid.engine.nodes.map((n) => `${n.id}:${n.x + 1},${n.y + 1},${n.w},${n.h}`).join(' ');
        try {
          await post(`/dashboards/${root.dataset.dashboard}/layout`, { places });
          location.reload();
        } catch (e) {
          fault.textContent = e.message;
        }
      },
    },
    'Save',
  );
  button.replaceWith(fault, save, el('button', { class: 'btn', type: 'button', onclick: () => location.reload() }, 'Cancel'));
  items[0]?.focus();
}
