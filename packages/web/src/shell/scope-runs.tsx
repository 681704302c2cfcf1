/** Lines of history and kept runs on the scope, and where two differ. */
import { many } from '@ferrule/core/language';
import { ChevronDown, ChevronRight, X } from 'lucide-react';
import { DropdownMenu } from 'radix-ui';
import { useEffect, useRef, useState } from 'react';
import { useNavigate, useSearchParams } from 'react-router';
import type { Line } from '@ferrule/core/bench';
import { messageOf } from '../api.js';
import { askBench, benchStore, tellBench, useBench } from '../bench/live.js';
import { numberedName } from '../components/free-name.js';
import { useFileDialog } from '../components/choose-file.js';
import { textOf } from '../components/read-file.js';
import { keepAsCheck, keepAsWrong, saidThere } from '../components/recorder.js';
import { fileNameOf, saveAs } from '../components/save-as.js';
import { MENU, MENU_ITEM } from '../components/ui.js';
import { newId, useDocument } from '../document/store.js';
import { spanText, menuButton } from './scope-parts.js';

export function Lines({
  lines,
  other,
  onOther,
  differs,
}: {
  readonly lines: readonly Line[];
  readonly other: number | undefined;
  readonly onOther: (id: number | undefined) => void;
  readonly differs: Difference | undefined;
}) {
  const now = lines.findIndex((l) => l.isCurrent);
  if (lines.length < 2) return null;
  const letter = (i: number) => String.fromCharCode(65 + (i % 26));
  const words = (l: Line) =>
    `${l.beginning === 'other inputs' ? `other inputs from scan ${l.from.toLocaleString('en')}` : l.beginning === 'start' ? 'from the start' : l.beginning}, ${many(l.end, 'scan')}`;
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger asChild>
        <button className={menuButton} aria-label="Lines of history">
          Line {letter(now)} of {lines.length}
          {other !== undefined ? ` · ${letter(lines.findIndex((l) => l.id === other))} laid over` : ''}
          <ChevronDown size={12} />
        </button>
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content side="top" sideOffset={6} align="end" className={MENU}>
          {lines.map((l, i) =>
            l.isCurrent ? (
              <DropdownMenu.Label key={l.id} className="px-2.5 py-1 font-semibold">
                {letter(i)} · {words(l)} · this one
              </DropdownMenu.Label>
            ) : (
              <div key={l.id} className="border-t border-edge">
                <DropdownMenu.Label className="px-2.5 pt-1 text-soft">
                  {letter(i)} · {words(l)}
                </DropdownMenu.Label>
                <DropdownMenu.Item className={MENU_ITEM} onSelect={() => tellBench({ kind: 'line', id: l.id })}>
                  Go on with line {letter(i)}
                </DropdownMenu.Item>
                <DropdownMenu.Item className={MENU_ITEM} onSelect={() => onOther(other === l.id ? undefined : l.id)}>
                  {other === l.id ? 'No longer lay it over' : `Lay line ${letter(i)} over this one`}
                </DropdownMenu.Item>
                <DropdownMenu.Item className={MENU_ITEM} onSelect={() => tellBench({ kind: 'dropLine', id: l.id })}>
                  Forget line {letter(i)}
                </DropdownMenu.Item>
              </div>
            ),
          )}
          {other !== undefined && (
            <p className="max-w-72 border-t border-edge px-2.5 py-1.5" role="status">
              {differs ? (
                differs.first === undefined ? (
                  'The tags on the scope are equal on both.'
                ) : (
                  <>
                    They first differ after scan {differs.first.scan.toLocaleString('en')}:{' '}
                    {differs.first.paths.join(', ')}.
                  </>
                )
              ) : (
                '…'
              )}
            </p>
          )}
          {differs?.first && (
            <DropdownMenu.Item
              className={MENU_ITEM}
              onSelect={() => tellBench({ kind: 'goTo', scan: differs.first!.scan })}
            >
              Go to where they first differ
            </DropdownMenu.Item>
          )}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}

/**
 * The first scan at which a path differs, by its name in lower case; undefined as long as nothing has been compared.
 */
export interface Difference {
  readonly first: { readonly scan: number; readonly paths: readonly string[] } | undefined;
  readonly byPath: Readonly<Record<string, number>>;
}

/**
 * Where the line laid over first differs in the tags of the scope: looked at in pieces, and on while both still run
 * alike.
 */
