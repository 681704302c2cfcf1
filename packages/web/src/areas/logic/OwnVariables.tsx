/** The variables a ladder has for itself, declared as the standard writes them; folded to one line while nobody writes there. */
import { useState } from 'react';
import { later } from '../../components/later.js';
import { useBench } from '../../bench/live.js';
import type { Ladder } from './sheet-edits.js';

const TextEditor = later(() => import('./TextEditor.js').then((m) => m.TextEditor));

export function OwnVariables({ pou }: { readonly pou: Ladder }) {
  const [isOpen, setOpen] = useState(false);
  const problems =
    useBench(
      (s) =>
        s.checked?.problems.filter((p) => p.origin.kind === 'pou' && p.origin.id === pou.id && p.severity === 'error')
          .length,
    ) ?? 0;
  const names = [...(pou.variables ?? '').matchAll(/^\s*([A-Za-z_]\w*)\s*(?:,[^:]*)?:/gm)].map((m) => m[1]);
  return (
    <div className="shrink-0 border-b border-edge bg-sunk">
      <button
        type="button"
        aria-expanded={isOpen}
        onClick={() => setOpen(!isOpen)}
        className="flex h-7 w-full items-center gap-2 px-3 text-left text-[12px] text-soft hover:text-ink"
      >
        <span>{isOpen ? '▾' : '▸'}</span>
        <span className="font-medium">Own variables</span>
        <span className={`min-w-0 flex-1 truncate font-mono text-[11px] ${problems ? 'text-bad' : 'text-faint'}`}>
          {problems
            ? `${problems} problem${problems > 1 ? 's' : ''}`
            : names.length
              ? names.join(', ')
              : pou.kind === 'functionBlock'
                ? 'none yet: inputs and outputs of the block are declared here'
                : 'none'}
        </span>
      </button>
      {isOpen && (
        <div className="h-44 border-t border-edge">
          <TextEditor
            id={pou.id}
            name={pou.name}
            text={
              pou.variables ??
              (pou.kind === 'functionBlock'
                ? 'VAR_INPUT\nEND_VAR\nVAR_OUTPUT\nEND_VAR\nVAR\nEND_VAR\n'
                : 'VAR\nEND_VAR\n')
            }
          />
        </div>
      )}
    </div>
  );
}
