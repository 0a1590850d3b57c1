// The lines of a query, as chips or as text, with what is wrong and what is advised: on the Bench, in a panel's sheet, as
// often on a page as is wanted. Parts that the host has already (data-part) are used, others are made.
import { editor } from './editor.js';
import { ledger } from './ledger.js';
import { el, post } from './dom.js';

// `query` gives the text; `change` takes it after a change, with what it was, a renaming, and whether it was typed.
// `feeds` names the settings that a line feeds; `active` is told which line has the attention; typing is handed on after
// `delay` ms.
export function queryEditor(host, { query, change, feeds, active = () => {}, label, hint, delay = 0 }) {
  const part = (name, attributes) =>
      host.querySelector(`[data-part=${name}]`) ?? host.appendChild(el('div', { 'data-part': name, ...attributes })),
    fault = part('fault', { class: 'fault', role: 'status' }),
    text = part('text', { class: 'editor', hidden: '' }),
    rows = part('lines', {}),
    advice = part('advice', {});
  let as = 'chips',
    at = 0,
    timer = 0,
    refused = false;

  // What an answer says goes with the next answer; why an edit was refused stays until the text changes.
  function tell(words, byEdit = false) {
    fault.textContent = words;
    refused = byEdit && words !== '';
  }

  const typed = editor(
    text,
    query(),
    (written) => {
      clearTimeout(timer);
      if (written === query()) return;
      tell('');
      if (delay) timer = setTimeout(() => change(written, 'lines', null, true), delay);
      else change(written, 'lines', null, true);
    },
    { ...(label ? { label } : {}), ...(hint ? { hint } : {}) },
  );
  const lines = ledger(rows, {
    query,
    change(next, words, renaming) {
      tell('');
      typed.set(next);
      change(next, words ?? 'lines', renaming, false);
    },
    fault: (e) => tell(e.message, true),
    feeds,
    active(line) {
      if (line === undefined) return at;
      const was = at;
      at = line;
      mark();
      if (line !== was) active(line);
    },
  });

  const mark = () => [...rows.children].forEach((box, i) => box.classList.toggle('active', i === at));

  for (const button of host.querySelectorAll('[data-as]')) button.addEventListener('click', () => write(button.dataset.as));

  function write(how) {
    as = how;
    for (const b of host.querySelectorAll('[data-as]')) b.setAttribute('aria-pressed', String(b.dataset.as === as));
    text.hidden = as !== 'text';
    rows.hidden = as === 'text';
    if (as === 'text') typed.focus();
  }

  function advise(all) {
    const apply = (a) => {
      typed.set(a.change.query);
      change(a.change.query, a.change.words.toLowerCase(), null, false);
    };
    advice.replaceChildren(
      ...all.map((a) =>
        el(
          'p',
          { class: 'advice' },
          el('span', {}, '▸'),
          el(
            'span',
            {},
            a.text,
            a.change ? el('button', { type: 'button', class: 'change', onclick: () => apply(a) }, a.change.words) : null,
          ),
        ),
      ),
    );
  }

  // What fails has chips all the same, as long as it can be read: they show what is to be changed. False if it can't be.
  async function outlined() {
    const text = query(),
      outline = text.trim() ? await post('/queries/outline', { query: text }).catch(() => null) : null;
    if (outline?.length && text === query()) {
      at = Math.max(0, Math.min(at, outline.length - 1));
      lines.put(outline);
      mark();
      advise([]);
    }
    return !!outline?.length;
  }

  return {
    outlined,
    lines,
    rows,
    write,
    writesText: () => as === 'text',
    active: () => at,
    // The line that a change adds or concerns.
    turn: (line) => (at = line),
    say: (words) => tell(words),
    heard: () => tell(''),
    set(next) {
      tell('');
      typed.set(next);
    },
    put(outline, advised) {
      if (!refused) tell('');
      at = Math.max(0, Math.min(at, outline.length - 1));
      lines.put(outline);
      mark();
      advise(advised);
    },
  };
}
