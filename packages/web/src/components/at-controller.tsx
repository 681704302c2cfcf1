/**
 * What of the open project differs from what its controller keeps, shown where it stands: in the rungs, the text and
 * the tags. Nothing is shown where the controller keeps another project, or none.
 */
import { useMemo } from 'react';
import { Link } from 'react-router';
import useSWR from 'swr';
import { KEEP_ASKING } from './polling.js';
import { create } from 'zustand';
import type { Difference, Project } from '@ferrule/core/document';
import type { Comparison, Status } from '../areas/controller/status.js';
import type { TagFacts } from '../bench/protocol.js';
import { useDocument } from '../document/store.js';
import { changedParts } from './Differences.js';
import { RungView } from './ladder/RungView.js';
import { modelOf } from './ladder/rung-model.js';
import { Button } from './ui.js';

export interface AtController {
  readonly name: string;
  readonly revision: number;
  readonly hash: string;
  readonly differences: readonly Difference[];
  /** By their key (`Difference.key`). */
  readonly byKey: ReadonlyMap<string, Difference>;
  /** Whether the open project is on trial: then it is in effect, and what is kept waits. */
  readonly isOnTrial: boolean;
  /** Whether another version is on trial: then neither is in effect. */ readonly isOtherOnTrial: boolean;
  /** Whose version the old one is, and whether it is in effect. */ readonly words: string;
}

const useShown = create<{ readonly shown: boolean }>(() => ({ shown: true }));

/** Undefined where nothing differs or nothing can be said of it. `always`: also while it is put away. */
export function useAtController(always = false): AtController | undefined {
  const id = useDocument((s) => s.id),
    saving = useDocument((s) => s.saving),
    revision = useDocument((s) => s.revision),
    project = useDocument((s) => s.project?.name),
    shown = useShown((s) => s.shown);
  const status = useSWR<Status>('/controller/status', { refreshInterval: 3000, ...KEEP_ASKING });
  const s = status.error ? undefined : status.data,
    isMine = s?.project !== undefined && s.project === project,
    active = s?.trial?.hash ?? s?.hash;
  const comparison = useSWR<Comparison>(
    isMine && id && saving === 'saved'
      ? `/controller/compare/${id}?${s.hash ?? ''}&${active ?? ''}&${revision ?? ''}`
      : null,
    { keepPreviousData: true },
  ).data;
  return useMemo(() => {
    if (!isMine || !(shown || always) || !comparison?.differences?.length || comparison.controllerHash === null)
      return undefined;
    const isOnTrial = comparison.trialSame === true,
      rev = `${s.name} keeps rev ${comparison.controllerRevision}`;
    return {
      name: s.name,
      revision: comparison.controllerRevision ?? 0,
      hash: comparison.controllerHash,
      differences: comparison.differences,
      byKey: new Map(comparison.differences.map((d) => [d.key, d])),
      isOnTrial,
      isOtherOnTrial: comparison.trialSame === false,
      words: isOnTrial
        ? `${rev} · waits`
        : comparison.trialSame === false
          ? `${rev} · another version is on trial`
          : `${rev} · in effect`,
    };
  }, [isMine, shown, always, comparison, s?.name]);
}

/** How much of this area differs, which is in effect, and how that is put away. `things`: what the area shows. */
export function DraftStrip({ things, where }: { readonly things: (key: string) => boolean; readonly where: string }) {
  const at = useAtController(true),
    id = useDocument((s) => s.id),
    shown = useShown((s) => s.shown);
  const mine = at?.differences.filter((d) => things(d.key)) ?? [];
  if (!at || !mine.length) return null;
  const gone = mine.filter((d) => d.after === undefined);
  return (
    <p
      role="status"
      aria-label="Differs from the controller"
      className="flex items-center gap-3 border-t border-edge bg-sunk px-3 py-1 text-[12px]"
    >
      <span className="min-w-0 flex-1 truncate">
        <b>
          {mine.length} {mine.length === 1 ? 'thing differs' : 'things differ'}
        </b>{' '}
        {where} from what {at.name} keeps (rev {at.revision}
        {at.isOnTrial
          ? '); this project is on trial and in effect.'
          : at.isOtherOnTrial
            ? '); another version is on trial and in effect.'
            : ', in effect).'}
        {gone.length > 0 && ` Gone here: ${gone.map((d) => d.what).join(', ')}.`}
      </span>
      <Link className="underline" to={`/projects/${id}/controller`}>
        Compare and try
      </Link>
      <Button tight onClick={() => useShown.setState({ shown: !shown })}>
        {shown ? 'Put away' : 'Show at its place'}
      </Button>
    </p>
  );
}

/** Under a rung that differs: how it is at the controller. */
export function RungThere({
  at,
  difference,
  tags,
  room,
}: {
  readonly at: AtController;
  readonly difference: Difference;
  readonly tags: Readonly<Record<string, TagFacts>>;
  /** Room for it, in px. */ readonly room: number;
}) {
  const { before } = difference.rungs ?? {};
  if (!before)
    return (
      <p role="note" className="border-t border-dashed border-edge px-1 pt-0.5 text-[12px] text-copper-ink">
        New: {at.name} does not have it{at.isOnTrial ? ', but for the trial' : ''}.
      </p>
    );
  const model = modelOf(before, tags, room);
  return (
    <section
      aria-label={`${difference.what} at the controller`}
      className="mt-1 overflow-x-auto rounded border border-dashed border-edge bg-sunk px-1 pb-1"
    >
      <p className="text-[12px] text-soft">{at.words}</p>
      {before.comment && before.comment !== difference.rungs?.after?.comment && (
        <p className="text-soft italic">{before.comment}</p>
      )}
      {model.layout ? (
        <RungView
          id=""
          label={`${difference.what} at the controller`}
          model={model}
          tags={tags}
          declared={NONE}
          marks={changedParts(difference.rungs ?? {}, tags, room).before}
        />
      ) : (
        <code className="font-mono text-[12px]">{before.line}</code>
      )}
    </section>
  );
}
const NONE = new Map<string, never>();

/** A tag, old and new. */
export function TagThere({ id }: { readonly id: string }) {
  const at = useAtController(),
    d = at?.byKey.get(`tags/${id}`);
  if (!at || !d) return null;
  const line = (label: string, text: string | undefined, isNow: boolean) => (
    <>
      <dt className={isNow ? 'text-copper-ink' : 'text-soft'}>{label}</dt>
      <dd className="font-mono text-[12px] break-words">{text ?? 'is not there'}</dd>
    </>
  );
  return (
    <section aria-label="At the controller" className="rounded-md border border-dashed border-edge bg-sheet p-2">
      <dl>
        {line(`Here, ${at.isOnTrial ? 'on trial and in effect' : 'drafted'}`, d.after, true)}
        {line(at.words, d.before, false)}
      </dl>
    </section>
  );
}

/** The text of a program or block as the controller keeps it, while it differs. */
export function useTextThere(pou: string): string | undefined {
  const at = useAtController(),
    differs = at?.differences.some((d) => d.key.startsWith(`pous/${pou}/text`)) === true;
  const kept = useSWR<{ readonly project?: Project }>(differs ? `/controller/kept?${at.hash}` : null, {
    revalidateOnFocus: false,
  }).data?.project;
  const found = kept?.pous.find((p) => p.id === pou);
  return differs && found?.language === 'ST' ? found.text : undefined;
}
