/** Logic: the programs and blocks as tabs; beside them the machine, an outline, the tags or where one is used. */
import { useEffect } from 'react';
import { later } from '../../components/later.js';
import { useSearchParams } from 'react-router';
import { useDocument } from '../../document/store.js';
import { useFolded } from '../../components/folds.js';
import { onPageKeys } from '../../components/keys.js';
import { useReach } from '../../components/reach.js';
import { Button } from '../../components/ui.js';
import { DraftStrip } from '../../components/at-controller.js';
import { FindBar, openFind } from './FindBar.js';
import { LadderSheet } from './LadderSheet.js';
import { ProgramTabs } from './ProgramTabs.js';
import { SidePane } from './SidePane.js';

const TextEditor = later(() => import('./TextEditor.js').then((m) => m.TextEditor));

export function LogicArea() {
  const pous = useDocument((s) => s.project?.pous) ?? [];
  const [search, setSearch] = useSearchParams();
  const wanted = search.get('pou');
  const pou = pous.find((p) => p.id === wanted) ?? pous[0];
  // A link to something that went away leads to what is there.
  useEffect(() => {
    if (wanted && pou && pou.id !== wanted) setSearch({ pou: pou.id }, { replace: true });
  }, [wanted, pou?.id]);
  useFindKey();
  return (
    <div
      className={`grid h-full min-h-0 grid-cols-[minmax(0,1fr)] ${useFolded('side') ? 'min-[900px]:grid-cols-[minmax(0,1fr)_32px]' : 'min-[900px]:grid-cols-[minmax(0,1fr)_320px] min-[1200px]:grid-cols-[minmax(0,1fr)_400px]'}`}
    >
      <section aria-label="Logic" className="flex min-h-0 min-w-0 flex-col pl-3">
        <ProgramTabs pous={pous} chosen={pou} onChoose={(id) => setSearch({ pou: id })} />
        <div className="flex min-h-0 flex-1 flex-col border-l border-edge bg-sheet">
          <FindBar pou={pou?.id} />
          <ReachShown />
          {!pou && <p className="p-6 text-soft">No programs yet. Make one with + above.</p>}
          {pou?.language === 'LD' && (
            <>
              <div className="min-h-0 flex-1">
                <LadderSheet key={pou.id} pou={pou} />
              </div>
            </>
          )}
          {pou?.language === 'ST' && <TextEditor key={pou.id} id={pou.id} name={pou.name} text={pou.text} />}
          {/* Below: it comes with the first change, and what is worked on stays where it is. */}
          {pou && <DraftStrip where="here" things={(key) => key.startsWith(`pous/${pou.id}/`)} />}
        </div>
      </section>
      <SidePane pou={pou} />
    </div>
  );
}

/** Ctrl+F anywhere on the page looks in the logic while that is in sight; a name that is chosen is looked for. */
function useFindKey(): void {
  useEffect(() => {
    const find = () => {
      const chosen = getSelection()?.toString() ?? '';
      openFind(/\n/.test(chosen) ? undefined : chosen);
    };
    return onPageKeys([['Mod+f', find]], { isFirst: true });
  }, []);
}

/** While what the checks have not exercised is shown on the rungs: how much that is, and how to put it away. */
function ReachShown() {
  const f = useReach((s) => s.shown?.figures);
  if (!f) return null;
  return (
    <p
      role="status"
      aria-label="Reach"
      className="flex items-center gap-3 border-b border-edge bg-sunk px-3 py-1 text-[12px]"
    >
      <span className="flex-1">
        What the checks have not exercised is marked. Contacts both ways{' '}
        <b>
          {f.contacts.reached} of {f.contacts.of}
        </b>
        , rungs{' '}
        <b>
          {f.rungs.reached} of {f.rungs.of}
        </b>
        {f.branches.of > 0 && (
          <>
            , branches{' '}
            <b>
              {f.branches.reached} of {f.branches.of}
            </b>
          </>
        )}
        .
      </span>
      <Button tight onClick={() => useReach.setState({ shown: undefined })}>
        Put away
      </Button>
    </p>
  );
}
