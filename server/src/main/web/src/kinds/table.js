import { el } from '../dom.js';

// Rows are sorted by a press on a head, narrowed by words; both stay while new rows arrive.
export function mount(body) {
  let by = null,
    down = true,
    words = '',
    last = null;
  const find = el('input', { class: 'field find', type: 'search', placeholder: 'Filter rows', 'aria-label': 'Filter rows' });
  const host = el('div', { class: 'scroller', tabindex: '0', role: 'region', 'aria-label': 'Table' });
  body.append(find, host);
  find.addEventListener('input', () => {
    words = find.value.toLowerCase();
    show();
  });

  function cell(c, number) {
    const text = c.href ? el('a', { href: c.href }, c.text) : c.text,
      out = el('td', { class: (number ? 'right num' : '') + (c.passed ? ' passed-' + c.passed : '') }, text);
    if (c.bar != null) {
      out.classList.add('has-bar');
      out.style.setProperty('--part', c.bar + '%');
    }
    return out;
  }

  function order(a, b) {
    const [x, y] = [a[by], b[by]];
    const less =
      x.sort != null && y.sort != null ? x.sort - y.sort : x.sort != null ? 1 : y.sort != null ? -1 : x.text.localeCompare(y.text);
    return down ? -less : less;
  }

  function head(h, i) {
    const state = by === i ? (down ? 'descending' : 'ascending') : 'none',
      press = () => {
        down = by === i ? !down : h.number;
        by = i;
        show();
      };
    const out = el(
      'th',
      { scope: 'col', class: h.number ? 'right' : '', 'aria-sort': state },
      el('button', { type: 'button', onclick: press }, h.name, state === 'none' ? '' : down ? ' ↓' : ' ↑'),
    );
    if (h.width) for (const side of ['width', 'minWidth', 'maxWidth']) out.style[side] = `${h.width}px`;
    return out;
  }

  function show() {
    const has = (row) => row.some((c) => c.text.toLowerCase().includes(words));
    const rows = words ? last.rows.filter(has) : [...last.rows];
    if (by != null && by < last.heads.length) rows.sort(order);
    const top = host.scrollTop;
    host.replaceChildren(
      el(
        'table',
        { class: 'grid-table' },
        el('thead', {}, el('tr', {}, ...last.heads.map(head))),
        el('tbody', {}, ...rows.map((row) => el('tr', {}, ...row.map((c, i) => cell(c, last.heads[i].number))))),
      ),
    );
    if (!rows.length) host.append(el('p', { class: 'note' }, words ? 'No row contains this.' : 'No rows.'));
    if (last.left) host.append(el('p', { class: 'note' }, `${last.left} more ${last.left === 1 ? 'row' : 'rows'} not shown.`));
    host.scrollTop = top;
  }

  return {
    update(drawing) {
      last = drawing;
      find.hidden = drawing.rows.length < 12 && !words;
      show();
    },
    dispose() {},
    size: () => [0, 0],
  };
}
