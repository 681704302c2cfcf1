/**
 * Structured text: a code editor with completion, hover, signatures, definition, references, rename, formatting,
 * folding, problems in place, and values beside the lines.
 */
import { acceptCompletion, autocompletion, closeBrackets, completionStatus } from '@codemirror/autocomplete';
import { unifiedMergeView } from '@codemirror/merge';
import { defaultKeymap, indentWithTab } from '@codemirror/commands';
import { bracketMatching, foldGutter, foldKeymap, indentUnit, syntaxHighlighting } from '@codemirror/language';
import { lintGutter, setDiagnostics } from '@codemirror/lint';
import { highlightSelectionMatches } from '@codemirror/search';
import { Compartment, EditorState, Prec } from '@codemirror/state';
import { EditorView, drawSelection, highlightActiveLine, keymap, lineNumbers } from '@codemirror/view';
import { useEffect, useMemo, useRef, useState } from 'react';
import { useNavigate, useParams, useSearchParams } from 'react-router';
import { type Fix, statementsAround } from '@ferrule/core/workspace';
import { type Tag, textChange } from '@ferrule/core/document';
import { formatText } from '@ferrule/core/language';
import { textToRungs } from '@ferrule/core/ladder';
import { askBench, benchStore, useBench } from '../../bench/live.js';
import { askWhy, toggleStop } from '../../components/asking.js';
import { RungView } from '../../components/ladder/RungView.js';
import { modelOf } from '../../components/ladder/rung-model.js';
import { openSide } from '../../components/folds.js';
import { fixesOf } from '../../components/fixes.js';
import { ChevronDown } from 'lucide-react';
import { DropdownMenu } from 'radix-ui';
import { Button, MENU, MENU_ITEM } from '../../components/ui.js';
import { useDocument } from '../../document/store.js';
import { jumpTo } from '../../shell/place.js';
import { colours, folding, language, manners, theme } from '../../components/text-language.js';
import { liveField, liveTheme, useStopMarks, useWatch, useLiveLines } from './text-live.js';
import { stopMarks } from './text-stops.js';
import { useTextThere } from '../../components/at-controller.js';
import { useUses } from './uses.js';
import { completeWith, signatureField, hoverOf, setSignature } from './text-extensions.js';

/** What shows the text of the controller, while it differs. */
const there = new Compartment();

const thereTheme = EditorView.theme({
  '&.cm-merge-b .cm-changedLine': { backgroundColor: 'var(--glow)' },
  '&.cm-merge-b .cm-changedText, &.cm-merge-b .cm-deletedText': { background: 'none' },
  '&.cm-merge-b .cm-deletedChunk': {
    backgroundColor: 'var(--sunk)',
    color: 'var(--soft)',
    borderTop: '1px dashed var(--edge)',
  },
  '&.cm-merge-b .cm-deletedChunk *': { color: 'var(--soft)' },
  '&.cm-merge-b .cm-deletedLine del': { textDecoration: 'none' },
});

interface Props {
  /** Of the block the text belongs to. */ readonly id: string;
  readonly name: string;
  readonly text: string;
}

const NO_MAP: ReadonlyMap<string, Tag> = new Map();

/** Problems nearest to the cursor whose fixes are looked for beforehand; Ctrl+. looks for those of any. */
const MOST_FIXES = 3;

