/** Beyond the checks: what they have reached, and inputs that reach the rest. */
import { useEffect } from 'react';
import { useNavigate, useParams } from 'react-router';
import { neverReached } from '@ferrule/core/verify';
import { showReach } from '../../components/reach.js';
import { Button } from '../../components/ui.js';
import { useDocument } from '../../document/store.js';
import { Workers } from './Workers.js';
import { n, tell, useCampaign, useStale } from './campaign-runs.js';
import { Found, GivenOut } from './SearchView.js';

export function ReachView() {
  const { results, running } = useCampaign();
  const project = useDocument((s) => s.project);
  const navigate = useNavigate();
  const { id } = useParams();
  const stale = useStale('reach');
  useEffect(() => {
    if (project && !useCampaign.getState().results.reach) tell({ kind: 'reach', project });
  }, []);
  const r = results.reach?.reach,
    find = results.find;
  const never = (r?.rungs ?? []).flatMap((x) => {
    const words = neverReached(x);
    return words ? [[x, words] as const] : [];
  });
  const missing = r
    ? r.steps.filter((s) => !s.entered).length + never.length + r.branches.filter((b) => !b.taken).length
    : 0;
  const bar = (words: string, f: { readonly reached: number; readonly of: number }) => (
    <div className="w-56">
      <p className="flex justify-between gap-2 whitespace-nowrap">
        <span>{words}</span>
        <b className="font-mono text-[12px]">
          {f.reached} of {f.of}
        </b>
      </p>
      <span className="block h-1.5 rounded bg-edge">
        <span
          className="block h-1.5 rounded bg-copper"
          style={{ width: `${f.of ? (100 * f.reached) / f.of : 100}%` }}
        />
      </span>
    </div>
  );
  return (
    <div className="min-h-0 overflow-y-auto rounded-xl border border-edge bg-sheet p-4">
      <div className="flex items-center gap-3">
        <p className="flex-1 text-soft">
          What the checks have exercised. A contact counts when it was seen both open and closed.
        </p>
        <Button disabled={running !== undefined} onClick={() => project && tell({ kind: 'reach', project })}>
          {running === 'reach' ? 'Playing …' : 'Play again'}
        </Button>
      </div>
      {stale && r && <p className="text-soft">{stale}</p>}
      {results.problem && (
        <p role="alert" className="mt-3 text-bad">
          {results.problem.message}
        </p>
      )}
      {r && (
        <>
          <div className="my-4 flex flex-wrap gap-6">
            {bar('Contacts, both ways', r.figures.contacts)}
            {bar('Rungs powered', r.figures.rungs)}
            {bar('Steps entered', r.figures.steps)}
            {r.figures.branches.of > 0 && bar('Branches taken', r.figures.branches)}
          </div>
          {missing > 0 && <Workers what="Finding inputs is" />}
          <div className="flex items-center gap-3">
            <h3 className="font-semibold">Never exercised</h3>
            {running === 'find' ? (
              <Button tight onClick={() => tell({ kind: 'stop' })}>
                Stop
              </Button>
            ) : (
              missing > 0 && (
                <>
                  <Button
                    tight
                    onClick={() => {
                      const of = useCampaign.getState().of.reach;
                      if (of) {
                        showReach(of, r);
                        void navigate(`/projects/${id}/logic`);
                      }
                    }}
                  >
                    Show it on the rungs
                  </Button>
                  <Button
                    tight
                    disabled={running !== undefined}
                    onClick={() =>
                      project && tell({ kind: 'find', project, seed: 1, upsets: true, missing: r, scans: 4e6 })
                    }
                  >
                    Find inputs that reach it
                  </Button>
                </>
              )
            )}
            <GivenOut kind="find" />
            {find && (
              <span role="status" className="text-soft">
                {find.state.found.length} of {find.state.found.length + find.state.open.length} reached in{' '}
                {n(find.state.scans)} scans
              </span>
            )}
          </div>
          {find && (
            <ul aria-label="Reached by search" className="mb-3">
              {find.state.found.map((f) => (
                <Found key={f.ruleId} found={f} reached />
              ))}
            </ul>
          )}
          <ul aria-label="Never exercised" className="text-[12.5px]">
            {r.steps
              .filter((s) => !s.entered)
              .map((s) => (
                <li key={`${s.tag} ${s.value}`} className="border-b border-edge py-1">
                  {s.tag} never was {s.value}
                </li>
              ))}
            {never.map(([x, words]) => (
              <li key={x.rung} className="border-b border-edge py-1">
                <button
                  className="text-left hover:text-copper-ink"
                  onClick={() => void navigate(`/projects/${id}/logic?pou=${x.pouId}&rung=${x.rung}`)}
                >
                  <b className="font-medium">
                    {x.pou} rung {x.number}
                  </b>{' '}
                  {words}
                </button>
              </li>
            ))}
            {r.branches
              .filter((b) => !b.taken)
              .map((b) => (
                <li key={`${b.pouId} ${b.at}`} className="border-b border-edge py-1">
                  <button
                    className="hover:text-copper-ink"
                    onClick={() => void navigate(`/projects/${id}/logic?pou=${b.pouId}&at=${b.at}`)}
                  >
                    A branch of {project?.pous.find((p) => p.id === b.pouId)?.name ?? 'a text'} never taken
                  </button>
                </li>
              ))}
          </ul>
        </>
      )}
    </div>
  );
}
