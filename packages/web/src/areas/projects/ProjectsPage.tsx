/**
 * The list of projects: what each is, its machine in small, what its checks say, what changed last; beside it what to
 * begin with.
 */
import { many } from '@ferrule/core/language';
import { projectFromText } from '@ferrule/core/files';
import { useEffect, useRef, useState, type FormEvent } from 'react';
import { Link, useNavigate } from 'react-router';
import useSWR from 'swr';
import { ApiProblem, api, messageOf } from '../../api.js';
import type { ProjectAbout } from '@ferrule/core/document';
import { useInSight } from '../../components/in-sight.js';
import { SmallMachine } from '../../components/machine/SmallMachine.js';
import { useDroppedFiles, useFileDialog } from '../../components/choose-file.js';
import { folderText, textOf, xmlOf } from '../../components/read-file.js';
import { useTour } from '../../components/tour.js';
import { Button } from '../../components/ui.js';
import { newId } from '../../document/store.js';

interface Summary {
  readonly id: string;
  readonly name: string;
  readonly revision: number;
  readonly updatedAt: number;
  readonly proof?: {
    readonly revision: number;
    readonly count: number;
    readonly failed: number;
    readonly open?: number;
  };
}

/** A project as far as it is spoken of. */
type Named = Pick<Summary, 'id' | 'name'>;

