// What is wrong stands at its field, what is doubtful under it.
import { el } from '../dom.js';

export function marked(root, faults, advice, query) {
  for (const old of root.querySelectorAll('.place-fault, .place-advice')) old.remove();
  for (const input of root.querySelectorAll('[aria-invalid]')) {
    input.removeAttribute('aria-invalid');
    input.removeAttribute('aria-describedby');
  }
  query.heard();
  const stray = [];
  faults.forEach((f, i) => {
    if (f.place === 'query') return query.say(f.text);
    const input = near(root, f.place);
    if (!input) return stray.push(f);
    const id = `place-fault-${i}`,
      row = input.closest('[data-row]') ?? input.parentElement;
    input.setAttribute('aria-invalid', 'true');
    input.setAttribute('aria-describedby', id);
    row.append(el('p', { class: 'place-fault fault', id, role: 'status' }, `${f.text}`));
  });
  const trouble = root.querySelector('[data-says]');
  trouble.querySelector('.stray')?.remove();
  if (stray.length)
    trouble.prepend(
      el('p', { class: 'fault stray', role: 'status' }, stray.map((f) => [f.place, f.text].filter(Boolean).join(': ')).join('; ')),
    );
  for (const a of advice) {
    const row = root.querySelector(`[data-row="${CSS.escape(a.place)}"]`);
    row?.append(el('p', { class: 'place-advice advice' }, el('span', {}, '▸'), el('span', {}, a.text)));
  }
}

// The field of a place, or of the nearest place around it.
function near(root, place) {
  for (let at = place; at; at = at.replace(/(\.[^.[]*|\[\d+\])$/, (m) => (m === at ? '' : ''))) {
    const input = root.querySelector(`[data-place="${CSS.escape(at)}"]`);
    if (input) return input;
  }
  return null;
}