export function TextEditor({ id, name, text }: Props) {
  const host = useRef<HTMLDivElement>(null);
  const view = useRef<EditorView>(null);
  const nameNow = useRef(name);
  nameNow.current = name;
  const problems = useBench((s) => s.checked?.problems);
  const [query] = useSearchParams();
  const [said, setSaid] = useState<string>();
  const [renaming, setRenaming] = useState<{ readonly offset: number; readonly word: string }>();
  const [rungs, setRungs] = useState<readonly string[]>();
  const [instance, setInstance] = useState<string>();
  const watch = useWatch(id, name, instance);
  const navigate = useNavigate();
  const { id: projectId } = useParams();

  const here = () => {
    const v = view.current!;
    const offset = v.state.selection.main.head;
    const at = v.state.wordAt(offset);
    return { offset, word: at ? v.state.sliceDoc(at.from, at.to) : '' };
  };
  const actions = {
    format: () => {
      const v = view.current!;
      const next = formatText(v.state.doc.toString());
      if (next === v.state.doc.toString()) setSaid('It is laid out already.');
      else replaceText(v, next);
    },
    rename: () => {
      const h = here();
      if (h.word) setRenaming(h);
      else setSaid('Stand on a name first.');
    },
    definition: async () => {
      const h = here();
      const d = await askBench('definition', { place: { kind: 'pou', id }, ...h });
      if (!d) {
        setSaid(h.word ? `‘${h.word}’ is not declared in this project.` : 'Stand on a name first.');
        return;
      }
      jumpTo(
        navigate,
        d.kind === 'tag'
          ? `/projects/${projectId}/tags?tag=${d.id}`
          : `/projects/${projectId}/logic?pou=${d.id}&at=${d.at}`,
        `/projects/${projectId}/logic?pou=${id}&at=${h.offset}`,
      );
    },
    uses: async () => {
      const h = here();
      const list = await askBench('references', { place: { kind: 'pou', id }, offset: h.offset });
      if (!list.length) {
        setSaid(h.word ? `No uses of ‘${h.word}’ are known.` : 'Stand on a name first.');
        return;
      }
      useUses.setState({ name: h.word, list });
      openSide('uses');
    },
    why: async () => {
      const h = here();
      const fact = await askBench('hover', { place: { kind: 'pou', id }, offset: h.offset });
      // Of a block the member written behind it, where there is one.
      const line = view.current!.state.doc.lineAt(h.offset),
        member = /^\w*((?:\.\w+|\[[^\]]*\])+)/.exec(view.current!.state.sliceDoc(h.offset, line.to))?.[1] ?? '';
      if (!fact?.path) {
        setSaid(h.word ? `‘${h.word}’ has no value to ask about here.` : 'Stand on a name first.');
        return;
      }
      const root =
        watch?.root && fact.path.includes('.') && instance ? fact.path.replace(/^[^.]+(?=\.)/, instance) : fact.path;
      void askWhy(fact.path.endsWith(member) ? root : `${root}${member}`);
    },
    stop: () => {
      const v = view.current!,
        line = v.state.doc.lineAt(v.state.selection.main.head).number;
      if (projectId)
        setSaid(
          toggleStop(projectId, { kind: 'line', pou: id, line })
            ? `The run stops before line ${line}, where a statement begins there.`
            : `The run no longer stops before line ${line}.`,
        );
    },
    toRung: () => {
      const v = view.current!;
      const s = v.state.selection.main;
      const all = v.state.doc.toString();
      // The outermost statement around the cursor that has the shape of a rung; if none has, why the innermost has not.
      const given = s.empty
        ? statementsAround(all, s.head).map((x) => all.slice(x.start, x.end))
        : [v.state.sliceDoc(s.from, s.to)];
      if (!given.length) {
        setSaid('Stand on a statement first, or choose some.');
        return;
      }
      const facts = benchStore.getState().checked;
      const own = facts?.locals[nameNow.current.toLowerCase()]?.variables;
      const tried = given.map((g) =>
        textToRungs(g, (n) => /^L?REAL$/.test(own?.[n]?.type ?? facts?.tags[n]?.type ?? '')),
      );
      const r = tried.findLast((x) => 'lines' in x) ?? tried[0]!;
      if ('refused' in r) {
        setSaid(r.refused);
        return;
      }
      setRungs(r.lines);
      void navigator.clipboard?.writeText(`${r.lines.join('\n')}\n`).catch(() => undefined);
    },
    fix: async () => {
      const all = benchStore.getState().checked?.problems ?? [];
      const at = view.current!.state.selection.main.head;
      const mine = all.filter((p) => p.origin.kind === 'pou' && p.origin.id === id);
      const line = view.current!.state.doc.lineAt(at);
      const found =
        mine.find((p) => at >= p.start && at <= p.end) ?? mine.find((p) => p.start >= line.from && p.start <= line.to);
      if (!found) {
        setSaid('There is no problem on this line.');
        return;
      }
      const [fix] = await fixesOf(found);
      if (fix) {
        useDocument.getState().edit(fix.edit);
        setSaid(`${fix.label}. Ctrl+Z takes it back.`);
      } else setSaid(`${found.message} No fix is safe here.`);
    },
  };
  const act = useRef(actions);
  act.current = actions;

  useEffect(() => {
    let asked = 0;
    const undo = () => {
      useDocument.getState().undo();
      return true;
    };
    const redo = () => {
      useDocument.getState().redo();
      return true;
    };
    const run = (f: () => unknown) => () => {
      void f();
      return true;
    };
    const v = new EditorView({
      parent: host.current!,
      state: EditorState.create({
        doc: text,
        extensions: [
          lineNumbers(),
          foldGutter(),
          folding,
          drawSelection(),
          highlightActiveLine(),
          highlightSelectionMatches(),
          bracketMatching(),
          closeBrackets(),
          indentUnit.of('  '),
          manners,
          language,
          syntaxHighlighting(colours),
          theme,
          editorTheme,
          liveTheme,
          liveField,
          lintGutter(),
          there.of([]),
          stopMarks,
          autocompletion({ override: [completeWith(() => nameNow.current)], activateOnTyping: true, icons: false }),
          hoverOf(id),
          signatureField,
          Prec.highest(
            keymap.of([
              { key: 'Mod-z', run: undo },
              { key: 'Mod-y', run: redo },
              { key: 'Mod-Shift-z', run: redo },
              { key: 'F2', run: run(() => act.current.rename()) },
              { key: 'F12', run: run(() => act.current.definition()) },
              { key: 'Shift-F12', run: run(() => act.current.uses()) },
              { key: 'Shift-Alt-f', run: run(() => act.current.format()) },
              { key: 'Mod-.', run: run(() => act.current.fix()) },
              { key: 'F4', run: run(() => act.current.why()) },
              { key: 'F7', run: run(() => act.current.stop()) },
              { key: 'Mod-Shift-Enter', run: run(() => act.current.toRung()) },
              { key: 'Tab', run: (e) => (completionStatus(e.state) === 'active' ? acceptCompletion(e) : false) },
            ]),
          ),
          keymap.of([...foldKeymap, ...defaultKeymap, indentWithTab]),
          EditorView.contentAttributes.of(() => ({
            'aria-label': `Text of ${nameNow.current}`,
            tabindex: '0',
            'data-home': '',
          })),
          EditorView.updateListener.of((u) => {
            if (u.docChanged && u.transactions.some((x) => x.docChanged && !x.isUserEvent('ferrule'))) {
              const { project, edit } = useDocument.getState();
              if (project) edit(textChange(project, id, u.state.doc.toString()), `text ${id}`);
              setSaid(undefined);
            }
            if (u.docChanged || u.selectionSet) {
              const mine = ++asked,
                pos = u.state.selection.main.head;
              const before = u.state.sliceDoc(Math.max(0, pos - 400), pos);
              void askBench('signature', { pou: nameNow.current, before }).then((s) => {
                if (mine === asked && view.current === u.view)
                  u.view.dispatch({ effects: setSignature.of(s && { pos, signature: s }) });
              });
            }
          }),
        ],
      }),
    });
    view.current = v;
    return () => {
      v.destroy();
      view.current = null;
    };
  }, [id]);

  // Changes from elsewhere (undo, another window, a fix) come in without going out again, and leave the cursor where it
  // is.
  useEffect(() => {
    const v = view.current;
    if (!v) return;
    const now = v.state.doc.toString();
    if (now === text) return;
    v.dispatch({ changes: differenceOf(now, text), userEvent: 'ferrule' });
  }, [text]);

  useEffect(() => {
    const v = view.current;
    if (!v) return;
    const mine = (problems ?? []).filter(
      (p) => p.origin.kind === 'pou' && p.origin.id === id && p.end <= v.state.doc.length,
    );
    const show = (fixes: readonly (readonly Fix[])[]) =>
      v.dispatch(
        setDiagnostics(
          v.state,
          mine.map((p, i) => ({
            from: p.start,
            to: Math.max(p.end, p.start),
            severity: p.severity,
            message: p.message,
            source: p.code,
            actions: (fixes[i] ?? []).slice(0, 2).map((f, n) => ({
              name: n ? f.label : `${f.label} (Ctrl+.)`,
              apply: () => void useDocument.getState().edit(f.edit),
            })),
          })),
        ),
      );
    show([]);
    // What is offered has been tried: it takes a moment, and only for so many as anybody reads.
    let isOn = true;
    const head = v.state.selection.main.head,
      near = new Set(
        [...mine].sort((a, b) => Math.abs(a.start - head) - Math.abs(b.start - head)).slice(0, MOST_FIXES),
      );
    void Promise.all(mine.map((p) => (near.has(p) ? fixesOf(p) : []))).then((fixes) => {
      if (isOn && view.current === v && fixes.some((f) => f.length)) show(fixes);
    });
    return () => {
      isOn = false;
    };
  }, [problems, id]);

  const at = query.get('at');
  useEffect(() => {
    const v = view.current;
    if (v && at !== null && Number(at) <= v.state.doc.length) {
      v.dispatch({
        selection: { anchor: Number(at) },
        effects: EditorView.scrollIntoView(Number(at), { y: 'center' }),
      });
      v.focus();
    }
  }, [at, query.get('n'), id]);

  useLiveLines(view, watch);
  // Lines as the controller keeps them, above those that differ.
  const textThere = useTextThere(id);
  useEffect(() => {
    view.current?.dispatch({
      effects: there.reconfigure(
        textThere === undefined
          ? []
          : [
              thereTheme,
              unifiedMergeView({
                original: textThere,
                mergeControls: false,
                gutter: false,
                syntaxHighlightDeletions: false,
              }),
            ],
      ),
    });
  }, [textThere, id]);
  useStopMarks(view, id, projectId);

  const b = (words: string, keys: string, f: () => unknown) => (
    <Button key={words} look="quiet" tight keys={keys} onClick={() => void f()}>
      {words}
    </Button>
  );
  const named: readonly (readonly [string, string, () => unknown])[] = [
    ['Lay out', '⇧Alt+F', actions.format],
    ['Rename', 'F2', actions.rename],
    ['Declaration', 'F12', actions.definition],
    ['Used', '⇧F12', actions.uses],
    ['Why', 'F4', actions.why],
    ['Stop', 'F7', actions.stop],
    ['To rung', 'Ctrl+⇧⏎', actions.toRung],
    ['Fix', 'Ctrl+.', actions.fix],
  ];
  return (
    <div className="flex h-full min-h-0 flex-col">
      <div
        role="toolbar"
        aria-label="Text editing"
        className="flex h-9 shrink-0 items-center border-b border-edge bg-sunk px-2"
      >
        <span className="flex h-7 min-w-0 flex-wrap items-center overflow-hidden">
          {named.map(([words, keys, f]) => b(words, keys, f))}
        </span>
        <DropdownMenu.Root>
          <DropdownMenu.Trigger asChild>
            <button
              type="button"
              className="inline-flex h-7 shrink-0 items-center gap-1 rounded-md px-[5px] text-[12px] font-medium text-soft hover:bg-edge/40 hover:text-ink"
            >
              More
              <ChevronDown size={12} />
            </button>
          </DropdownMenu.Trigger>
          <DropdownMenu.Portal>
            <DropdownMenu.Content sideOffset={4} className={MENU}>
              {named.map(([words, keys, f]) => (
                <DropdownMenu.Item
                  key={words}
                  className={MENU_ITEM}
                  onSelect={() => requestAnimationFrame(() => void f())}
                >
                  <span className="flex-1">{words}</span>
                  <kbd className="pl-6 font-mono text-[10.5px] text-faint">{keys}</kbd>
                </DropdownMenu.Item>
              ))}
            </DropdownMenu.Content>
          </DropdownMenu.Portal>
        </DropdownMenu.Root>
        {watch && watch.instances.length > 1 && (
          <select
            aria-label="Values of instance"
            value={watch.root}
            onChange={(e) => setInstance(e.target.value)}
            className="ml-2 h-7 rounded border border-edge bg-sheet px-1 font-mono text-[12px]"
          >
            {watch.instances.map((i) => (
              <option key={i}>{i}</option>
            ))}
          </select>
        )}
        {said && (
          <p role="status" className="ml-auto truncate pl-3 text-[12px] text-copper-ink" title={said}>
            {said}
          </p>
        )}
      </div>
      {renaming && (
        <Rename
          key={renaming.offset}
          id={id}
          {...renaming}
          onDone={() => {
            setRenaming(undefined);
            view.current?.focus();
          }}
        />
      )}
      {rungs && (
        <Drawn
          lines={rungs}
          onClose={() => {
            setRungs(undefined);
            view.current?.focus();
          }}
        />
      )}
      <div
        ref={host}
        className="min-h-0 flex-1 overflow-hidden"
        onKeyDown={(e) => {
          if (!/^F\d+$/.test(e.key) && !e.altKey && !(e.ctrlKey && e.key.toLowerCase() === 'k')) e.stopPropagation();
        }}
      />
    </div>
  );
}

