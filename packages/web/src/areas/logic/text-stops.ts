/** In the text editor: lines the run stops before, and where the scan stands. */
import { StateEffect, StateField } from '@codemirror/state';
import { Decoration, type DecorationSet, EditorView } from '@codemirror/view';

interface Marks {
  readonly stops: readonly { readonly line: number; readonly isOn: boolean }[];
  /** Offset of the statement that comes next. */ readonly at?: number;
}
export const setMarks = StateEffect.define<Marks>();

const stop = Decoration.line({ class: 'cm-stop' }),
  stopOff = Decoration.line({ class: 'cm-stop-off' }),
  here = Decoration.line({ class: 'cm-here' });

const field = StateField.define<DecorationSet>({
  create: () => Decoration.none,
  update(set, tr) {
    let next = set.map(tr.changes);
    for (const e of tr.effects) {
      if (!e.is(setMarks)) continue;
      const { doc } = tr.state;
      const lines = e.value.stops
        .filter((s) => s.line <= doc.lines)
        .map((s) => (s.isOn ? stop : stopOff).range(doc.line(s.line).from));
      const at = e.value.at !== undefined && e.value.at <= doc.length ? [here.range(doc.lineAt(e.value.at).from)] : [];
      next = Decoration.set([...lines, ...at], true);
    }
    return next;
  },
  provide: (f) => EditorView.decorations.from(f),
});

export const stopMarks = [
  field,
  EditorView.baseTheme({
    '.cm-stop': { boxShadow: 'inset 6px 0 0 var(--bad)' },
    '.cm-stop-off': { boxShadow: 'inset 2px 0 0 var(--bad)' },
    '.cm-here': { backgroundColor: 'var(--glow)', outline: '1px solid var(--copper)' },
  }),
];
