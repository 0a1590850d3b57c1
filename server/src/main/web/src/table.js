// A table of cells that the server formatted, and files handed to the person.
import { el } from './dom.js';

export function table(data) {
  const head = el('tr', {}, ...data.heads.map((h) => el('th', { scope: 'col', class: h.number ? 'right' : '' }, h.name)));
  const rows = data.rows.map((row) =>
    el('tr', {}, ...row.map((cell, i) => el('td', { class: data.heads[i].number ? 'right num' : '' }, cell))),
  );
  const out = el(
    'div',
    { class: 'scroller', tabindex: '0', role: 'region', 'aria-label': 'Table' },
    el('table', { class: 'grid-table' }, el('thead', {}, head), el('tbody', {}, ...rows)),
  );
  if (data.left) out.append(el('p', { class: 'note' }, `${data.left} more ${data.left === 1 ? 'row' : 'rows'} not shown.`));
  return out;
}

// Hands a text, or an image as a data address, to the person as a file.
export function save(name, content) {
  const image = content.startsWith('data:');
  const type = name.endsWith('.svg') ? 'image/svg+xml' : 'text/csv',
    link = el('a', { href: image ? content : URL.createObjectURL(new Blob([content], { type })), download: name });
  link.click();
  if (!image) URL.revokeObjectURL(link.href);
}
