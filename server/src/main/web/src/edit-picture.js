// The picture of a panel on a dashboard that is being edited: of its draft, not of what is saved. `asked` gives what a
// request of a panel says beside the draft.
import { el, post } from './dom.js';
import { load } from './kinds/index.js';
import { plotSize } from './plot-size.js';

export function picture(item, { name, kinds, asked }) {
  const body = item.querySelector('.body'),
    title = item.querySelector('h2'),
    plot = plotSize();
  let last = '',
    fault = '',
    kind = '',
    view = null,
    abort = null,
    wait = 0;

  // Drawings are made for a size.
  let wide = 0;
  const sizes = new ResizeObserver(() => {
    const now = body.clientWidth;
    if (wide && Math.abs(now - wide) > 8 && last) {
      clearTimeout(wait);
      wait = setTimeout(() => ask(JSON.parse(last)), 200);
    }
    wide = now;
  });
  sizes.observe(body);

  async function ask(p) {
    abort?.abort();
    const needsLines = kinds.find((k) => k.word === (p.kind ?? kinds[0].word)).query;
    if (needsLines && !p.query?.trim()) {
      clear();
      body.append(el('div', { class: 'empty', role: 'status' }, 'Nothing to draw yet. Write a line, such as host.cpu.busy.'));
      return;
    }
    abort = new AbortController();
    const fields = asked(p);
    fields.set('draft', JSON.stringify(p));
    fields.set('width', body.clientWidth || 400);
    fields.set('height', Math.max(60, body.clientHeight));
    for (const [key, px] of Object.entries(plot.fields(view))) fields.set(key, px);
    try {
      const data = await post(`/dashboards/${name}/draft`, fields, abort.signal);
      if (data.fault) throw new Error(data.fault);
      fault = '';
      item.querySelector('.draft-fault')?.remove();
      body.classList.remove('faded');
      if (data.empty) {
        clear();
        body.append(el('div', { class: 'empty', role: 'status' }, data.empty.text));
        return;
      }
      if (kind !== data.drawing.kind) {
        clear();
        kind = data.drawing.kind;
        view = (await load(kind))(body);
      }
      view.update(data.drawing);
      if (plot.misplaced(view, data.drawing, body)) ask(p);
    } catch (e) {
      if (e.name === 'AbortError') return;
      // The last picture stays, faded, with what is wrong beside it.
      fault = e.message;
      body.classList.add('faded');
      item.querySelector('.draft-fault')?.remove();
      body.before(el('p', { class: 'draft-fault fault', role: 'status' }, e.message));
    }
  }

  function clear() {
    view?.dispose();
    view = null;
    kind = '';
    body.replaceChildren();
  }

  return {
    item,
    // Why it can't be drawn, or nothing.
    fault: () => fault,
    draw(p, again = false) {
      const now = JSON.stringify(p);
      if (now === last && !again) return;
      const first = last === '';
      last = now;
      title.textContent = p.title;
      clearTimeout(wait);
      wait = setTimeout(() => ask(p), first ? 0 : 150);
    },
    dispose() {
      clearTimeout(wait);
      sizes.disconnect();
      abort?.abort();
      view?.dispose();
    },
  };
}
