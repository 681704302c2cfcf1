/** Revisions: the stretches of work and what was given a name; any two compared; an old one brought back, which can be undone. */
import { useMemo, useState } from 'react';
import { useNavigate, useParams, useSearchParams } from 'react-router';
import useSWR from 'swr';
import { type Project, compareProjects } from '@ferrule/core';
import { api, messageOf } from '../../api.js';
import { useBench } from '../../bench/live.js';
import { Differences } from '../../components/Differences.js';
import { Button, EditInPlace } from '../../components/ui.js';
import { useDocument } from '../../document/store.js';

interface Summary {
  readonly revision: number;
  readonly name?: string;
  readonly madeAt: number;
  readonly edits: number;
}
interface Stored {
  readonly revision: number;
  readonly document: Project;
}
const NO_TAGS = {};

export function RevisionsArea() {
  const { id } = useParams();
  const revision = useDocument((s) => s.revision);
  const project = useDocument((s) => s.project);
  const saving = useDocument((s) => s.saving);
  const tags = useBench((s) => s.checked?.tags) ?? NO_TAGS;
  const { data: list, error, mutate } = useSWR<readonly Summary[]>(`/projects/${id}/revisions?now=${revision}`);
  const [search, setSearch] = useSearchParams();
  const [problem, setProblem] = useState<string>();
  const navigate = useNavigate();
  const to = search.get('to') ?? 'now';
  const from = search.get('from') ?? String(list?.find((r) => r.revision < revision)?.revision ?? revision);
  const { data: a } = useSWR<Stored>(from === 'now' ? null : `/projects/${id}/revisions/${from}`);
  const { data: b } = useSWR<Stored>(to === 'now' ? null : `/projects/${id}/revisions/${to}`);
  const before = from === 'now' ? project : a?.document,
    after = to === 'now' ? project : b?.document;
  const differences = useMemo(() => (before && after ? compareProjects(before, after) : undefined), [before, after]);
  const nameIt = async (r: number, name: string) => {
    setProblem(undefined);
    try {
      await useDocument.getState().flush();
      await api('PUT', `/projects/${id}/revisions/${r}/name`, { name });
      await mutate();
    } catch (e) {
      setProblem(messageOf(e));
    }
  };
  const choose = (which: 'from' | 'to', value: string) => setSearch({ from, to, [which]: value }, { replace: true });
  const words = (r: string) =>
    r === 'now' ? `Now, rev ${revision}` : `${list?.find((x) => String(x.revision) === r)?.name ?? ''} rev ${r}`.trim();
  const bringBack = () => {
    if (before && useDocument.getState().edit({ kind: 'replace', project: before }))
      void navigate(`/projects/${id}/logic`);
  };
  const row = (value: string, s: Summary | undefined) => (
    <tr key={value} className={`border-t border-edge ${from === value || to === value ? 'bg-glow/50' : ''}`}>
      <td className="pl-3">
        <input
          type="radio"
          name="from"
          aria-label={`Compare from ${words(value)}`}
          className="accent-copper"
          checked={from === value}
          onChange={() => choose('from', value)}
        />
      </td>
      <td>
        <input
          type="radio"
          name="to"
          aria-label={`Compare to ${words(value)}`}
          className="accent-copper"
          checked={to === value}
          onChange={() => choose('to', value)}
        />
      </td>
      <td className="py-1">
        {s ? (
          <EditInPlace
            value={s.name ?? ''}
            label={`Name of revision ${s.revision}`}
            placeholder="give it a name"
            className="font-semibold"
            onCommit={(n) => void nameIt(s.revision, n)}
          />
        ) : (
          <span className="px-1 font-semibold">Now</span>
        )}
        <span className="block px-1 text-[11.5px] text-soft">
          rev {s?.revision ?? revision}
          {s
            ? ` · ${new Date(s.madeAt).toLocaleString(undefined, { dateStyle: 'medium', timeStyle: 'short' })}${s.edits ? ` · ${s.edits} edit${s.edits > 1 ? 's' : ''}` : ' · the beginning'}`
            : saving === 'saved'
              ? ''
              : ' · saving'}
        </span>
      </td>
    </tr>
  );
  return (
    <div className="grid h-full min-h-0 grid-cols-[300px_minmax(0,1fr)]">
      <section aria-label="Revisions" className="flex min-h-0 flex-col overflow-y-auto border-r border-edge bg-sunk">
        <div className="flex items-center gap-2 px-3 py-2">
          <h2 className="flex-1 text-[14px] font-semibold">Revisions</h2>
          <Button onClick={() => void nameIt(revision, `Revision ${revision}`)}>Name this one</Button>
        </div>
        {(problem ?? error) && (
          <p role="alert" className="mx-3 rounded-md bg-bad-soft px-2 py-1 text-bad">
            {problem ?? messageOf(error)}
          </p>
        )}
        <table className="w-full border-collapse text-[12.5px]">
          <thead>
            <tr className="text-left text-[11.5px] text-soft">
              <th className="w-10 pl-3 font-normal">from</th>
              <th className="w-8 font-normal">to</th>
              <th />
            </tr>
          </thead>
          <tbody>
            {row('now', undefined)}
            {list?.filter((r) => r.revision !== revision || r.name).map((r) => row(String(r.revision), r))}
          </tbody>
        </table>
      </section>
      <section aria-label="Compared" className="flex min-h-0 min-w-0 flex-col bg-sheet">
        <div className="flex h-10 shrink-0 items-center gap-3 border-b border-edge px-4">
          <p className="min-w-0 flex-1 truncate">
            {differences
              ? differences.length
                ? `${differences.length} difference${differences.length > 1 ? 's' : ''} from ${words(from)} to ${words(to)}`
                : `${words(from)} and ${words(to)} are the same.`
              : 'Comparing …'}
          </p>
          {from !== 'now' && before && <Button onClick={bringBack}>Bring {words(from)} back</Button>}
        </div>
        <div className="min-h-0 flex-1 overflow-auto">
          {differences && differences.length > 0 && (
            <Differences differences={differences} before={words(from)} after={words(to)} tags={tags} />
          )}
        </div>
      </section>
    </div>
  );
}
