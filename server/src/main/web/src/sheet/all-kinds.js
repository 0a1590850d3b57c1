// All kinds of panels over the sheet, drawn with the own data, by the question that they answer.
import { load } from '../kinds/index.js';
import { el } from '../dom.js';

// `drawn` is every kind as the strip has it; `choose` takes a kind's word.
export async function allKinds(host, kinds, { drawn, chosen, shape, choose, closed }) {
  const back = document.activeElement,
    views = [],
    by = new Map(drawn.map((d) => [d.kind, d])),
    tile = (k) => {
      const d = by.get(k.word),
        body = el('span', { class: 'small-body', 'aria-hidden': 'true', inert: '' });
      if (d?.drawing) views.push([k.word, body, d.drawing]);
      return el(
        'button',
        {
          type: 'button',
          class: 'kind-tile' + (d && !d.fits ? ' unfit' : ''),
          'data-kind': k.word,
          'aria-pressed': String(k.word === chosen),
          onclick: () => close(k.word),
        },
        el('span', { class: 'small-frame' }, body),
        el('strong', {}, k.title),
        el('span', { class: 'note' }, `needs ${k.needs}`),
        !d || d.fits
          ? el('span', { class: 'note' }, d ? 'fits as it is' : '')
          : d.steps.length
            ? el('span', { class: 'adds' }, 'add ', el('code', {}, d.steps.join(' then ')))
            : el('span', { class: 'note' }, 'not possible with these lines'),
      );
    };
  const questions = [...new Set(kinds.filter((k) => k.query).map((k) => k.question))],
    without = kinds.filter((k) => !k.query);
  const out = el(
    'div',
    { class: 'all-kinds', role: 'dialog', 'aria-label': 'All kinds of panels' },
    el(
      'header',
      {},
      el('h2', {}, shape ? `${shape}, drawn in each kind` : 'All kinds'),
      el('span', { class: 'note' }, 'dashed: needs another step'),
      el('button', { type: 'button', class: 'btn', onclick: () => close() }, 'Close ', el('kbd', {}, 'Esc')),
    ),
    ...questions.map((q) =>
      el(
        'div',
        { class: 'kind-row' },
        el('h3', {}, q),
        el('div', { class: 'kind-tiles' }, ...kinds.filter((k) => k.query && k.question === q).map(tile)),
      ),
    ),
    el(
      'footer',
      {},
      el('span', {}, 'Without a line: '),
      ...without.map((k) =>
        el('button', { type: 'button', class: 'text-accent', 'data-kind': k.word, onclick: () => close(k.word) }, k.title),
      ),
      el('span', { class: 'note' }, 'Arrow keys move, Enter selects, Ctrl Z restores the previous kind and settings.'),
    ),
  );

  function close(word) {
    for (const v of mounted) v.dispose();
    out.remove();
    back?.isConnected && back.focus();
    closed();
    if (word) choose(word);
  }

  out.addEventListener('keydown', (e) => {
    const all = [...out.querySelectorAll('.kind-tile')],
      at = all.indexOf(document.activeElement),
      here = all[at]?.getBoundingClientRect();
    if (e.key === 'Escape' || e.key === 'k') close();
    else if (at < 0) return;
    else if (e.key === 'ArrowRight' || e.key === 'ArrowLeft') all[at + (e.key === 'ArrowRight' ? 1 : -1)]?.focus();
    else if (e.key === 'ArrowDown' || e.key === 'ArrowUp') {
      const down = e.key === 'ArrowDown',
        rows = all.filter((t) => (down ? t.getBoundingClientRect().top > here.bottom : t.getBoundingClientRect().bottom < here.top)),
        // The nearest row, and in it the nearest column.
        far = (t) => Math.abs(t.getBoundingClientRect().top - here.top) * 1000 + Math.abs(t.getBoundingClientRect().left - here.left);
      rows.sort((a, b) => far(a) - far(b))[0]?.focus();
    } else return;
    e.preventDefault();
    e.stopPropagation();
  });
  host.append(out);
  const mounted = [];
  for (const [word, body, drawing] of views) {
    const view = (await load(word))(body);
    if (!out.isConnected) return view.dispose();
    mounted.push(view);
    view.update(drawing);
  }
  if (!out.contains(document.activeElement)) (out.querySelector('[aria-pressed=true]') ?? out.querySelector('.kind-tile'))?.focus();
}
