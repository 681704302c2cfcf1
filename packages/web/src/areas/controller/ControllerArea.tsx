/**
 * Controller: what it keeps and runs, live in its own rungs; what differs from the open project, tried, backed out of
 * and kept; download and upload; its log; what is worked at the cabinet. Writes here reach the controller.
 */
import { TabRow } from '../../components/tabs.js';
import { type ReactNode, useEffect, useMemo, useState } from 'react';
import type { Difference, Project } from '@ferrule/core/document';
import { X } from 'lucide-react';
import { useStore } from 'zustand';
import { Tabs } from 'radix-ui';
import { api } from '../../api.js';
import { LiveProvider, useBench } from '../../bench/live.js';
import { Checkout } from '../../components/Checkout.js';
import { Differences } from '../../components/Differences.js';
import { MachineProvider } from '../../components/kinds.js';
import { Panel } from '../../components/machine/Panel.js';
import { useBoundKeys } from '../../shell/bound-keys.js';
import { Button } from '../../components/ui.js';
import { rungsWriting } from './rungs-writing.js';
import { Cabinet } from './Cabinet.js';
import { EventList } from './EventList.js';
import { FreeInputs } from './FreeInputs.js';
import { Facts } from './Facts.js';
import { Downloads, LiveEdit } from './LiveEdit.js';
import { OtherPrograms } from './OtherPrograms.js';
import { Recordings } from './Recordings.js';
import { RunningProgram } from './RunningProgram.js';
import { type ControllerLive, openControllerLive } from './controller-live.js';
import { type Comparison, type ControllerView, useController } from './status.js';

const NO_TAGS = {};

export function ControllerArea() {
  const view = useController(),
    { status, online, comparison, message, offline } = view;
  const live = useControllerLive('running', view.setMessage),
    besideLive = useControllerLive(view.beside ? 'beside' : undefined, view.setMessage);
  const [left, setLeft] = useState<ReadonlySet<string>>(new Set());
  const keys = useMemo(() => (comparison?.differences ?? []).map((d) => d.key), [comparison]);
  const chosen = keys.filter((k) => !left.has(k));
  return (
    <div className="grid h-full min-h-0 grid-cols-[280px_minmax(0,1fr)]">
      <aside
        aria-label="Controller"
        className="flex min-h-0 flex-col gap-3 overflow-y-auto border-r border-edge bg-sunk p-4"
      >
        <Facts view={view} />
        <RunStop view={view} />
        <LiveEdit view={view} chosen={chosen} />
        <Downloads view={view} />
      </aside>
      <div className="grid min-h-0 grid-rows-[minmax(0,1fr)_auto]">
        <div className="grid min-h-0 grid-cols-[minmax(0,1fr)_300px]">
          <Online view={view} live={live} besideLive={besideLive} chosen={new Set(chosen)} setLeft={setLeft} />
          <aside
            aria-label="Panel at the controller"
            className="grid min-h-0 grid-rows-[minmax(0,1fr)_auto] border-l border-edge bg-sunk"
          >
            <div className="min-h-0 overflow-y-auto p-2.5">
              <PanelThere view={view} live={live} />
            </div>
            <Cabinet view={view} />
          </aside>
        </div>
        {/* Below, so that nothing moves away that somebody is about to press. */}
        <div>
          {message ? (
            <p role="alert" className="flex gap-3 border-t border-edge bg-bad-soft px-4 py-1.5 text-bad">
              <time className="shrink-0 font-mono text-[12px] leading-5">
                {new Date(message.at).toLocaleTimeString('en-GB')}
              </time>
              <span className="min-w-0 flex-1">{message.words}</span>
              <Button tight look="quiet" aria-label="Put the message away" onClick={() => view.setMessage(undefined)}>
                <X size={14} />
              </Button>
            </p>
          ) : (
            offline && (
              <p role="alert" className="border-t border-edge bg-bad-soft px-4 py-1.5 text-bad">
                {offline}
              </p>
            )
          )}
          {status?.fault && online && (
            <p role="alert" className="border-t border-edge bg-bad-soft px-4 py-1.5 font-mono text-[12px] text-bad">
              {status.fault}
            </p>
          )}
        </div>
      </div>
    </div>
  );
}