export function ProjectsPage() {
  const { data, error, mutate } = useSWR<readonly Summary[]>('/projects');
  const [problems, setProblems] = useState<readonly string[]>([]);
  const [taken, setTaken] = useState<{
    /** A project file that is not made a project yet. */ readonly file: string;
    readonly name: string;
    readonly notes: readonly string[];
  }>();
  const [removed, setRemoved] = useState<Named>();
  const { data: deleted, mutate: lookAtDeleted } =
    useSWR<readonly (Named & { readonly deletedAt: number })[]>('/deleted');
  const [naming, setNaming] = useState(false);
  const [asking, setAsking] = useState<string>();
  const navigate = useNavigate();

  /** One at a time: Enter pressed twice is one project. */
  const isAtIt = useRef(false);
  const attempt = async (run: () => Promise<void>) => {
    if (isAtIt.current) return;
    isAtIt.current = true;
    setProblems([]);
    setTaken(undefined);
    try {
      await run();
    } catch (e) {
      setProblems(
        e instanceof ApiProblem && Array.isArray(e.details['errors'])
          ? (e.details['errors'] as (string | { field: string; message: string })[]).map((x) =>
              typeof x === 'string' ? x : `${x.field}: ${x.message}`,
            )
          : [messageOf(e)],
      );
    } finally {
      isAtIt.current = false;
    }
  };
  const open = async (p: Summary, area = 'logic') => {
    await mutate();
    await navigate(`/projects/${p.id}/${area}`);
  };
  const create = (e: FormEvent<HTMLFormElement>) => {
    e.preventDefault();
    const name = String(new FormData(e.currentTarget).get('name')).trim();
    const area = (e.nativeEvent as SubmitEvent).submitter?.getAttribute('value') ?? 'logic';
    void attempt(async () => {
      await open(await api<Summary>('POST', '/projects', { name }), area);
    });
  };
  const openFile = async (text: string) => open(await api<Summary>('POST', '/projects', { file: text }));
  const read = (f: File) =>
    void attempt(async () => {
      if (/\.xml$/i.test(f.name)) {
        const { project, left } = await xmlOf(f);
        const made = { file: JSON.stringify(project), name: project.name, notes: left };
        return left.length ? setTaken(made) : openFile(made.file);
      }
      if (!/\.(st|txt|iecst)$/i.test(f.name))
        return openFile(f.name.endsWith('.zip') ? await folderText(f) : await textOf(f));
      // Structured text becomes a project of its own; what has no place in one is said before there is one.
      const { project, left, problems: wrong } = projectFromText(await textOf(f), f.name.replace(/\.\w+$/, ''), newId);
      if (!project) {
        setProblems([...left, ...wrong]);
        return;
      }
      const file = JSON.stringify(project);
      if (!left.length && !wrong.length) return openFile(file);
      setTaken({ file, name: project.name, notes: [...left, ...wrong] });
    });
  useDroppedFiles(([f]) => read(f!));
  const [chooseFile, fileInput] = useFileDialog({
    label: 'Project file',
    accept: '.json,.zip,.xml,.st,.txt,.iecst',
    onFiles: ([f]) => read(f!),
  });
  const example = (id: string) =>
    void attempt(async () => {
      await open(await api<Summary>('POST', '/projects', { example: id }));
    });
  const tour = () =>
    void attempt(async () => {
      const p = await api<Summary>('POST', '/projects', { example: 'dust-extractor' });
      useTour.getState().begin(p.id);
      await open(p);
    });
  const bringBack = (p: Named) =>
    void attempt(async () => {
      await api('POST', `/projects/${p.id}/restore`);
      setRemoved((r) => (r?.id === p.id ? undefined : r));
      await Promise.all([mutate(), lookAtDeleted()]);
    });
  const { data: examples } =
    useSWR<readonly ({ readonly id: string; readonly name: string } & ProjectAbout)[]>('/examples');

  return (
    <div className="mx-auto flex h-full max-w-[1180px] flex-col px-6 pt-8">
      <header className="mb-5 flex items-center gap-3">
        <img src="/ferrule.svg" alt="" width={34} height={34} />
        <h1 className="text-2xl font-semibold">Ferrule</h1>
        <span className="ml-auto flex gap-2">
          <Button onClick={chooseFile} title="Or drop it anywhere on this page">
            Open a file
          </Button>
          <Button look="strong" onClick={() => setNaming(true)}>
            New project
          </Button>
        </span>
        {fileInput}
      </header>
      {naming && (
        <form onSubmit={create} className="mb-3 flex gap-2">
          <input
            name="name"
            autoFocus
            required
            maxLength={200}
            aria-label="Name of the new project"
            placeholder="Name of the machine"
            className="h-8 flex-1 rounded-md border border-copper bg-sheet px-3 outline-none"
          />
          <Button look="strong" type="submit" value="logic" className="h-8">
            Create
          </Button>
          <Button type="submit" value="plan" className="h-8">
            Begin with a plan
          </Button>
          <Button className="h-8" onClick={() => setNaming(false)}>
            Leave it
          </Button>
        </form>
      )}
      {taken && (
        <div role="status" className="mb-3 rounded-lg bg-glow px-4 py-2">
          <b>‘{taken.name}’ can be made of the file. Not all of it comes in as it stands there:</b>
          <ul className="mt-1 max-h-40 overflow-y-auto font-mono text-[12px]">
            {taken.notes.map((n, i) => (
              <li key={i}>{n}</li>
            ))}
          </ul>
          <div className="mt-2 flex gap-2">
            <Button
              look="strong"
              onClick={() => {
                setTaken(undefined);
                void attempt(() => openFile(taken.file));
              }}
            >
              Make it and open it
            </Button>
            <Button onClick={() => setTaken(undefined)}>Leave it</Button>
          </div>
        </div>
      )}
      {problems.length > 0 && (
        <div role="alert" className="mb-3 rounded-lg bg-bad-soft px-4 py-2 text-bad">
          <b>The project could not be opened; nothing was changed.</b>
          <ul className="mt-1 font-mono text-[12px]">
            {problems.slice(0, 8).map((p) => (
              <li key={p}>{p}</li>
            ))}
          </ul>
        </div>
      )}
      {removed && (
        <div role="status" className="mb-3 flex items-center gap-3 rounded-lg bg-sunk px-4 py-2">
          ‘{removed.name}’ is deleted.
          <button className="font-medium text-copper-ink underline" onClick={() => bringBack(removed)}>
            Bring it back
          </button>
        </div>
      )}
      <div className="grid min-h-0 flex-1 items-start gap-5 overflow-auto pb-6 min-[900px]:grid-cols-[minmax(0,1fr)_300px] min-[900px]:overflow-visible">
        {error ? (
          <p role="alert" className="text-bad">
            {messageOf(error)}
          </p>
        ) : !data ? (
          <p role="status" className="text-soft">
            Loading …
          </p>
        ) : (
          <ul
            aria-label="Projects"
            className="rounded-xl border border-edge bg-sheet min-[900px]:max-h-full min-[900px]:overflow-auto"
          >
            {!data.length && (
              <li className="px-5 py-4 text-soft">
                No projects yet. Make a new one, open a .ferrule.json file, or begin with an example.
              </li>
            )}
            {data.map((p) => (
              <ProjectRow
                key={p.id}
                project={p}
                isAsking={asking === p.id}
                onAsk={(ask) => setAsking(ask ? p.id : undefined)}
                onDelete={() =>
                  void attempt(async () => {
                    setAsking(undefined);
                    await api('DELETE', `/projects/${p.id}`);
                    setRemoved(p);
                    await Promise.all([mutate(), lookAtDeleted()]);
                  })
                }
              />
            ))}
            {deleted && deleted.length > 0 && <Deleted projects={deleted} onBringBack={bringBack} />}
          </ul>
        )}
        <aside
          aria-label="To begin with"
          className="flex flex-col gap-3 min-[900px]:max-h-full min-[900px]:overflow-auto"
        >
          <section className="rounded-xl border border-edge bg-sunk p-4">
            <h2 className="font-semibold">First time here?</h2>
            <ol className="mt-2 flex list-decimal flex-col gap-1.5 pl-5 text-soft">
              <li>
                Take the tour: in about an hour a small project is run, changed, proved and downloaded, step by step,
                and nothing can break.
              </li>
              <li>Open an example and press Run; press the buttons of its machine.</li>
              <li>Make a project of your own: say how the machine works in Plan, or write the first rung in Logic.</li>
            </ol>
            <Button look="strong" className="mt-3" onClick={tour}>
              First-hour tour
            </Button>
          </section>
          <section className="rounded-xl border border-edge bg-sheet p-4">
            <h2 className="font-semibold">Examples</h2>
            <p className="text-soft">Each opens as a project of your own.</p>
            <ul aria-label="Examples" className="mt-1">
              {(examples ?? []).map((x) => (
                <li key={x.id} className="border-b border-edge py-2 last:border-0">
                  <button
                    className="group flex w-full flex-col items-start text-left"
                    aria-label={`From the example ${x.name}`}
                    onClick={() => example(x.id)}
                  >
                    <SmallMachine machine={x.machine} className="h-14 w-full" />
                    <span className="font-medium group-hover:text-copper-ink">{x.name}</span>
                    <span className="text-[12px] text-soft">{x.description}</span>
                    <span className="text-[12px] text-faint">{sizeText(x)}</span>
                  </button>
                </li>
              ))}
            </ul>
          </section>
        </aside>
      </div>
    </div>
  );
}

