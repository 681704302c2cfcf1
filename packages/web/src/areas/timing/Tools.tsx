/** What Timing looks at: whose steps, from which on, over which stretch, beside and compared with what. */
import { sameName, many } from '@ferrule/core/language';
import { useEffect, useState } from 'react';
import { useParams } from 'react-router';
import useSWR from 'swr';
import type { StepTag } from '@ferrule/core/bench';
import { askBench, useBench } from '../../bench/live.js';
import { focusField } from '../../components/focus.js';
import { Button, EditInPlace } from '../../components/ui.js';
import { useDocument } from '../../document/store.js';
import type { With } from './use-comparison.js';
import type { Steps } from './use-steps.js';

export type Stretch =
  { readonly kind: 'all' } | { readonly kind: 'last'; readonly count: number } | { readonly kind: 'between' };

const SELECT = 'h-7 max-w-52 rounded-md border border-edge bg-sheet px-1.5';
const ANOTHER = 'Another whole number';

/** Whose values are taken for steps though nothing says that they are. */
export function AnotherNumber({ onAsk }: { readonly onAsk: (path: string) => void }) {
  const [known, setKnown] = useState<readonly string[]>([]);
  useEffect(() => {
    let isLatest = true;
    void askBench('wholeNumbers', {}).then((paths) => isLatest && setKnown(paths));
    return () => {
      isLatest = false;
    };
  }, []);
  return (
    <EditInPlace
      mono
      value=""
      label={ANOTHER}
      placeholder="a whole number, like Step"
      choices={known.map((text) => ({ text }))}
      onCommit={(text) => {
        const path = known.find((p) => sameName(p, text));
        if (path === undefined) return text ? `The program has no whole number ‘${text}’.` : undefined;
        onAsk(path);
        return undefined;
      }}
    />
  );
}

