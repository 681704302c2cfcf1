/** Prove: sequence checks and interlock rules, run on the server; a failure says where and puts the bench there. */
import { useEffect, useLayoutEffect, useMemo, useRef, useState } from 'react';
import { Link, useNavigate, useSearchParams } from 'react-router';
import { type Strengths, type VerdictWord, checkVerdict, ruleVerdict, rulesOf } from '@ferrule/core/verify';
import { renameRule } from '@ferrule/core/document';
import { many } from '@ferrule/core/language';
import { api, messageOf } from '../../api.js';
import { useBench } from '../../bench/live.js';
import {
  AddButton,
  type CheckResult,
  CheckSheet,
  type Failure,
  FailureLine,
  Mark,
  type Recording,
  goOn,
  seconds,
} from './CheckSheet.js';
import { useSearchNow, useSearchOf } from './campaign-runs.js';
import { MutationView } from './MutationView.js';
import { ReachView } from './ReachView.js';
import { SearchView } from './SearchView.js';
import { ProofMark, ProofView, ProofWords, useProofOf, useProofsNow } from './Proof.js';
import { OnRevision, type Told } from './OnRevision.js';
import { ReportDialog } from './ReportDialog.js';
import { Button, EditInPlace, EditSentence } from '../../components/ui.js';
import { focusField } from '../../components/focus.js';
import { freeName } from '../../components/free-name.js';
import { helpTopic } from '../../components/help-topic.js';
import { onPageKeys } from '../../components/keys.js';
import { beginRecording } from '../../components/recorder.js';
import { useRuns } from '../../components/tour.js';
import { durationText } from '../../components/values.js';
import { givenOutside } from '../../components/outside.js';
import { newId, useDocument } from '../../document/store.js';

interface RuleResult {
  readonly id: string;
  readonly name: string;
  readonly ok: boolean;
  readonly scans: number;
  readonly failure?: Failure;
  readonly recording: Recording;
  readonly problem?: string;
}
interface Results {
  readonly checks: readonly CheckResult[];
  readonly rules: readonly RuleResult[];
  readonly problem?: string;
  /** The document they were played on. */ readonly of: unknown;
  readonly tookMs: number;
}

/** Results stay while the user looks at other areas. */
let kept: Results | undefined;

