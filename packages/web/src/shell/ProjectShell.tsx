/** One page, one moment in time: top bar, area rail, the area, and the scope under every area. */
import { Tooltip } from 'radix-ui';
import { useEffect, useState } from 'react';
import { useStore } from 'zustand';
import { later } from '../components/later.js';
import { Link, Outlet, useNavigate, useParams } from 'react-router';
import { backOut, trialStore } from '../components/trial.js';
import { messageOf } from '../api.js';
import { benchLive, benchStore, handProject, LiveProvider, tellBench, useBench } from '../bench/live.js';
import { type Project, editText } from '@ferrule/core/document';
import { kindOf, placeNames } from '@ferrule/core/machine';
import { useStopStore } from '../components/asking.js';
import { useDesk } from '../components/desk.js';
import { type Part, openBench, toggleAll, toggleFold, useFolded } from '../components/folds.js';
import { Ghost } from '../components/Ghost.js';
import { openByKey, useFocusKeeper } from '../components/focus.js';
import { keyHandle } from '../components/kinds.js';
import { askPalette, usePalette } from '../components/palette.js';
import { restart } from '../components/restart.js';
import { Button } from '../components/ui.js';
import { type HelpTopic, askHelp, helpTopic } from '../components/help-topic.js';
import { useDocument } from '../document/store.js';
import { AreaRail } from './AreaRail.js';
import { HelpDialog } from './HelpDialog.js';
import { BenchPane } from './BenchPane.js';
import { sourceOf } from './InputsPane.js';
import { useOtherWindows } from '../document/other-windows.js';
import { Recorder } from './Recorder.js';
import { Scope } from './Scope.js';
import { TopBar } from './TopBar.js';
import { Tour } from './Tour.js';
import { useProblemWalk } from './problem-walk.js';

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
  useBoundKeys(boundTo, project?.bench?.keys);
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
          style={{ gridTemplateRows: `48px auto minmax(0,1fr) ${isFolded ? '31px' : `min(${bottom}px, 60vh)`}` }}
        >
          <div className="col-span-2">
            <TopBar onHelp={() => setHelp({ tab: 'keys' })} />
          </div>
          <div className="col-span-2">
            {id && <Tour id={id} />}
            {id && <Recorder id={id} />}
            <Notices />
          </div>
          <AreaRail />
          <main tabIndex={-1} className="min-h-0 min-w-0 overflow-hidden outline-none">
            <Outlet />
          </main>
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
      className="flex flex-wrap items-center gap-x-3 gap-y-1 border-b border-edge bg-bad-soft px-4 py-1.5 text-[12.5px] text-bad"
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
  const row = 'flex items-center gap-3 border-b border-edge px-4 py-1.5 text-[12.5px]';
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

/** Where Ctrl+Z takes back what is being typed; a tick, a choice or a slider has nothing of that. */
const isText = (e: KeyboardEvent) =>
  e.target instanceof HTMLElement &&
  (e.target.matches('input:not([type=checkbox], [type=radio], [type=range], [type=color], [type=file]), textarea') ||
    e.target.isContentEditable);
const isTyping = (e: KeyboardEvent) =>
  e.target instanceof HTMLElement && (e.target.matches('input, textarea, select') || e.target.isContentEditable);

/** With Shift. Ctrl+F2 folds all of them. */
const FOLD_KEYS: Readonly<Record<string, Part>> = { F2: 'bottom', F3: 'bench', F4: 'side' };

function useShortcuts(onHelp: (topic: HelpTopic) => void) {
  const walk = useProblemWalk();
  const navigate = useNavigate();
  const { id } = useParams();
  useEffect(() => {
    const areas = ['plan', 'tags', 'logic', 'machine', 'prove', 'controller', 'timing'];
    const onKey = (e: KeyboardEvent) => {
      const command = e.ctrlKey || e.metaKey;
      // Everywhere the way back, also where an editor has a use of its own for the arrow.
      if (e.altKey && !command && !e.shiftKey && (e.key === 'ArrowLeft' || e.key === 'ArrowRight')) {
        e.preventDefault();
        e.stopPropagation();
        void navigate(e.key === 'ArrowLeft' ? -1 : 1);
        return;
      }
      if (e.key === 'F1') {
        e.preventDefault();
        onHelp(helpTopic.getState().topic ?? { tab: 'keys' });
        return;
      }
      if (command && e.key.toLowerCase() === 'k') {
        e.preventDefault();
        askPalette();
        return;
      }
      if (e.key === 'F8') {
        e.preventDefault();
        walk(e.shiftKey ? -1 : 1);
        return;
      }
      const part = e.shiftKey && !command && !e.altKey ? FOLD_KEYS[e.key] : undefined;
      if (part || (e.key === 'F2' && command)) {
        e.preventDefault();
        if (part) toggleFold(part);
        else toggleAll();
        return;
      }
      if (e.altKey && /^[1-7]$/.test(e.key)) {
        e.preventDefault();
        void navigate(`/projects/${id}/${areas[Number(e.key) - 1]}`);
        return;
      }
      if (e.key === 'F5' && command) {
        e.preventDefault();
        openByKey('[aria-label="Run until …"]');
        return;
      }
      if (e.key === 'F5') {
        e.preventDefault();
        tellBench({ kind: 'play', running: !isRunning() });
        return;
      }
      if (e.key === 'F10' && trialStore.getState().isHeld) {
        e.preventDefault();
        // What stands against it is seen where the trial is shown.
        backOut().catch(() => void navigate(`/projects/${id}/controller`));
        return;
      }
      if (e.key === 'F6') {
        e.preventDefault();
        const direction = e.shiftKey ? -1 : 1;
        if (!command && !e.altKey) tellBench({ kind: 'step', scans: direction });
        else tellBench({ kind: 'stepInside', unit: command ? (e.altKey ? 'into' : 'over') : 'task', direction });
        return;
      }
      if (isText(e)) return;
      if (command && e.key.toLowerCase() === 'z') {
        e.preventDefault();
        if (e.shiftKey) useDocument.getState().redo();
        else useDocument.getState().undo();
      } else if (command && e.key.toLowerCase() === 'y') {
        e.preventDefault();
        useDocument.getState().redo();
      } else if (e.key === '?' && !command) onHelp({ tab: 'keys' });
    };
    window.addEventListener('keydown', onKey);
    // Cells and fields keep their keys to themselves; these mean the same in all of them.
    const first = (e: KeyboardEvent) => {
      if (
        (e.altKey && (e.key === 'ArrowLeft' || e.key === 'ArrowRight' || /^[1-7]$/.test(e.key))) ||
        ((e.ctrlKey || e.metaKey) && e.key.toLowerCase() === 'k') ||
        (e.shiftKey &&
          e.key in FOLD_KEYS &&
          !(e.target instanceof HTMLElement && e.target.closest('[role="search"]'))) ||
        ((e.ctrlKey || e.metaKey) && e.key === 'F2') ||
        ['F1', 'F5', 'F6', 'F8', 'F10'].includes(e.key)
      ) {
        onKey(e);
        e.stopPropagation();
      }
    };
    window.addEventListener('keydown', first, true);
    return () => {
      window.removeEventListener('keydown', onKey);
      window.removeEventListener('keydown', first, true);
    };
  }, [walk, navigate, id, onHelp]);
}

