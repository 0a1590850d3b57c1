// The query editor: CodeMirror in a shadow root, since the content security policy forbids style elements.
import { autocompletion, closeBrackets, completionKeymap } from '@codemirror/autocomplete';
import { defaultKeymap, history, historyKeymap } from '@codemirror/commands';
import { HighlightStyle, StreamLanguage, syntaxHighlighting } from '@codemirror/language';
import { EditorState } from '@codemirror/state';
import { EditorView, keymap, placeholder } from '@codemirror/view';
import { tags } from '@lezer/highlight';
import { post } from './dom.js';

const KEYWORDS = new Set([
  'then',
  'where',
  'in',
  'and',
  'or',
  'not',
  'like',
  'matches',
  'exists',
  'on',
  'missing',
  'by',
  'without',
  'every',
  'over',
  'per',
  'hidden',
  'off',
  'sql',
  'events',
]);

// A text in quotes can go over several lines; `within` is the quote that ends it.
const language = StreamLanguage.define({
  startState: () => ({ within: '' }),
  token(s, state) {
    if (!state.within) {
      if (s.eatSpace()) return null;
      state.within = s.match('"""') ? '"""' : s.match("'") ? "'" : '';
      if (state.within && s.eol()) return 'string';
    }
    if (state.within) {
      if (s.skipTo(state.within)) {
        s.match(state.within);
        state.within = '';
      } else s.skipToEnd();
      return 'string';
    }
    if (s.match(/"(?:[^"]|"")*"?/)) return 'variableName';
    if (s.match(/\d[\w.]*/)) return 'number';
    if (s.match(/\$\w+/)) return 'labelName';
    const word = s.match(/[\p{L}_][\p{L}\p{N}_]*(?:\.[\p{L}\p{N}_]+)*/u);
    if (word) {
      if (KEYWORDS.has(word[0])) return 'keyword';
      return s.match(/\s*:/, false) ? 'labelName' : 'variableName';
    }
    s.next();
    return 'operator';
  },
});

const style = HighlightStyle.define([
  { tag: tags.keyword, color: 'var(--accent)', fontWeight: '600' },
  { tag: tags.string, color: 'var(--high)' },
  { tag: tags.number, color: 'var(--low)' },
  { tag: tags.labelName, color: 'var(--medium)', fontWeight: '600' },
]);

const look = EditorView.theme({
  '&': { fontSize: '13.5px', color: 'var(--ink)', backgroundColor: 'transparent' },
  '.cm-content': { fontFamily: 'var(--font-mono)', padding: '8px 4px', caretColor: 'var(--ink)' },
  '&.cm-focused': { outline: 'none' },
  '.cm-placeholder': { color: 'var(--faint)' },
  '.cm-tooltip': { backgroundColor: 'var(--sheet)', border: '1px solid var(--line)', borderRadius: '4px', boxShadow: 'var(--float)' },
  '.cm-tooltip-autocomplete ul li': { fontFamily: 'var(--font-mono)', fontSize: '13px', padding: '2px 8px', color: 'var(--ink)' },
  '.cm-tooltip-autocomplete ul li[aria-selected]': { backgroundColor: 'var(--select)', color: 'var(--ink)' },
  '.cm-completionDetail': { fontStyle: 'normal', color: 'var(--faint)', marginLeft: '1em' },
});

const HINT = 'Pick a metric on the left, or type a query, for example:  scan.attempts then rate per minute then sum by gate';

// What can stand at the cursor is asked of the server, which knows the metrics and where the query is.
async function complete(context) {
  const before = context.state.sliceDoc(Math.max(0, context.pos - 1), context.pos);
  if (!context.explicit && !/[\p{L}\p{N}_.' ]/u.test(before)) return null;
  const found = await post('/bench/complete', { text: context.state.doc.toString(), at: context.pos }).catch(() => null);
  if (!found || context.aborted || !found.options.length) return null;
  return {
    from: found.from,
    options: found.options.map((o) => ({
      label: o.text,
      detail: o.detail || (o.kind === 'keyword' ? '' : o.kind),
      apply: o.written,
    })),
    filter: false,
  };
}

// `label` names the field to those who don't see it; `hint` stands where nothing is written yet.
export function editor(host, text, onChange, { label = 'Query', hint = HINT } = {}) {
  const root = host.attachShadow({ mode: 'open' });
  const view = new EditorView({
    root,
    parent: root,
    state: EditorState.create({
      doc: text,
      extensions: [
        history(),
        closeBrackets(),
        language,
        syntaxHighlighting(style),
        look,
        EditorView.lineWrapping,
        autocompletion({ override: [complete], icons: false }),
        keymap.of([...completionKeymap, ...defaultKeymap, ...historyKeymap]),
        placeholder(hint),
        EditorView.contentAttributes.of({ 'aria-label': label }),
        EditorView.updateListener.of((u) => {
          if (u.docChanged) onChange(u.state.doc.toString());
        }),
      ],
    }),
  });
  return {
    view,
    get: () => view.state.doc.toString(),
    set: (t) => {
      if (t !== view.state.doc.toString()) view.dispatch({ changes: { from: 0, to: view.state.doc.length, insert: t } });
    },
    focus: () => view.focus(),
  };
}
