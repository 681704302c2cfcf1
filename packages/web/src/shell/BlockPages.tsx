/** The blocks that come with Ferrule: what each is for, how it is called, and its text. */
import { useState } from 'react';
import { OWN_BLOCKS, STANDARD_BLOCKS_TEXT } from '@ferrule/core';

interface Page { readonly name: string; readonly about: string; readonly use?: string; readonly text: string }

const STANDARD: Readonly<Record<string, string>> = {
  TON: 'On-delay: Q comes on when IN has been on for PT, and goes off with IN.',
  TOF: 'Off-delay: Q comes on with IN and stays on for PT after IN went off.',
  TP: 'Pulse: at the rise of IN, Q is on for PT, whatever IN does.',
  CTU: 'Counts up at each rise of CU; Q is on from PV on. R sets it back to 0.',
  CTD: 'Counts down at each rise of CD; Q is on at 0 and below. LD loads PV.',
  CTUD: 'Counts up and down; QU is on from PV on, QD at 0 and below.',
  R_TRIG: 'Q is on for the one call in which CLK rises.',
  F_TRIG: 'Q is on for the one call in which CLK falls.',
  SR: 'Remembers: S1 sets, R resets; S1 wins.',
  RS: 'Remembers: S sets, R1 resets; R1 wins.',
};

const textOf = (name: string): string => new RegExp(`FUNCTION_BLOCK ${name}\\n[\\s\\S]*?END_FUNCTION_BLOCK`).exec(STANDARD_BLOCKS_TEXT)?.[0] ?? '';
const PAGES: readonly Page[] = [...Object.entries(STANDARD).map(([name, about]) => ({ name, about, text: textOf(name) })), ...OWN_BLOCKS];

/** Variants such as CTU_DINT share the page of their block. */
const pageOf = (name: string | undefined): string | undefined => PAGES.find((p) => p.name === name?.toUpperCase())?.name ?? PAGES.find((p) => name?.toUpperCase().startsWith(`${p.name}_`))?.name;

export function BlockPages({ start }: { readonly start: string | undefined }) {
  const [name, setName] = useState(pageOf(start) ?? PAGES[0]!.name);
  const page = PAGES.find((p) => p.name === name)!;
  const list = (title: string, pages: readonly Page[]) => (
    <>
      <h3 className="mt-2 mb-0.5 px-2 text-[11px] font-medium text-soft first:mt-0">{title}</h3>
      <ul aria-label={title}>
        {pages.map((p) => (
          <li key={p.name}><button type="button" aria-current={p.name === name} onClick={() => setName(p.name)} className={`w-full rounded-md px-2 py-0.5 text-left font-mono text-[11.5px] ${p.name === name ? 'bg-edge/50 font-medium' : 'hover:bg-edge/30'}`}>{p.name}</button></li>
        ))}
      </ul>
    </>
  );
  return (
    <div className="flex h-full min-h-0 gap-6">
      <div className="w-[190px] shrink-0 overflow-auto">
        {list('Of the standard', PAGES.slice(0, PAGES.length - OWN_BLOCKS.length))}
        {list('Ferrule’s own', OWN_BLOCKS)}
      </div>
      <article className="min-w-0 flex-1 overflow-auto pr-2">
        <h3 className="text-[15px] font-semibold">{page.name}</h3>
        <p className="mt-1 text-soft">{page.about}</p>
        {page.use && <pre aria-label="How it is called" className="mt-3 overflow-auto rounded-md border border-edge bg-sunk px-3 py-2 font-mono text-[12px] whitespace-pre-wrap">{page.use}</pre>}
        <h4 className="mt-4 mb-0.5 text-[12px] text-soft">Its text</h4>
        <pre aria-label="Its text" className="overflow-auto rounded-md border border-edge bg-sunk px-3 py-2 font-mono text-[12px] leading-[1.45]">{page.text.trim()}</pre>
        {STANDARD[page.name] && <p className="mt-2 text-[12px] text-soft">__NOW() is the simulated time at the start of the scan.</p>}
      </article>
    </div>
  );
}
