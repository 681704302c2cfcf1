/** The variables a ladder has for itself, declared as the standard writes them; opened from the strip. */
import { later } from '../../components/later.js';
import { useBench } from '../../bench/live.js';
import type { Ladder } from './sheet-edits.js';

const TextEditor = later(() => import('./TextEditor.js').then((m) => m.TextEditor));

/** On the strip: how many there are, and whether something is wrong with them. */
export function OwnToggle({
  pou,
  isOpen,
  onOpen,
}: {
  readonly pou: Ladder;
  readonly isOpen: boolean;
  readonly onOpen: (open: boolean) => void;
}) {
  const problems =
    useBench(
      (s) =>
        s.checked?.problems.filter((p) => p.origin.kind === 'pou' && p.origin.id === pou.id && p.severity === 'error')
          .length,
    ) ?? 0;
  const names = [...(pou.variables ?? '').matchAll(/^\s*([A-Za-z_]\w*)\s*(?:,[^:]*)?:/gm)].map((m) => m[1]);
  return (
    <button
      type="button"
      aria-expanded={isOpen}
      onClick={() => onOpen(!isOpen)}
      title={
        names.length
          ? `Own variables: ${names.join(', ')}`
          : pou.kind === 'functionBlock'
            ? 'Own variables: inputs and outputs of the block are declared here'
            : 'Own variables: none'
      }
      className="flex h-7 shrink-0 items-center gap-1 rounded-md px-[5px] text-[12px] text-soft hover:bg-edge/40 hover:text-ink"
    >
      <span>{isOpen ? '▾' : '▸'}</span>
      <span className="font-medium">Own variables</span>
      <span className={`font-mono text-[11px] ${problems ? 'text-bad' : 'text-faint'}`}>
        {problems ? `${problems} problem${problems > 1 ? 's' : ''}` : names.length || 'none'}
      </span>
    </button>
  );
}

export function OwnVariables({ pou }: { readonly pou: Ladder }) {
  return (
    <div className="h-44 shrink-0 border-b border-edge bg-sunk">
      <TextEditor
        id={pou.id}
        name={pou.name}
        text={
          pou.variables ??
          (pou.kind === 'functionBlock' ? 'VAR_INPUT\nEND_VAR\nVAR_OUTPUT\nEND_VAR\nVAR\nEND_VAR\n' : 'VAR\nEND_VAR\n')
        }
      />
    </div>
  );
}
