/** Proof over all inputs, run on the server: each rule with the strength it reached, in words that never say more. */
import { useNavigate, useParams } from 'react-router';
import { type ProofAnswer, type RuleProof, rulesOf } from '@ferrule/core/verify';
import { useMemo } from 'react';
import { create } from 'zustand';
import { linesOf, messageOf } from '../../api.js';
import { tellBench } from '../../bench/live.js';
import type { ToBench } from '../../bench/protocol.js';
import { keepRows } from '../../components/recorder.js';
import { useProofs } from '../../components/tour.js';
import { Button } from '../../components/ui.js';
import { useDocument } from '../../document/store.js';
import { Workers } from './Workers.js';

type Shown = Omit<RuleProof, 'recording'> & { readonly recording?: Extract<ToBench, { kind: 'stand' }>['recording'] };
interface ProofState {
  readonly rules: readonly Shown[];
  readonly isContradiction: boolean;
  readonly problem: string | undefined;
  readonly running: { readonly words: string; readonly decided: number; readonly of: number } | undefined;
  /** The project it is a proof of. */
  readonly of: unknown;
  readonly tookMs: number;
}
/** Stays while the user looks at other areas. */
export const useProof = create<ProofState>(() => ({
  rules: [],
  isContradiction: false,
  problem: undefined,
  running: undefined,
  of: undefined,
  tookMs: 0,
}));

let stop: AbortController | undefined;

async function proveAll(): Promise<void> {
  const mine = (stop = new AbortController()),
    before = performance.now();
  useProof.setState({ running: { words: 'Beginning', decided: 0, of: 0 }, problem: undefined });
  try {
    await useDocument.getState().flush();
    const { project, id } = useDocument.getState();
    await linesOf<Message>(`/projects/${id}/proof`, {}, mine.signal, (m) =>
      take(m, project, performance.now() - before),
    );
  } catch (e) {
    if (!mine.signal.aborted) useProof.setState({ problem: messageOf(e) });
  }
  if (stop === mine) useProof.setState({ running: undefined });
}

type Message =
  | { readonly kind: 'progress'; readonly words: string; readonly decided: number; readonly of: number }
  | { readonly kind: 'done'; readonly answer: Omit<ProofAnswer, 'rules'> & { readonly rules: readonly Shown[] } }
  | { readonly kind: 'failed'; readonly message: string };
function take(m: Message, of: unknown, tookMs: number): void {
  if (m.kind === 'progress') useProof.setState({ running: m });
  else if (m.kind === 'failed') useProof.setState({ problem: m.message });
  else {
    useProofs.setState((s) => ({ decided: s.decided + m.answer.rules.length }));
    useProof.setState({
      rules: m.answer.rules,
      problem: m.answer.problem,
      isContradiction: m.answer.contradiction ?? false,
      of,
      tookMs,
    });
  }
}

const STRENGTHS = {
  proved: ['✓', 'proved', 'text-good'],
  cold: ['?', 'not proved after a warm restart', 'text-soft'],
  failed: ['✕', 'broken', 'text-bad'],
  broken: ['?', 'inputs alone break it', 'text-soft'],
  open: ['?', 'not proved', 'text-soft'],
  unable: ['?', 'out of reach of a proof', 'text-soft'],
} as const;

/** The mark of a rule in the list: a second one behind that of the checks. */
export function ProofMark({ id }: { readonly id: string }) {
  const rule = useProof((s) => s.rules.find((r) => r.id === id));
  const [sign, words, colour] = rule ? STRENGTHS[rule.strength] : ['', '', ''];
  return rule ? (
    <span className={`shrink-0 text-[11.5px] ${colour}`} title={rule.words}>
      {sign} {words}
    </span>
  ) : null;
}

export function useProofOf(id: string): Shown | undefined {
  return useProof((s) => s.rules.find((r) => r.id === id));
}
/** The proofs that are of the project as it is now, by rule. */
export function useProofsNow(): ReadonlyMap<string, Shown> {
  const rules = useProof((s) => s.rules),
    of = useProof((s) => s.of),
    project = useDocument((s) => s.project);
  return useMemo(() => new Map(of === project ? rules.map((r) => [r.id, r]) : []), [rules, of, project]);
}

