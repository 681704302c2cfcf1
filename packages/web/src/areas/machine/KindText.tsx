/** Inner variables and behaviour of an own device: structured text in an editor each, problems on their lines. */
import { autocompletion } from '@codemirror/autocomplete';
import { defaultKeymap, history, historyKeymap, indentWithTab } from '@codemirror/commands';
import { bracketMatching, indentUnit, syntaxHighlighting } from '@codemirror/language';
import { lintGutter, setDiagnostics } from '@codemirror/lint';
import { EditorState } from '@codemirror/state';
import { EditorView, drawSelection, keymap, lineNumbers } from '@codemirror/view';
import { useEffect, useRef } from 'react';
import type { OwnKind } from '@ferrule/core/document';
import { deviceParts, devicePieceAt, kindOf } from '@ferrule/core/machine';
import type { ProblemNote } from '../../bench/protocol.js';
import { KEYWORDS, SNIPPETS, colours, language, manners, theme } from '../../components/text-language.js';

interface Note {
  readonly from: number;
  readonly to: number;
  readonly message: string;
  readonly severity: 'error' | 'warning';
}

/** A place in one of the two texts, in characters. */
export interface TextPlace {
  readonly of: 'locals' | 'body';
  readonly at: number;
}

export function KindText({
  kind,
  problems,
  shown,
  onChange,
}: {
  readonly shown: TextPlace | undefined;
  readonly kind: OwnKind;
  readonly problems: readonly ProblemNote[];
  readonly onChange: (to: Partial<OwnKind>) => void;
}) {
  const whole = kindOf({ kinds: [kind] }, kind.type) ?? kind,
    places = deviceParts(whole);
  // Offsets are those of the block that Ferrule writes around the two texts.
  const within = (start: number, length: number): readonly Note[] =>
    problems
      .filter((p) => p.start >= start && p.start <= start + length && p.end > 0)
      .map((p) => ({
        from: p.start - start,
        to: Math.min(length, Math.max(p.start - start + 1, p.end - start)),
        message: p.message,
        severity: p.severity,
      }));
  const elsewhere = problems.filter(
    (p) =>
      p.end > 0 &&
      devicePieceAt(whole, p.start) === undefined &&
      !within(places.locals, kind.locals.length)
        .concat(within(places.body, kind.body.length))
        .some((n) => n.message === p.message),
  );
  const names = [...kind.terminals, ...kind.parameters, ...whole.upsets, ...kind.handles]
    .map((x) => ({ label: x.name, type: 'variable', info: x.help }))
    .concat([{ label: 'Dt', type: 'variable', info: 'Seconds since the last scan' }]);
  return (
    <>
      <TextField
        shown={shown?.of === 'locals' ? shown : undefined}
        title="Inner variables"
        placeholder="Way : REAL;"
        value={kind.locals}
        notes={within(places.locals, kind.locals.length)}
        names={names}
        onCommit={(locals) => onChange({ locals })}
      />
      <TextField
        shown={shown?.of === 'body' ? shown : undefined}
        title="Behaviour"
        placeholder="in structured text; Dt is the time since the last scan, in seconds"
        value={kind.body}
        notes={within(places.body, kind.body.length)}
        names={names}
        onCommit={(text) => onChange({ body: text })}
      />
      {elsewhere.map((p) => (
        <p key={p.message} className="text-[12px] text-bad">
          {p.message}
        </p>
      ))}
    </>
  );
}

const PAUSE_MS = 400;

function TextField({
  title,
  value,
  notes,
  names,
  placeholder,
  shown,
  onCommit,
}: {
  readonly shown: TextPlace | undefined;
  readonly title: string;
  readonly value: string;
  readonly notes: readonly Note[];
  readonly names: readonly { readonly label: string; readonly type: string; readonly info: string }[];
  readonly placeholder: string;
  readonly onCommit: (text: string) => void;
}) {
  const host = useRef<HTMLDivElement>(null),
    view = useRef<EditorView>(undefined),
    known = useRef(names),
    commit = useRef(onCommit);
  // The editor lives on; what it asks for is always the latest.
  useEffect(() => {
    known.current = names;
    commit.current = onCommit;
  });
  useEffect(() => {
    let timer: ReturnType<typeof setTimeout> | undefined;
    const keep = (v: EditorView) => {
      clearTimeout(timer);
      timer = undefined;
      commit.current(v.state.doc.toString());
    };
    const v = new EditorView({
      parent: host.current!,
      state: EditorState.create({
        doc: value,
        extensions: [
          lineNumbers(),
          drawSelection(),
          history(),
          bracketMatching(),
          indentUnit.of('  '),
          manners,
          language,
          syntaxHighlighting(colours),
          theme,
          lintGutter(),
          EditorView.theme({ '&': { height: 'auto' }, '.cm-scroller': { minHeight: '2.2em', maxHeight: '340px' } }),
          EditorView.contentAttributes.of({ 'aria-label': title }),
          autocompletion({
            override: [
              (c) => {
                const word = c.matchBefore(/\w+/);
                return word || c.explicit
                  ? {
                      from: word?.from ?? c.pos,
                      validFor: /^\w*$/,
                      options: [
                        ...known.current,
                        ...SNIPPETS,
                        ...[...KEYWORDS].map((k) => ({ label: k, type: 'keyword', boost: -2 })),
                      ],
                    }
                  : null;
              },
            ],
          }),
          keymap.of([indentWithTab, ...defaultKeymap, ...historyKeymap]),
          EditorView.domEventHandlers({
            keydown: (e) => {
              e.stopPropagation();
              return false;
            },
          }),
          EditorView.updateListener.of((u) => {
            if (!u.docChanged) return;
            clearTimeout(timer);
            timer = setTimeout(() => keep(u.view), PAUSE_MS);
          }),
          EditorView.domEventHandlers({
            blur: (_, w) => {
              if (timer) keep(w);
              return false;
            },
          }),
        ],
      }),
    });
    view.current = v;
    return () => {
      if (timer) keep(v);
      v.destroy();
      view.current = undefined;
    };
    // The text of another kind comes with another editor; changes from outside are taken below.
  }, [title]);
  useEffect(() => {
    const v = view.current;
    if (v && !v.hasFocus && v.state.doc.toString() !== value)
      v.dispatch({ changes: { from: 0, to: v.state.doc.length, insert: value } });
  }, [value]);
  useEffect(() => {
    const v = view.current;
    if (!v || !shown) return;
    v.dispatch({ selection: { anchor: Math.max(0, Math.min(shown.at, v.state.doc.length)) }, scrollIntoView: true });
    v.focus();
  }, [shown]);
  useEffect(() => {
    const v = view.current;
    if (v)
      v.dispatch(
        setDiagnostics(
          v.state,
          notes
            .filter((n) => n.from <= v.state.doc.length)
            .map((n) => ({ ...n, to: Math.min(n.to, v.state.doc.length) })),
        ),
      );
  }, [notes]);
  return (
    <section aria-label={title} className="mt-3">
      <h3 className="text-[12px] font-semibold text-soft">
        {title}
        {!value && <span className="ml-2 font-normal text-faint">{placeholder}</span>}
      </h3>
      <div ref={host} className="overflow-hidden rounded-md border border-edge" />
      {notes.map((n) => (
        <p key={`${n.from}${n.message}`} className={`text-[12px] ${n.severity === 'error' ? 'text-bad' : 'text-ink'}`}>
          line {value.slice(0, n.from).split('\n').length}: {n.message}
        </p>
      ))}
    </section>
  );
}
