/** One page, one moment in time: top bar, area rail, the area, and the scope under every area. */
import { Tooltip } from 'radix-ui';
import { useEffect, useState } from 'react';
import { useStore } from 'zustand';
import { later } from '../components/later.js';
import { Link, Outlet, useParams } from 'react-router';
import { messageOf } from '../api.js';
import { benchLive, handProject, LiveProvider, tellBench, useBench } from '../bench/live.js';
import { editText } from '@ferrule/core/document';
import { useStopStore } from '../components/asking.js';
import { useDesk } from '../components/desk.js';
import { openBench, useFolded } from '../components/folds.js';
import { Ghost } from '../components/Ghost.js';
import { useFocusKeeper } from '../components/focus.js';
import { usePalette } from '../components/palette.js';
import { restart } from '../components/restart.js';
import { Button } from '../components/ui.js';
import { askHelp, helpTopic } from '../components/help-topic.js';
import { useDocument } from '../document/store.js';
import { AreaRail } from './AreaRail.js';
import { HelpDialog } from './HelpDialog.js';
import { BenchPane } from './BenchPane.js';
import { useOtherWindows } from '../document/other-windows.js';
import { Recorder } from './Recorder.js';
import { Scope } from './Scope.js';
import { TopBar } from './TopBar.js';
import { Tour } from './Tour.js';
import { useBoundKeys } from './bound-keys.js';
import { useShortcuts } from './shortcuts.js';

const Palette = later(() => import('./Palette.js').then((m) => m.Palette));

export function ProjectShell() {
  const { id } = useParams();
  const project = useDocument((s) => s.project);
  const [failed, setFailed] = useState<string>();
  const help = useStore(helpTopic, (s) => s.open),
    setHelp = askHelp;

  useEffect(() => {
    if (!id) return;
    setFailed(undefined);
    useDocument
      .getState()
      .open(id)
      .catch((e: unknown) => setFailed(messageOf(e)));
    return () => useDocument.getState().close();
  }, [id]);

  useBenchFeed(id);
  const palette = usePalette();
  // Escape pressed while the palette is on its way: it does not come any more.
  useEffect(() => {
    if (!palette.open) return;
    const onKey = (e: KeyboardEvent) => {
      if (e.key === 'Escape' && !document.querySelector('[data-palette]')) usePalette.setState({ open: false });
    };
    window.addEventListener('keydown', onKey, true);
    return () => window.removeEventListener('keydown', onKey, true);
  }, [palette.open]);
  // It is there before it is asked for: what is typed behind its key must not be lost while it loads.
  useEffect(() => {
    const soon = setTimeout(() => void import('./Palette.js'), 1500);
    return () => clearTimeout(soon);
  }, []);
  useShortcuts(setHelp);
  useFocusKeeper();
  useOtherWindows();
  const boundTo = project?.machine;
  useBoundKeys(benchLive, boundTo, project?.bench?.keys);
  const bottom = useDesk((s) => s.bottom),
    isFolded = useFolded('bottom');
  useEffect(() => {
    document.title = project ? `${project.name} · Ferrule` : 'Ferrule';
  }, [project?.name]);

  if (failed)
    return (
      <div className="grid h-full place-items-center">
        <p className="max-w-md text-center">
          {failed}{' '}
          <Link className="text-copper-ink underline" to="/">
            Back to the projects
          </Link>
        </p>
      </div>
    );
  if (!project)
    return (
      <div className="grid h-full place-items-center text-soft" role="status">
        Opening …
      </div>
    );
  return (
    <Tooltip.Provider delayDuration={500}>
      <LiveProvider value={benchLive}>
        <div
          className="grid h-full grid-cols-[64px_minmax(0,1fr)]"
          style={{ gridTemplateRows: `48px auto minmax(0,1fr) auto ${isFolded ? '31px' : `min(${bottom}px, 60vh)`}` }}
        >
          <div className="col-span-2">
            <TopBar onHelp={() => setHelp({ tab: 'keys' })} />
          </div>
          <div className="col-span-2">
            {id && <Tour id={id} />}
            {id && <Recorder id={id} />}
          </div>
          <AreaRail />
          <main tabIndex={-1} className="min-h-0 min-w-0 overflow-hidden outline-none">
            <Outlet />
          </main>
          {/* What comes by itself comes below: nothing that somebody is about to press moves away. */}
          <div className="col-span-2">
            <Notices />
          </div>
          <div className="relative col-span-2 flex min-h-0 border-t border-edge">
            {!isFolded && <Splitter />}
            <div className="min-w-0 flex-1">
              <Scope />
            </div>
            <BenchPane />
          </div>
        </div>
        {palette.open && (
          <Palette
            start={palette.text}
            onClose={() => usePalette.setState({ open: false })}
            onHelp={() => setHelp({ tab: 'keys' })}
          />
        )}
        <Ghost />
        <HelpDialog topic={help} onClose={() => setHelp(undefined)} />
      </LiveProvider>
    </Tooltip.Provider>
  );
}

/** The upper edge of the scope can be dragged, or moved by the arrow keys. */
function Splitter() {
  const { bottom, set } = useDesk();
  const to = (px: number) => set({ bottom: Math.round(Math.max(110, Math.min(window.innerHeight * 0.6, px))) });
  return (
    <div
      role="separator"
      aria-orientation="horizontal"
      aria-label="Height of the scope"
      aria-valuenow={bottom}
      aria-valuemin={110}
      aria-valuemax={Math.round(window.innerHeight * 0.6)}
      tabIndex={0}
      className="absolute inset-x-0 -top-1 z-10 h-2 cursor-row-resize touch-none focus-visible:bg-copper/40"
      onPointerDown={(e) => e.currentTarget.setPointerCapture(e.pointerId)}
      onPointerMove={(e) => {
        if (e.buttons & 1) to(window.innerHeight - e.clientY);
      }}
      onKeyDown={(e) => {
        if (e.key === 'ArrowUp' || e.key === 'ArrowDown') {
          e.preventDefault();
          to(bottom + (e.key === 'ArrowUp' ? 22 : -22));
        }
      }}
    />
  );
}

