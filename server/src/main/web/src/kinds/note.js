import { el } from '../dom.js';

// The server has made safe HTML of the text.
export function mount(body) {
  const host = body.appendChild(el('div', { class: 'scroller prose', tabindex: '0', role: 'region', 'aria-label': 'Note' }));
  return {
    update(drawing) {
      host.innerHTML = drawing.html;
    },
    dispose() {},
    size: () => [0, 0],
  };
}
