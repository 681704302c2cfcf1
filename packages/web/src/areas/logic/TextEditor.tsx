/** Structured text: a code editor with highlighting, completion of tags and problems where they are. */
import { autocompletion, type CompletionContext } from '@codemirror/autocomplete';
import { defaultKeymap, history, historyKeymap, indentWithTab } from '@codemirror/commands';
import { HighlightStyle, StreamLanguage, bracketMatching, indentUnit, syntaxHighlighting } from '@codemirror/language';
import { lintGutter, setDiagnostics } from '@codemirror/lint';
import { EditorState } from '@codemirror/state';
import { EditorView, highlightActiveLine, keymap, lineNumbers } from '@codemirror/view';
import { tags as t } from '@lezer/highlight';
import { useEffect, useRef } from 'react';
import { useSearchParams } from 'react-router';
import type { ProjectPou } from '@ferrule/core';
import { benchStore, useBench } from '../../bench/live.js';
import { useDocument } from '../../document/store.js';

const KEYWORDS = new Set('IF THEN ELSIF ELSE END_IF CASE OF END_CASE FOR TO BY DO END_FOR WHILE END_WHILE REPEAT UNTIL END_REPEAT RETURN EXIT CONTINUE FUNCTION END_FUNCTION FUNCTION_BLOCK END_FUNCTION_BLOCK PROGRAM END_PROGRAM VAR VAR_INPUT VAR_OUTPUT VAR_IN_OUT VAR_TEMP VAR_GLOBAL VAR_EXTERNAL END_VAR CONSTANT RETAIN AT AND OR XOR NOT MOD ARRAY STRUCT END_STRUCT TYPE END_TYPE'.split(' '));
const TYPES = new Set('BOOL BYTE WORD DWORD LWORD SINT INT DINT LINT USINT UINT UDINT ULINT REAL LREAL TIME LTIME TON TOF TP CTU CTD CTUD R_TRIG F_TRIG SR RS'.split(' '));