export function ProofView() {
  const { rules, running, problem, of, tookMs, isContradiction } = useProof();
  const project = useDocument((s) => s.project);
  const all = project ? rulesOf(project) : [],
    asked = all.filter((r) => !r.assumed),
    assumed = all.filter((r) => r.assumed);
  const proved = rules.filter((r) => r.strength === 'proved').length;
  return (
    <div className="min-h-0 overflow-y-auto rounded-xl border border-edge bg-sheet p-4">
      <p className="mb-3 max-w-3xl text-soft">
        Asks of each rule whether any inputs at all, and whatever other programs may write, in any order and for any
        time, can break it, from a cold start on and after warm restarts. What inputs alone can break is then tried
        against the machine model: what the machine does not give is open, and an assumption can say that it never will;
        checks and searches hold the machine to that.
      </p>
      <Workers what="Proofs are" />
      <div className="flex items-center gap-3">
        {running ? (
          <Button
            onClick={() => {
              stop?.abort();
              useProof.setState({ running: undefined });
            }}
          >
            Stop
          </Button>
        ) : (
          <Button look="strong" disabled={!asked.length} onClick={() => void proveAll()}>
            Prove
          </Button>
        )}
        {running ? (
          <span role="status" className="text-soft">
            {running.words} … {running.of > 0 && `${running.decided} of ${running.of} decided`}
          </span>
        ) : (
          rules.length > 0 && (
            <span role="status">
              <b>
                {proved} of {rules.length}
              </b>{' '}
              proved, in {(tookMs / 1000).toFixed(1)} s{of !== project ? ' · The project has changed since.' : ''}
            </span>
          )
        )}
      </div>
      {problem && (
        <p role="alert" className="mt-3 text-bad">
          {problem}
        </p>
      )}
      {isContradiction && (
        <p role="alert" className="mt-3 text-bad">
          The assumptions contradict each other; with them everything would be proved. Mend them first.
        </p>
      )}
      <ul className="mt-2">
        {asked.map((r) => {
          const p = rules.find((x) => x.id === r.id);
          return (
            <li key={r.id} className="border-t border-edge py-2">
              <p>
                <b className="font-medium">{r.name}</b> <span className="text-soft">{r.sentence}</span>
              </p>
              {p ? <ProofWords proof={p} /> : <p className="text-faint">not asked yet</p>}
            </li>
          );
        })}
      </ul>
      {assumed.length > 0 && (
        <>
          <h3 className="mt-4 font-semibold">Assumed</h3>
          <ul>
            {assumed.map((r) => (
              <li key={r.id} className="border-t border-edge py-1.5">
                <b className="font-medium">{r.name}</b> <span className="text-soft">{r.sentence}</span>
              </li>
            ))}
          </ul>
        </>
      )}
    </div>
  );
}

/** What a proof says of a rule; inputs that break it can be stood at on the bench. */
export function ProofWords({ proof }: { readonly proof: Shown }) {
  const navigate = useNavigate();
  const { id } = useParams();
  const [sign, , colour] = STRENGTHS[proof.strength];
  return (
    <div>
      <p>
        <span className={`mr-2 font-semibold ${colour}`} aria-label={STRENGTHS[proof.strength][1]}>
          {sign}
        </span>
        {proof.words}
      </p>
      {proof.inputs && (
        <ol className="my-1 ml-6 text-[12.5px] text-soft">
          {proof.inputs.map((l) => (
            <li key={l}>{l}</li>
          ))}
        </ol>
      )}
      <div className="flex flex-wrap gap-2">
        {proof.recording && proof.scan !== undefined && (
          <Button
            tight
            onClick={() => {
              const { recording, scan, warmAt } = proof;
              tellBench({ kind: 'stand', recording: recording!, scan: scan!, ...(warmAt ? { warmAt } : {}) });
              void navigate(`/projects/${id}/logic`);
            }}
          >
            Show on bench, with these inputs
          </Button>
        )}
        {proof.rows && (
          <Button
            tight
            onClick={() =>
              void navigate(
                `/projects/${id}/prove?check=${keepRows(`Against: ${proof.name}`, 'Found by proof: inputs that break the rule. It passes when the rule holds here.', proof.rows!)}`,
              )
            }
          >
            Keep as a check
          </Button>
        )}
      </div>
    </div>
  );
}
