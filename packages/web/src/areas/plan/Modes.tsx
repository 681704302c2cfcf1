/** The operating modes of the plan. */
import { sameName } from '@ferrule/core/language';
import { Trash2 } from 'lucide-react';
import type { Plan, PlanMode } from '@ferrule/core/document';
import { modeTag } from '@ferrule/core/plan';
import type { LivePlan } from '../../components/flow/FlowChart.js';
import { nameCompletion } from '../../components/names.js';
import { AddByName, EditInPlace, EditSentence } from '../../components/ui.js';
import { newId } from '../../document/store.js';
import { type Problem, Said, TagLamp, optional } from './parts.js';

/** The operating modes of the machine, each with what says that it holds; lit while it does. */
export function Modes({
  plan,
  problems,
  live,
  onPlan,
}: {
  readonly plan: Plan;
  readonly live: LivePlan;
  readonly problems: readonly Problem[];
  readonly onPlan: (plan: Plan) => void;
}) {
  const modes = plan.modes ?? [];
  /** With another name, or gone, also where sequences and steps name it. */
  const everywhere = (names: (list: readonly string[]) => readonly string[], next: readonly PlanMode[]) => {
    const kept = <T extends { readonly modes?: readonly string[] }>(x: T): T => {
      if (!x.modes) return x;
      const { modes: old, ...rest } = x,
        to = names(old);
      return (to.length ? { ...rest, modes: to } : rest) as T;
    };
    const { modes: _, ...rest } = plan;
    onPlan({
      ...rest,
      ...(next.length ? { modes: next } : {}),
      sequences: plan.sequences.map((s) => ({ ...kept(s), steps: s.steps.map(kept) })),
    });
  };
  const same = (a: string, b: string) => sameName(a.trim(), b.trim());
  return (
    <section aria-label="Operating modes" className="flex flex-wrap items-start gap-x-3 gap-y-1">
      <span className="py-0.5 text-soft">Modes</span>
      {modes.map((m) => (
        <span key={m.id}>
          <span className="flex items-center gap-1">
            <TagLamp
              name={m.name}
              tag={modeTag(m)}
              holds={m.when ? live.holds[m.when.trim()]?.holds : undefined}
              says="The machine is in this mode"
            />
            <span className="w-24 font-medium">
              <EditInPlace
                value={m.name}
                label={`Name of the mode ${m.name}`}
                onCommit={(name) =>
                  everywhere(
                    (l) => l.map((n) => (same(n, m.name) ? name : n)),
                    modes.map((x) => (x === m ? { ...m, name } : x)),
                  )
                }
              />
            </span>
            <span className="text-soft">when</span>
            <span className="w-32">
              <EditSentence
                value={m.when ?? ''}
                label={`When the machine is in ${m.name}`}
                complete={nameCompletion}
                marks={false}
                placeholder="a condition"
                onCommit={(t) => {
                  const { when: _, ...rest } = m;
                  onPlan({ ...plan, modes: modes.map((x) => (x === m ? { ...rest, ...optional('when', t) } : x)) });
                }}
              />
            </span>
            <button
              aria-label={`Delete the mode ${m.name}`}
              onClick={() =>
                everywhere(
                  (l) => l.filter((n) => !same(n, m.name)),
                  modes.filter((x) => x !== m),
                )
              }
              className="text-faint hover:text-bad"
            >
              <Trash2 size={12} />
            </button>
          </span>
          <Said problems={problems.filter((p) => p.mode === m.id)} />
        </span>
      ))}
      <span className="w-20">
        <AddByName
          label="New mode"
          placeholder="+ mode"
          onAdd={(name) => void onPlan({ ...plan, modes: [...modes, { id: newId('m'), name }] })}
        />
      </span>
    </section>
  );
}