export function Tools({
  steps,
  tag,
  asked,
  onAsk,
  home,
  nameOf,
  values,
  onHome,
  stretch,
  onStretch,
  between,
  onBetween,
  wrong,
  against,
  onAgainst,
  children,
}: {
  readonly steps: Steps;
  readonly tag: StepTag;
  readonly asked: readonly string[];
  readonly onAsk: (paths: readonly string[]) => void;
  readonly home: number | undefined;
  readonly nameOf: (v: number) => string;
  readonly values: readonly number[];
  readonly onHome: (v: number) => void;
  readonly stretch: Stretch;
  readonly onStretch: (s: Stretch) => void;
  readonly between: readonly [string, string];
  readonly onBetween: (b: readonly [string, string]) => void;
  readonly wrong: string | undefined;
  readonly against: With | undefined;
  readonly onAgainst: (w: With | undefined) => void;
  readonly children: React.ReactNode;
}) {
  const { id } = useParams();
  const [isOther, setIsOther] = useState(false);
  const ask = (path: string) => onAsk([path, ...asked.slice(1).filter((p) => !sameName(p, path))]);
  useEffect(() => {
    if (isOther) focusField(ANOTHER);
  }, [isOther]);
  const lines = useBench((s) => s.frame?.lines),
    plan = useDocument((s) => s.project?.plan),
    revision = useDocument((s) => s.revision),
    timeMs = useBench((s) => (stretch.kind === 'between' ? (s.frame?.timeMs ?? 0) : 0));
  const { data: revisions } = useSWR<readonly { readonly revision: number; readonly name?: string }[]>(
    `/projects/${id}/revisions?now=${revision}`,
  );
  const letter = (n: number) => String.fromCharCode(65 + ((lines?.findIndex((l) => l.id === n) ?? 0) % 26));
  const nameOfTag = (t: StepTag) => {
    const q = plan?.sequences.find((s) => s.id === t.sequence);
    return q ? `${t.path} · ${q.name}` : t.path;
  };
  const beside = steps.tags.filter((t) => t.path !== tag.path);
  return (
    <div className="flex shrink-0 flex-wrap items-center gap-x-3 gap-y-1 px-4 pt-2 text-[12.5px]">
      <label className="flex items-center gap-1.5">
        <span className="text-soft">Steps of</span>
        <select
          className={SELECT}
          aria-label="Steps of"
          value={tag.path}
          onChange={(e) => (e.target.value ? ask(e.target.value) : setIsOther(true))}
        >
          {steps.tags.map((t) => (
            <option key={t.path} value={t.path}>
              {nameOfTag(t)}
            </option>
          ))}
          <option value="">another whole number …</option>
        </select>
      </label>
      {isOther && (
        <span className="w-52">
          <AnotherNumber
            onAsk={(p) => {
              ask(p);
              setIsOther(false);
            }}
          />
        </span>
      )}
      {beside.length > 0 && (
        <label className="flex items-center gap-1.5">
          <span className="text-soft">beside</span>
          <select
            className={SELECT}
            value=""
            aria-label="Steps shown beside it"
            onChange={(e) => {
              const p = e.target.value;
              onAsk(asked.includes(p) ? asked.filter((x) => x !== p) : [...asked, p].slice(0, 8));
            }}
          >
            <option value="">{asked.length > 1 ? asked.slice(1).join(', ') : 'nothing'}</option>
            {beside.map((t) => (
              <option key={t.path} value={t.path}>
                {asked.includes(t.path) ? 'without' : 'with'} {nameOfTag(t)}
              </option>
            ))}
          </select>
        </label>
      )}
      <label className="flex items-center gap-1.5">
        <span className="text-soft">counted from</span>
        <select
          className={SELECT}
          aria-label="Counted from"
          value={home ?? ''}
          onChange={(e) => onHome(Number(e.target.value))}
        >
          {home !== undefined && !values.includes(home) && <option value={home}>{nameOf(home)}</option>}
          {values.map((v) => (
            <option key={v} value={v}>
              {nameOf(v)}
            </option>
          ))}
        </select>
      </label>
      <label className="flex items-center gap-1.5">
        <span className="text-soft">over</span>
        <select
          className={SELECT}
          aria-label="Over"
          value={stretch.kind === 'last' ? `last ${stretch.count}` : stretch.kind}
          onChange={(e) => {
            const v = e.target.value;
            onStretch(
              v.startsWith('last')
                ? { kind: 'last', count: Number(v.slice(5)) }
                : v === 'between'
                  ? { kind: 'between' }
                  : { kind: 'all' },
            );
          }}
        >
          <option value="all">the whole run</option>
          {[10, 20, 50, 100].map((n) => (
            <option key={n} value={`last ${n}`}>
              the last {n} cycles
            </option>
          ))}
          <option value="between">a stretch …</option>
        </select>
      </label>
      {stretch.kind === 'between' && (
        <span className="flex items-center gap-1">
          {(['from', 'to'] as const).map((which, i) => (
            <span key={which} className="flex items-center gap-1">
              <label className="flex items-center gap-1">
                <span className="text-soft">{which}</span>
                <input
                  className="h-7 w-20 rounded-md border border-edge bg-sheet px-1.5 font-mono"
                  aria-label={`Cycles ${which}`}
                  placeholder={i ? 'the end' : 'the start'}
                  value={between[i]}
                  onKeyDown={(e) => e.stopPropagation()}
                  onChange={(e) => onBetween(i ? [between[0], e.target.value] : [e.target.value, between[1]])}
                />
              </label>
              <Button
                look="quiet"
                tight
                title="The moment that is shown"
                onClick={() => {
                  const now = `${(timeMs / 1000).toFixed(2)} s`;
                  onBetween(i ? [between[0], now] : [now, between[1]]);
                }}
              >
                now
              </Button>
            </span>
          ))}
        </span>
      )}
      <label className="flex items-center gap-1.5">
        <span className="text-soft">compared with</span>
        <select
          className={`${SELECT} w-28`}
          aria-label="Compared with"
          value={!against ? '' : against.kind === 'line' ? `line ${against.line}` : `rev ${against.revision}`}
          onChange={(e) => {
            const [kind, n] = e.target.value.split(' ');
            onAgainst(
              kind === 'line'
                ? { kind: 'line', line: Number(n) }
                : kind === 'rev'
                  ? { kind: 'revision', revision: Number(n) }
                  : undefined,
            );
          }}
        >
          <option value="">nothing</option>
          {(lines ?? [])
            .filter((l) => !l.isCurrent)
            .map((l) => (
              <option key={l.id} value={`line ${l.id}`}>
                line {letter(l.id)}, {many(l.end, 'scan')}
              </option>
            ))}
          {(revisions ?? [])
            .filter((r) => r.revision < revision)
            .slice(0, 40)
            .map((r) => (
              <option key={r.revision} value={`rev ${r.revision}`}>
                rev {r.revision}
                {r.name ? ` ${r.name}` : ''}, same inputs
              </option>
            ))}
        </select>
      </label>
      <span className="ml-auto flex items-center gap-1.5">{children}</span>
      {wrong !== undefined && (
        <p role="alert" className="w-full text-bad">
          {wrong}
        </p>
      )}
    </div>
  );
}
