// A number of a panel that a line gives: what is written, and the float that sets it.
import { sparkline } from '../sparkline.js';
import { el } from '../dom.js';

const WRITTEN = /^= *(each +)?([A-Za-z_][A-Za-z0-9_.]*|'[^']+') +or +(auto|-?[0-9.]+)$/,
  PLAIN = /^[A-Za-z_][A-Za-z0-9_.]*$/;

// { line, each, or } of what a document says; null of a plain number.
export function read(v) {
  const parts = typeof v === 'string' ? v.trim().match(WRITTEN) : null;
  return parts && { line: parts[2].replaceAll("'", ''), each: !!parts[1], or: parts[3] };
}

export const write = ({ line, each, or }) => `= ${each ? 'each ' : ''}${PLAIN.test(line) && line !== 'each' ? line : `'${line}'`} or ${or}`;

// Every feed of a panel: its place, what it says, and what people call the place.
export function all(panel, kind) {
  const out = [],
    label = (fields, name) => fields?.find((f) => f.name === name)?.label ?? name;
  (panel.limits ?? []).forEach((l, i) => add(`limits[${i}]`, l.above ?? l.below, `Limits, ${l.priority}`));
  for (const [name, v] of Object.entries(panel.options ?? {})) {
    const setting = kind.settings.find((s) => s.name === name);
    if (setting?.form === 'number') add(name, v, setting.label);
    if (setting?.form === 'records')
      v.forEach((rule, i) => {
        for (const [part, x] of Object.entries(rule))
          add(`${name}[${i}].${part}`, x, `Style rule ${i + 1}, ${label(setting.fields, part)}`);
      });
  }
  function add(place, v, words) {
    const feed = read(v);
    if (feed) out.push({ place, words, ...feed });
  }
  return out;
}

// The panel after a line got another name.
export function renamed(panel, from, to) {
  const change = (v) => {
    const feed = read(v);
    if (feed?.line === from) return write({ ...feed, line: to });
    if (Array.isArray(v)) return v.map(change);
    return v && typeof v === 'object' ? Object.fromEntries(Object.entries(v).map(([k, x]) => [k, change(x)])) : v;
  };
  const out = { ...panel };
  for (const part of ['limits', 'options']) if (out[part]) out[part] = change(out[part]);
  return out;
}

let open = null;

function close() {
  open?.anchor.isConnected && open.anchor.focus();
  open?.box.remove();
  open = null;
}

