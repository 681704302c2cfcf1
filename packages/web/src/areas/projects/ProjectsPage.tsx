/** The list of projects: what changed last; new, from a file; deleting can be undone. */
import { useRef, useState, type FormEvent } from 'react';
import { Link, useNavigate } from 'react-router';
import useSWR from 'swr';
import { ApiProblem, api, messageOf } from '../../api.js';
import { ChevronDown } from 'lucide-react';
import { DropdownMenu } from 'radix-ui';
import { folderText, textOf } from '../../components/read-file.js';
import { useTour } from '../../components/tour.js';
import { Button, MENU, MENU_ITEM } from '../../components/ui.js';

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

export function ProjectsPage() {
  const { data, error, mutate } = useSWR<readonly Summary[]>('/projects');
  const [problems, setProblems] = useState<readonly string[]>([]);
  const [removed, setRemoved] = useState<Summary>();
  const [naming, setNaming] = useState(false);
  const [asking, setAsking] = useState<string>();
  const file = useRef<HTMLInputElement>(null);
  const navigate = useNavigate();

  const attempt = async (run: () => Promise<void>) => {
    setProblems([]);
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
  const read = (f: File | undefined) =>
    f &&
    void attempt(async () => {
      await open(
        await api<Summary>('POST', '/projects', {
          file: f.name.endsWith('.zip') ? await folderText(f) : await textOf(f),
        }),
      );
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
  const { data: examples } =
    useSWR<readonly { readonly id: string; readonly name: string; readonly description: string }[]>('/examples');

  return (
    <div className="mx-auto flex h-full max-w-3xl flex-col px-6 pt-14">
      <header className="mb-6 flex items-center gap-3">
        <img src="/ferrule.svg" alt="" width={34} height={34} />
        <h1 className="text-2xl font-semibold">Ferrule</h1>
        <span className="ml-auto flex gap-2">
          <DropdownMenu.Root>
            <DropdownMenu.Trigger asChild>
              <Button>
                From an example
                <ChevronDown size={13} />
              </Button>
            </DropdownMenu.Trigger>
            <DropdownMenu.Portal>
              <DropdownMenu.Content align="end" sideOffset={4} className={MENU}>
                {(examples ?? []).map((x) => (
                  <DropdownMenu.Item
                    key={x.id}
                    className={`${MENU_ITEM} max-w-md flex-col items-start py-1.5`}
                    onSelect={() => example(x.id)}
                  >
                    <b>{x.name}</b>
                    <span className="text-soft">{x.description.split('. ')[0]}</span>
                  </DropdownMenu.Item>
                ))}
              </DropdownMenu.Content>
            </DropdownMenu.Portal>
          </DropdownMenu.Root>
          <Button onClick={tour}>First-hour tour</Button>
          <Button onClick={() => file.current?.click()}>Open a file</Button>
          <Button look="strong" onClick={() => setNaming(true)}>
            New project
          </Button>
        </span>
        <input
          ref={file}
          type="file"
          accept=".json,.zip"
          aria-label="Project file"
          className="hidden"
          onChange={(e) => {
            read(e.target.files?.[0]);
            e.target.value = '';
          }}
        />
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
          <button
            className="font-medium text-copper-ink underline"
            onClick={() =>
              void attempt(async () => {
                await api('POST', `/projects/${removed.id}/restore`);
                setRemoved(undefined);
                await mutate();
              })
            }
          >
            Bring it back
          </button>
        </div>
      )}
      {error ? (
        <p role="alert" className="text-bad">
          {messageOf(error)}
        </p>
      ) : !data ? (
        <p role="status" className="text-soft">
          Loading …
        </p>
      ) : (
        <ul className="overflow-auto rounded-xl border border-edge bg-sheet">
          {!data.length && (
            <li className="px-5 py-4 text-soft">No projects yet. Make a new one, or open a .ferrule.json file.</li>
          )}
          {data.map((p) => (
            <li key={p.id} className="group flex items-center gap-3 border-b border-edge px-5 py-3 last:border-0">
              <Link
                to={`/projects/${p.id}/logic`}
                className="min-w-0 flex-1 truncate text-[14px] font-medium hover:text-copper-ink"
              >
                {p.name}
              </Link>
              {p.proof && (
                <span className={p.proof.failed ? 'text-bad' : 'text-soft'}>
                  {p.proof.failed ? (
                    `${p.proof.failed} of ${p.proof.count} checks and rules do not pass`
                  ) : (
                    <>
                      {p.proof.open ? '' : <span className="text-good">✓ </span>}
                      {p.proof.count - (p.proof.open ?? 0)} passed{p.proof.open ? `, ${p.proof.open} open` : ''}
                    </>
                  )}
                  {p.proof.revision !== p.revision ? ` at rev ${p.proof.revision}` : ''}
                </span>
              )}
              <span className="text-soft">
                rev {p.revision} ·{' '}
                {new Date(p.updatedAt).toLocaleString(undefined, { dateStyle: 'medium', timeStyle: 'short' })}
              </span>
              <a
                className="rounded px-2 py-1 text-soft hover:bg-sunk"
                href={`/api/projects/${p.id}/file`}
                download
                aria-label={`Save ${p.name} as a file`}
              >
                Save as file
              </a>
              {asking === p.id ? (
                <span className="flex items-center gap-1">
                  <Button
                    look="danger"
                    autoFocus
                    aria-label={`Yes, delete ${p.name}`}
                    onClick={() =>
                      void attempt(async () => {
                        setAsking(undefined);
                        await api('DELETE', `/projects/${p.id}`);
                        setRemoved(p);
                        await mutate();
                      })
                    }
                  >
                    Yes, delete
                  </Button>
                  <Button look="quiet" onClick={() => setAsking(undefined)}>
                    Keep it
                  </Button>
                </span>
              ) : (
                <Button look="quiet" aria-label={`Delete ${p.name}`} onClick={() => setAsking(p.id)}>
                  Delete
                </Button>
              )}
            </li>
          ))}
        </ul>
      )}
    </div>
  );
}
