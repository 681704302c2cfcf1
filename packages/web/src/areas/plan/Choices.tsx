/**
 * What a plan keeps besides its steps: choices of one of several, and memory of its own; and what it asks for that
 * nothing gives.
 */
import { Trash2 } from 'lucide-react';
import { useMemo } from 'react';
import type { Plan, PlanChoice, PlanMemory, Project } from '@ferrule/core/document';
import { choiceTag, sourceless } from '@ferrule/core/plan';
import { nextFree } from '@ferrule/core/workspace';
import { nameCompletion } from '../../components/names.js';
import { Button, AddByName, EditInPlace, EditSentence } from '../../components/ui.js';
import { newId, useDocument } from '../../document/store.js';
import { type Problem, Said, TagLamp, optional } from './parts.js';

const remove = 'text-faint hover:text-bad';

interface Part {
  readonly plan: Plan;
  readonly problems: readonly Problem[];
  readonly onPlan: (plan: Plan) => void;
}

/** Exactly one of several by buttons: each group a line, its options lit while they are chosen. */
export function Choices({ plan, problems, onPlan }: Part) {
  const { choices = [], ...rest } = plan;
  const put = (to: readonly PlanChoice[]) => onPlan({ ...rest, ...(to.length ? { choices: to } : {}) });
  return (
    <>
      <span className="w-20" title="One of several, by a button each">
        <AddByName
          label="New choice"
          placeholder="+ choice"
          onAdd={(name) =>
            void put([
              ...choices,
              { id: newId('c'), name, options: [1, 2].map((n) => ({ id: newId(`o${n}`), name: String(n) })) },
            ])
          }
        />
      </span>
      {choices.map((c) => (
        <Choice
          key={c.id}
          choice={c}
          problems={problems.filter((p) => p.choice === c.id)}
          onChange={(to) => put(choices.map((x) => (x === c ? to : x)))}
          onRemove={() => put(choices.filter((x) => x !== c))}
        />
      ))}
    </>
  );
}

/** `Made : INT` as typed. */
const readMemory = (text: string): Omit<PlanMemory, 'id'> => {
  const [name, ...type] = text.split(':');
  return { name: name!.trim(), ...optional('type', type.join(':')) };
};
/** Tags that the plan keeps for itself; lit while they are on. */
export function Memory({ plan, problems, onPlan }: Part) {
  const { memory = [], ...rest } = plan;
  const put = (to: readonly PlanMemory[]) => onPlan({ ...rest, ...(to.length ? { memory: to } : {}) });
  return (
    <section aria-label="Memory" className="flex flex-wrap items-start gap-x-3 gap-y-1">
      {memory.length > 0 && <span className="py-0.5 text-soft">Memory</span>}
      {memory.map((m) => (
        <span key={m.id}>
          <span className="flex items-center gap-1">
            <TagLamp name={m.name} tag={m.name} says="It is on" />
            <span className="w-28 font-medium">
              <EditInPlace
                value={m.type ? `${m.name} : ${m.type}` : m.name}
                label={`Memory ${m.name}`}
                onCommit={(text) => put(memory.map((x) => (x === m ? { id: m.id, ...readMemory(text) } : x)))}
              />
            </span>
            <button
              aria-label={`Delete the memory ${m.name}`}
              onClick={() => put(memory.filter((x) => x !== m))}
              className={remove}
            >
              <Trash2 size={12} />
            </button>
          </span>
          <Said problems={problems.filter((p) => p.memory === m.id)} />
        </span>
      ))}
      <span className="w-24" title="What the plan keeps for itself: a name, or Made : INT">
        <AddByName
          label="New memory"
          placeholder="+ memory"
          onAdd={(text) => {
            const read = readMemory(text);
            if (!read.name) return 'What is kept has a name first: Made : INT.';
            put([...memory, { id: newId('y'), ...read }]);
            return undefined;
          }}
        />
      </span>
    </section>
  );
}