function RunStop({ view }: { readonly view: ControllerView }) {
  const { online, status, attempt } = view,
    isLocked = status !== undefined && status.key !== 'remote';
  return (
    <div className="flex flex-col gap-1">
      <div className="flex gap-2">
        {(['run', 'stop'] as const).map((mode) => (
          <Button
            key={mode}
            className="flex-1 justify-center"
            disabled={
              !online ||
              isLocked ||
              (mode === 'run' && status?.state === 'empty') ||
              (status?.mode === mode && status.state !== 'fault')
            }
            onClick={() => void attempt(() => api('POST', '/controller/mode', { mode }))}
          >
            {mode === 'run' ? 'Run' : 'Stop'}
          </Button>
        ))}
      </div>
      {online && isLocked && <p className="text-soft">The key switch stands at {status.key}: it decides.</p>}
    </div>
  );
}

interface OnlineProps {
  readonly view: ControllerView;
  readonly live: ControllerLive | undefined;
  /** Of a draft that runs beside. */ readonly besideLive: ControllerLive | undefined;
  readonly chosen: ReadonlySet<string>;
  readonly setLeft: (change: (before: ReadonlySet<string>) => ReadonlySet<string>) => void;
}
function Online({ view, live, besideLive, chosen, setLeft }: OnlineProps) {
  const { status, online, comparison, running } = view,
    count = comparison?.differences?.length ?? 0;
  const [tabShown, setTabShown] = useState('running');
  useEffect(() => {
    if (view.looked) setTabShown('differences');
  }, [view.looked]);
  const trial = status?.trial;
  const name = trial ? `rev ${trial.revision}, on trial` : `rev ${status?.revision}`;
  if (!online) return <Said>Offline. Nothing is known of the controller now.</Said>;
  if (status?.state === 'empty') return <Said>The controller has no program yet. Download this project to it.</Said>;
  return (
    <Tabs.Root value={tabShown} onValueChange={setTabShown} asChild>
      <section aria-label="Online" className="grid min-h-0 grid-rows-[auto_minmax(0,1fr)] bg-sheet">
        <TabRow
          label="Controller views"
          className="flex gap-1 bg-sunk px-3 pt-1.5"
          look="sheet"
          tabClass="py-1.5 data-[state=active]:bg-sheet"
          tabs={[
            { value: 'running', words: 'Running' },
            { value: 'differences', words: `What differs${count ? ` (${count})` : ''}` },
            { value: 'recordings', words: 'Recordings' },
            { value: 'others', words: 'Other programs' },
            { value: 'events', words: 'Event log' },
          ]}
        />
        <div className="min-h-0 overflow-y-auto">
          <p className="border-b border-edge px-4 py-1.5 text-soft">
            <SameOrNot comparison={comparison} />
          </p>
          <Tabs.Content value="running">
            {live && running?.project ? (
              <LiveProvider value={live}>
                {comparison?.same && !trial && (
                  <details className="border-b border-edge">
                    <summary className="cursor-pointer px-4 py-2 font-semibold">I/O checkout at the controller</summary>
                    <Checkout />
                  </details>
                )}
                <RunningProgram running={running} words={`live: ${name}`} />
              </LiveProvider>
            ) : (
              <Said>Reading the program …</Said>
            )}
          </Tabs.Content>
          <Tabs.Content value="differences">
            {live && (
              <LiveProvider value={live}>
                {view.looked && status?.beside && <OutputRungs view={view} path={view.looked} beside={besideLive} />}
                {status?.beside ? (
                  <Beside view={view} live={besideLive} />
                ) : (
                  <What comparison={comparison} trial={trial !== undefined} chosen={chosen} setLeft={setLeft} />
                )}
              </LiveProvider>
            )}
          </Tabs.Content>
          <Tabs.Content value="recordings">
            <Recordings view={view} />
          </Tabs.Content>
          <Tabs.Content value="others">
            <OtherPrograms view={view} />
          </Tabs.Content>
          <Tabs.Content value="events">
            <EventList view={view} />
          </Tabs.Content>
        </div>
      </section>
    </Tabs.Root>
  );
}

const Said = ({ children }: { readonly children: ReactNode }) => <p className="bg-sheet p-4 text-soft">{children}</p>;

function SameOrNot({ comparison }: { readonly comparison: Comparison | undefined }) {
  if (!comparison) return 'Comparing …';
  if (comparison.trialSame) return 'This project is on trial; the kept program waits.';
  if (comparison.same)
    return (
      <>
        <span className="text-good">✓</span> The controller keeps exactly this project (rev{' '}
        {comparison.controllerRevision}).
      </>
    );
  const n = comparison.differences?.length ?? 0;
  return n
    ? `The controller keeps rev ${comparison.controllerRevision}; ${n} thing${n > 1 ? 's differ' : ' differs'} from the open project.`
    : 'Nothing that could be compared differs.';
}

