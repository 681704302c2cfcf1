/** What can be done with the element under the cursor, each with its key; what went wrong is said here too. */
import type { Node } from '@ferrule/core';
import { Button } from '../../components/ui.js';
import type { Command } from './LadderSheet.js';

interface Props { readonly node: Node | undefined; readonly onCommand: (c: Command) => void; readonly said: string | undefined; readonly isError: boolean }

export function EditStrip({ node, onCommand, said, isError }: Props) {
  const isCoil = node?.kind === 'coil';
  const hasTag = node !== undefined && 'tag' in node;
  const b = (c: Command, text: string, keys: string, enabled = true) => <Button key={c} look="quiet" keys={keys} disabled={!enabled} onClick={() => onCommand(c)} tight>{text}</Button>;
  return (
    <div role="toolbar" aria-label="Rung editing" className="flex min-h-9 shrink-0 flex-wrap items-center border-b border-edge bg-sunk px-2 py-0.5">
      {b('change', 'Change', '⏎')}
      {b('insert', 'Insert', 'a…z')}
      {b('leg', isCoil ? 'Add output' : 'Add leg', '|')}
      {b('negate', 'NO / NC', '/', node !== undefined)}
      {b('edge', 'Edge', '*', node !== undefined)}
      {b('latch', 'Set / reset', '+', isCoil)}
      {b('delete', 'Delete', 'Del', node !== undefined)}
      <span className="mx-1 h-5 w-px bg-edge" />
      {b('line', 'Line', ';')}
      {b('newRung', 'New rung', 'Ins')}
      {b('deleteRung', 'Delete rung', '⇧Del')}
      <span className="mx-1 h-5 w-px bg-edge" />
      {b('forceOn', 'Force on', '1', hasTag)}
      {b('forceOff', 'Off', '0', hasTag)}
      {b('release', 'Release', '.', hasTag)}
      {said && <p role="status" className={`w-full truncate px-1.5 pb-0.5 text-[12px] ${isError ? 'text-bad' : 'text-copper-ink'}`} title={said}>{said}</p>}
    </div>
  );
}