const language = StreamLanguage.define<{ comment: string }>({
  name: 'structured-text',
  startState: () => ({ comment: '' }),
  token(stream, state) {
    if (state.comment) { if (stream.skipTo(state.comment)) { stream.match(state.comment); state.comment = ''; } else stream.skipToEnd(); return 'comment'; }
    if (stream.match('(*') || stream.match('/*')) { state.comment = stream.current() === '(*' ? '*)' : '*/'; return 'comment'; }
    if (stream.match('//')) { stream.skipToEnd(); return 'comment'; }
    if (stream.match(/^'(?:\$.|[^'$])*'?/) || stream.match(/^"(?:\$.|[^"$])*"?/)) return 'string';
    if (stream.match(/^(?:L?T|L?TIME)#[-\w.]+/i) || stream.match(/^\d[\d_]*(?:#[\dA-F_]+|\.\d+(?:E[+-]?\d+)?)?/i) || stream.match(/^%[IQM][XBWDL]?[\d.]+/i)) return 'number';
    const word = stream.match(/^[A-Za-z_]\w*/) as RegExpMatchArray | null;
    if (word) { const w = word[0].toUpperCase(); return KEYWORDS.has(w) ? 'keyword' : TYPES.has(w) ? 'typeName' : w === 'TRUE' || w === 'FALSE' ? 'number' : 'variableName'; }
    stream.next();
    return null;
  },
});

const colours = HighlightStyle.define([
  { tag: t.keyword, color: 'var(--copper-ink)', fontWeight: '600' }, { tag: t.comment, color: 'var(--faint)', fontStyle: 'italic' }, { tag: t.number, color: 'var(--ink)', fontWeight: '500' },
  { tag: t.string, color: 'var(--soft)' }, { tag: t.typeName, color: 'var(--soft)', fontWeight: '600' },
]);
const theme = EditorView.theme({
  '&': { height: '100%', fontSize: '12.5px', color: 'var(--ink)', backgroundColor: 'var(--sheet)' }, '.cm-content': { fontFamily: 'var(--font-mono)', caretColor: 'var(--copper)' }, '.cm-gutters': { backgroundColor: 'var(--sunk)', color: 'var(--faint)', border: 'none', fontFamily: 'var(--font-mono)' },
  '.cm-activeLine, .cm-activeLineGutter': { backgroundColor: 'color-mix(in srgb, var(--glow) 35%, transparent)' }, '&.cm-focused': { outline: 'none' }, '.cm-tooltip': { backgroundColor: 'var(--sheet)', border: '1px solid var(--edge)', color: 'var(--ink)' },
  '.cm-diagnostic-error': { borderLeft: '3px solid var(--bad)' }, '.cm-tooltip-autocomplete ul li[aria-selected]': { backgroundColor: 'var(--glow)', color: 'var(--ink)' },
});

function complete(context: CompletionContext) {
  const word = context.matchBefore(/\w+/);
  if (!word && !context.explicit) return null;
  const declared = useDocument.getState().project?.tags ?? [];
  const facts = benchStore.getState().checked?.tags ?? {};
  return {
    from: word?.from ?? context.pos,
    options: [...declared.map((d) => ({ label: d.name, type: 'variable', detail: facts[d.name.toLowerCase()]?.type ?? d.type, info: d.description ?? '' })), ...[...KEYWORDS].map((k) => ({ label: k, type: 'keyword' }))],
  };
}

export function TextEditor({ pou }: { readonly pou: ProjectPou & { readonly language: 'ST' } }) {
  const host = useRef<HTMLDivElement>(null);
  const view = useRef<EditorView>(null);
  const edit = useDocument((s) => s.edit);
  const problems = useBench((s) => s.checked?.problems);
  const [search] = useSearchParams();

  useEffect(() => {
    const v = new EditorView({
      parent: host.current!,
      state: EditorState.create({
        doc: pou.text,
        extensions: [
          lineNumbers(), history(), highlightActiveLine(), bracketMatching(), indentUnit.of('  '), language, syntaxHighlighting(colours), theme, lintGutter(), autocompletion({ override: [complete] }), keymap.of([...defaultKeymap, ...historyKeymap, indentWithTab]),
          EditorView.contentAttributes.of({ 'aria-label': `Text of ${pou.name}` }),
          EditorView.updateListener.of((u) => { if (u.docChanged && u.transactions.some((x) => !x.isUserEvent('ferrule'))) edit({ kind: 'changeText', pou: pou.id, text: u.state.doc.toString() }); }),
        ],
      }),
    });
    view.current = v;
    return () => { v.destroy(); view.current = null; };
  }, [pou.id]);

  // Changes from elsewhere (undo in another area, another window) come in without going out again.
  useEffect(() => {
    const v = view.current;
    if (v && v.state.doc.toString() !== pou.text) v.dispatch({ changes: { from: 0, to: v.state.doc.length, insert: pou.text }, userEvent: 'ferrule' });
  }, [pou.text]);

  useEffect(() => {
    const v = view.current;
    if (!v) return;
    const mine = (problems ?? []).filter((p) => p.origin.kind === 'pou' && p.origin.id === pou.id && p.end <= v.state.doc.length);
    v.dispatch(setDiagnostics(v.state, mine.map((p) => ({ from: p.start, to: Math.max(p.end, p.start), severity: p.severity, message: p.message, source: p.code }))));
  }, [problems, pou.id]);

  useEffect(() => {
    const at = search.get('at');
    const v = view.current;
    if (v && at !== null && Number(at) <= v.state.doc.length) { v.dispatch({ selection: { anchor: Number(at) }, scrollIntoView: true }); v.focus(); }
  }, [search, pou.id]);

  return <div ref={host} className="h-full min-h-0 overflow-hidden" onKeyDown={(e) => { if (e.key !== 'F8' && !e.altKey) e.stopPropagation(); }} />;
}