const isRunning = () => (benchLive.store.getState().frame as { running?: boolean } | undefined)?.running ?? false;

/**
 * Keys bound to buttons work with Alt, so that typing logic never presses a button by accident; where the panel or the
 * machine has the focus nothing is typed, and there they work bare.
 */
const isBare = (e: KeyboardEvent): boolean => {
  if (e.ctrlKey || e.metaKey || isTyping(e) || !(e.target instanceof HTMLElement)) return false;
  const inArea = e.target.matches('main') ? e.target.querySelector(':scope > [data-bare-keys]') : null;
  return (inArea ?? e.target.closest('[data-bare-keys]')) !== null;
};

function useBoundKeys(
  machine: Project['machine'] | undefined,
  inputs: readonly { readonly path: string; readonly key: string }[] | undefined,
) {
  useEffect(() => {
    const free = (e: KeyboardEvent, value: string): boolean => {
      const k = inputs?.find((x) => e.key.toLowerCase() === x.key || e.code === `Key${x.key.toUpperCase()}`);
      if (!k || (value === '1' && (!(e.altKey || isBare(e)) || e.repeat))) return k !== undefined;
      e.preventDefault();
      const s = machine && sourceOf(machine, k.path);
      // What the machine drives is forced while the key is down; a button is pressed; a free input is written.
      const up = value === '0' ? { letGo: true } : {};
      if (s?.handle) benchLive.event({ kind: 'write', path: s.handle, value, ...up });
      else if (s) benchLive.event({ kind: 'force', path: k.path, ...(value === '1' ? { value } : up) });
      else benchLive.event({ kind: 'write', path: k.path, value, ...up });
      return true;
    };
    const set = (e: KeyboardEvent, value: string) => {
      if (free(e, value)) return;
      const d = machine?.devices.find(
          (x) => x.key && (e.key.toLowerCase() === x.key || e.code === `Key${x.key.toUpperCase()}`),
        ),
        handle = d && keyHandle(kindOf(machine ?? {}, d.type));
      if (!d || !handle || (value === '1' && (!(e.altKey || isBare(e)) || e.repeat))) return;
      e.preventDefault();
      const path = `Machine.${d.name}.${handle.name}`;
      if (handle.type === 'press') {
        benchLive.event({ kind: 'write', path, value, ...(value === '0' ? { letGo: true } : {}) });
        return;
      }
      // What stays where it is put goes over at each press; one with three positions goes round.
      if (value === '0') return;
      const now = Number(benchStore.getState().frame?.values[path] ?? 0);
      benchLive.event({
        kind: 'write',
        path,
        value: String(
          handle.type === 'way'
            ? now >= 1
              ? -1
              : now + 1
            : handle.type === 'place'
              ? (Math.max(1, now) % placeNames(d, kindOf(machine ?? {}, d.type)).length) + 1
              : now
                ? 0
                : 1,
        ),
      });
    };
    const turned =
      machine?.devices.flatMap((d) => {
        const h = d.key ? keyHandle(kindOf(machine, d.type)) : undefined;
        return h && h.type !== 'press' ? [`Machine.${d.name}.${h.name}`] : [];
      }) ?? [];
    const unlook = benchLive.look(turned, []);
    const held = new Set<string>();
    const down = (e: KeyboardEvent) => {
      if (e.altKey || isBare(e)) {
        held.add(e.code);
        set(e, '1');
      }
    };
    const up = (e: KeyboardEvent) => {
      if (held.delete(e.code)) set(e, '0');
    };
    window.addEventListener('keydown', down);
    window.addEventListener('keyup', up);
    return () => {
      unlook();
      window.removeEventListener('keydown', down);
      window.removeEventListener('keyup', up);
    };
  }, [machine, inputs]);
}
