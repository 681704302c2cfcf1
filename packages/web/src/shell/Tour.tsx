/** The first-hour tour: one line under the top bar that says what to do next, watches, and goes on by itself. */
import { useEffect, useRef, useState } from 'react';
import { useLocation, useNavigate } from 'react-router';
import { useStore } from 'zustand';
import { useShallow } from 'zustand/react/shallow';
import { benchStore, useBench, useLook } from '../bench/live.js';
import { useAsked } from '../components/asking.js';
import { useProofs, useRuns, useTour } from '../components/tour.js';
import { Button } from '../components/ui.js';
import { useDocument } from '../document/store.js';
import { TOUR, type TourStep } from './tour-steps.js';

const NONE: readonly string[] = [];
/** So long what was done stays praised before the next step comes. */
const REST_MS = 1100;

export function Tour({ id }: { readonly id: string }) {
  const at = useTour((s) => s.steps[id]);
  const step = at === undefined ? undefined : TOUR[at];
  if (at === undefined) return null;
  if (!step) return <End id={id} />;
  return <Step key={at} id={id} at={at} step={step} />;
}

const row = 'flex items-center gap-3 border-b border-edge bg-glow px-4 py-1.5 text-[12.5px]';

function Step({ id, at, step }: { readonly id: string; readonly at: number; readonly step: TourStep }) {
  const { pathname } = useLocation();
  const navigate = useNavigate();
  const reads = step.reads ?? NONE;
  useLook(reads);
  const project = useDocument((s) => s.project),
    frame = useBench((s) => s.frame);
  const values = useStore(
    benchStore,
    useShallow((s) => reads.map((p) => s.frame?.values[p])),
  );
  const asked = useAsked((s) => (s.answer ? s.path : undefined)),
    last = useRuns((s) => s.last),
    proofs = useProofs((s) => s.decided);
  const began = useRef<{ scan: number; proofs: number } | undefined>(undefined);
  const [done, setDone] = useState(false);
  const area = pathname.split('/')[3] ?? 'logic';
  if (!began.current && frame) began.current = { scan: frame.scan, proofs };
  const isDone =
    project !== undefined &&
    began.current !== undefined &&
    step.isDone({
      project,
      area,
      frame,
      value: (p) => values[reads.indexOf(p)],
      asked,
      runs: last && { passed: last.passed, failed: last.failed, isNow: last.of === project },
      proofs,
      began: began.current,
    });
  useEffect(() => {
    if (isDone) setDone(true);
  }, [isDone]);
  useEffect(() => {
    if (!done) return undefined;
    const t = setTimeout(() => useTour.getState().go(id, at + 1), REST_MS);
    return () => clearTimeout(t);
  }, [done, id, at]);
  const { go, end } = useTour.getState();
  return (
    <section aria-label="Tour" className={row}>
      <span className="shrink-0 font-mono text-[11.5px] text-soft">
        {at + 1} of {TOUR.length}
      </span>
      <p className="min-w-0 flex-1" role="status">
        <b className={done ? 'text-good' : 'text-copper-ink'}>
          {done ? '✓ ' : ''}
          {step.title}.
        </b>{' '}
        {step.say}
      </p>
      {area !== step.area && (
        <Button tight onClick={() => void navigate(`/projects/${id}/${step.area}`)}>
          Go there
        </Button>
      )}
      {at > 0 && (
        <Button tight look="quiet" onClick={() => go(id, at - 1)}>
          Back
        </Button>
      )}
      <Button tight look="quiet" onClick={() => go(id, at + 1)}>
        Skip
      </Button>
      <Button tight look="quiet" onClick={() => end(id)}>
        End the tour
      </Button>
    </section>
  );
}

function End({ id }: { readonly id: string }) {
  const { go, end } = useTour.getState();
  return (
    <section aria-label="Tour" className={row}>
      <p className="flex-1" role="status">
        <b className="text-good">✓ That was the hour.</b> Write, try, look back, ask why, check, prove; only then
        download (Controller). F1 explains whatever you stand on, Ctrl+K finds everything.
      </p>
      <Button tight look="quiet" onClick={() => go(id, TOUR.length - 1)}>
        Back
      </Button>
      <Button tight onClick={() => end(id)}>
        End the tour
      </Button>
    </section>
  );
}
