// A rule that is being edited: its document, the steps to undo, and what becomes of it.
import { csrf, el } from '../dom.js';

const STALE = 412;

export function draft(document, { bar, trouble, name, version, canEdit, changed, failed }) {
  let doc = document,
    saved = JSON.stringify(doc),
    on = version;
  const undos = [],
    redos = [],
    button = (text, look, does) => el('button', { class: `btn${look}`, type: 'button', onclick: does }, text),
    unsaved = el('span', { class: 'note unsaved', 'aria-live': 'polite' }),
    undo = button('Undo', ' named-step', () => step(undos, redos)),
    redo = button('Redo', ' named-step', () => step(redos, undos)),
    discard = button('Discard', '', leave),
    keep = button(name ? 'Save' : 'Create rule', ' main', save);
  if (canEdit) bar.replaceChildren(unsaved, undo, redo, discard, keep);
  if (canEdit && name) bar.append(menu());
  const isChanged = () => JSON.stringify(doc) !== saved;
  addEventListener('beforeunload', (e) => isChanged() && canEdit && e.preventDefault());

  function menu() {
    const item = (href, text) => el('a', { href }, text);
    return el(
      'details',
      { class: 'menu' },
      el('summary', { class: 'btn' }, 'More'),
      el(
        'div',
        { class: 'help-menu' },
        item(`/watch/rules/new?copy=${encodeURIComponent(name)}`, 'Copy'),
        item(`/definitions/rule/${encodeURIComponent(name)}`, 'History'),
      ),
    );
  }

  function words() {
    const u = undos.at(-1),
      r = redos.at(-1);
    undo.disabled = !u;
    redo.disabled = !r;
    redo.hidden = !r;
    undo.title = u ? `Undo ${u.words}` : '';
    redo.title = r ? `Redo ${r.words}` : '';
    discard.hidden = !isChanged();
    keep.disabled = name ? !isChanged() : !(doc.query ?? '').trim();
    unsaved.textContent = isChanged() && undos.length ? `${undos.length} unsaved change${undos.length > 1 ? 's' : ''}` : '';
  }

  // What is typed or dragged joins the step before while its field is the same.
  function change(make, what, joins, how) {
    const end = undos.at(-1);
    if (!(joins && end?.joins === joins)) undos.push({ words: what, joins, doc });
    redos.length = 0;
    doc = make(structuredClone(doc));
    words();
    changed(how);
  }

  function step(from, to) {
    const one = from.pop();
    if (!one) return;
    to.push({ ...one, doc });
    doc = one.doc;
    words();
    changed({});
  }

  function put(path, value, what, joins = null, how = {}) {
    change(
      (next) => {
        let at = next;
        for (const key of path.slice(0, -1)) at = at[key];
        if (value === undefined) delete at[path.at(-1)];
        else at[path.at(-1)] = value;
        return next;
      },
      what,
      joins,
      how,
    );
  }

  function leave() {
    if (!confirm('Discard all changes since the last save?')) return;
    saved = JSON.stringify(doc);
    location.href = name ? location.href : '/watch/rules';
    if (name) location.reload();
  }

  async function save() {
    if (keep.disabled) return;
    keep.disabled = true;
    trouble.replaceChildren();
    try {
      const answer = await fetch('/watch/rules/save', {
          method: 'POST',
          body: new URLSearchParams({ document: JSON.stringify(doc), name, version: on }),
          headers: { 'X-CSRF-TOKEN': csrf() },
        }),
        told = await answer.json();
      if (answer.ok) {
        saved = JSON.stringify(doc);
        location.href = `/watch/rules/${told.name}${location.search.replace(/[?&](query|title|unit|copy)=[^&]*/g, '').replace(/^&/, '?')}`;
        return;
      }
      if (answer.status === STALE) stale(told);
      else {
        const faults = told.faults ?? [{ place: '', text: told.error?.text ?? 'The rule could not be saved.' }];
        failed(faults);
        const stray = faults.filter((f) => !f.place);
        trouble.replaceChildren(...stray.map((f) => el('div', { class: 'fault' }, f.text)));
      }
    } catch {
      trouble.replaceChildren(el('div', { class: 'fault' }, 'Server unreachable. Your changes are still here; save again later.'));
    }
    words();
  }

  function stale(told) {
    trouble.replaceChildren(
      el('div', { class: 'fault' }, `Saved meanwhile by ${told.by}: ${told.changes.join('; ') || 'other changes'}.`),
      el(
        'div',
        { class: 'flex gap-2 mt-2 mb-3' },
        el(
          'button',
          {
            class: 'btn',
            type: 'button',
            onclick: () => {
              on = told.version;
              trouble.replaceChildren();
              save();
            },
          },
          'Overwrite',
        ),
        el('a', { class: 'btn', href: location.href, target: '_blank', rel: 'noopener' }, 'Open the saved version'),
      ),
    );
  }

  words();
  return {
    doc: () => doc,
    changed: isChanged,
    put,
    change,
    save,
    undo: () => step(undos, redos),
    redo: () => step(redos, undos),
    canEdit,
    // What the page proposes at the start is no change of anybody's.
    begin(fields) {
      doc = { ...doc, ...fields };
      words();
    },
  };
}