interface WhatProps {
  readonly comparison: Comparison | undefined;
  readonly trial: boolean;
  readonly chosen: ReadonlySet<string>;
  readonly setLeft: OnlineProps['setLeft'];
}
function What({ comparison, trial, chosen, setLeft }: WhatProps) {
  const tags = useBench((s) => s.checked?.tags) ?? NO_TAGS;
  if (!comparison?.differences?.length) return <Said>Nothing differs.</Said>;
  const choose = (key: string, isChosen: boolean) =>
    setLeft((before) => {
      const next = new Set(before);
      if (isChosen) next.delete(key);
      else next.add(key);
      return next;
    });
  return (
    <Differences
      differences={comparison.differences}
      before={`Controller keeps rev ${comparison.controllerRevision}${trial ? '' : ' · in effect'}`}
      after={`Project, rev ${comparison.revision}${trial ? ' · on trial' : ''}`}
      tags={tags}
      stacked
      live={trial ? 'after' : 'before'}
      {...(trial ? {} : { chosen, choose })}
    />
  );
}

/** Rungs as they are kept, in effect, and as they run beside: both with their own power. */
function BothRunning({
  view,
  live,
  differences,
}: {
  readonly view: ControllerView;
  readonly live: ControllerLive | undefined;
  readonly differences: readonly Difference[];
}) {
  const tags = useBench((s) => s.checked?.tags) ?? NO_TAGS;
  return (
    <Differences
      differences={differences}
      before={`Controller keeps rev ${view.status?.revision} · in effect`}
      after={`Rev ${view.beside?.revision} · beside, its outputs going nowhere`}
      tags={tags}
      stacked
      live="before"
      beside={live}
    />
  );
}

/** Where what runs beside differs from what is kept. */
function Beside({ view, live }: { readonly view: ControllerView; readonly live: ControllerLive | undefined }) {
  const { beside, comparison } = view;
  if (!beside?.differences) return <Said>Reading what runs beside …</Said>;
  return (
    <>
      {comparison && comparison.hash !== beside.hash && (
        <p className="border-b border-edge px-4 py-1.5 text-soft">
          What runs beside is not the whole open project as it is now; below stands what runs there.
        </p>
      )}
      <BothRunning view={view} live={live} differences={beside.differences} />
    </>
  );
}

/** The rungs that write an output, as they are kept and as they run beside; differing or not. */
function OutputRungs({
  view,
  path,
  beside: live,
}: {
  readonly view: ControllerView;
  readonly path: string;
  readonly beside: ControllerLive | undefined;
}) {
  const { running, beside } = view;
  const found = useMemo(() => rungsWriting(path, running?.project, beside?.project), [path, running, beside]);
  return (
    <section aria-label={`What writes ${path}`} className="border-b-2 border-copper">
      <h3 className="flex justify-between px-4 pt-2 font-semibold">
        What writes {path}
        <button className="font-normal text-soft underline" onClick={() => view.setLooked(undefined)}>
          put away
        </button>
      </h3>
      {found.length ? (
        <BothRunning view={view} live={live} differences={found} />
      ) : (
        <Said>No rung writes it by name: look in the text of blocks and programs.</Said>
      )}
    </section>
  );
}

/** A live link while the page is there; none where there is nothing to watch. */
function useControllerLive(
  of: 'running' | 'beside' | undefined,
  onRefused: (m: string) => void,
): ControllerLive | undefined {
  const [live, setLive] = useState<ControllerLive>();
  useEffect(() => {
    if (!of) return;
    const l = openControllerLive(of, onRefused);
    setLive(l);
    return () => {
      l.close();
      setLive(undefined);
    };
  }, [of]);
  return live;
}

/** The panel of the program that runs there, whatever machine the open project has. */
function PanelThere({ view, live }: { readonly view: ControllerView; readonly live: ControllerLive | undefined }) {
  const { running, online } = view,
    project = running?.project;
  if (!live || !online || !project)
    return <p className="p-2 text-soft">The panel is live here once the controller has a program.</p>;
  return (
    <LiveProvider value={live}>
      <MachineProvider value={project.machine}>
        <LivePanel live={live} project={project} />
      </MachineProvider>
    </LiveProvider>
  );
}

function LivePanel({ live, project }: { readonly live: ControllerLive; readonly project: Project }) {
  const scan = useStore(live.store, (s) => s.frame?.scan);
  useBoundKeys(live, project.machine, undefined);
  return (
    <div data-live="controller">
      <p className="px-1 pb-2 text-soft">
        Live · scan {scan?.toLocaleString('en') ?? '–'}. What you press here reaches the controller.
      </p>
      <Panel />
      <FreeInputs project={project} />
    </div>
  );
}