// `s` is the setting, `get` and `set` its value as written; `feeds` knows the lines and what they gave.
// `typed`: by its sign, so that a line is meant.
export function feed(anchor, s, { get, set, place, feeds, typed }) {
  open?.box.remove();
  const lines = feeds.lines(),
    now = read(get()),
    empty = s.otherwise === null || s.otherwise === undefined ? 'auto' : String(s.otherwise);
  let is = now ?? { line: lines.at(-1)?.name ?? '', each: false, or: Number.isFinite(get()) ? String(get()) : s.limit ? '0' : empty },
    from = now ? 'line' : 'number';

  const number = el('input', {
    class: 'field num',
    type: 'number',
    step: 'any',
    'aria-label': 'Number',
    value: now ? (is.or === 'auto' ? '' : is.or) : (get() ?? ''),
    // What is not a number yet changes nothing.
    oninput: (e) => {
      const { badInput } = e.target.validity;
      e.target.setAttribute('aria-invalid', String(badInput));
      if (badInput) return;
      from = 'number';
      put(e.target.value === '' ? undefined : Number(e.target.value));
    },
    onkeydown: (e) => {
      if (e.key !== '=') return;
      e.preventDefault();
      toLine();
    },
  });
  const line = el(
    'select',
    { class: 'field', 'aria-label': 'Line', onchange: (e) => give({ line: e.target.value }) },
    ...lines.map((l) => el('option', { value: l.name, selected: l.name === is.line }, l.name)),
  );
  const or = el('input', {
    class: 'field num',
    'aria-label': 'If it gives nothing',
    value: is.or,
    onchange: (e) => {
      const text = e.target.value.trim();
      if (text !== '' && (Number.isFinite(Number(text)) || (text === 'auto' && !s.limit))) give({ or: text });
      e.target.value = is.or;
    },
  });
  const use = (each, words) => el('button', { type: 'button', onclick: () => give({ each }), 'data-each': String(each) }, words);
  const uses = el(
    'span',
    { class: 'choice', role: 'group', 'aria-label': 'Use' },
    use(false, 'its last value'),
    use(true, 'value at each time'),
  );
  const gives = el('div', { class: 'feed-gives', role: 'status' }),
    radio = (value, words) =>
      el('input', {
        type: 'radio',
        name: 'feed-from',
        value,
        'aria-label': words,
        onchange: () => (value === 'line' ? give({}) : plain()),
      });
  const sources = [radio('number', 'A number'), radio('line', 'A line')];
  const more = el(
    'div',
    { class: 'feed-more' },
    gives,
    s.limit ? el('div', { class: 'feed-row' }, el('span', { class: 'note' }, 'use'), uses) : null,
    el('label', { class: 'feed-row' }, el('span', { class: 'note' }, 'fallback'), or),
  );
  const box = el(
    'div',
    { class: 'feed-float', role: 'dialog', 'aria-label': `Source of ${s.title ?? s.label}` },
    el(
      'header',
      {},
      el('h3', {}, s.title ?? s.label),
      el('button', { type: 'button', class: 'key', onclick: close, 'aria-label': 'Close' }, 'Esc'),
    ),
    el('div', { class: 'feed-from' }, sources[0], el('span', {}, 'Number'), number),
    el('div', { class: 'feed-from' }, sources[1], el('span', {}, 'Line'), line),
    lines.length ? null : el('p', { class: 'note' }, 'No line has a name yet. Add a line, or name the one there is.'),
    more,
  );

  function put(v) {
    set(v);
    show();
  }
  function plain() {
    from = 'number';
    put(Number.isFinite(Number(is.or)) ? Number(is.or) : undefined);
    number.value = Number.isFinite(Number(is.or)) ? is.or : '';
  }
  function give(change) {
    if (!lines.length) return show();
    from = 'line';
    is = { ...is, ...change };
    put(write(is));
  }
  // As it is written in a file: = line.
  function toLine() {
    give({});
    if (lines.length) line.focus();
  }
  function show() {
    sources[0].checked = from === 'number';
    sources[1].checked = from === 'line';
    sources[1].disabled = line.disabled = !lines.length;
    more.hidden = from !== 'line';
    for (const b of uses.children) b.setAttribute('aria-pressed', String(b.dataset.each === String(is.each)));
    const value = from === 'line' ? feeds.at(place) : null;
    gives.classList.toggle('nothing', !!value?.fault);
    gives.replaceChildren(
      ...(value
        ? [
            el('strong', {}, value.text),
            el('span', { class: 'note' }, value.fault ? `${value.fault}.` : [feeds.age(value.at), value.words].filter(Boolean).join('; ')),
            value.course?.series.length ? sparkline(value.course, 276, 34) : '',
          ]
        : ['Reading …']),
    );
    const chosen = lines.find((l) => l.name === is.line);
    if (from === 'line' && chosen && !chosen.hidden)
      gives.append(
        el('span', { class: 'note' }, 'The line is drawn too.'),
        el(
          'button',
          {
            type: 'button',
            class: 'text-accent',
            onclick: () => {
              feeds.hide(chosen.name);
              chosen.hidden = true;
              show();
            },
          },
          'Hide it',
        ),
      );
  }

  box.addEventListener('keydown', (e) => {
    if (e.key !== 'Escape' && !(e.key === 'Enter' && e.target === number)) return;
    close();
    e.preventDefault();
    e.stopPropagation();
  });
  document.body.append(box);
  open = { box, anchor, show, place };
  const r = anchor.getBoundingClientRect();
  box.style.left = Math.max(8, Math.min(r.left, innerWidth - 340)) + 'px';
  box.style.top = Math.max(8, Math.min(r.bottom + 6, innerHeight - 360)) + 'px';
  show();
  if (from === 'line') line.focus();
  else if (typed) toLine();
  else number.focus();
}

// What the lines gave has come: the float shows it.
export const told = () => open?.show();

addEventListener(
  'pointerdown',
  (e) => {
    if (open && !open.box.contains(e.target)) {
      open.box.remove();
      open = null;
    }
  },
  true,
);
