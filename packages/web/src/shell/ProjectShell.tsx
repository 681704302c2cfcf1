/** One page, one moment in time: top bar, area rail, the area, and the scope under every area. */
import { Tooltip } from 'radix-ui';
import { Suspense, lazy, useEffect, useState } from 'react';
import { Link, Outlet, useNavigate, useParams } from 'react-router';
import { messageOf } from '../api.js';
import { benchLive, LiveProvider, tellBench, useBench } from '../bench/live.js';
import { type HelpTopic, helpTopic } from '../components/help-topic.js';
import { useDocument } from '../document/store.js';
import { AreaRail } from './AreaRail.js';
import { HelpDialog } from './HelpDialog.js';
import { Scope } from './Scope.js';
import { TopBar } from './TopBar.js';
import { useProblemWalk } from './problem-walk.js';

const Palette = lazy(() => import('./Palette.js').then((m) => ({ default: m.Palette })));

export function ProjectShell() {
  const { id } = useParams();
  const project = useDocument((s) => s.project);
  const [failed, setFailed] = useState<string>();
  const [help, setHelp] = useState<HelpTopic>();

  useEffect(() => {
    if (!id) return;
    setFailed(undefined);
    useDocument.getState().open(id).catch((e: unknown) => setFailed(messageOf(e)));
    return () => useDocument.getState().close();
  }, [id]);

  useBenchFeed(id);
  const [palette, setPalette] = useState(false);
  useShortcuts(setHelp, setPalette);
  const boundTo = project?.machine.devices;
  useBoundKeys(boundTo);
  useEffect(() => { document.title = project ? `${project.name} · Ferrule` : 'Ferrule'; }, [project?.name]);

  if (failed) return <div className="grid h-full place-items-center"><p className="max-w-md text-center">{failed} <Link className="text-copper-ink underline" to="/">Back to the projects</Link></p></div>;
  if (!project) return <div className="grid h-full place-items-center text-soft" role="status">Opening …</div>;
  return (
    <Tooltip.Provider delayDuration={500}>
      <LiveProvider value={benchLive}>
        <div className="grid h-full grid-cols-[64px_minmax(0,1fr)] grid-rows-[48px_auto_minmax(0,1fr)_min(190px,24vh)]">
          <div className="col-span-2"><TopBar onHelp={() => setHelp({ tab: 'keys' })} /></div>
          <div className="col-span-2"><Notices /></div>
          <AreaRail />
          <main className="min-h-0 min-w-0 overflow-hidden"><Outlet /></main>
          <div className="col-span-2 min-h-0"><Scope /></div>
        </div>
        {palette && <Suspense fallback={null}><Palette onClose={() => setPalette(false)} onHelp={() => setHelp({ tab: 'keys' })} /></Suspense>}
        <HelpDialog topic={help} onClose={() => setHelp(undefined)} />
      </LiveProvider>
    </Tooltip.Provider>
  );
}

/** Every version of the project goes to the bench at once. */
function useBenchFeed(id: string | undefined) {
  const project = useDocument((s) => s.project);
  const openId = useDocument((s) => s.id);
  const [fed, setFed] = useState<string>();
  useEffect(() => {
    if (!project || openId !== id || !id) return;
    tellBench({ kind: 'project', project, fresh: fed !== id });
    setFed(id);
  }, [project, openId, id]);
}

function Notices() {
  const saving = useDocument((s) => s.saving);
  const refused = useDocument((s) => s.refused);
  const benchRefused = useBench((s) => s.refused);
  const fault = useBench((s) => s.frame?.fault);
  const row = 'flex items-center gap-3 border-b border-edge px-4 py-1.5 text-[12.5px]';
  return (
    <>
      {saving === 'conflict' && (
        <div role="alert" className={`${row} bg-bad-soft text-bad`}>
          <span>This project was changed in another window. Your last changes are not saved yet.</span>
          <button className="underline" onClick={() => void useDocument.getState().keepMine()}>Put mine on top</button>
          <button className="underline" onClick={() => void useDocument.getState().takeTheirs()}>Take theirs</button>
        </div>
      )}
      {saving === 'offline' && <div role="alert" className={`${row} bg-bad-soft text-bad`}>The server does not answer. Your changes are kept here and sent when it is back.</div>}
      {(refused ?? benchRefused) && <div role="alert" className={`${row} bg-bad-soft text-bad`}>{refused ?? benchRefused}</div>}
      {fault && <div role="alert" className={`${row} bg-bad-soft text-bad`}><b>The bench stopped.</b> <span className="font-mono text-[12px]">{fault}</span> <span>Mend the logic, go back in time, or restart.</span></div>}
    </>
  );
}

