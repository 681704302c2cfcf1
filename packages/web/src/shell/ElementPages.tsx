/** The elements of a rung: what each does, how it is written, and an example that runs. */
import { useState } from 'react';
import { LiveExample } from '../help/LiveExample.js';
import { ELEMENTS } from '../help/examples.js';

export function ElementPages({ start }: { readonly start: string | undefined }) {
  const [id, setId] = useState(ELEMENTS.find((e) => e.id === start)?.id ?? ELEMENTS[0]!.id);
  const page = ELEMENTS.find((e) => e.id === id)!;
  return (
    <div className="flex h-full min-h-0 gap-6">
      <ul aria-label="Elements" className="w-[210px] shrink-0 overflow-auto">
        {ELEMENTS.map((e) => (
          <li key={e.id}>
            <button
              type="button"
              aria-current={e.id === id}
              onClick={() => setId(e.id)}
              className={`w-full rounded-md px-2 py-0.5 text-left text-[12.5px] ${e.id === id ? 'bg-edge/50 font-medium' : 'hover:bg-edge/30'}`}
            >
              {e.name}
            </button>
          </li>
        ))}
      </ul>
      <article className="min-w-0 flex-1 overflow-auto pr-2">
        <h3 className="text-[15px] font-semibold">
          {page.name} <code className="ml-2 font-mono text-[13px] font-normal text-soft">{page.line}</code>
        </h3>
        <p className="mt-1 text-soft">{page.about}</p>
        <LiveExample key={page.id} example={page.example} />
      </article>
    </div>
  );
}