export function ProveArea() {
  useEffect(() => {
    helpTopic.setState({ topic: { tab: 'checks' } });
    return () => helpTopic.setState({ topic: undefined });
  }, []);
  const project = useDocument((s) => s.project),
    projectId = useDocument((s) => s.id);
  const [results, setResults] = useState<Results | undefined>(kept);
  const [running, setRunning] = useState(false);
  const [failed, setFailed] = useState<string>();
  const [reporting, setReporting] = useState(false),
    [elsewhere, setElsewhere] = useState(false);
  const [search, setSearch] = useSearchParams(),
    navigate = useNavigate();
  const given = useMemo(() => givenOutside(project), [project]);
  const checks = project?.checks ?? [],
    own = project?.rules ?? [],
    rules = project ? rulesOf(project) : [];
  const rule = rules.find((r) => r.id === search.get('rule'));
  /** That nothing faults is a rule of every project; it is not written down, nor can it be deleted. */
  const isBuiltIn = rule !== undefined && !own.includes(rule);
  const view = search.get('view') ?? undefined;
  const check = rule || view ? undefined : (checks.find((c) => c.id === search.get('check')) ?? checks[0]);
  const isStale = results !== undefined && results.of !== project;

  const run = async () => {
    setRunning(true);
    setFailed(undefined);
    try {
      await useDocument.getState().flush();
      const of = useDocument.getState().project;
      const before = performance.now();
      const answer = await api<Omit<Results, 'of' | 'tookMs'>>(
        'POST',
        `/projects/${useDocument.getState().id}/prove`,
        {},
      );
      kept = { ...answer, of, tookMs: performance.now() - before };
      setResults(kept);
      const words = [...answer.checks.map(checkWord), ...answer.rules.map((r) => ruleWord(r))],
        failed = words.filter((w) => w === 'FAILED').length;
      useRuns.setState({ last: { passed: words.filter((w) => w === 'ok').length, failed, of } });
    } catch (e) {
      setFailed(messageOf(e));
    }
    setRunning(false);
  };
  /** From a field too: what is typed there counts, and is typed further. */
  const runTyped = () => {
    const field = document.activeElement;
    if (field instanceof HTMLElement && field.matches('input, textarea')) {
      field.blur();
      field.focus();
    }
    return run();
  };
  // From the moment it is seen.
  useLayoutEffect(() => onPageKeys([['F9', () => void runTyped()]], { isFirst: true }), []);

  const { edit } = useDocument.getState();
  /** What was made is named next; Enter then goes on to its first words. */
  const made = useRef<{ readonly id: string; isNamed: boolean }>(undefined),
    chosenId = (rule ?? check)?.id,
    isRule = rule !== undefined;
  useEffect(() => {
    if (!made.current || made.current.id !== chosenId || made.current.isNamed) return;
    made.current.isNamed = true;
    focusField(isRule ? 'Name of the rule' : 'Name of the check');
  }, [chosenId, isRule]);
  const goOnFromName = (e: KeyboardEvent) => {
    if (e.key !== 'Enter' || made.current?.id !== chosenId) return;
    made.current = undefined;
    focusField(rule ? 'Rule' : 'When of row 1');
  };
  const addCheck = () => {
    const id = newId('c');
    // A check begins with a row to fill in.
    edit({
      kind: 'addCheck',
      at: checks.length,
      check: {
        id,
        name: freeName(
          'New check',
          checks.map((c) => c.name),
        ),
        rows: [{ id: newId('k') }],
      },
    });
    setSearch({ check: id });
    made.current = { id, isNamed: false };
  };
  const addRule = () => {
    const id = newId('i');
    edit({
      kind: 'addRule',
      at: own.length,
      rule: {
        id,
        name: freeName(
          'New rule',
          rules.map((r) => r.name),
        ),
        sentence: '',
      },
    });
    setSearch({ rule: id });
    made.current = { id, isNamed: false };
  };
  const record = () => {
    if (!projectId) return;
    beginRecording(projectId);
    void navigate(`/projects/${projectId}/machine`);
  };
  const removeChosen = () => {
    if (rule) edit({ kind: 'removeRule', id: rule.id });
    else if (check) edit({ kind: 'removeCheck', id: check.id });
    setSearch({});
  };

  // A check passes when all of its runs do.
  const passing = [...new Set(results?.checks.map((c) => c.id))].map((id) =>
    results!.checks.every((c) => c.id !== id || c.ok),
  );
  /** One run, or one for each row of its table. */
  const checkResults = (id: string) => results?.checks.filter((c) => c.id === id) ?? [];
  const ruleResult = (id: string) => results?.rules.find((r) => r.id === id);
  const proofs = useProofsNow(),
    searched = useSearchNow();
  /** The verdict on a rule from all that is known of it as it is now. */
  const verdictOf = (id: string) => {
    const proof = proofs.get(id),
      search = searched?.(id);
    // Proved or searched before any check ran: nothing has played it yet.
    const r: RuleResult | undefined =
      ruleResult(id) ?? (proof || search ? { id, name: '', ok: true, scans: 0, recording: [] } : undefined);
    return r && ruleWord(r, { ...(proof ? { proof } : {}), ...(search ? { search } : {}) });
  };
  const ruleWords = results?.rules.map((r) => verdictOf(r.id)) ?? [],
    openRules = ruleWords.filter((w) => w === 'OPEN').length;
  const item = (selected: boolean) =>
    `flex w-full items-center gap-2 rounded-lg px-2 py-1.5 text-left ${selected ? 'border border-edge bg-sheet font-semibold' : 'border border-transparent hover:bg-edge/30'}`;
  const simulated = results ? results.checks.reduce((s, c) => s + c.timeNs, 0) / 1e6 : 0;
  return (
    <div className="grid h-full min-h-0 grid-cols-[clamp(210px,22vw,280px)_minmax(0,1fr)]">
      <aside aria-label="Checks and rules" className="min-h-0 overflow-y-auto border-r border-edge bg-sunk p-2.5">
        <Heading
          text="Sequence checks"
          count={results && `${passing.filter(Boolean).length} of ${passing.length} pass`}
        />
        {checks.map((c) => {
          const runs = checkResults(c.id),
            bad = runs.find((x) => !x.ok),
            r = bad ?? runs[0];
          return (
            <button key={c.id} className={item(c === check)} onClick={() => setSearch({ check: c.id })}>
              <Mark word={r && checkWord(r)} />
              <span className="min-w-0 flex-1 break-words">{c.name}</span>
              <span className="text-[11.5px] text-faint">
                {r &&
                  (runs.length > 1
                    ? `${runs.filter((x) => x.ok).length} of ${runs.length}`
                    : r.ok
                      ? seconds(r.timeNs)
                      : r.failure?.row
                        ? `row ${r.failure.row}`
                        : 'stopped')}
              </span>
            </button>
          );
        })}
        <AddButton label="New check" onClick={addCheck} />
        <AddButton label="Record a check" onClick={record} />
        <div className="h-4" />
        <Heading
          text="Interlock rules"
          count={
            results &&
            `${ruleWords.filter((w) => w === 'ok').length} of ${ruleWords.length} hold${openRules ? `, ${openRules} open` : ''}`
          }
        />
        {rules.map((x) => {
          const r = ruleResult(x.id);
          return (
            <button key={x.id} className={item(x === rule)} onClick={() => setSearch({ rule: x.id })}>
              <Mark word={verdictOf(x.id)} />
              <span className="min-w-0 flex-1">
                {x.name}
                <span className="flex gap-2 text-[11.5px] font-normal text-faint">
                  {x.assumed && <span>assumed</span>}
                  <ProofMark id={x.id} />
                  {r && (
                    <span>
                      {r.ok
                        ? r.scans
                          ? many(r.scans, 'scan')
                          : 'nothing played it'
                        : r.failure
                          ? `at ${seconds(r.failure.timeNs)}`
                          : 'problem'}
                    </span>
                  )}
                </span>
              </span>
            </button>
          );
        })}
        <AddButton label="New rule" onClick={addRule} />
        <div className="h-4" />
        <Heading text="Beyond the checks" count={undefined} />
        {(
          [
            ['proof', 'Proof for all inputs'],
            ['search', 'Search for counterexamples'],
            ['reach', 'What the checks reach'],
            ['mutate', 'What the checks notice'],
          ] as const
        ).map(([v, words]) => (
          <button key={v} className={item(view === v)} onClick={() => setSearch({ view: v })}>
            <span className="w-4 text-center text-faint">◇</span>
            {words}
          </button>
        ))}
      </aside>
      <section aria-label="Chosen check" className="flex min-h-0 flex-col gap-2 p-3">
        <div className="flex items-center gap-3">
          <div className="min-w-0 flex-1">
            {isBuiltIn ? (
              <h2 className="text-[15px] font-semibold">{rule!.name}</h2>
            ) : (rule ?? check) ? (
              <h2 className="text-[15px] font-semibold" onKeyDownCapture={(e) => goOnFromName(e.nativeEvent)}>
                <EditInPlace
                  value={(rule ?? check)!.name}
                  label={rule ? 'Name of the rule' : 'Name of the check'}
                  onCommit={(name) => {
                    if (!name) return;
                    if (rule) edit(renameRule(project!, rule.id, name));
                    else edit({ kind: 'changeCheck', id: check!.id, to: { name } });
                  }}
                />
              </h2>
            ) : (
              <h2 className="text-[15px] font-semibold">
                {view === 'proof'
                  ? 'Proof for all inputs'
                  : view === 'search'
                    ? 'Search for counterexamples'
                    : view === 'reach'
                      ? 'What the checks reach'
                      : view === 'mutate'
                        ? 'What the checks notice'
                        : 'No checks yet'}
              </h2>
            )}
            {rule ? (
              <p className="truncate px-1 text-soft">Judged in every scan that the checks play.</p>
            ) : (
              check && (
                <div className="text-soft">
                  <EditSentence
                    key={check.id}
                    value={check.note ?? ''}
                    label="Note of the check"
                    placeholder="What this check is for"
                    onCommit={(note) => edit({ kind: 'changeCheck', id: check.id, to: { note: note || null } })}
                  />
                </div>
              )
            )}
          </div>
          {(rule ?? check) && !isBuiltIn && (
            <Button look="danger" onClick={removeChosen}>
              {rule ? 'Delete rule' : 'Delete check'}
            </Button>
          )}
          {results && (
            <span className="text-right text-[12px] text-soft" role="status">
              {isStale
                ? 'The project has changed since this run.'
                : `${durationText(simulated)} of machine time in ${(results.tookMs / 1000).toFixed(2)} s`}
            </span>
          )}
          <Button onClick={() => setElsewhere(true)}>On a revision</Button>
          {elsewhere && (
            <OnRevision<Omit<Results, 'of' | 'tookMs'>>
              only={(rule ?? check)?.name}
              tell={tellAll}
              onClose={() => setElsewhere(false)}
            />
          )}
          <Button onClick={() => setReporting(true)}>Report</Button>
          {reporting && <ReportDialog onClose={() => setReporting(false)} />}
          <Button look="strong" keys="F9" disabled={running} onClick={() => void run()}>
            {running ? 'Running …' : 'Run all'}
          </Button>
        </div>
        {given > 0 && (
          <p role="note" className="text-soft">
            {given} input{given === 1 ? ' comes' : 's come'} from another program and not from the machine model: checks
            and proofs have {given === 1 ? 'it' : 'them'} as they set {given === 1 ? 'it' : 'them'}.{' '}
            <Link className="underline" to={`/projects/${projectId}/machine?view=outside`}>
              Outside I/O
            </Link>
          </p>
        )}
        {(failed ?? results?.problem) && (
          <p role="alert" className="rounded-md bg-bad-soft px-3 py-1.5 text-bad">
            {failed ?? results?.problem}
          </p>
        )}
        {view === 'proof' ? (
          <ProofView />
        ) : view === 'search' ? (
          <SearchView />
        ) : view === 'reach' ? (
          <ReachView />
        ) : view === 'mutate' ? (
          <MutationView />
        ) : null}
        {!check && !rule && !view && (
          <FirstOnes
            ways={[
              [
                'Write a check',
                'after 500 ms · tap Start · Running is on within 2 scans',
                'Rows of when, what to do and what to expect, as short sentences that are completed while you type. All checks are played in simulated time, much faster than the machine.',
                addCheck,
              ],
              [
                'State a rule',
                'Motor requires GuardShut',
                'What has to hold in every scan. It is judged while the checks play; a search looks for inputs that break it; where the logic allows one, a proof covers all inputs.',
                addRule,
              ],
              ...(project?.machine.devices.length
                ? [
                    [
                      'Record one',
                      'you press, Ferrule writes',
                      'Work the panel of the machine. The rows are written while you do, and what to expect is proposed.',
                      record,
                    ] as const,
                  ]
                : []),
              ...(project?.plan?.sequences.some((q) => q.steps.length)
                ? [
                    [
                      'Go to the plan',
                      'main path and limits',
                      'Generate in the plan makes first checks: one for the main path, one for each limit.',
                      () => void navigate(`/projects/${projectId}/plan`),
                    ] as const,
                  ]
                : []),
            ]}
          />
        )}
        {check && <CheckSheet key={check.id} check={check} results={checkResults(check.id)} />}
        {rule && (
          <RuleView
            id={rule.id}
            sentence={rule.sentence}
            assumed={rule.assumed ?? false}
            isBuiltIn={isBuiltIn}
            result={ruleResult(rule.id)}
          />
        )}
      </section>
    </div>
  );
}