/** Deleted projects, folded away: nothing that was deleted is gone. */
function Deleted({
  projects,
  onBringBack,
}: {
  readonly projects: readonly (Named & { readonly deletedAt: number })[];
  readonly onBringBack: (p: Named) => void;
}) {
  return (
    <li>
      <details
        className="px-4 py-2.5 text-[12px]"
        // What was folded at the end of the list would open below the edge.
        onToggle={(e) => e.currentTarget.scrollIntoView({ block: 'nearest' })}
      >
        <summary className="cursor-pointer text-soft">{many(projects.length, 'deleted project')}</summary>
        <ul aria-label="Deleted projects" className="mt-1">
          {projects.map((p) => (
            <li key={p.id} aria-label={p.name} className="flex items-center gap-2 border-t border-edge py-1">
              <span className="min-w-0 flex-1 truncate font-medium">{p.name}</span>
              <span className="text-soft">
                deleted {new Date(p.deletedAt).toLocaleString(undefined, { dateStyle: 'medium', timeStyle: 'short' })}
              </span>
              <Button look="quiet" tight aria-label={`Bring ${p.name} back`} onClick={() => onBringBack(p)}>
                Bring it back
              </Button>
            </li>
          ))}
        </ul>
      </details>
    </li>
  );
}

/** `22 rungs, 2 texts · 6 checks, 3 rules`. */
const sizeText = (a: ProjectAbout): string =>
  [
    [many(a.rungs, 'rung'), ...(a.texts ? [many(a.texts, 'text')] : [])].join(', '),
    `${many(a.checks, 'check')}, ${many(a.rules, 'rule')}`,
  ].join(' · ');

