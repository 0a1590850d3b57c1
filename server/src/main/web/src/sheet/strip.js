// Every kind of panel as a small picture of the own data, drawn one after the other when the browser has time.
import { load } from '../kinds/index.js';
import { el } from '../dom.js';

const idle = window.requestIdleCallback ?? ((work) => setTimeout(work, 30));

export function strip(host, kinds, { chosen, choose, all: openAll }) {
  const buttons = new Map();
  let turn = 0,
    last = [];
  for (const k of kinds) {
    const body = el('span', { class: 'small-body', 'aria-hidden': 'true', inert: '' }),
      says = el('span', { class: 'note' });
    const button = el(
      'button',
      { type: 'button', class: 'kind-small', title: `Needs ${k.needs}`, 'data-kind': k.word, onclick: () => choose(k.word) },
      el('span', { class: 'small-frame' }, body),
      el('span', { class: 'small-title' }, k.title),
      says,
    );
    buttons.set(k.word, { button, body, says, view: null });
    host.append(button);
  }
  host.append(
    el(
      'button',
      { type: 'button', class: 'kind-all', onclick: openAll, title: 'All kinds with your data, and what each needs' },
      el('span', {}, `All ${kinds.length}`),
      el('kbd', {}, 'K'),
    ),
  );
  host.addEventListener('keydown', (e) => {
    const all = [...host.children],
      next = all[all.indexOf(document.activeElement) + ({ ArrowLeft: -1, ArrowRight: 1 }[e.key] ?? NaN)];
    if (!next) return;
    next.focus();
    e.preventDefault();
  });

  function mark() {
    for (const [word, b] of buttons) b.button.setAttribute('aria-pressed', String(word === chosen()));
  }

  async function draw(mine, rest) {
    const one = rest.shift();
    if (!one || mine !== turn) return;
    const b = buttons.get(one.kind);
    if (one.drawing) {
      b.view ??= (await load(one.kind))(b.body);
      if (mine === turn) b.view.update(one.drawing);
    } else {
      b.view?.dispose();
      b.view = null;
      b.body.replaceChildren();
    }
    idle(() => draw(mine, rest));
  }

  mark();
  return {
    mark,
    // What was put last: every kind with its drawing.
    last: () => last,
    put(all) {
      last = all;
      mark();
      for (const one of all) {
        const b = buttons.get(one.kind);
        b.says.textContent = one.fits
          ? 'fits'
          : one.steps.length
            ? `+ ${one.steps.length} step${one.steps.length > 1 ? 's' : ''}`
            : 'does not fit';
        b.button.classList.toggle('unfit', !one.fits);
        b.unfit = !one.fits && one.steps.length > 0;
      }
      const mine = ++turn;
      idle(() => draw(mine, [...all]));
    },
    unfit: (word) => !!buttons.get(word)?.unfit,
    fitting: () => [...buttons].filter(([, b]) => b.says.textContent === 'fits').map(([word]) => word),
    dispose() {
      turn++;
      for (const b of buttons.values()) b.view?.dispose();
    },
  };
}
