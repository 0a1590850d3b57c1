// The rest of a rule: how often it is checked, its unit, labels, owner, runbook and the texts of its messages.
import { el } from '../dom.js';
import { duration, field, refill } from './fields.js';

const TEXTS = [
  ['description', 'Description', 'What it is for'],
  ['owner', 'Owner', 'Platform team'],
  ['runbook', 'Runbook', 'https://…'],
];

export function more(host, { state, answer }) {
  const off = !state.canEdit;
  let open = false;
  const put = (key, v, words, how = { query: false, held: true }) => state.put([key], v === '' ? undefined : v, words, null, how);

  const labelled = (text, key, input) => el('label', { class: 'rule-more-row', 'data-row': key }, el('span', {}, text), input);

  function labels() {
    const text = Object.entries(state.doc().labels ?? {})
      .map(([k, v]) => `${k}=${v}`)
      .join(', ');
    return field({ value: text, label: 'Labels', place: 'labels', hint: 'team=platform', off }, (v) => {
      const out = {};
      for (const pair of v
        .split(',')
        .map((x) => x.trim())
        .filter(Boolean)) {
        const [, k, value] = pair.match(/^([^=:]+)[=:](.*)$/) ?? [null, pair, ''];
        out[k.trim()] = value.trim();
      }
      put('labels', Object.keys(out).length ? out : '', 'labels');
    });
  }

  function show() {
    const doc = state.doc();
    refill(
      host,
      el(
        'div',
        { class: 'rule-line', 'data-row': 'every' },
        el('span', { class: 'note' }, 'Checked every'),
        duration({ value: doc.every ?? '10s', label: 'Time between two checks', place: 'every', width: 56, off }, (v) =>
          put('every', v, 'interval', { query: false }),
        ),
        el('span', { class: 'note' }, ', evaluated'),
        duration({ value: doc.behind ?? '5s', label: 'How far behind now', place: 'behind', width: 48, off }, (v) =>
          put('behind', v, 'evaluation delay', { query: false }),
        ),
        el('span', { class: 'note' }, 'behind now'),
      ),
      el(
        'details',
        { class: 'rule-more', open: open ? '' : null, ontoggle: (e) => (open = e.target.open) },
        el('summary', { 'data-key': 'more-fields' }, 'Unit, labels, owner, runbook'),
        labelled(
          'Unit',
          'unit',
          field({ value: doc.unit ?? '', label: 'Unit of the values', place: 'unit', hint: answer()?.unit ?? '', off }, (v) =>
            put('unit', v.trim(), 'unit'),
          ),
        ),
        labelled('Labels', 'labels', labels()),
        ...TEXTS.map(([key, text, hint]) =>
          labelled(
            text,
            key,
            field({ value: doc[key] ?? '', label: text, place: key, hint, off }, (v) => put(key, v.trim(), text.toLowerCase())),
          ),
        ),
        labelled(
          'Closed after',
          'close-after',
          duration(
            { value: doc['close-after'] ?? '1d', label: 'Time without values after which a series is closed', place: 'close-after', off },
            (v) => put('close-after', v === '1d' ? '' : v, 'closing'),
          ),
        ),
      ),
    );
  }
  return { show };
}