const isTyping = (e: KeyboardEvent) => e.target instanceof HTMLElement && (e.target.matches('input, textarea, select') || e.target.isContentEditable);

function useShortcuts(onHelp: (topic: HelpTopic) => void, onPalette: (open: boolean) => void) {
  const walk = useProblemWalk();
  const navigate = useNavigate();
  const { id } = useParams();
  useEffect(() => {
    const areas = ['tags', 'logic', 'machine', 'prove', 'controller'];
    const onKey = (e: KeyboardEvent) => {
      const command = e.ctrlKey || e.metaKey;
      // Everywhere the way back, also where an editor has a use of its own for the arrow.
      if (e.altKey && !command && !e.shiftKey && (e.key === 'ArrowLeft' || e.key === 'ArrowRight')) { e.preventDefault(); e.stopPropagation(); void navigate(e.key === 'ArrowLeft' ? -1 : 1); return; }
      if (e.key === 'F1') { e.preventDefault(); onHelp(helpTopic.getState().topic ?? { tab: 'keys' }); return; }
      if (command && e.key.toLowerCase() === 'k') { e.preventDefault(); onPalette(true); return; }
      if (e.key === 'F8') { e.preventDefault(); walk(e.shiftKey ? -1 : 1); return; }
      if (e.altKey && /^[1-5]$/.test(e.key)) { e.preventDefault(); void navigate(`/projects/${id}/${areas[Number(e.key) - 1]}`); return; }
      if (e.key === 'F5') { e.preventDefault(); tellBench({ kind: 'play', running: !isRunning() }); return; }
      if (e.key === 'F6') { e.preventDefault(); tellBench({ kind: 'step', scans: e.shiftKey ? -1 : 1 }); return; }
      if (isTyping(e)) return;
      if (command && e.key.toLowerCase() === 'z') { e.preventDefault(); if (e.shiftKey) useDocument.getState().redo(); else useDocument.getState().undo(); }
      else if (command && e.key.toLowerCase() === 'y') { e.preventDefault(); useDocument.getState().redo(); }
      else if (e.key === '?' && !command) onHelp({ tab: 'keys' });
    };
    window.addEventListener('keydown', onKey);
    const back = (e: KeyboardEvent) => { if (e.altKey && (e.key === 'ArrowLeft' || e.key === 'ArrowRight')) onKey(e); };
    window.addEventListener('keydown', back, true);
    return () => { window.removeEventListener('keydown', onKey); window.removeEventListener('keydown', back, true); };
  }, [walk, navigate, id, onHelp, onPalette]);
}

const isRunning = () => (benchLive.store.getState().frame as { running?: boolean } | undefined)?.running ?? false;

/** Keys bound to buttons work with Alt, so that typing logic never presses a button by accident. */
function useBoundKeys(devices: readonly { name: string; type: string; key?: string }[] | undefined) {
  useEffect(() => {
    const set = (e: KeyboardEvent, value: string) => {
      const d = devices?.find((x) => x.key && x.type === 'PushButton' && (e.key.toLowerCase() === x.key || e.code === `Key${x.key.toUpperCase()}`));
      if (!d || (value === '1' && (!e.altKey || e.repeat))) return;
      e.preventDefault();
      benchLive.event({ kind: 'write', path: `Machine.${d.name}.Pressed`, value });
    };
    const held = new Set<string>();
    const down = (e: KeyboardEvent) => { if (e.altKey) { held.add(e.code); set(e, '1'); } };
    const up = (e: KeyboardEvent) => { if (held.delete(e.code)) set(e, '0'); };
    window.addEventListener('keydown', down);
    window.addEventListener('keyup', up);
    return () => { window.removeEventListener('keydown', down); window.removeEventListener('keyup', up); };
  }, [devices]);
}
