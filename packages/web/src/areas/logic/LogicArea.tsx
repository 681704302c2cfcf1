/** Logic: the programs and blocks as tabs, the machine and its panel beside them. */
import { Suspense, lazy } from 'react';
import { useSearchParams } from 'react-router';
import { useDocument } from '../../document/store.js';
import { MachinePane } from '../../components/machine/MachinePane.js';
import { LadderSheet } from './LadderSheet.js';

const TextEditor = lazy(() => import('./TextEditor.js').then((m) => ({ default: m.TextEditor })));

export function LogicArea() {
  const pous = useDocument((s) => s.project?.pous) ?? [];
  const [search, setSearch] = useSearchParams();
  const pou = pous.find((p) => p.id === search.get('pou')) ?? pous[0];
  return (
    <div className="grid h-full min-h-0 grid-cols-[minmax(0,1fr)_320px] min-[1200px]:grid-cols-[minmax(0,1fr)_400px]">
      <section aria-label="Logic" className="flex min-h-0 min-w-0 flex-col pl-3">
        <div role="tablist" aria-label="Programs and blocks" className="flex h-9 shrink-0 items-end gap-1 pt-1.5">
          {pous.map((p) => (
            <button key={p.id} role="tab" aria-selected={p === pou} onClick={() => setSearch({ pou: p.id })} title={p.description} className={`flex h-[30px] items-center gap-2 rounded-t-lg px-3 text-[12.5px] ${p === pou ? 'bg-sunk font-semibold' : 'text-soft hover:text-ink'}`}>
              {p.name}<span className="rounded border border-edge px-1 font-mono text-[9.5px] text-faint">{p.language}</span>
            </button>
          ))}
        </div>
        <div className="min-h-0 flex-1 border-l border-edge bg-sheet">
          {pou?.language === 'LD' && <LadderSheet key={pou.id} pou={pou} />}
          {pou?.language === 'ST' && <Suspense fallback={<p className="p-4 text-soft">Loading the editor …</p>}><TextEditor key={pou.id} pou={pou} /></Suspense>}
        </div>
      </section>
      <MachinePane />
    </div>
  );
}