const editorTheme = EditorView.theme({
  '.cm-signature, .cm-fact': {
    padding: '4px 8px',
    fontFamily: 'var(--font-mono)',
    fontSize: '12px',
    fontVariantLigatures: 'none',
  },
  '.cm-signature b': { color: 'var(--copper-ink)' },
  '.cm-fact-value': { color: 'var(--copper-ink)', fontWeight: '600' },
  '.cm-panels': { backgroundColor: 'var(--sunk)', color: 'var(--ink)', borderColor: 'var(--edge)' },
  '.cm-selectionMatch': { backgroundColor: 'color-mix(in srgb, var(--glow) 70%, transparent)' },
  '.cm-searchMatch': { backgroundColor: 'var(--glow)', outline: '1px solid var(--copper)' },
  '.cm-foldPlaceholder': { backgroundColor: 'var(--sunk)', border: '1px solid var(--edge)', color: 'var(--soft)' },
  '&.cm-focused .cm-selectionBackground, .cm-selectionBackground': {
    backgroundColor: 'color-mix(in srgb, var(--copper) 22%, transparent) !important',
  },
  '.cm-cursor': { borderLeftColor: 'var(--copper)', borderLeftWidth: '2px' },
});

function replaceText(v: EditorView, next: string): void {
  v.dispatch({ changes: differenceOf(v.state.doc.toString(), next), userEvent: 'input' });
}

