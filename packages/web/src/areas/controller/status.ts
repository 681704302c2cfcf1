/** What the page knows of the controller, fresh after each action. */
import { useCallback, useRef, useState } from 'react';
import useSWR from 'swr';
import { KEEP_ASKING } from '../../components/polling.js';
import type { Difference, Project } from '@ferrule/core/document';
import type { TagFacts, TextWatch } from '@ferrule/core/workspace';
import { fetcher, messageOf } from '../../api.js';
import { useDocument } from '../../document/store.js';

export interface Download {
  readonly state: 'none' | 'sending' | 'done' | 'failed';
  readonly what: 'download' | 'trial' | 'run beside';
  readonly sent: number;
  readonly total: number;
  readonly message?: string;
  readonly lost?: readonly string[];
}
export type KeySwitch = 'run' | 'stop' | 'remote';
export interface Status {
  readonly name: string;
  readonly state: 'empty' | 'run' | 'stop' | 'fault';
  readonly mode: 'run' | 'stop';
  readonly key: KeySwitch;
  readonly project?: string;
  readonly revision?: number;
  readonly hash?: string;
  readonly note?: string;
  readonly takenAt?: number;
  readonly trial?: {
    readonly revision: number;
    readonly hash: string;
    readonly by: string;
    readonly ranMs: number;
    readonly leftMs: number;
  };
  readonly beside?: {
    readonly revision: number;
    readonly hash: string;
    readonly ranMs: number;
    readonly scans: number;
    readonly differences: readonly OutputDiffers[];
  };
  readonly views: number;
  /** The program that gives its inputs and takes its outputs, where that is not the machine model. */
  readonly outside?: { readonly state: 'joining' | 'on' | 'away'; readonly address: string };
  readonly recordWhen?: string;
  readonly noCondition?: string;
  readonly scan: number;
  readonly scanMs: number;
  readonly usedMs: number;
  readonly worstMs: number;
  readonly jitterMs: number;
  readonly mostlyMs: number;
  readonly missed: number;
  /** Scans that these were measured on. */
  readonly measuredScans: number;
  readonly forces: readonly { readonly path: string; readonly value: string }[];
  readonly retained: number;
  readonly fault?: string;
  readonly upMs: number;
}
/** An output that a draft beside sets differently. */
export interface OutputDiffers {
  readonly path: string;
  readonly first: number;
  readonly count: number;
  readonly isNow: boolean;
  readonly kept: string;
  readonly draft: string;
}
export interface CabinetState {
  readonly network: 'ok' | 'slow' | 'cut';
  readonly key: KeySwitch;
  readonly power: boolean;
  readonly isBatteryFlat: boolean;
  readonly cards: readonly CabinetCard[];
}
/** A card of inputs or outputs, and the tags on it. */
export interface CabinetCard {
  readonly id: string;
  readonly words: string;
  readonly tags: readonly string[];
  readonly isPulled: boolean;
}
export interface Comparison {
  /** Hash of the open project as a program. */ readonly hash: string;
  readonly same: boolean;
  readonly revision: number;
  readonly controllerRevision: number | null;
  readonly controllerHash: string | null;
  readonly differences: readonly Difference[] | null;
  /** Whether the trial is this project; null without a trial. */ readonly trialSame: boolean | null;
}
/** What the machine obeys: the trial, or what is kept. */
export interface Running {
  readonly project?: Project;
  readonly revision?: number;
  readonly hash?: string;
  readonly tags?: Readonly<Record<string, TagFacts>>;
  readonly texts?: Readonly<Record<string, TextWatch['lines']>>;
}
/** A draft that runs beside, and where it differs from what is kept; empty where none does. */
export interface BesideProgram {
  readonly project?: Project;
  readonly revision?: number;
  readonly hash?: string;
  readonly differences?: readonly Difference[];
}
export interface LoggedEvent {
  readonly id: number;
  readonly at: number;
  readonly kind: string;
  readonly words: string;
}

/** What was answered, and when: it may be true no longer while it is still read. */
export interface Said {
  readonly words: string;
  readonly at: number;
}

/**
 * Everything asked of the controller, and how something is done at it: what was said against it is shown until the
 * next, or until it is put away.
 */
export function useController() {
  const id = useDocument((s) => s.id),
    saving = useDocument((s) => s.saving),
    revision = useDocument((s) => s.revision);
  const [message, setWords] = useState<Said>(),
    [looked, setLooked] = useState<string>(),
    [acting, setActing] = useState(0);
  const status = useSWR<Status>('/controller/status', {
    refreshInterval: 500,
    ...KEEP_ASKING,
    dedupingInterval: 200,
  });
  const told = useRef<string>(undefined);
  const download = useSWR<Download>(
    '/controller/download',
    async (path) => {
      const answer = await fetcher<Download>(path),
        words = JSON.stringify(answer);
      // That it is done is told when the state beside it is the one since then.
      if (answer.state === 'done' && told.current !== words) await status.mutate();
      told.current = words;
      return answer;
    },
    { refreshInterval: 300, dedupingInterval: 200 },
  );
  const cabinet = useSWR<CabinetState>('/controller/cabinet', { refreshInterval: 2000, ...KEEP_ASKING });
  const online = status.data !== undefined && !status.error,
    active = status.data?.trial?.hash ?? status.data?.hash;
  const comparison = useSWR<Comparison>(
    online && id && saving === 'saved'
      ? `/controller/compare/${id}?${status.data?.hash ?? ''}&${active ?? ''}&${revision ?? ''}`
      : null,
    { refreshInterval: 4000, keepPreviousData: true },
  );
  const running = useSWR<Running>(online && active ? `/controller/program?${active}` : null, {
    keepPreviousData: true,
    revalidateOnFocus: false,
  });
  const besideHash = status.data?.beside?.hash,
    beside = useSWR<BesideProgram>(online && besideHash ? `/controller/beside?${besideHash}` : null);
  const events = useSWR<{ events: readonly LoggedEvent[]; dropped: number }>(
    online ? '/controller/events?limit=200' : null,
    { refreshInterval: 2000, keepPreviousData: true },
  );
  const setMessage = useCallback(
    (words: string | undefined) => setWords(words === undefined ? undefined : { words, at: Date.now() }),
    [],
  );
  const attempt = async (run: () => Promise<unknown>): Promise<boolean> => {
    setMessage(undefined);
    told.current = undefined;
    setActing((n) => n + 1);
    let isDone = true;
    try {
      await run();
    } catch (e) {
      setMessage(messageOf(e));
      isDone = false;
    }
    try {
      await Promise.all([status.mutate(), download.mutate(), cabinet.mutate(), events.mutate()]);
    } finally {
      setActing((n) => n - 1);
    }
    return isDone;
  };
  return {
    id,
    message,
    setMessage,
    /** The output whose rungs are looked at, of a run beside. */ looked,
    setLooked,
    online,
    status: status.data,
    offline: status.error ? messageOf(status.error) : undefined,
    download: download.data,
    cabinet: cabinet.data,
    comparison: comparison.data,
    // What was read for another program says nothing of this one.
    running: running.data?.hash === active ? running.data : undefined,
    beside: beside.data && besideHash && beside.data.hash === besideHash ? beside.data : undefined,
    events: events.data,
    attempt,
    /** Something is being sent, or was asked for and has not been answered: nothing else can be sent. */
    isSending: acting > 0 || download.data?.state === 'sending',
  };
}
export type ControllerView = ReturnType<typeof useController>;