/** What can be begun with while there is nothing yet: a name, an example, what it is for. */
function FirstOnes({ ways }: { readonly ways: readonly (readonly [string, string, string, () => void])[] }) {
  return (
    <ul aria-label="How to begin" className="grid max-w-3xl gap-2">
      {ways.map(([name, example, words, go]) => (
        <li key={name} className="flex items-start gap-4 rounded-xl border border-edge bg-sheet p-3.5">
          <div className="min-w-0 flex-1">
            <p className="font-mono text-[12.5px]">{example}</p>
            <p className="mt-1 text-soft">{words}</p>
          </div>
          <Button onClick={go}>{name}</Button>
        </li>
      ))}
    </ul>
  );
}

function Heading({ text, count }: { readonly text: string; readonly count: string | undefined }) {
  return (
    <h3 className="flex justify-between px-2 py-1.5 text-[12px] font-semibold text-soft">
      {text}
      <span className="font-normal">{count}</span>
    </h3>
  );
}

function RuleView({
  id,
  sentence,
  assumed,
  isBuiltIn,
  result,
}: {
  readonly id: string;
  readonly sentence: string;
  readonly assumed: boolean;
  readonly isBuiltIn: boolean;
  readonly result: RuleResult | undefined;
}) {
  const problems = useBench((s) => s.checked?.problems) ?? [];
  const wrong = problems.find((p) => p.origin.kind === 'cell' && p.origin.id === id);
  const proof = useProofOf(id),
    search = useSearchOf(id);
  return (
    <div className="rounded-xl border border-edge bg-sheet">
      {isBuiltIn ? (
        <p className="p-4 text-soft">
          A rule of every project: no scan ends in a run-time fault (a division of whole numbers by zero, an index
          outside of its array, a value outside of its subrange, a reference that is NULL, a loop past the watchdog).
        </p>
      ) : (
        <RuleWords id={id} sentence={sentence} assumed={assumed} problem={wrong?.message ?? result?.problem} />
      )}
      {result?.ok && (
        <p className="border-t border-edge px-4 py-2 text-soft">
          {result.scans
            ? `Held on the ${many(result.scans, 'scan')} the checks played.${proof ? '' : ' That is not a proof for all inputs.'}`
            : 'Open: no check played it.'}
        </p>
      )}
      {search && <p className="border-t border-edge px-4 py-2 text-soft">{search}</p>}
      {proof && (
        <div className="border-t border-edge px-4 py-2">
          <ProofWords proof={proof} />
        </div>
      )}
      {result?.failure && <FailureLine failure={result.failure} recording={result.recording} />}
    </div>
  );
}