function ProjectRow({
  project: p,
  isAsking,
  onAsk,
  onDelete,
}: {
  readonly project: Summary;
  readonly isAsking: boolean;
  readonly onAsk: (ask: boolean) => void;
  readonly onDelete: () => void;
}) {
  const row = useRef<HTMLLIElement>(null),
    now = useInSight(row),
    [seen, setSeen] = useState(false);
  useEffect(() => {
    if (now) setSeen(true);
  }, [now]);
  // What is far down the list is asked for when it first comes into sight.
  const { data: about } = useSWR<ProjectAbout & { readonly last?: string }>(
    seen ? `/projects/${p.id}/about?rev=${p.revision}` : null,
    { revalidateOnFocus: false },
  );
  const open = p.proof?.open ?? 0,
    failed = p.proof?.failed ?? 0;
  return (
    <li
      ref={row}
      aria-label={p.name}
      className="grid min-h-[104px] grid-cols-[110px_minmax(0,1fr)] items-center gap-4 min-[900px]:grid-cols-[190px_minmax(0,1fr)] border-b border-edge px-4 py-2.5 last:border-0"
    >
      <Link to={`/projects/${p.id}/logic`} tabIndex={-1} aria-hidden className="rounded-lg bg-sunk p-1.5">
        {about ? (
          <SmallMachine machine={about.machine} className="h-[76px] w-full" />
        ) : (
          <span className="block h-[76px]" />
        )}
      </Link>
      <div className="min-w-0">
        <Link to={`/projects/${p.id}/logic`} className="text-[14px] font-semibold break-words hover:text-copper-ink">
          {p.name}
        </Link>
        {about?.description && (
          <p className="line-clamp-2 text-soft" title={about.description}>
            {about.description}
          </p>
        )}
        <p className="text-[12px]">
          {about && <span className="text-soft">{sizeText(about)} · </span>}
          {!p.proof ? (
            <span className="text-soft">checks not run yet</span>
          ) : failed ? (
            <span className="text-bad">
              {failed} of {p.proof.count} checks and rules {failed === 1 ? 'does' : 'do'} not pass
            </span>
          ) : (
            <span className="text-soft">
              {open ? '' : <span className="text-good">✓ </span>}
              {p.proof.count - open} passed{open ? `, ${open} open` : ''}
            </span>
          )}
          {p.proof && p.proof.revision !== p.revision && (
            <span className="text-soft"> at rev {p.proof.revision}, changed since</span>
          )}
        </p>
        <div className="flex flex-wrap items-center gap-x-1 text-[12px] text-soft">
          <span className="min-w-0 flex-1 truncate">
            rev {p.revision} ·{' '}
            {new Date(p.updatedAt).toLocaleString(undefined, { dateStyle: 'medium', timeStyle: 'short' })}
            {about?.last ? ` · last: ${about.last}` : ''}
          </span>
          {isAsking ? (
            <span className="flex items-center gap-1">
              <Button look="danger" tight autoFocus aria-label={`Yes, delete ${p.name}`} onClick={onDelete}>
                Yes, delete
              </Button>
              <Button look="quiet" tight onClick={() => onAsk(false)}>
                Keep it
              </Button>
            </span>
          ) : (
            <>
              <a
                className="rounded px-1.5 py-1 hover:bg-sunk"
                href={`/api/projects/${p.id}/file`}
                download
                aria-label={`Save ${p.name} as a file`}
              >
                Save as file
              </a>
              <Button look="quiet" tight aria-label={`Delete ${p.name}`} onClick={() => onAsk(true)}>
                Delete
              </Button>
            </>
          )}
        </div>
      </div>
    </li>
  );
}
