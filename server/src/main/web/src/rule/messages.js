// What recipients get for each change of state, filled from the rehearsal; the templates are edited here.
import { el } from '../dom.js';
import { shape } from './limits.js';

const FIELDS = ['value', 'limit', 'series', 'state', 'priority', 'change', 'why', 'time', 'rule', 'owner', 'runbook', 'link'];

export function messages(host, { state, answer }) {
  let shown = 'raised',
    edits = false;

  function tabs(all) {
    return el(
      'div',
      { class: 'choice', role: 'group', 'aria-label': 'Message for' },
      ...all.map((m) =>
        el(
          'button',
          {
            type: 'button',
            'aria-pressed': String(m.change === shown),
            onclick: () => {
              shown = m.change;
              show();
              host.querySelector('[aria-pressed=true]')?.focus();
            },
          },
          m.change[0].toUpperCase() + m.change.slice(1),
        ),
      ),
    );
  }

  // Completion: the fields, and the labels that the series have.
  const known = () => [
    ...FIELDS,
    ...new Set(
      [...document.querySelectorAll('[data-series]')].flatMap((r) =>
        [...r.dataset.series.matchAll(/(?:^|[ ,])([\w.]+)(?=[ =:])/g)].map((m) => `labels.${m[1]}`),
      ),
    ),
  ];

  function template(key, label, rows, hint) {
    const area = el('textarea', {
        class: 'field num',
        rows,
        'aria-label': label,
        'data-place': key,
        'data-key': key,
        placeholder: hint,
        spellcheck: 'true',
      }),
      offers = el('span', { class: 'template-offers', role: 'group', 'aria-label': 'Fields' });
    area.value = state.doc()[key] ?? '';
    area.addEventListener('change', () =>
      state.put([key], area.value.trim() ? area.value : undefined, label.toLowerCase(), null, { query: false, held: true }),
    );
    area.addEventListener('input', offer);
    area.addEventListener('keydown', (e) => {
      const first = offers.querySelector('button');
      if (e.key === 'Tab' && first && !e.shiftKey) {
        e.preventDefault();
        first.click();
      }
    });
    function offer() {
      const begun = area.value.slice(0, area.selectionStart).match(/\{\{\s*([\w.]*)$/);
      offers.replaceChildren(
        ...(begun
          ? known()
              .filter((f) => f.startsWith(begun[1]) && f !== begun[1])
              .slice(0, 6)
              .map((f) =>
                el(
                  'button',
                  {
                    type: 'button',
                    class: 'chip',
                    onclick: () => {
                      const at = area.selectionStart - begun[1].length;
                      area.setRangeText(`${f}}}`, at, area.selectionStart, 'end');
                      offers.replaceChildren();
                      area.focus();
                    },
                  },
                  f,
                ),
              )
          : []),
      );
    }
    return el('label', { class: 'template', 'data-row': key }, el('span', { class: 'note' }, label), area, offers);
  }

  function show() {
    const all = answer()?.messages ?? [];
    host.hidden = !all.length;
    if (!all.length || (edits && host.contains(document.activeElement) && document.activeElement.tagName === 'TEXTAREA')) return;
    const m = all.find((one) => one.change === shown) ?? all[0];
    host.replaceChildren(
      el('div', { class: 'rule-section' }, el('h2', {}, 'Message'), tabs(all), el('span', { class: 'note ml-auto' }, m.sample)),
      el(
        'div',
        { class: 'message-columns' },
        el(
          'div',
          { class: 'message-text' },
          m.body ? el('p', { class: 'subject' }, m.shape ? shape(m.shape) : '', m.subject) : '',
          ...m.body
            .split(/\n{2,}/)
            .filter(Boolean)
            .map((p) => el('p', {}, p)),
        ),
        el(
          'div',
          { class: 'message-to' },
          el('p', {}, m.to),
          state.doc().runbook || !m.body ? '' : el('p', { class: 'late' }, 'No runbook: messages omit its line.'),
          state.canEdit
            ? el(
                'button',
                {
                  type: 'button',
                  class: 'text-accent',
                  'aria-expanded': String(edits),
                  onclick: () => {
                    edits = !edits;
                    show();
                  },
                },
                edits ? 'Close the templates' : 'Edit the templates',
              )
            : '',
        ),
      ),
      edits
        ? el(
            'div',
            { class: 'templates' },
            template('summary', 'Summary, one sentence', 2, '{{labels.host}} is at {{value}}'),
            template('details', 'Details', 4, 'What to do first. {{why}}'),
            el(
              'p',
              { class: 'note' },
              `Type {{ for fields; Tab takes the first. Mustache: {{#runbook}} … {{/runbook}} shows its text only if there is one.`,
            ),
          )
        : '',
    );
  }
  return { show };
}
