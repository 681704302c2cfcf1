/** Structured text for the editor: highlighting, folding, indentation, snippets, colours. */
import {
  closeCompletion,
  completionStatus,
  selectedCompletion,
  selectedCompletionIndex,
  snippetCompletion,
} from '@codemirror/autocomplete';
import {
  HighlightStyle,
  StreamLanguage,
  foldService,
  getIndentUnit,
  indentOnInput,
  indentService,
} from '@codemirror/language';
import { Prec } from '@codemirror/state';
import { EditorView, keymap } from '@codemirror/view';
import { tags as t } from '@lezer/highlight';
import { standsLike } from '@ferrule/core/language';

export const KEYWORDS = new Set(
  'IF THEN ELSIF ELSE END_IF CASE OF END_CASE FOR TO BY DO END_FOR WHILE END_WHILE REPEAT UNTIL END_REPEAT RETURN EXIT CONTINUE FUNCTION END_FUNCTION FUNCTION_BLOCK END_FUNCTION_BLOCK PROGRAM END_PROGRAM VAR VAR_INPUT VAR_OUTPUT VAR_IN_OUT VAR_TEMP VAR_GLOBAL VAR_EXTERNAL END_VAR CONSTANT RETAIN AT AND OR XOR NOT MOD ARRAY STRUCT END_STRUCT TYPE END_TYPE'.split(
    ' ',
  ),
);
const TYPES = new Set(
  'BOOL BYTE WORD DWORD LWORD SINT INT DINT LINT USINT UINT UDINT ULINT REAL LREAL TIME LTIME TON TOF TP CTU CTD CTUD R_TRIG F_TRIG SR RS'.split(
    ' ',
  ),
);

