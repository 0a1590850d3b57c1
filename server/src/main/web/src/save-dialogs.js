// What can be done with a result: a file, an image, a link, a panel, a rule.
import { save } from './table.js';
import { current } from './range.js';
import { field, sqlBuilder } from './sql-builder.js';
import { csrf, el, post } from './dom.js';

export function saveDialogs(menu, dialog, bench) {
  const acts = { csv, image: bench.image, link, dashboard, watch };
  menu.addEventListener('click', (e) => {
    const act = e.target.closest('[data-act]');
    if (!act) return;
    menu.open = false;
    acts[act.dataset.act]();
  });

  async function csv() {
    const answer = await fetch('/bench/csv', {
      method: 'POST',
      body: new URLSearchParams({ query: bench.query(), ...current(), step: bench.step() }),
      headers: { 'X-CSRF-TOKEN': csrf() },
    });
    if (answer.ok) save('vintrel.csv', await answer.text());
  }

  async function link() {
    await navigator.clipboard?.writeText(location.href).catch(() => {});
    ask(
      'Link',
      [
        el('label', { for: 'link-text' }, 'Link to this view'),
        el('input', { id: 'link-text', class: 'field num', readonly: '', value: location.href }),
      ],
      null,
    );
  }

  // A form in the dialog; what is typed stays when the server refuses it.
  // The second time something is sent though its query fails, if `anyway` names that.
  function ask(title, fields, send, word = 'Save', anyway = '') {
    const fault = el('p', { class: 'fault', role: 'alert' });
    const form = el(
      'form',
      { method: 'dialog', class: 'grid gap-2' },
      el('h2', {}, title),
      ...fields,
      fault,
      el(
        'div',
        { class: 'flex gap-3 mt-1' },
        send ? el('button', { class: 'btn main', type: 'submit' }, word) : null,
        el('button', { class: 'btn', type: 'button', onclick: () => dialog.close() }, send ? 'Cancel' : 'Close'),
      ),
    );
    form.addEventListener('submit', async (e) => {
      e.preventDefault();
      try {
        const done = await send(Object.fromEntries(new FormData(form)));
        if (done?.url)
          form.replaceChildren(
            el('p', {}, 'Saved. ', el('a', { href: done.url }, 'Open it')),
            el('button', { class: 'btn w-fit', type: 'button', onclick: () => dialog.close() }, 'Close'),
          );
        else dialog.close();
      } catch (x) {
        if (anyway && x.detail?.text?.startsWith('the query fails')) form.querySelector('[type=submit]').textContent = anyway;
        fault.textContent = x.detail?.faults?.join('; ') || x.detail?.text || 'Server unreachable. Check the connection and try again.';
      }
    });
    dialog.replaceChildren(form);
    dialog.showModal();
    dialog.querySelector('input:not([readonly]), select')?.focus();
  }

  async function dashboard() {
    const known = await fetch('/bench/dashboards').then((r) => r.json());
    const list = el('datalist', { id: 'dashboards' }, ...known.map((d) => el('option', { value: d.name }, d.title)));
    ask(
      'Add to dashboard',
      [
        ...field('k-title', 'Panel title', el('input', { id: 'k-title', name: 'title', class: 'field', required: '' })),
        ...field(
          'k-dashboard',
          'Dashboard (pick one, or type a new name)',
          el('input', { id: 'k-dashboard', name: 'dashboard', class: 'field', list: 'dashboards', required: '', autocomplete: 'off' }),
        ),
        list,
        ...field(
          'k-show',
          'Shown as',
          el(
            'select',
            { id: 'k-show', name: 'show', class: 'field' },
            ...['lines', 'number', 'table'].map((s) =>
              el('option', { value: s, ...(s === 'table' && bench.form() === 'table' ? { selected: '' } : {}) }, s),
            ),
          ),
        ),
      ],
      async (f) => {
        const anyway = dialog.querySelector('[type=submit]').textContent !== 'Add';
        location.assign((await post('/bench/panel', { ...f, query: bench.query(), anyway })).url);
      },
      'Add',
      'Add anyway',
    );
  }

  function watch() {
    location.assign(`/watch/rules/new?${new URLSearchParams({ query: bench.query(), title: bench.title(), unit: bench.unit() ?? '' })}`);
  }

  fetch('/bench/databases')
    .then((r) => (r.ok ? r.json() : []))
    .then((stores) => {
      bench.databases.hidden = !stores.length;
      bench.databases.addEventListener('click', () => sqlBuilder(stores, ask, bench));
    });
}