/** Every version of the project goes to the bench at once. */
function useBenchFeed(id: string | undefined) {
  const project = useDocument((s) => s.project);
  const openId = useDocument((s) => s.id);
  const [fed, setFed] = useState<string>();
  useEffect(() => {
    if (!project || openId !== id || !id) return;
    if (fed !== id) tellBench({ kind: 'stops', stops: useStopStore.getState().byProject[id] ?? [] });
    handProject(project, fed !== id);
    setFed(id);
  }, [project, openId, id]);
}

/** Edits that the server would not take: what they are, why, and what can be done about them. */
function Refusals() {
  const refusals = useDocument((s) => s.refusals);
  if (!refusals.length) return null;
  const [first] = refusals;
  const what = editText(first!.edit);
  return (
    <div
      role="alert"
      className="flex flex-wrap items-center gap-x-3 gap-y-1 border-t border-edge bg-bad-soft px-4 py-1.5 text-[12.5px] text-bad"
    >
      <span className="min-w-0 flex-1">
        Refused by the server and not saved: {what}
        {refusals.length > 1 ? ` and ${refusals.length - 1} more` : ''}. {first!.words.replace(/[^.!?]$/, '$&.')} All
        other changes are saved.
      </span>
      <button className="underline" onClick={() => void useDocument.getState().sendRefused()}>
        Send again, as it is now
      </button>
      <button className="underline" onClick={() => void useDocument.getState().dropRefused()}>
        Take it back
      </button>
    </div>
  );
}

function Notices() {
  const saving = useDocument((s) => s.saving),
    trouble = useDocument((s) => s.trouble);
  const refused = useDocument((s) => s.refused);
  const benchRefused = useBench((s) => s.refused);
  const fault = useBench((s) => s.frame?.fault);
  const stopped = useBench((s) => s.frame?.stopped?.words),
    goal = useBench((s) => s.frame?.goal),
    isEarlier = useBench((s) => s.frame?.isEarlierLogic ?? false),
    inside = useBench((s) => s.frame?.inside?.words);
  const lost = useBench((s) => s.checked?.lost);
  const [seenLost, setSeenLost] = useState<readonly string[]>();
  const row = 'flex items-center gap-3 border-t border-edge px-4 py-1.5 text-[12.5px]';
  return (
    <>
      {saving === 'conflict' && (
        <div role="alert" className={`${row} bg-bad-soft text-bad`}>
          <span>This project was changed in another window. Your last changes are not saved yet.</span>
          <button className="underline" onClick={() => void useDocument.getState().keepMine()}>
            Put mine on top
          </button>
          <button className="underline" onClick={() => void useDocument.getState().takeTheirs()}>
            Take theirs
          </button>
        </div>
      )}
      {saving === 'offline' && (
        <div role="alert" className={`${row} bg-bad-soft text-bad`}>
          Not saved yet. {trouble} Your changes are kept here and sent again.
        </div>
      )}
      <Refusals />
      {(refused ?? benchRefused) && (
        <div role="alert" className={`${row} bg-bad-soft text-bad`}>
          {refused ?? benchRefused}
        </div>
      )}
      {isEarlier && (
        <div role="status" className={`${row} bg-glow`}>
          This scan was run by the logic before your change.{' '}
          <Button tight onClick={() => tellBench({ kind: 'branch' })}>
            Go on from here with the logic of now
          </Button>
        </div>
      )}
      {goal && (
        <div role="status" className={`${row} bg-glow`}>
          {goal.startsWith('looking') ? goal : `Running until ${goal}`} …{' '}
          <Button tight onClick={() => tellBench({ kind: 'play', running: false })}>
            Stop
          </Button>
        </div>
      )}
      {stopped && !goal && (
        <div role="status" className={`${row} bg-glow`}>
          <b className="text-copper-ink">{stopped}.</b>
          {inside && (
            <Button tight look="quiet" onClick={() => openBench('stops')}>
              Callers and steps
            </Button>
          )}
        </div>
      )}
      {lost && lost.length > 0 && seenLost !== lost && (
        <div role="status" className={`${row} bg-sunk`}>
          <span className="min-w-0 flex-1 truncate" title={lost.join('\n')}>
            Not kept through the change: {lost.slice(0, 3).join('; ')}
            {lost.length > 3 ? ` and ${lost.length - 3} more` : ''}.
          </span>
          <Button tight look="quiet" onClick={() => setSeenLost(lost)}>
            Seen
          </Button>
        </div>
      )}
      {fault && (
        <div role="alert" className={`${row} bg-bad-soft text-bad`}>
          <span className="min-w-0 flex-1">
            <b>The bench stopped.</b> <span className="font-mono text-[12px]">{fault}</span> It stands at this scan:
            what is pressed, set or forced now does nothing. Mend the logic, go back in time, or restart.
          </span>
          <Button tight keys="⇧F6" onClick={() => tellBench({ kind: 'step', scans: -1 })}>
            One scan back
          </Button>
          <Button tight onClick={() => restart()}>
            Restart
          </Button>
        </div>
      )}
    </>
  );
}