export const language = StreamLanguage.define<{ comment: string }>({
  name: 'structured-text',
  startState: () => ({ comment: '' }),
  languageData: { indentOnInput: /^\s*(?:END_\w+|ELSE|ELSIF|UNTIL)$/i },
  token(stream, state) {
    if (state.comment) {
      if (stream.skipTo(state.comment)) {
        stream.match(state.comment);
        state.comment = '';
      } else stream.skipToEnd();
      return 'comment';
    }
    if (stream.match('(*') || stream.match('/*')) {
      state.comment = stream.current() === '(*' ? '*)' : '*/';
      return 'comment';
    }
    if (stream.match('//')) {
      stream.skipToEnd();
      return 'comment';
    }
    if (stream.match(/^'(?:\$.|[^'$])*'?/) || stream.match(/^"(?:\$.|[^"$])*"?/)) return 'string';
    if (
      stream.match(/^(?:L?T|L?TIME)#[-\w.]+/i) ||
      stream.match(/^\d[\d_]*(?:#[\dA-F_]+|\.\d+(?:E[+-]?\d+)?)?/i) ||
      stream.match(/^%[IQM][XBWDL]?[\d.]+/i)
    )
      return 'number';
    const word = stream.match(/^[A-Za-z_]\w*/) as RegExpMatchArray | null;
    if (word) {
      const w = word[0].toUpperCase();
      return KEYWORDS.has(w)
        ? 'keyword'
        : TYPES.has(w)
          ? 'typeName'
          : w === 'TRUE' || w === 'FALSE'
            ? 'number'
            : 'variableName';
    }
    stream.next();
    return null;
  },
});

export const colours = HighlightStyle.define([
  { tag: t.keyword, color: 'var(--copper-ink)', fontWeight: '600' },
  { tag: t.comment, color: 'var(--faint)', fontStyle: 'italic' },
  { tag: t.number, color: 'var(--ink)', fontWeight: '500' },
  { tag: t.string, color: 'var(--soft)' },
  { tag: t.typeName, color: 'var(--soft)', fontWeight: '600' },
]);
export const theme = EditorView.theme({
  '&': { height: '100%', fontSize: '12.5px', color: 'var(--ink)', backgroundColor: 'var(--sheet)' },
  '.cm-content': { fontFamily: 'var(--font-mono)', caretColor: 'var(--copper)' },
  '.cm-gutters': {
    backgroundColor: 'var(--sunk)',
    color: 'var(--faint)',
    border: 'none',
    fontFamily: 'var(--font-mono)',
  },
  '.cm-activeLine, .cm-activeLineGutter': { backgroundColor: 'color-mix(in srgb, var(--glow) 35%, transparent)' },
  '&.cm-focused': { outline: 'none' },
  '.cm-tooltip': { backgroundColor: 'var(--sheet)', border: '1px solid var(--edge)', color: 'var(--ink)' },
  '.cm-diagnostic-error': { borderLeft: '3px solid var(--bad)' },
  '.cm-tooltip-autocomplete ul li[aria-selected]': { backgroundColor: 'var(--glow)', color: 'var(--ink)' },
});

const OPENERS =
  /\b(IF|CASE|FOR|WHILE|REPEAT|VAR\w*|STRUCT|FUNCTION_BLOCK|FUNCTION|PROGRAM|METHOD|CLASS|INTERFACE|TYPE)\b/gi;
const CLOSERS = /\bEND_\w+/gi;
const bare = (line: string): string => line.replace(/'[^']*'|\/\/.*$|\(\*.*?\*\)/g, '');

/** From the end of a line that opens a block to the line before the one that closes it. */
export const folding = foldService.of((state, from) => {
  const line = state.doc.lineAt(from);
  const balance = (text: string) => (bare(text).match(OPENERS)?.length ?? 0) - (bare(text).match(CLOSERS)?.length ?? 0);
  let depth = balance(line.text);
  if (depth <= 0) return null;
  for (let n = line.number + 1; n <= state.doc.lines; n++) {
    const next = state.doc.line(n);
    depth += balance(next.text);
    if (depth <= 0) return n > line.number + 1 ? { from: line.to, to: state.doc.line(n - 1).to } : null;
  }
  return null;
});

/** A line begins where Lay out would put it, seen from the lines above, however far in those stand. */
const indentation = indentService.of((context, at) => {
  const before = context.state.sliceDoc(0, at),
    like = standsLike(before, context.textAfterPos(at));
  if (!like) return null;
  const start = /^\s*/.exec(context.state.doc.lineAt(like.at).text)![0];
  return context.countColumn(start) + like.steps * getIndentUnit(context.state);
});

/**
 * Enter behind a word that is whole is a new line, though the list of completions holds it too: whoever types without
 * looking at the list loses nothing. What the arrows have marked in it is taken.
 */
const breakLine = Prec.highest(
  keymap.of([
    {
      key: 'Enter',
      run: (view) => {
        const { state } = view,
          offered =
            completionStatus(state) === 'active' && selectedCompletionIndex(state) === 0 && selectedCompletion(state);
        if (!offered) return false;
        const { head } = state.selection.main,
          word = /\w*$/.exec(state.sliceDoc(Math.max(0, head - 200), head))![0];
        if (word.toUpperCase() === offered.label.toUpperCase()) closeCompletion(view);
        return false;
      },
    },
  ]),
);

/** How an editor of structured text answers to Enter and to words that end a block. */
export const manners = [indentOnInput(), indentation, breakLine];

export const SNIPPETS = [
  snippetCompletion('IF ${condition} THEN\n\t${}\nEND_IF;', {
    label: 'IF',
    detail: 'IF … THEN … END_IF',
    type: 'keyword',
    boost: -1,
  }),
  snippetCompletion('IF ${condition} THEN\n\t${}\nELSE\n\t${}\nEND_IF;', {
    label: 'IF ELSE',
    detail: 'IF … ELSE … END_IF',
    type: 'keyword',
    boost: -1,
  }),
  snippetCompletion('CASE ${selector} OF\n\t${1}:\n\t\t${}\nELSE\n\t${}\nEND_CASE;', {
    label: 'CASE',
    detail: 'CASE … OF … END_CASE',
    type: 'keyword',
    boost: -1,
  }),
  snippetCompletion('FOR ${i} := ${1} TO ${10} DO\n\t${}\nEND_FOR;', {
    label: 'FOR',
    detail: 'FOR … TO … DO … END_FOR',
    type: 'keyword',
    boost: -1,
  }),
  snippetCompletion('WHILE ${condition} DO\n\t${}\nEND_WHILE;', {
    label: 'WHILE',
    detail: 'WHILE … DO … END_WHILE',
    type: 'keyword',
    boost: -1,
  }),
  snippetCompletion('REPEAT\n\t${}\nUNTIL ${condition}\nEND_REPEAT;', {
    label: 'REPEAT',
    detail: 'REPEAT … UNTIL … END_REPEAT',
    type: 'keyword',
    boost: -1,
  }),
  snippetCompletion('VAR\n\t${name} : ${BOOL};\nEND_VAR', {
    label: 'VAR',
    detail: 'VAR … END_VAR',
    type: 'keyword',
    boost: -1,
  }),
];