/** The sentence of a rule, and whether it is taken for granted. */
function RuleWords({
  id,
  sentence,
  assumed,
  problem,
}: {
  readonly id: string;
  readonly sentence: string;
  readonly assumed: boolean;
  readonly problem: string | undefined;
}) {
  return (
    <>
      <div className="p-3">
        <EditSentence
          value={sentence}
          label="Rule"
          placeholder="never A and B together"
          complete={goOn('rule')}
          onCommit={(s) => useDocument.getState().edit({ kind: 'changeRule', id, to: { sentence: s } })}
        />
        {problem && <p className="px-1 text-bad">{problem}</p>}
      </div>
      <label className="flex items-center gap-2 border-t border-edge px-4 py-2 text-soft">
        <input
          type="checkbox"
          checked={assumed}
          onChange={(e) =>
            useDocument.getState().edit({ kind: 'changeRule', id, to: { assumed: e.target.checked || null } })
          }
          className="accent-[var(--copper)]"
        />
        An assumption: proofs take it for granted, as something the machine never does otherwise; checks and searches
        hold the machine to it.
      </label>
    </>
  );
}

/** Each check and rule that was played, in words. */
const tellAll = (answer: Omit<Results, 'of' | 'tookMs'>): readonly Told[] => [
  ...answer.checks.map((c): Told => {
    const v = checkVerdict(c as unknown as Parameters<typeof checkVerdict>[0]);
    return { key: `check ${c.id} ${c.run ?? ''}`, name: c.name, word: v.word, words: v.words };
  }),
  ...answer.rules.map((r): Told => {
    const v = ruleVerdict(r as unknown as Parameters<typeof ruleVerdict>[0], {});
    return { key: `rule ${r.id}`, name: r.name, word: v.word, words: v.words };
  }),
];

/** The verdict on what the server answered, whose times are numbers. */
const checkWord = (c: CheckResult): VerdictWord =>
  checkVerdict(c as unknown as Parameters<typeof checkVerdict>[0]).word;
const ruleWord = (r: RuleResult, more: Strengths = {}): VerdictWord =>
  ruleVerdict(r as unknown as Parameters<typeof ruleVerdict>[0], more).word;
