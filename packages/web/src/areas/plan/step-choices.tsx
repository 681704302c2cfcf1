/** Which sequences run beside a step, and in which modes a sequence or step runs. */
import { ChevronDown } from 'lucide-react';
import { DropdownMenu } from 'radix-ui';
import { useMemo } from 'react';
import { type Plan, type Sequence, stepTagOf } from '@ferrule/core/document';
import { useBench, useLook } from '../../bench/live.js';
import { MENU, MENU_ITEM } from '../../components/ui.js';

/** The other sequences by id, each with the step it is in: shown in the steps that they run beside. */
export function useBeside(plan: Plan, sequence: Sequence | undefined): ReadonlyMap<string, string> {
  const others = useMemo(() => plan.sequences.filter((s) => s !== sequence), [plan, sequence]);
  const tags = useMemo(() => others.map((s) => stepTagOf(s, plan.sequences)), [others, plan]);
  useLook(tags);
  const now = useBench((s) => tags.map((t) => s.frame?.values[t] ?? '').join('\n'));
  return useMemo(() => {
    const steps = now.split('\n');
    return new Map(others.map((s, i) => [s.id, steps[i] ? `${s.name}: ${steps[i]}` : s.name]));
  }, [others, now]);
}

/** The sequences that run beside a step while it lasts: as many as there are. */
export function ChooseBeside({
  of,
  others,
  chosen = [],
  onChange,
}: {
  readonly of: string;
  readonly others: readonly Sequence[];
  readonly chosen?: readonly string[] | undefined;
  readonly onChange: (starts: readonly string[]) => void;
}) {
  const names = others.filter((s) => chosen.includes(s.id)).map((s) => s.name);
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger asChild>
        <button
          aria-label={`Beside ${of} runs`}
          className="flex w-full items-center gap-0.5 rounded px-1 text-left text-[11.5px] text-soft hover:bg-sunk"
        >
          <span className="min-w-0 truncate">
            {names.length ? `beside it: ${names.join(', ')}` : 'nothing beside it'}
          </span>
          <ChevronDown size={11} className="shrink-0" />
        </button>
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content align="start" sideOffset={4} className={MENU}>
          {others.map((s) => (
            <DropdownMenu.CheckboxItem
              key={s.id}
              className={MENU_ITEM}
              checked={chosen.includes(s.id)}
              onSelect={(e) => e.preventDefault()}
              onCheckedChange={(on) => onChange(on ? [...chosen, s.id] : chosen.filter((c) => c !== s.id))}
            >
              <span className="w-4">{chosen.includes(s.id) ? '✓' : ''}</span>
              {s.name}
            </DropdownMenu.CheckboxItem>
          ))}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}

/** The modes something belongs to, of those the plan has; all of them when none is chosen. */
export function ChooseModes({
  plan,
  modes = plan?.modes,
  of,
  none,
  chosen = [],
  onChange,
}: {
  readonly none: string;
  readonly plan?: Plan;
  readonly modes?: Plan['modes'];
  readonly of: string;
  readonly chosen?: readonly string[] | undefined;
  readonly onChange: (modes: readonly string[]) => void;
}) {
  const has = (name: string) => chosen.some((c) => c.toLowerCase() === name.trim().toLowerCase());
  const known = (modes ?? []).filter((m) => m.name.trim()),
    gone = chosen.filter((c) => !known.some((m) => m.name.trim().toLowerCase() === c.toLowerCase()));
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger asChild>
        <button
          aria-label={`Modes of ${of}`}
          className="inline-flex items-center gap-0.5 rounded px-1 text-[11.5px] text-soft hover:bg-sunk"
        >
          {chosen.length ? chosen.join(', ') : none}
          <ChevronDown size={11} />
        </button>
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content align="start" sideOffset={4} className={MENU}>
          {known.map((m) => (
            <DropdownMenu.CheckboxItem
              key={m.id}
              className={MENU_ITEM}
              checked={has(m.name)}
              onSelect={(e) => e.preventDefault()}
              onCheckedChange={(on) =>
                onChange(
                  on
                    ? [...chosen, m.name.trim()]
                    : chosen.filter((c) => c.toLowerCase() !== m.name.trim().toLowerCase()),
                )
              }
            >
              <span className="w-4">{has(m.name) ? '✓' : ''}</span>
              {m.name}
            </DropdownMenu.CheckboxItem>
          ))}
          {gone.map((c) => (
            <DropdownMenu.CheckboxItem
              key={c}
              className={MENU_ITEM}
              checked
              onCheckedChange={() => onChange(chosen.filter((x) => x !== c))}
            >
              <span className="w-4">✓</span>
              {c} (not in the plan)
            </DropdownMenu.CheckboxItem>
          ))}
          {chosen.length > 0 && (
            <DropdownMenu.Item className={MENU_ITEM} onSelect={() => onChange([])}>
              <span className="w-4" />
              all modes
            </DropdownMenu.Item>
          )}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}
