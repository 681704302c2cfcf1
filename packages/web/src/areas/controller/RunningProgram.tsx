/** The program that the machine obeys, live in its own rungs and text, whatever project is open. */
import { useMemo, useState } from 'react';
import type { ProjectPou } from '@ferrule/core/document';
import type { TagFacts, TextWatch } from '@ferrule/core/workspace';
import { useLook, useValue } from '../../bench/live.js';
import { RungView } from '../../components/ladder/RungView.js';
import { modelOf } from '../../components/ladder/rung-model.js';
import { ValueMarks } from '../../components/ValueMarks.js';
import { valueText } from '../../components/values.js';
import type { Running } from './status.js';

const NO_TAGS: Readonly<Record<string, TagFacts>> = {};

export function RunningProgram({ running, words }: { readonly running: Running; readonly words: string }) {
  const pous = running.project?.pous ?? [],
    tags = running.tags ?? NO_TAGS;
  const [chosen, setChosen] = useState('');
  const pou = pous.find((p) => p.id === chosen) ?? pous[0];
  return (
    <div>
      <div className="sticky top-0 z-10 flex flex-wrap gap-1 border-b border-edge bg-sunk px-3 pt-1.5">
        {pous.map((p) => (
          <button
            key={p.id}
            onClick={() => setChosen(p.id)}
            aria-pressed={p === pou}
            className={`rounded-t-lg px-3 py-1 whitespace-nowrap ${p === pou ? 'bg-sheet font-semibold' : 'text-soft'}`}
          >
            {p.name}
          </button>
        ))}
        <span className="ml-auto self-center pl-3 text-[12px] whitespace-nowrap text-soft">{words}</span>
      </div>
      {pou?.language === 'LD' && <LiveRungs pou={pou} tags={tags} running={running} />}
      {pou?.language === 'ST' && <LiveText text={pou.text} lines={running.texts?.[pou.id] ?? []} />}
    </div>
  );
}

interface RungsProps {
  readonly pou: ProjectPou & { readonly language: 'LD' };
  readonly tags: Readonly<Record<string, TagFacts>>;
  readonly running: Running;
}
function LiveRungs({ pou, tags, running }: RungsProps) {
  const declared = useMemo(
    () => new Map((running.project?.tags ?? []).map((t) => [t.name.toLowerCase(), t])),
    [running.project],
  );
  const models = useMemo(() => pou.rungs.map((r) => modelOf(r, tags, 560)), [pou, tags]);
  return pou.rungs.map((r, i) => (
    <div
      key={r.id}
      className="flex border-b border-edge"
      style={{
        contentVisibility: 'auto',
        containIntrinsicSize: `auto ${(models[i]?.layout?.height ?? 80) + 30}px`,
      }}
    >
      <span className="w-10 shrink-0 border-r border-edge bg-sunk pt-2 text-center font-mono text-[12px] text-faint">
        {i + 1}
      </span>
      <div className="overflow-x-auto px-3 py-1">
        {r.comment && <p className="text-soft">{r.comment}</p>}
        <RungView id={r.id} label={`Live rung ${i + 1}`} model={models[i]!} tags={tags} declared={declared} />
      </div>
    </div>
  ));
}

function LiveText({ text, lines }: { readonly text: string; readonly lines: TextWatch['lines'] }) {
  const paths = useMemo(() => [...new Set(lines.map((l) => l.path))], [lines]);
  useLook(paths);
  return (
    <ol aria-label="Live text" className="py-2 font-mono text-[12.5px]">
      {text.split('\n').map((line, i) => (
        <li key={i} className="flex gap-3 px-3">
          <span className="w-8 shrink-0 text-right text-faint select-none">{i + 1}</span>
          <span className="whitespace-pre">{line || ' '}</span>
          <span className="flex flex-wrap gap-x-3 text-copper">
            {lines
              .filter((l) => l.line === i + 1)
              .map((l) => (
                <LiveValue key={l.path} name={l.name} path={l.path} type={l.type} />
              ))}
          </span>
        </li>
      ))}
    </ol>
  );
}
function LiveValue({ name, path, type }: { readonly name: string; readonly path: string; readonly type: string }) {
  const value = useValue(path);
  return (
    <span>
      {name} = {valueText(value, type)} <ValueMarks path={path} />
    </span>
  );
}