function Choice({
  choice: c,
  problems,
  onChange,
  onRemove,
}: {
  readonly choice: PlanChoice;
  readonly problems: readonly Problem[];
  readonly onChange: (to: PlanChoice) => void;
  readonly onRemove: () => void;
}) {
  const { options } = c;
  const ask = (key: 'reset' | 'locked', label: string, placeholder: string) => (
    <span className="w-32">
      <EditSentence
        value={c[key] ?? ''}
        label={label}
        placeholder={placeholder}
        complete={nameCompletion}
        marks={false}
        onCommit={(t) => {
          const { [key]: _, ...rest } = c;
          onChange({ ...rest, ...optional(key, t) });
        }}
      />
    </span>
  );
  return (
    <div role="group" aria-label={`Choice ${c.name}`} className="w-full">
      <div className="flex flex-wrap items-start gap-x-2 gap-y-0.5">
        <span className="py-0.5 text-soft">One</span>
        <span className="w-28 font-medium">
          <EditInPlace
            value={c.name}
            label={`Name of the choice ${c.name}`}
            onCommit={(name) => onChange({ ...c, name })}
          />
        </span>
        <span className="py-0.5 text-soft">of</span>
        {options.map((o) => (
          <span key={o.id} className="flex items-center gap-1">
            <TagLamp name={`${c.name} ${o.name}`} tag={choiceTag(c, o)} says="It is chosen" />
            <span className="w-20 font-medium" title={`Made as the tag ${choiceTag(c, o)}`}>
              <EditInPlace
                value={o.name}
                label={`Name of the option ${o.name} of ${c.name}`}
                onCommit={(name) => onChange({ ...c, options: options.map((x) => (x === o ? { ...o, name } : x)) })}
              />
            </span>
            <span className="text-soft">by</span>
            <span className="w-24">
              <EditSentence
                value={o.when ?? ''}
                label={`What chooses ${o.name} of ${c.name}`}
                complete={nameCompletion}
                marks={false}
                placeholder="its button"
                onCommit={(t) => {
                  const { when: _, ...rest } = o;
                  onChange({
                    ...c,
                    options: options.map((x) => (x === o ? { ...rest, ...optional('when', t) } : x)),
                  });
                }}
              />
            </span>
            <button
              aria-label={`Delete the option ${o.name} of ${c.name}`}
              onClick={() => onChange({ ...c, options: options.filter((x) => x !== o) })}
              className={remove}
            >
              <Trash2 size={12} />
            </button>
          </span>
        ))}
        <span className="w-20">
          <AddByName
            label={`New option of ${c.name}`}
            placeholder="+ option"
            onAdd={(name) => void onChange({ ...c, options: [...options, { id: newId('o'), name }] })}
          />
        </span>
        <span className="flex items-start gap-2">
          <span className="py-0.5 text-soft">taken back by</span>
          {ask('reset', `What takes ${c.name} back`, 'a button')}
          <span className="py-0.5 text-soft">not while</span>
          {ask('locked', `${c.name} is kept while`, 'never locked')}
          <button aria-label={`Delete the choice ${c.name}`} onClick={onRemove} className={`py-1 ${remove}`}>
            <Trash2 size={12} />
          </button>
        </span>
      </div>
      <Said problems={problems} />
    </div>
  );
}

/**
 * What conditions ask for and nothing gives, each to be made an input or memory of the plan, before anything is
 * guessed.
 */
export function NoSource({ project, onPlan }: { readonly project: Project; readonly onPlan: (plan: Plan) => void }) {
  const names = useMemo(() => sourceless(project), [project]),
    plan = project.plan!;
  if (!names.length) return null;
  const asInput = (name: string) =>
    useDocument.getState().edit({
      kind: 'addTag',
      tag: {
        id: newId('t'),
        name,
        type: 'BOOL',
        address: nextFree('I', 1, project.tags, project.modules),
        wiring: 'NO',
      },
    });
  return (
    <section aria-label="Without a source" className="mt-3 text-[12.5px]">
      <h3 className="font-semibold">Asked for, and given by nothing yet</h3>
      <ul>
        {names.map((n) => (
          <li key={n.name} className="flex flex-wrap items-center gap-2 border-b border-edge py-0.5">
            <span className="w-32 shrink-0 truncate font-medium" title={n.name}>
              {n.name}
            </span>
            <span className="min-w-0 flex-1 text-soft">
              asked for in {n.where};{' '}
              {n.isKept
                ? `memory that no step gives a value: logic of your own must, or a step (${n.madeAs === 'number' ? `${n.name} := 5` : `set ${n.name}`})`
                : `making logic makes it ${
                    n.madeAs === 'input'
                      ? 'an input with the next free address'
                      : n.madeAs === 'number'
                        ? 'a number that nothing sets yet'
                        : 'a tag that logic of your own must set'
                  }`}
            </span>
            {n.madeAs === 'input' && (
              <Button look="quiet" tight aria-label={`${n.name} is an input`} onClick={() => asInput(n.name)}>
                An input
              </Button>
            )}
            {!n.isKept && (
              <Button
                look="quiet"
                tight
                aria-label={`${n.name} is memory of the plan`}
                onClick={() =>
                  onPlan({
                    ...plan,
                    memory: [
                      ...(plan.memory ?? []),
                      { id: newId('y'), name: n.name, ...(n.madeAs === 'number' ? { type: 'REAL' } : {}) },
                    ],
                  })
                }
              >
                Memory of the plan
              </Button>
            )}
          </li>
        ))}
      </ul>
    </section>
  );
}
