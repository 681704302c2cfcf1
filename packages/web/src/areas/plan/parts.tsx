/** Small parts that the rooms of the plan share. */
import type { PlanProblem } from '@ferrule/core/plan';
import { useLook, useValue } from '../../bench/live.js';
import { useDocument } from '../../document/store.js';

export type Problem = PlanProblem;
/** What is wrong, in a sentence each. */
export const Said = ({ problems }: { readonly problems: readonly Problem[] }) => (
  <>
    {problems.map((p, i) => (
      <p key={i} role="note" className="px-1 text-[12px] text-bad">
        {p.message}
      </p>
    ))}
  </>
);

/** Text typed in a table cell; nothing when it is empty, so that the document stays small. */
export const optional = <K extends string>(key: K, text: string): { readonly [P in K]?: string } =>
  text.trim() ? ({ [key]: text.trim() } as { [P in K]: string }) : {};

const NO_PATHS: readonly string[] = [];
/** Lit while something is so: by what says so, or by the tag that is made of it. */
export function TagLamp({
  name,
  tag,
  holds,
  says,
}: {
  readonly name: string;
  readonly tag: string;
  readonly holds?: boolean | undefined;
  /** Said of it while it is lit. */ readonly says: string;
}) {
  const isThere = useDocument((s) => s.project?.tags.some((t) => t.name.toLowerCase() === tag.toLowerCase()) ?? false);
  useLook(isThere ? [tag] : NO_PATHS);
  const value = useValue(tag),
    on = holds ?? value === true;
  return (
    <span
      role="img"
      aria-label={`${name}: ${on ? 'on' : 'off'}`}
      title={on ? says : undefined}
      className={`h-2.5 w-2.5 shrink-0 rounded-full border ${on ? 'border-copper bg-copper' : 'border-soft'}`}
    />
  );
}
