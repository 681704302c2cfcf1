/** The blocks that come with Ferrule: what each is for, how it is called, and its text. */
import { useState } from 'react';
import { LiveExample } from '../help/LiveExample.js';
import { BLOCK_EXAMPLES } from '../help/examples.js';
import { type LibraryBlock, OWN_BLOCKS, STANDARD_BLOCKS } from '@ferrule/core/language';

const PAGES: readonly LibraryBlock[] = [...STANDARD_BLOCKS, ...OWN_BLOCKS];

/** Variants such as CTU_DINT share the page of their block. */
const pageOf = (name: string | undefined): string | undefined =>
  PAGES.find((p) => p.name === name?.toUpperCase())?.name ??
  PAGES.find((p) => name?.toUpperCase().startsWith(`${p.name}_`))?.name;

export function BlockPages({ start }: { readonly start: string | undefined }) {
  const [name, setName] = useState(pageOf(start) ?? PAGES[0]!.name);
  const page = PAGES.find((p) => p.name === name)!;
  const list = (title: string, pages: readonly LibraryBlock[]) => (
    <>
      <h3 className="mt-2 mb-0.5 px-2 text-[11px] font-medium text-soft first:mt-0">{title}</h3>
      <ul aria-label={title}>
        {pages.map((p) => (
          <li key={p.name}>
            <button
              type="button"
              aria-current={p.name === name}
              onClick={() => setName(p.name)}
              className={`w-full rounded-md px-2 py-0.5 text-left font-mono text-[11.5px] ${p.name === name ? 'bg-edge/50 font-medium' : 'hover:bg-edge/30'}`}
            >
              {p.name}
            </button>
          </li>
        ))}
      </ul>
    </>
  );
  return (
    <div className="flex h-full min-h-0 gap-6">
      <div className="w-[190px] shrink-0 overflow-auto">
        {list('Of the standard', STANDARD_BLOCKS)}
        {list('Ferrule’s own', OWN_BLOCKS)}
      </div>
      <article className="min-w-0 flex-1 overflow-auto pr-2">
        <h3 className="text-[15px] font-semibold">{page.name}</h3>
        <p className="mt-1 text-soft">{page.about}</p>
        {page.use && (
          <pre
            aria-label="How it is called"
            className="mt-3 overflow-auto rounded-md border border-edge bg-sunk px-3 py-2 font-mono text-[12px] whitespace-pre-wrap"
          >
            {page.use}
          </pre>
        )}
        {BLOCK_EXAMPLES[page.name] && <LiveExample key={page.name} example={BLOCK_EXAMPLES[page.name]!} />}
        <h4 className="mt-4 mb-0.5 text-[12px] text-soft">Its text</h4>
        <pre
          aria-label="Its text"
          className="overflow-auto rounded-md border border-edge bg-sunk px-3 py-2 font-mono text-[12px] leading-[1.45]"
        >
          {page.text.trim()}
        </pre>
        {page.text.includes('__NOW') && (
          <p className="mt-2 text-[12px] text-soft">__NOW() is the simulated time at the start of the scan.</p>
        )}
      </article>
    </div>
  );
}
