// Fit: what a kind needs, what the lines give, and chains of steps that lead there, each as a picture.
import { load } from '../kinds/index.js';
import { el } from '../dom.js';
import { table } from '../table.js';

// The difference on the person's own rows: what is given, what becomes of it, what is needed.
function difference(data) {
  const names = data.sample?.rows.map((r) => r[0]) ?? [];
  const needed = el(
    'table',
    { class: 'grid-table' },
    el('thead', {}, el('tr', {}, el('th', {}, 'name'), el('th', { class: 'right' }, 'number'))),
    el(
      'tbody',
      {},
      ...names
        .slice(0, 3)
        .map((n, i) => el('tr', {}, el('td', {}, n), el('td', { class: 'right' + (i ? '' : ' wanted') }, i ? '…' : data.mismatch))),
    ),
  );
  return el(
    'div',
    { class: 'fit-difference' },
    el('div', {}, el('p', { class: 'note' }, 'Result of the line, first rows'), data.sample ? table(data.sample) : null),
    el(
      'div',
      { class: 'fit-arrow' },
      el('strong', {}, data.mismatch),
      el('span', { 'aria-hidden': 'true' }, '⟶'),
      el('span', { class: 'note' }, 'choose how'),
    ),
    el('div', {}, el('p', { class: 'note' }, 'Needed by the panel'), data.needs === 'one number per name' ? needed : null),
  );
}

export async function fit(host, data, kind, { use, preview, keep, others }) {
  const views = [];
  const cards = await Promise.all(
    data.proposals.map(async (p, i) => {
      const body = el('div', { class: 'body', 'aria-hidden': 'true', inert: '' });
      const card = el(
        'div',
        { class: 'fit-card', tabindex: '0', role: 'group', 'aria-label': `${p.text}; press ${i + 1} or Enter to use these steps` },
        el('h3', {}, p.text, el('kbd', {}, String(i + 1))),
        body,
        p.hides ? el('p', { class: 'hides' }, p.hides) : null,
        el('p', { class: 'steps' }, ...p.steps.flatMap((s) => [el('b', {}, 'then'), ` ${s} `])),
        el(
          'footer',
          {},
          el('span', { class: 'note' }, `${p.gives}, in ${p.time}`),
          el('button', { type: 'button', class: 'btn' + (i ? '' : ' main'), onclick: () => use(p) }, 'Use these steps'),
        ),
      );
      for (const on of ['pointerenter', 'focusin']) card.addEventListener(on, () => preview(p));
      for (const off of ['pointerleave', 'focusout']) card.addEventListener(off, () => preview(null));
      card.addEventListener('keydown', (e) => {
        if (e.key === 'Enter' && e.target === card) use(p);
      });
      const view = (await load(kind.word))(body);
      views.push([view, p.drawing]);
      return card;
    }),
  );
  const other = (k) => el('button', { type: 'button', class: 'btn', onclick: () => keep(k.word) }, k.title);
  host.replaceChildren(
    el(
      'p',
      { class: 'fit-says' },
      el('strong', {}, `A ${kind.title.toLowerCase()} needs ${data.needs}. `),
      `This line returns ${data.gives}.`,
    ),
    difference(data),
    el('div', { class: 'fit-cards' }, ...cards),
    cards.length ? '' : el('p', { class: 'note' }, 'No steps lead from this line to that shape. Choose another kind.'),
    el(
      'p',
      { class: 'fit-others' },
      el('span', { class: 'note' }, 'Or keep the line unchanged: '),
      ...others.map(other),
      el('button', { type: 'button', class: 'btn', onclick: () => keep(kind.word) }, `${kind.title}, unchanged`),
    ),
  );
  for (const [view, drawing] of views) view.update(drawing);
  return {
    proposals: data.proposals,
    dispose() {
      for (const [view] of views) view.dispose();
      host.replaceChildren();
    },
  };
}
