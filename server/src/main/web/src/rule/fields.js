// Fields of a rule's sheet. Durations are written as people say them, and kept as documents write them.
import { el } from '../dom.js';

export const spoken = (text) =>
  String(text ?? '')
    .replace(/(\d)\s*(ms|[smhdw])/g, (all, n, u) => `${n} ${u === 'm' ? 'min' : u} `)
    .trim();

export const kept = (text) =>
  text
    .replace(/\s+/g, '')
    .replace(/minutes?|mins?(?![a-z])/gi, 'm')
    .replace(/seconds?|secs?(?![a-z])/gi, 's')
    .replace(/hours?/gi, 'h')
    .replace(/days?/gi, 'd');

// A number as it was meant; what is none stays a text, of which the server says what is wrong.
export function number(text) {
  const plain = text
    .trim()
    .replace(/[\s\u202f]*(%|°?[A-Za-z/]+)$/, '')
    .replace(/(\d)[ \u202f](?=\d{3})/g, '$1');
  return plain !== '' && Number.isFinite(Number(plain)) ? Number(plain) : text.trim();
}

// One that is changed when it is left, or with Enter. `place` is where its faults stand.
export function field({ value, label, place, width = 62, unit = '', read = (t) => t, off = false, key = place, hint = '' }, put) {
  const input = el('input', {
    class: 'field num',
    value,
    'aria-label': label,
    'data-place': place,
    'data-key': key,
    placeholder: hint,
    readonly: off ? '' : null,
    autocomplete: 'off',
    onchange: (e) => put(read(e.target.value)),
    onkeydown: (e) => {
      if (e.key !== 'Escape') return;
      e.target.value = value;
      e.target.blur();
    },
  });
  input.style.width = `${Math.max(width, String(value).length * 8.2 + 18)}px`;
  return unit ? el('span', { class: 'with-unit' }, input, el('span', { class: 'note' }, unit)) : input;
}

export const duration = (options, put) => field({ ...options, value: spoken(options.value), read: kept }, put);

export function choice({ value, label, choices, place, key = `${place}-choice`, off = false }, put) {
  return el(
    'select',
    {
      class: 'field fits',
      'aria-label': label,
      'data-place': place,
      'data-key': key,
      disabled: off ? '' : null,
      onchange: (e) => put(e.target.value),
    },
    ...choices.map(([word, text = word]) => el('option', { value: word, selected: word === value ? '' : null }, text)),
  );
}

// A part of the sheet is made anew without the focus being lost.
export function refill(host, ...children) {
  const key = host.contains(document.activeElement) ? document.activeElement.dataset.key : null;
  host.replaceChildren(...children);
  if (key) host.querySelector(`[data-key="${CSS.escape(key)}"]`)?.focus();
}

// A record less some of its fields.
export const without = (of, ...names) => Object.fromEntries(Object.entries(of).filter(([k]) => !names.includes(k)));
