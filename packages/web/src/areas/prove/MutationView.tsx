/** Beyond the checks: changes of the logic that none of them notices. */
import { useState } from 'react';
import { useNavigate, useParams } from 'react-router';
import { type MutantResult } from '@ferrule/core/verify';
import type { Difference } from '@ferrule/core/document';
import { ChevronRight } from 'lucide-react';
import { useBench } from '../../bench/live.js';
import type { TagFacts } from '../../bench/protocol.js';
import { Differences } from '../../components/Differences.js';
import { Button } from '../../components/ui.js';
import { useDocument } from '../../document/store.js';
import { Workers } from './Workers.js';
import { n, tell, useCampaign, useStale } from './campaign-runs.js';
import { GivenOut } from './SearchView.js';

export function MutationView() {
  const { results, running } = useCampaign();
  const project = useDocument((s) => s.project);
  const stale = useStale('mutate');
  const r = results.mutate,
    missed = r?.results.filter((x) => !x.noticedBy) ?? [],
    tried = r?.results.length ?? 0;
  return (
    <div className="min-h-0 overflow-y-auto rounded-xl border border-edge bg-sheet p-4">
      <Workers what="Changed logic is" />
      <div className="flex items-center gap-3">
        <p className="flex-1 text-soft">
          Changes one thing at a time — a contact inverted, a leg of a branch taken away, a preset changed, a coil that
          is set instead, a condition in the text negated — and plays the checks. What none of them notices could be
          wrong in the real logic too.
        </p>
        {running === 'mutate' ? (
          <Button onClick={() => tell({ kind: 'stop' })}>Stop</Button>
        ) : (
          <Button
            look="strong"
            disabled={running !== undefined || !project?.checks.length}
            onClick={() => project && tell({ kind: 'mutate', project })}
          >
            Change the logic
          </Button>
        )}
      </div>
      {results.problem && (
        <p role="alert" className="mt-3 text-bad">
          {results.problem.message}
        </p>
      )}
      <div className="mt-3 empty:hidden">
        <GivenOut kind="mutate" />
      </div>
      {r && (
        <p role="status" className="mt-3 text-[14px]">
          <b>{tried ? Math.round((100 * (tried - missed.length)) / tried) : 0} %</b> noticed: {n(tried - missed.length)}{' '}
          of {n(tried)} changes{r.left ? `, ${n(r.left)} ${r.done ? 'not tried' : 'to go'}` : ''}
          {stale ? ` · ${stale}` : ''}
        </p>
      )}
      {r && r.failing.length > 0 && (
        <p role="note" className="mt-1 text-bad">
          {r.failing.length === 1 ? 'One check or rule fails' : `${r.failing.length} checks and rules fail`} without any
          change and so notice{r.failing.length === 1 ? 's' : ''} nothing: {r.failing.join(', ')}.
        </p>
      )}
      <ul aria-label="Changes that no check notices" className="mt-2 text-[12.5px]">
        {missed.map((m, i) => (
          <Missed key={`${m.pouId} ${m.what} ${m.after.length} ${i}`} mutant={m} isOpen={i === 0} />
        ))}
      </ul>
    </div>
  );
}

const AROUND = 3;
/** A change that no check notices: its words, and on demand the rung or the lines as they are and as they would be. */
function Missed({ mutant: m, isOpen }: { readonly mutant: MutantResult; readonly isOpen: boolean }) {
  const [open, setOpen] = useState(isOpen);
  const navigate = useNavigate();
  const { id } = useParams();
  const tags = useBench((s) => s.checked?.tags) ?? NO_TAGS;
  const { place } = m;
  const where = place.kind === 'rung' ? `rung ${place.number}` : `line ${place.line}`;
  const lines = (text: string) =>
    place.kind === 'text'
      ? text
          .split('\n')
          .slice(Math.max(0, place.line - 1 - AROUND), place.line + AROUND)
          .join('\n')
      : text;
  const shown: Difference =
    place.kind === 'rung'
      ? {
          key: where,
          what: `${m.pou} ${where}`,
          kind: 'rung',
          before: m.before,
          after: m.after,
          rungs: { before: { id: place.rung, line: m.before }, after: { id: place.rung, line: m.after } },
        }
      : { key: where, what: `${m.pou} ${where}`, kind: 'text', before: lines(m.before), after: lines(m.after) };
  return (
    <li className="border-t border-edge py-1">
      <div className="flex items-center gap-2">
        <button
          aria-expanded={open}
          className="min-w-0 flex-1 py-0.5 text-left hover:text-copper-ink"
          onClick={() => setOpen(!open)}
        >
          <ChevronRight size={13} className={`mr-1 inline-block text-faint ${open ? 'rotate-90' : ''}`} />
          <b className="font-medium">
            {m.pou} {where}
          </b>
          : {m.what}
        </button>
        <Button
          tight
          onClick={() =>
            void navigate(
              place.kind === 'rung'
                ? `/projects/${id}/logic?pou=${m.pouId}&rung=${place.rung}&element=${place.element}`
                : `/projects/${id}/logic?pou=${m.pouId}&at=${place.at}`,
            )
          }
        >
          Go there
        </Button>
      </div>
      {open && (
        <div className="my-1.5 overflow-hidden rounded-lg border border-edge">
          <Differences differences={[shown]} before="as it is" after="changed, and no check notices" tags={tags} />
        </div>
      )}
    </li>
  );
}
const NO_TAGS: Readonly<Record<string, TagFacts>> = {};
