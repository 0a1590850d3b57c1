// The query editor: CodeMirror in a shadow root, since the content security policy forbids style elements.
import { autocompletion, closeBrackets, completionKeymap } from '@codemirror/autocomplete';
import { defaultKeymap, history, historyKeymap } from '@codemirror/commands';
import { HighlightStyle, StreamLanguage, syntaxHighlighting } from '@codemirror/language';
import { EditorState } from '@codemirror/state';
import { EditorView, keymap, placeholder } from '@codemirror/view';
import { tags } from '@lezer/highlight';

const KEYWORDS = new Set(['then', 'where', 'in', 'and', 'or', 'not', 'like', 'matches', 'exists', 'on', 'by', 'without', 'every', 'over', 'per', 'hidden']);

const language = StreamLanguage.define({
  token(s) {
    if (s.eatSpace()) return null;
    if (s.match(/'(?:[^']|'')*'?/)) return 'string';
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

export function editor(host, text, words, onChange) {
  const complete = (context) => {
    const before = context.state.sliceDoc(0, context.pos);
    const value = /(\w[\w.]*)\s*(?:!?=|(?:not\s+)?(?:in\s*\([^)]*|like|matches))\s*'([^']*)$/.exec(before);
    if (value) return { from: context.pos - value[2].length, options: (words().labels[value[1]] || []).map((v) => ({ label: v, apply: v })) };
    const word = context.matchBefore(/[\w.]*/);
    if (!word || (word.from === word.to && !context.explicit && !/(then|where|and|or|by|without)\s+$/.test(before))) return null;
    const lead = before.slice(0, word.from);
    if (/\bthen\s+$/.test(lead)) return { from: word.from, options: words().steps.map((s) => ({ label: s.word, detail: s.form.replace(s.word, '').trim() })) };
    if (/\b(where|and|or|not|by|without|,)\s+$/.test(lead)) return { from: word.from, options: Object.keys(words().labels).map((l) => ({ label: l, detail: 'label' })) };
    const lines = [...before.matchAll(/^\s*([\w.]+)\s*:/gm)].map((m) => ({ label: m[1], detail: 'line' }));
    return { from: word.from, options: [...lines, ...words().metrics.map((m) => ({ label: m.name, detail: m.kind })), { label: 'then', detail: 'step' }, { label: 'where', detail: 'condition' }] };
  };
  const root = host.attachShadow({ mode: 'open' });
  const view = new EditorView({
    root,
    parent: root,
    state: EditorState.create({
      doc: text,
      extensions: [
        history(), closeBrackets(), language, syntaxHighlighting(style), look, EditorView.lineWrapping,
        autocompletion({ override: [complete], icons: false }),
        keymap.of([...completionKeymap, ...defaultKeymap, ...historyKeymap]),
        placeholder('Pick a metric at the left, or type one:  scan.attempts then rate per minute then sum by gate'),
        EditorView.contentAttributes.of({ 'aria-label': 'Query' }),
        EditorView.updateListener.of((u) => { if (u.docChanged) onChange(u.state.doc.toString()); }),
      ],
    }),
  });
  return {
    view,
    get: () => view.state.doc.toString(),
    set: (t) => view.dispatch({ changes: { from: 0, to: view.state.doc.length, insert: t } }),
    focus: () => view.focus(),
  };
}
