// Rows of settings for some series: style rules in their order, further axes. Which series each is for, which those are just
// now, and what it sets.
import { el } from '../dom.js';
import { pick } from '../pick.js';
import { said, value } from './value.js';

const ASKS = { line: 'line', series: 'name like', where: 'label', above: 'last above', unit: 'unit' };
const STARTS = {
  width: 2,
  above: 0,
  where: "host = ''",
  unit: 's',
  words: 'Words',
  from: 0,
  'soft-from': 0,
  to: 100,
  'soft-to': 100,
  room: 60,
};
const FORMS = {
  styles: {
    one: 'rule',
    add: '+ Rule',
    head: ['For the series', 'Matching series', 'Set'],
    all: 'every series',
    narrow: 'Add a condition',
    fresh: { series: '*', width: 2 },
    ordered: true,
  },
  axes: {
    one: 'axis',
    add: '+ Axis',
    head: ['For the unit', 'On it now', 'Set'],
    all: 'the next unit',
    narrow: 'Name the unit',
    fresh: { side: 'right' },
  },
};

// `list` and `put` are of the rows, `caught` gives the names of the series of each.
export function rules(s, { list, put, caught, counted, feeds }) {
  const form = FORMS[s.name];
  const host = el('div', { class: 'rule-rows' });
  const fieldsOf = (group) => s.fields.filter((f) => f.group === group);

  function set(next) {
    put(next);
    fill();
    counted();
  }

  // A later rule wins: what it overrules for every series is struck out.
  function overruled(i, name) {
    if (!form.ordered) return -1;
    const mine = caught()[i];
    if (!mine?.length) return -1;
    return list().findIndex((r, k) => k > i && r[name] !== undefined && mine.every((c) => caught()[k]?.includes(c)));
  }

  function chips(rule, i, group) {
    const change = (name, v) =>
      set(
        list().map((r, k) => {
          if (k !== i) return r;
          const next = { ...r };
          if (v === undefined || v === '') delete next[name];
          else next[name] = v;
          return next;
        }),
      );
    const known = fieldsOf(group).filter((f) => rule[f.name] !== undefined);
    const one = (f) => {
      const by = group === 'Then' ? overruled(i, f.name) : -1;
      return el(
        'span',
        { class: 'rule-chip' + (by < 0 ? '' : ' overruled'), title: by < 0 ? f.about : `Rule ${by + 1} sets it for the same series` },
        el('span', { class: 'label' }, group === 'For' ? ASKS[f.name] : f.label),
        value(
          { ...f, otherwise: undefined },
          { get: () => rule[f.name], set: (v) => change(f.name, v), feeds, place: `${s.name}[${i}].${f.name}` },
        ),
      );
    };
    const add = el(
      'button',
      { type: 'button', class: 'chip add', 'aria-label': group === 'For' ? form.narrow : 'Set something', title: 'Add' },
      '+',
    );
    add.addEventListener('click', () => {
      const free = fieldsOf(group).filter((f) => rule[f.name] === undefined),
        names = free.map((f) => (group === 'For' ? ASKS[f.name] : f.label));
      pick(add, names, '', (text) => {
        const f = free[names.indexOf(text)];
        if (f) first(f, i, change);
      });
    });
    return el('span', { class: 'rule-chips' }, ...known.map(one), add);
  }

  // A value to begin with, which is then typed or stepped in place.
  function first(f, i, change) {
    const start = STARTS[f.name] ?? { choice: f.choices[0], truth: true, number: 1 }[f.form] ?? '*';
    change(f.name, start);
    const made = [...host.children][i]?.querySelectorAll('.value');
    [...(made ?? [])].find((b) => b.textContent === said(f, start))?.click();
  }

  function row(rule, i) {
    const now = el('span', { class: 'caught' });
    const out = el(
      'div',
      { class: 'rule', draggable: 'true' },
      el('span', { class: 'num' }, String(i + (form.ordered ? 1 : 2))),
      el('span', { class: 'grip', 'aria-hidden': 'true' }, '⋮⋮'),
      el('span', { class: 'rule-for' }, fieldsOf('For').some((f) => rule[f.name] !== undefined) ? '' : form.all, chips(rule, i, 'For')),
      now,
      chips(rule, i, 'Then'),
      el(
        'span',
        { class: 'rule-acts' },
        act('↑', `Move the ${form.one} up`, () => move(i, i - 1)),
        act('↓', `Move the ${form.one} down`, () => move(i, i + 1)),
        act('×', `Remove the ${form.one}`, () => set(list().filter((_, k) => k !== i))),
      ),
    );
    out.show = () => {
      const names = caught()[i];
      now.classList.toggle('nothing', names?.length === 0);
      now.textContent = !names
        ? ''
        : names.length
          ? names.slice(0, 3).join(', ') + (names.length > 3 ? ` and ${names.length - 3} more` : '')
          : 'nothing now';
      now.title = names?.join(', ') ?? '';
    };
    out.show();
    out.addEventListener('dragstart', (e) => {
      host.dragged = i;
      e.dataTransfer.setData('text/plain', String(i));
    });
    out.addEventListener('dragover', (e) => e.preventDefault());
    out.addEventListener('drop', (e) => {
      e.preventDefault();
      move(host.dragged, i);
    });
    return out;
  }

  const act = (text, words, on) => el('button', { type: 'button', 'aria-label': words, title: words, onclick: on }, text);

  function move(from, to) {
    if (to < 0 || to >= list().length || from === to) return;
    const next = [...list()];
    next.splice(to, 0, next.splice(from, 1)[0]);
    set(next);
  }

  function fill() {
    const all = list();
    host.replaceChildren(
      ...(all.length
        ? [el('div', { class: 'rule-head note' }, el('span'), el('span'), ...form.head.map((h) => el('span', {}, h)), el('span'))]
        : []),
      ...all.map(row),
      el('button', { type: 'button', class: 'text-accent', onclick: () => set([...list(), { ...form.fresh }]) }, form.add),
    );
  }
  fill();
  return host;
}
