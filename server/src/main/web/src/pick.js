// A pick list under a chip: type to narrow, or to say something of one's own.
import { el } from './dom.js';

let open = null;

export function close() {
  open?.remove();
  open = null;
}

export function pick(anchor, choices, now, chosen) {
  close();
  let shown = [],
    at = -1;
  const input = el('input', {
    class: 'field',
    'aria-label': 'Choose or type',
    value: now,
    placeholder: choices.length ? 'Type to filter' : '',
  });
  const list = el('ul', { role: 'listbox' });
  const box = el('div', { class: 'pick', role: 'dialog', 'aria-label': 'Choose' }, input, list);
  const take = (text) => {
    close();
    anchor.focus();
    if (text !== '') chosen(text);
  };
  const fill = (all) => {
    const word = all ? '' : input.value.toLowerCase();
    shown = choices.filter((c) => c.toLowerCase().includes(word)).slice(0, 100);
    at = all ? shown.indexOf(now) : shown.length && word ? 0 : -1;
    list.replaceChildren(
      ...shown.map((c, i) => el('li', { role: 'option', 'aria-selected': String(i === at), onclick: () => take(c) }, c)),
    );
    list.children[at]?.scrollIntoView({ block: 'nearest' });
  };
  input.addEventListener('input', () => fill(false));
  input.addEventListener('keydown', (e) => {
    if (e.key === 'Escape') {
      close();
      anchor.focus();
      e.stopPropagation();
    } else if (e.key === 'Enter') {
      e.preventDefault();
      take(
        at >= 0 && !(input.value !== now && !shown.some((c) => c.toLowerCase().includes(input.value.toLowerCase())))
          ? shown[at]
          : input.value,
      );
    } else if (e.key === 'ArrowDown' || e.key === 'ArrowUp') {
      e.preventDefault();
      at = Math.max(0, Math.min(shown.length - 1, at + (e.key === 'ArrowDown' ? 1 : -1)));
      [...list.children].forEach((li, i) => li.setAttribute('aria-selected', String(i === at)));
      list.children[at]?.scrollIntoView({ block: 'nearest' });
    }
  });
  document.body.append(box);
  open = box;
  const r = anchor.getBoundingClientRect();
  box.style.left = Math.min(r.left, innerWidth - 300) + 'px';
  box.style.top = r.bottom + 4 + Math.min(0, innerHeight - 64 - r.bottom - 290) + 'px';
  fill(true);
  input.focus();
  input.select();
}

addEventListener(
  'pointerdown',
  (e) => {
    if (open && !open.contains(e.target)) close();
  },
  true,
);
