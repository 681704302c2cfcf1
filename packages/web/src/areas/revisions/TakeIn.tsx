/**
 * A colleague's version taken in: what only they changed comes by itself, what both did is chosen, then it is checked,
 * played and kept.
 */
import { useEffect, useMemo, useState } from 'react';
import { failureOf } from '../../components/outdated.js';
import { type Project, chooseSide, compareProjects, conflictAsDifference, mergeProjects } from '@ferrule/core/document';
import { many } from '@ferrule/core/language';
import { parseProject } from '@ferrule/core/schema';
import { api } from '../../api.js';
import type { TagFacts } from '../../bench/protocol.js';
import { Differences } from '../../components/Differences.js';
import { chosenFolderText, folderText, textOf, xmlOf } from '../../components/read-file.js';
import { Button } from '../../components/ui.js';
import { useDocument } from '../../document/store.js';
import type { Tried } from './merged.worker.js';

/** A colleague's project, read and found right. */
export interface Theirs {
  readonly name: string;
  readonly project: Project;
}
/**
 * Reads what was chosen: a project file, an archive of a folder, or a folder. Throws with a sentence that says what is
 * wrong.
 */
export async function readTheirs(files: readonly File[]): Promise<Theirs> {
  const [first] = files,
    isFolder = first?.webkitRelativePath !== undefined && first.webkitRelativePath !== '';
  if (!first) throw new Error('Nothing was chosen, or the folder is empty.');
  const name = isFolder ? first.webkitRelativePath.split('/')[0]! : first.name;
  const text = isFolder
      ? await chosenFolderText(files)
      : name.endsWith('.zip')
        ? await folderText(first)
        : /\.xml$/i.test(name)
          ? JSON.stringify((await xmlOf(first)).project)
          : await textOf(first),
    read = parseProject(text);
  if ('problems' in read) throw new Error(`${name}: ${read.problems.slice(0, 5).join(' ')}`);
  return { name, project: read.project };
}

interface Revision {
  readonly revision: number;
  readonly name?: string;
}
/** Revisions that are looked at for what both began with. */
const LOOKED_AT = 12;

/**
 * The revision that theirs differs least from: what both most likely began with. Of equally near ones the oldest, from
 * which more is a question and less is taken for theirs alone.
 */
async function nearest(id: string, revisions: readonly Revision[], theirs: Project): Promise<number | undefined> {
  let best: { readonly revision: number; readonly count: number } | undefined;
  for (const { revision } of revisions.slice(0, LOOKED_AT)) {
    const { document } = await api<{ readonly document: Project }>('GET', `/projects/${id}/revisions/${revision}`),
      count = compareProjects(document, theirs).length;
    if (!best || count <= best.count) best = { revision, count };
    if (!count) break;
  }
  return best?.revision;
}

/** What becomes of a merged project: tried in a worker whenever it is another. */
function useTried(project: Project | undefined): Tried | undefined {
  const [tried, setTried] = useState<{ readonly of: Project; readonly answer: Tried }>();
  useEffect(() => {
    if (!project) return;
    const worker = new Worker(new URL('./merged.worker.ts', import.meta.url), { type: 'module' });
    worker.onmessage = ({ data }: MessageEvent<Tried>) => setTried({ of: project, answer: data });
    worker.onerror = (e) =>
      setTried({ of: project, answer: { errors: [`It could not be checked: ${failureOf(e)}`], warnings: 0 } });
    worker.postMessage(project);
    return () => worker.terminate();
  }, [project]);
  return tried && tried.of === project ? tried.answer : undefined;
}