/** The smallest stretch that turns one text into the other, so that the cursor outside it stays. */
function differenceOf(a: string, b: string): { from: number; to: number; insert: string } {
  let start = 0;
  while (start < a.length && start < b.length && a[start] === b[start]) start++;
  let end = 0;
  while (end < a.length - start && end < b.length - start && a[a.length - 1 - end] === b[b.length - 1 - end]) end++;
  return { from: start, to: a.length - end, insert: b.slice(start, b.length - end) };
}

function Rename({
  id,
  offset,
  word,
  onDone,
}: {
  readonly id: string;
  readonly offset: number;
  readonly word: string;
  readonly onDone: () => void;
}) {
  const [problem, setProblem] = useState<string>();
  const commit = async (to: string) => {
    const r = await askBench('rename', { place: { kind: 'pou', id }, offset, to });
    if ('refused' in r) {
      setProblem(r.refused);
      return;
    }
    useDocument.getState().edit(r);
    onDone();
  };
  return (
    <div className="flex items-center gap-2 border-b border-edge bg-glow px-3 py-1 text-[12.5px]">
      <label className="flex items-center gap-2">
        Rename {word} everywhere to{' '}
        <input
          autoFocus
          defaultValue={word}
          spellCheck={false}
          onFocus={(e) => e.currentTarget.select()}
          onKeyDown={(e) => {
            e.stopPropagation();
            if (e.key === 'Enter') void commit(e.currentTarget.value.trim());
            if (e.key === 'Escape') onDone();
          }}
          className="h-7 rounded border border-copper bg-sheet px-2 font-mono text-[12px] outline-none"
        />
      </label>
      {problem ? (
        <span role="alert" className="text-bad">
          {problem}
        </span>
      ) : (
        <span className="text-soft">Enter keeps, Esc leaves</span>
      )}
    </div>
  );
}

/** The statements as rungs, drawn as they would stand in a ladder; they are on the clipboard as lines. */
function Drawn({ lines, onClose }: { readonly lines: readonly string[]; readonly onClose: () => void }) {
  const tags = useBench((s) => s.checked?.tags) ?? {};
  const models = useMemo(() => lines.map((line) => modelOf({ id: '', line }, tags, 620)), [lines, tags]);
  return (
    <section aria-label="As rungs" className="max-h-72 shrink-0 overflow-auto border-b border-edge bg-sheet px-3 py-1">
      <p className="flex items-center text-[12px] text-soft">
        <span className="flex-1">
          As {lines.length === 1 ? 'a rung' : `${lines.length} rungs`}, on the clipboard to be pasted into a ladder
        </span>
        <Button look="quiet" tight onClick={onClose}>
          Close
        </Button>
      </p>
      {models.map((m, i) => (
        <div key={i}>
          {m.layout ? (
            <RungView id="" label={`As rung ${i + 1}`} model={m} tags={tags} declared={NO_MAP} />
          ) : (
            <code>{lines[i]}</code>
          )}
        </div>
      ))}
    </section>
  );
}
