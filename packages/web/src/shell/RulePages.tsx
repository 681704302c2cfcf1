/** The rules of checking: what each one finds, why it matters, and how strict this project is about it. */
import { useState } from 'react';
import { LINT_RULES, type Level } from '@ferrule/core/language';
import { useBench } from '../bench/live.js';
import { useDocument } from '../document/store.js';

const LEVELS: readonly { readonly level: Level; readonly label: string }[] = [
  { level: 'error', label: 'Error' },
  { level: 'warning', label: 'Warning' },
  { level: 'off', label: 'Off' },
];

export function RulePages({ start }: { readonly start: string | undefined }) {
  const [code, setCode] = useState(LINT_RULES.find((r) => r.code === start)?.code ?? LINT_RULES[0]!.code);
  const project = useDocument((s) => s.project);
  const edit = useDocument((s) => s.edit);
  const checked = useBench((s) => s.checked);
  const found = checked?.problems ?? [];
  const rule = LINT_RULES.find((r) => r.code === code)!;
  const level = project?.checking?.[code] ?? 'warning';
  const count = (c: string) => found.filter((p) => p.code === c).length;
  return (
    <div className="flex h-full min-h-0 gap-6">
      <ul className="w-[250px] shrink-0 overflow-auto" aria-label="Rules">
        {LINT_RULES.map((r) => (
          <li key={r.code}>
            <button
              type="button"
              aria-current={r.code === code}
              onClick={() => setCode(r.code)}
              className={`flex w-full items-baseline justify-between rounded-md px-2 py-1 text-left ${r.code === code ? 'bg-edge/50 font-medium' : 'hover:bg-edge/30'} ${project?.checking?.[r.code] === 'off' ? 'text-faint' : ''}`}
            >
              <span className="font-mono text-[11.5px]">{r.code}</span>
              <span className="text-[11px] text-soft">
                {project?.checking?.[r.code] === 'off' ? 'off' : count(r.code) || ''}
              </span>
            </button>
          </li>
        ))}
      </ul>
      <article className="min-w-0 flex-1 overflow-auto pr-2">
        <h3 className="text-[15px] font-semibold">{rule.about}</h3>
        <p className="mt-2 text-soft">{rule.help.why}</p>
        <Example title="This is found" text={rule.help.breaks} />
        <Example title="This is not" text={rule.help.holds} />
        <fieldset className="mt-4">
          <legend className="mb-1 font-medium">In this project</legend>
          <div className="flex gap-4">
            {LEVELS.map((l) => (
              <label key={l.level} className="flex items-center gap-1.5">
                <input
                  type="radio"
                  name="level"
                  className="accent-copper"
                  checked={level === l.level}
                  onChange={() => edit({ kind: 'changeChecking', code, to: l.level })}
                />
                {l.label}
              </label>
            ))}
          </div>
          <p className="mt-1 text-[12px] text-soft">
            {count(code)
              ? `Found ${count(code) === 1 ? 'once' : `${count(code)} times`} now; F8 goes there.`
              : 'Found nowhere now.'}
          </p>
        </fieldset>
      </article>
    </div>
  );
}

function Example({ title, text }: { readonly title: string; readonly text: string }) {
  return (
    <figure className="mt-3">
      <figcaption className="text-[12px] text-soft">{title}</figcaption>
      <pre className="mt-0.5 overflow-auto rounded-md border border-edge bg-sunk px-3 py-2 font-mono text-[12px]">
        {text}
      </pre>
    </figure>
  );
}