export function useDifference(
  line: number | undefined,
  current: number | undefined,
  paths: readonly string[],
): Difference | undefined {
  const [found, setFound] = useState<Difference>();
  useEffect(() => {
    setFound(undefined);
    if (line === undefined) return;
    let isOver = false;
    void (async () => {
      const byPath: Record<string, number> = {};
      let from: number | undefined;
      for (;;) {
        const left = paths.filter((p) => !(p.toLowerCase() in byPath));
        const d = left.length ? await askBench('difference', { line, paths: left, from }) : undefined;
        if (isOver || !d) return;
        left.forEach((p, i) => {
          const at = d.at[i];
          if (at !== undefined) byPath[p.toLowerCase()] = at;
        });
        const scan = Math.min(...Object.values(byPath));
        setFound({
          first: Number.isFinite(scan)
            ? { scan, paths: paths.filter((p) => byPath[p.toLowerCase()] === scan) }
            : undefined,
          byPath: { ...byPath },
        });
        from = d.next;
        if (d.isAll)
          await new Promise((r) => {
            setTimeout(r, 500);
          });
        if (isOver) return;
      }
    })();
    return () => {
      isOver = true;
    };
  }, [line, current, paths]);
  return found;
}

/** What can be done with a run: kept, saved, opened, made into a check or a file of traces. */
export function Runs({
  cursors,
  paths,
}: {
  readonly cursors: readonly (number | undefined)[];
  readonly paths: readonly string[];
}) {
  const navigate = useNavigate();
  const project = useDocument((s) => s.project),
    id = useDocument((s) => s.id);
  const [said, setSaid] = useState<string>(),
    /** How tags were at the end of the stretch when the menu was opened: the run may go on meanwhile. */
    [there, setThere] = useState<{
      readonly to: number;
      readonly said: readonly { readonly path: string; readonly said: string }[];
    }>();
  const stretch = (): { from: number; to: number } => {
    const f = benchStore.getState().frame,
      at = cursors.filter((c) => c !== undefined);
    return at.length === 2 ? { from: Math.min(...at), to: Math.max(...at) } : { from: f?.start ?? 0, to: f?.end ?? 0 };
  };
  /** What a check is made of: between the cursors, else what the scope shows of the run. */
  const inSight = (): { from: number; to: number } => {
    const { frame, scope } = benchStore.getState(),
      whole = stretch();
    if (cursors.every((c) => c !== undefined) || !scope || !frame) return whole;
    return {
      from: Math.max(whole.from, Math.min(frame.end, Math.round(scope.from))),
      to: Math.min(whole.to, Math.round(scope.to)),
    };
  };
  const name = project ? fileNameOf(project.name) : 'run';
  const traces = async (as: 'vcd' | 'csv') => {
    const t = await askBench('traces', { as, paths, ...stretch() });
    if ('error' in t) setSaid(t.error);
    else saveAs(`${name}.${as}`, t.text, as === 'vcd' ? 'text/plain' : 'text/csv');
  };
  const save = async () => {
    const r = await askBench('record', { name: project?.name ?? '' });
    if (r) saveAs(`${name}.ferrule-run.json`, `${JSON.stringify(r, null, 1)}\n`, 'application/json');
  };
  const keep = async () => {
    const r = await askBench('record', { name: project?.name ?? '' });
    if (!r || !project) return;
    const { project: _, ...rest } = r;
    const runs = project.bench?.runs ?? [];
    useDocument.getState().edit({
      kind: 'changeBench',
      to: {
        runs: [
          ...runs,
          {
            id: newId('run'),
            name: `${numberedName(
              'Run ',
              runs.map((x) => x.name.replace(/,.*/, '')),
            )}, ${many(r.end, 'scan')}`,
            recording: JSON.stringify(rest),
          },
        ],
      },
    });
    setSaid('Kept with the project.');
  };
  const play = async (text: string) => {
    const p = await askBench('playBack', { text });
    setSaid(
      'error' in p
        ? p.error
        : `${many(p.scans, 'scan')} replayed: ${p.isSame ? 'the same bytes as recorded.' : 'not the bytes that were recorded — the logic is another.'}${p.dropped.length ? ` Left out: ${p.dropped.join(' ')}` : ''}`,
    );
  };
  const [chooseRun, runInput] = useFileDialog({
    label: 'Run to replay',
    accept: '.json',
    onFiles: ([f]) => void textOf(f!).then(play, (problem: unknown) => setSaid(messageOf(problem))),
  });
  // A project that came with a recording opens at its end, once the bench has taken its program.
  const [search, setSearch] = useSearchParams(),
    asked = search.get('run'),
    checked = useBench((s) => s.checked),
    before = useRef<{ readonly run: string; readonly checked: typeof checked }>(undefined);
  useEffect(() => {
    const run = asked && project?.bench?.runs?.find((r) => r.id === asked);
    if (!run) return;
    // What is known at first is of the project that was open before.
    if (before.current?.run !== run.recording) before.current = { run: run.recording, checked };
    if (!checked?.runs || checked === before.current.checked) return;
    setSearch(
      (s) => {
        s.delete('run');
        return s;
      },
      { replace: true },
    );
    void play(run.recording);
  }, [asked, checked, project]);
  const check = async () => {
    const { from, to } = inSight(),
      made = await keepAsCheck(from, to);
    if ('error' in made) setSaid(made.error);
    else void navigate(`/projects/${id}/prove?check=${made.id}`);
  };
  const wrong = async (to: number, x: { readonly path: string; readonly said: string }) => {
    const made = await keepAsWrong(to, x.path, x.said);
    if ('error' in made) setSaid(made.error);
    else void navigate(`/projects/${id}/prove?check=${made.id}`);
  };
  const both = cursors.every((c) => c !== undefined);
  const sightText = () => {
    const { from, to } = inSight();
    return spanText(Math.max(0, to - from) * (benchStore.getState().frame?.scanMs ?? 10));
  };
  return (
    <>
      <DropdownMenu.Root
        onOpenChange={(open) => {
          // Asked for with the menu, so that the list is whole when it opens.
          setThere(undefined);
          const { to } = inSight();
          if (open) void saidThere(to).then((said) => setThere({ to, said }));
        }}
      >
        <DropdownMenu.Trigger asChild>
          <button className={menuButton}>
            Run
            <ChevronDown size={12} />
          </button>
        </DropdownMenu.Trigger>
        <DropdownMenu.Portal>
          <DropdownMenu.Content side="top" sideOffset={6} align="end" className={MENU}>
            <DropdownMenu.Item className={MENU_ITEM} onSelect={() => void check()}>
              Save as sequence check ({both ? 'between the cursors' : `the ${sightText()} in sight`})
            </DropdownMenu.Item>
            <DropdownMenu.Sub>
              <DropdownMenu.SubTrigger className={`${MENU_ITEM} data-[state=open]:bg-glow`}>
                This is what went wrong, at its end
                <ChevronRight size={12} className="ml-auto" />
              </DropdownMenu.SubTrigger>
              <DropdownMenu.Portal>
                <DropdownMenu.SubContent className={`${MENU} max-h-72 overflow-y-auto`} sideOffset={4}>
                  {there?.said.map((x) => (
                    <DropdownMenu.Item key={x.path} className={MENU_ITEM} onSelect={() => void wrong(there.to, x)}>
                      {x.said}
                    </DropdownMenu.Item>
                  ))}
                  {!there && <p className="px-2.5 py-1 text-soft">Reading the values there …</p>}
                  {there?.said.length === 0 && <p className="px-2.5 py-1 text-soft">Put the tag on the scope first.</p>}
                </DropdownMenu.SubContent>
              </DropdownMenu.Portal>
            </DropdownMenu.Sub>
            <DropdownMenu.Item className={MENU_ITEM} onSelect={() => void traces('vcd')}>
              Traces as waveform file (VCD)
            </DropdownMenu.Item>
            <DropdownMenu.Item className={MENU_ITEM} onSelect={() => void traces('csv')}>
              Traces as table (CSV)
            </DropdownMenu.Item>
            <DropdownMenu.Separator className="my-1 h-px bg-edge" />
            <DropdownMenu.Item className={MENU_ITEM} onSelect={() => void save()}>
              Save this run as a file
            </DropdownMenu.Item>
            <DropdownMenu.Item className={MENU_ITEM} onSelect={chooseRun}>
              Replay a run from a file …
            </DropdownMenu.Item>
            <DropdownMenu.Item className={MENU_ITEM} onSelect={() => void keep()}>
              Keep this run with the project
            </DropdownMenu.Item>
            {(project?.bench?.runs ?? []).map((r) => (
              <div key={r.id} className="flex border-t border-edge">
                <DropdownMenu.Item className={`${MENU_ITEM} flex-1`} onSelect={() => void play(r.recording)}>
                  Replay {r.name}
                </DropdownMenu.Item>
                <DropdownMenu.Item
                  aria-label={`Forget ${r.name}`}
                  className={MENU_ITEM}
                  onSelect={() =>
                    useDocument.getState().edit({
                      kind: 'changeBench',
                      to: { runs: (project?.bench?.runs ?? []).filter((x) => x.id !== r.id) },
                    })
                  }
                >
                  <X size={13} />
                </DropdownMenu.Item>
              </div>
            ))}
          </DropdownMenu.Content>
        </DropdownMenu.Portal>
      </DropdownMenu.Root>
      {runInput}
      {said && (
        <span role="status" className="flex max-w-96 shrink-0 items-center gap-1 truncate text-copper-ink" title={said}>
          {said}
          <button aria-label="Close the message" onClick={() => setSaid(undefined)}>
            <X size={12} />
          </button>
        </span>
      )}
    </>
  );
}
