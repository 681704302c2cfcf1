/**
 * The project on paper: the plan, tags, every rung as it looks on screen, text with line numbers, and where each tag is
 * used.
 */
import { many } from '@ferrule/core/language';
import { useMemo } from 'react';
import { version } from '../../../../../package.json';
import type { Plan, Tag } from '@ferrule/core/document';
import { useBench } from '../../bench/live.js';
import { FlowOnPaper } from '../../components/flow/FlowChart.js';
import { RungView } from '../../components/ladder/RungView.js';
import { modelOf } from '../../components/ladder/rung-model.js';
import { Button } from '../../components/ui.js';
import { useDocument } from '../../document/store.js';

/** The width of A4 between its margins, at 96 dots an inch. */
const PAPER_PX = 690;
const NO_TAGS = {};

export function PrintArea() {
  const project = useDocument((s) => s.project)!;
  const revision = useDocument((s) => s.revision);
  const checked = useBench((s) => s.checked);
  const tags = checked?.tags ?? NO_TAGS;
  const declared = useMemo(
    () => new Map<string, Tag>(project.tags.map((t) => [t.name.toLowerCase(), t])),
    [project.tags],
  );
  const uses = (name: string) => checked?.uses[name.toLowerCase()] ?? [];
  return (
    <div className="print-page h-full overflow-auto bg-sunk p-6">
      <div className="no-print mx-auto mb-3 flex max-w-[760px] items-center gap-3">
        <p className="flex-1 text-soft">As it will be on paper. The state of the bench is not printed.</p>
        <Button look="strong" onClick={() => window.print()}>
          Print
        </Button>
      </div>
      <article className="print-sheet mx-auto w-[760px] bg-white p-[35px] text-[11px] text-black">
        <header className="mb-4 border-b border-black pb-2">
          <h1 className="text-[20px] font-semibold">{project.name}</h1>
          <p>
            Revision {revision} · {new Date().toLocaleString(undefined, { dateStyle: 'long', timeStyle: 'short' })} ·{' '}
            {many(project.tags.length, 'tag')},{' '}
            {project.pous.length === 1 ? '1 program or block' : `${project.pous.length} programs and blocks`} · Ferrule{' '}
            {version}
          </p>
          {(project.bench?.facts ?? []).length > 0 && (
            <p>{project.bench!.facts!.map((f) => `${f.name}: ${f.text}`).join(' · ')}</p>
          )}
          {project.description && <p className="mt-1">{project.description}</p>}
        </header>
        {project.plan && project.plan.sequences.length > 0 && <PlanOnPaper plan={project.plan} />}
        <h2 className="mb-1 text-[15px] font-semibold">Tags</h2>
        <table className="mb-5 w-full border-collapse">
          <thead>
            <tr className="border-b border-black text-left">
              {['Name', 'Type', 'Address', 'Wiring', 'Description', 'Used in'].map((h) => (
                <th key={h} className="pr-2 font-medium">
                  {h}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {project.tags.map((t) => (
              <tr key={t.id} className="break-inside-avoid border-b border-[#ccc] align-top">
                <td className="pr-2 font-semibold">{t.name}</td>
                <td className="pr-2 font-mono">{t.type}</td>
                <td className="pr-2 font-mono">{t.address}</td>
                <td className="pr-2">{t.wiring}</td>
                <td className="pr-2">{t.description}</td>
                <td>{[...new Set(uses(t.name).map((u) => `${u.place}${u.isWrite ? ' (w)' : ''}`))].join(', ')}</td>
              </tr>
            ))}
          </tbody>
        </table>
        {project.types.length > 0 && (
          <>
            <h2 className="mb-1 text-[15px] font-semibold">Types</h2>
            <pre className="mb-5 font-mono whitespace-pre-wrap">{project.types.map((t) => t.text).join('\n\n')}</pre>
          </>
        )}
        {project.pous.map((p) => (
          <section key={p.id} className="mb-5">
            <h2 className="mb-1 text-[15px] font-semibold">
              {p.name} <span className="font-normal">{p.kind === 'functionBlock' ? 'function block' : p.kind}</span>
            </h2>
            {p.description && <p className="mb-1">{p.description}</p>}
            {p.language === 'LD' && p.variables && (
              <pre className="mb-1 font-mono whitespace-pre-wrap">{p.variables.trim()}</pre>
            )}
            {p.language === 'ST' ? (
              <table className="w-full font-mono">
                <tbody>
                  {p.text
                    .replace(/\n$/, '')
                    .split('\n')
                    .map((l, i) => (
                      <tr key={i}>
                        <td className="w-8 pr-2 text-right align-top text-[#888]">{i + 1}</td>
                        <td className="whitespace-pre-wrap">{l}</td>
                      </tr>
                    ))}
                </tbody>
              </table>
            ) : (
              p.rungs.map((r, i) => {
                const model = modelOf({ id: r.id, line: r.line }, tags, PAPER_PX - 40, {
                  own: checked?.locals[p.name.toLowerCase()],
                  isWhole: true,
                });
                return (
                  <div key={r.id} className="break-inside-avoid">
                    {r.heading && <h3 className="mt-2 text-[13px] font-semibold">{r.heading}</h3>}
                    <div className="flex border-b border-[#ccc] py-1">
                      <span className="w-9 shrink-0 font-mono">{i + 1}</span>
                      <div className="min-w-0 flex-1">
                        {r.comment && <p>{r.comment}</p>}
                        {model.layout ? (
                          <RungView
                            id=""
                            label={`Rung ${i + 1}`}
                            model={{ ...model, paths: [] }}
                            tags={tags}
                            declared={declared}
                          />
                        ) : (
                          <code>{r.line}</code>
                        )}
                      </div>
                    </div>
                  </div>
                );
              })
            )}
          </section>
        ))}
      </article>
    </div>
  );
}

/** The operation as it was planned: each sequence with its steps, what is on in them and what ends them. */
function PlanOnPaper({ plan }: { readonly plan: Plan }) {
  return (
    <section aria-label="Plan" className="mb-5">
      <h2 className="mb-1 text-[15px] font-semibold">Plan</h2>
      {plan.description && <p className="mb-2">{plan.description}</p>}
      {plan.modes?.length ? (
        <p className="mb-2">
          Operating modes: {plan.modes.map((m) => `${m.name}${m.when ? ` when ${m.when}` : ''}`).join(' · ')}
        </p>
      ) : null}
      {plan.choices?.map((c) => (
        <p key={c.id} className="mb-2">
          {c.name}: exactly one of {c.options.map((o) => `${o.name}${o.when ? ` (by ${o.when})` : ''}`).join(', ')}
          {c.reset ? ` · taken back by ${c.reset}` : ''}
          {c.locked ? ` · not while ${c.locked}` : ''}
        </p>
      ))}
      {plan.memory?.length ? (
        <p className="mb-2">Memory: {plan.memory.map((m) => `${m.name}${m.type ? ` : ${m.type}` : ''}`).join(' · ')}</p>
      ) : null}
      {plan.sequences.map((s) => {
        const named = (id: string | undefined) => s.steps.find((x) => x.id === id)?.name ?? '';
        return (
          <div key={s.id} className="mb-3">
            <h3 className="text-[13px] font-semibold">
              {s.name}
              {s.run && <span className="font-normal"> · runs while {s.run}</span>}
              {s.modes?.length ? <span className="font-normal"> · in {s.modes.join(', ')}</span> : null}
            </h3>
            <table className="w-full border-collapse">
              <thead>
                <tr className="border-b border-black text-left">
                  {['Step', 'On while in it', 'Moves on when', 'For', 'To', 'Limit', 'Past the limit'].map((h) => (
                    <th key={h} className="pr-2 font-medium">
                      {h}
                    </th>
                  ))}
                </tr>
              </thead>
              <tbody>
                {s.steps.map((x) =>
                  (x.ways.length ? x.ways : [undefined]).map((w, i) => (
                    <tr key={`${x.id} ${i}`} className="break-inside-avoid border-b border-[#ccc] align-top">
                      <td className="pr-2 font-semibold">
                        {i ? '' : x.name}
                        {!i && x.modes?.length ? (
                          <span className="block font-normal">only in {x.modes.join(', ')}</span>
                        ) : null}
                      </td>
                      <td className="pr-2">
                        {i
                          ? ''
                          : [
                              ...(x.on ?? []),
                              ...(x.starts ?? []).map(
                                (id) => `beside it: ${plan.sequences.find((q) => q.id === id)?.name ?? ''}`,
                              ),
                            ].join(', ')}
                      </td>
                      <td className="pr-2">{w ? w.when?.trim() || (w.for ? 'after' : 'at once') : ''}</td>
                      <td className="pr-2">{w?.for ?? ''}</td>
                      <td className="pr-2">{named(w?.to)}</td>
                      <td className="pr-2">
                        {i ? '' : [x.expected && `meant ${x.expected}`, x.limit].filter(Boolean).join(', limit ')}
                      </td>
                      <td>
                        {i
                          ? ''
                          : [x.past?.fault === undefined ? '' : `fault ${x.past.fault}`, named(x.past?.to)]
                              .filter(Boolean)
                              .join(', then ')}
                      </td>
                    </tr>
                  )),
                )}
              </tbody>
            </table>
            {s.steps.length > 0 && (
              <FlowOnPaper sequence={s} beside={new Map(plan.sequences.map((q) => [q.id, q.name]))} />
            )}
          </div>
        );
      })}
    </section>
  );
}
