// The sheet of a panel: what it asks and how it looks. Every change is handed on at once as the whole panel.
import { el } from './dom.js';
import { editor } from './editor.js';

export function sheet(root, panel, kinds, { put, close }) {
  root.querySelector('.panel-sheet')?.remove();
  let p = structuredClone(panel);
  const kindOf = () => kinds.find((k) => k.word === (p.kind ?? kinds[0].word)),
    dress = el('div', { class: 'dress' }),
    query = el('div'),
    needs = el('span', { class: 'note' });

  // An empty value is no value.
  function set(field, value, what) {
    p = { ...p, [field]: value };
    if (value === '' || value == null) delete p[field];
    put(p, what, field);
  }

  function option(name, value, otherwise) {
    const options = { ...(p.options ?? {}) };
    if (value === undefined || JSON.stringify(value) === JSON.stringify(otherwise)) delete options[name];
    else options[name] = value;
    p = { ...p, options };
    if (!Object.keys(options).length) delete p.options;
    put(p, name.replace(/-/g, ' '), `options/${name}`);
  }

  const row = (label, control, id) => el('div', { class: 'sheet-row' }, el('label', { for: id }, label), control);
  const text = (field, label, attributes = {}) =>
    row(
      label,
      el('input', {
        class: 'field w-full',
        id: `ps-${field}`,
        value: p[field] ?? '',
        ...attributes,
        oninput: (e) => set(field, e.target.value, label.toLowerCase()),
      }),
      `ps-${field}`,
    );

  function area(id, value, on, rows) {
    const out = el('textarea', { class: 'field num w-full', id, rows, spellcheck: 'false', oninput: (e) => on(e.target.value) });
    out.value = value ?? '';
    return out;
  }

  function kind() {
    return row(
      'Kind',
      el(
        'span',
        { class: 'kind-choice' },
        ...kinds.map((k) =>
          el(
            'button',
            {
              type: 'button',
              title: 'Needs ' + k.needs,
              'aria-pressed': String(k === kindOf()),
              onclick: (e) => {
                // Settings of the kind before are no settings of this one.
                p = { ...p, kind: k.word };
                delete p.options;
                if (k === kinds[0]) delete p.kind;
                put(p, 'kind', 'kind');
                for (const b of e.target.parentElement.children) b.setAttribute('aria-pressed', String(b === e.target));
                fill();
              },
            },
            k.title,
          ),
        ),
        needs,
      ),
    );
  }

  function limits() {
    const list = p.limits ?? [],
      put2 = (next) => set('limits', next.length ? next : null, 'limits'),
      one = (l, i) => {
        const above = l.above != null,
          value = above ? l.above : l.below,
          other = (change) => put2(list.map((x, k) => (k === i ? change : x)));
        return el(
          'div',
          { class: 'limit-row' },
          el(
            'select',
            {
              class: 'field',
              'aria-label': 'Side of the limit',
              onchange: (e) => {
                other({ [e.target.value]: value, priority: l.priority });
                again();
              },
            },
            ...['above', 'below'].map((w) => el('option', { selected: w === (above ? 'above' : 'below') }, w)),
          ),
          el('input', {
            class: 'field num',
            type: 'number',
            step: 'any',
            value,
            'aria-label': 'Value of the limit',
            onchange: (e) => e.target.value !== '' && (other({ ...l, [above ? 'above' : 'below']: Number(e.target.value) }), again()),
          }),
          el(
            'select',
            {
              class: 'field',
              'aria-label': 'Priority of the limit',
              onchange: (e) => {
                other({ ...l, priority: e.target.value });
                again();
              },
            },
            ...['critical', 'high', 'medium', 'low'].map((w) => el('option', { selected: w === l.priority }, w)),
          ),
          el(
            'button',
            {
              type: 'button',
              class: 'text-accent',
              'aria-label': 'Remove the limit',
              onclick: () => {
                put2(list.filter((_, k) => k !== i));
                again();
              },
            },
            'Remove',
          ),
        );
      },
      again = () => limitHost.replaceChildren(limits());
    return el(
      'div',
      {},
      ...list.map(one),
      el(
        'button',
        {
          type: 'button',
          class: 'text-accent',
          onclick: () => {
            put2([...list, { above: 0, priority: 'medium' }]);
            again();
          },
        },
        '+ Limit',
      ),
    );
  }
  const limitHost = el('div', { class: 'limit-rows' });

  // One setting: its name and its value; what differs from the default is bold, and a press takes it back.
  function setting(s) {
    const id = `po-${s.name}`,
      value = p.options?.[s.name] ?? s.otherwise,
      on = (v) => {
        option(s.name, v, s.otherwise);
        mark();
      };
    let control;
    if (s.form === 'choice')
      control = el(
        'select',
        { class: 'field', id, onchange: (e) => on(e.target.value) },
        ...s.choices.map((c) => el('option', { selected: c === value }, c)),
      );
    else if (s.form === 'truth')
      control = el('input', { type: 'checkbox', id, checked: value === true, onchange: (e) => on(e.target.checked) });
    else if (s.form === 'number')
      control = el('input', {
        class: 'field num',
        type: 'number',
        step: 'any',
        id,
        value: value ?? '',
        placeholder: 'auto',
        oninput: (e) => on(e.target.value === '' ? undefined : Number(e.target.value)),
      });
    else if (s.form === 'list')
      control = el('input', {
        class: 'field',
        id,
        value: (value ?? []).join(', '),
        placeholder: 'none',
        oninput: (e) =>
          on(
            e.target.value
              .split(',')
              .map((x) => x.trim())
              .filter(Boolean),
          ),
      });
    else if (s.form === 'text' && s.name === 'text') control = area(id, value, (v) => on(v), 8);
    else if (s.form === 'map')
      control = area(
        id,
        Object.entries(value ?? {})
          .map(([k, v]) => `${k}: ${v}`)
          .join('\n'),
        (v) =>
          on(
            Object.fromEntries(
              v
                .split('\n')
                .map((line) => line.split(/:(.*)/s).map((x) => x?.trim()))
                .filter(([k, x]) => k && x),
            ),
          ),
        2,
      );
    else if (s.form === 'records') control = el('span', { class: 'note', id }, `${(value ?? []).length}, edited in the definition`);
    else control = el('input', { class: 'field', id, value: value ?? '', oninput: (e) => on(e.target.value) });
    const back = el(
        'button',
        {
          type: 'button',
          class: 'back',
          title: 'Set the default back',
          'aria-label': `Set ${s.label} to its default`,
          onclick: () => {
            option(s.name, undefined);
            out.replaceWith(setting(s));
            mark();
          },
        },
        '×',
      ),
      out = el(
        'div',
        {
          class: 'setting',
          title: s.about,
          'data-find': `${s.label} ${s.words} ${s.choices.join(' ')} ${s.group}`.toLowerCase(),
          'data-name': s.name,
        },
        el('label', { for: id }, s.label),
        control,
        back,
      );
    return out;
  }

  function mark() {
    const options = p.options ?? {};
    for (const out of dress.querySelectorAll('.setting')) out.classList.toggle('changed', out.dataset.name in options);
    for (const group of dress.querySelectorAll('fieldset')) {
      const n = group.querySelectorAll('.changed').length;
      group.querySelector('legend span').textContent = n ? ` ${n}` : '';
    }
  }

  function fill() {
    const k = kindOf(),
      groups = [...new Set(k.settings.map((s) => s.group))];
    needs.textContent = 'needs ' + k.needs;
    query.hidden = !k.query && !p.query;
    dress.replaceChildren(
      ...groups.map((g) => el('fieldset', {}, el('legend', {}, g, el('span')), ...k.settings.filter((s) => s.group === g).map(setting))),
    );
    mark();
  }

  const find = el('input', {
    class: 'field',
    type: 'search',
    placeholder: 'Find a setting',
    'aria-label': 'Find a setting',
    // Others are dimmed in place, so that nothing moves.
    oninput: (e) => {
      const wanted = e.target.value.toLowerCase();
      for (const out of dress.querySelectorAll('.setting')) out.classList.toggle('dim', !out.dataset.find.includes(wanted));
    },
  });

  const lines = el('div', { class: 'ps-lines' });
  query.append(row('Lines', lines, ''));
  limitHost.replaceChildren(limits());
  const out = el(
    'aside',
    { class: 'panel-sheet', 'aria-label': `Sheet of ${p.title}` },
    el('header', {}, el('h2', {}, 'Panel'), el('button', { type: 'button', class: 'btn', onclick: close }, 'Done')),
    text('title', 'Title', { maxlength: 200 }),
    kind(),
    query,
    text('unit', 'Unit', { placeholder: 'from the data', maxlength: 100 }),
    row('Limits', limitHost, ''),
    text('description', 'About', { placeholder: 'shown on request, Markdown' }),
    text('link', 'Link', { placeholder: '/dashboards/fleet or https://…' }),
    el('div', { class: 'dress-head' }, el('h2', {}, 'Dress'), find),
    dress,
  );
  fill();
  root.append(out);
  editor(lines, p.query ?? '', (v) => set('query', v, 'lines'), { label: 'Lines', hint: 'host.cpu.busy then max by host' });
  out.querySelector('input').focus();
}