export function TakeIn({
  id,
  theirs,
  revisions,
  tags,
  onClose,
}: {
  readonly id: string;
  readonly theirs: Theirs;
  readonly revisions: readonly Revision[];
  readonly tags: Readonly<Record<string, TagFacts>>;
  readonly onClose: () => void;
}) {
  const ours = useDocument((s) => s.project);
  const [from, setFrom] = useState<string>(),
    [base, setBase] = useState<Project>(),
    [problem, setProblem] = useState<string>();
  const [sides, setSides] = useState<ReadonlyMap<string, 'before' | 'after'>>(new Map());
  useEffect(() => {
    let isOn = true;
    void nearest(id, revisions, theirs.project).then(
      (r) => isOn && setFrom(r === undefined ? 'none' : String(r)),
      (e: unknown) => isOn && setProblem(e instanceof Error ? e.message : String(e)),
    );
    return () => {
      isOn = false;
    };
    // The list of revisions only grows while this is open.
  }, [id, theirs]);
  useEffect(() => {
    setBase(undefined);
    setSides(new Map());
    if (from === undefined || from === 'none') return;
    let isOn = true;
    void api<{ readonly document: Project }>('GET', `/projects/${id}/revisions/${from}`).then(
      (r) => isOn && setBase(r.document),
      (e: unknown) => isOn && setProblem(e instanceof Error ? e.message : String(e)),
    );
    return () => {
      isOn = false;
    };
  }, [id, from]);
  const merged = useMemo(
    () => (ours && (base || from === 'none') ? mergeProjects(base, ours, theirs.project) : undefined),
    [ours, base, from, theirs],
  );
  const result = useMemo(() => {
    let p = merged?.project;
    for (const [c, side] of sides) p &&= chooseSide(p, c, side === 'before' ? 'ours' : 'theirs');
    return p;
  }, [merged, sides]);
  const conflicts = useMemo(
      () => merged?.conflicts.map((c) => conflictAsDifference(merged.project, c)) ?? [],
      [merged],
    ),
    taken = useMemo(() => (ours && result ? compareProjects(ours, result) : []), [ours, result]),
    open = result?.conflicts?.length ?? 0;
  const tried = useTried(result);
  const failed = tried?.told?.filter((t) => t.word === 'FAILED') ?? [];
  const keep = () => {
    if (result && useDocument.getState().edit({ kind: 'replace', project: result })) onClose();
  };
  return (
    <section aria-label="Taken in" className="flex min-h-0 min-w-0 flex-col bg-sheet">
      <div className="flex shrink-0 flex-wrap items-center gap-3 border-b border-edge px-4 py-1.5">
        <p className="min-w-0 flex-1 truncate font-semibold">{theirs.name}</p>
        <label className="flex items-center gap-1.5 text-soft">
          both began with
          <select
            aria-label="Both began with"
            value={from ?? ''}
            onChange={(e) => setFrom(e.target.value)}
            className="h-7 max-w-56 rounded-md border border-edge bg-sheet px-1.5 text-ink"
          >
            {from === undefined && <option value="">looking …</option>}
            {revisions.map((r) => (
              <option key={r.revision} value={r.revision}>
                rev {r.revision}
                {r.name ? ` ${r.name}` : ''}
              </option>
            ))}
            <option value="none">nobody knows: ask for all that differs</option>
          </select>
        </label>
        <Button look="quiet" onClick={onClose}>
          Leave
        </Button>
        <Button look="strong" disabled={!tried || !taken.length} onClick={keep}>
          {open ? `Keep, with ${open} still to choose` : 'Keep'}
        </Button>
      </div>
      {problem !== undefined && (
        <p role="alert" className="px-4 py-1 text-bad">
          {problem}
        </p>
      )}
      <div className="min-h-0 flex-1 overflow-auto">
        {merged && (
          <p role="status" className="border-b border-edge px-4 py-1.5">
            {taken.length ? `${many(taken.length, 'part')} would change here` : 'Nothing would change here'}
            {conflicts.length > 0 &&
              `; both changed ${many(conflicts.length, 'place')}${open ? `, ${open} still to choose (ours stands there)` : ', all chosen'}`}
            . {triedWords(tried)}
          </p>
        )}
        {tried && (tried.errors.length > 0 || failed.length > 0) && (
          <ul aria-label="What is wrong with it" className="border-b border-edge px-4 py-1 text-bad">
            {tried.errors.slice(0, 20).map((e, i) => (
              <li key={i}>{e}</li>
            ))}
            {failed.map((t) => (
              <li key={t.name}>
                {t.name}: {t.words}
              </li>
            ))}
          </ul>
        )}
        {conflicts.length > 0 && (
          <section aria-label="Changed by both">
            <h2 className="bg-sunk px-4 py-1 font-semibold">Changed by both</h2>
            <Differences
              differences={conflicts}
              before="Ours"
              after="Theirs"
              tags={tags}
              sides={sides}
              pick={(key, side) => setSides(new Map(sides).set(key, side))}
            />
          </section>
        )}
        {taken.length > 0 && (
          <section aria-label="What would change">
            <h2 className="bg-sunk px-4 py-1 font-semibold">What would change here</h2>
            <Differences differences={taken} before="Now" after="With theirs" tags={tags} />
          </section>
        )}
      </div>
    </section>
  );
}

function triedWords(tried: Tried | undefined): string {
  if (!tried) return 'Checking it and playing its checks …';
  if (!tried.told)
    return `It has ${many(tried.errors.length, 'error')}, so nothing of it was played; ${many(tried.warnings, 'warning')}.`;
  const count = (word: string) => tried.told!.filter((t) => t.word === word).length;
  return `${many(tried.errors.length, 'error')}, ${many(tried.warnings, 'warning')}; played: ${count('ok')} passed, ${count('FAILED')} failed, ${count('OPEN')} open.`;
}

/** What a merge left in the project: each place to be chosen, one by one. */
export function Conflicts({
  project,
  tags,
}: {
  readonly project: Project;
  readonly tags: Readonly<Record<string, TagFacts>>;
}) {
  const list = useMemo(() => (project.conflicts ?? []).map((c) => conflictAsDifference(project, c)), [project]);
  if (!list.length) return null;
  return (
    <section aria-label="Left by a merge" className="max-h-[60%] shrink-0 overflow-auto border-b-2 border-edge">
      <h2 className="bg-bad-soft px-4 py-1.5 font-semibold text-bad">
        A merge left {many(list.length, 'place')} that both sides changed. Ours stands there until one is chosen.
      </h2>
      <Differences
        differences={list}
        before="Ours"
        after="Theirs"
        tags={tags}
        sides={new Map()}
        pick={(key, side) =>
          useDocument
            .getState()
            .edit({ kind: 'replace', project: chooseSide(project, key, side === 'before' ? 'ours' : 'theirs') })
        }
      />
    </section>
  );
}
