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
    <div role="toolbar" aria-label="Rung editing" className="flex h-9 shrink-0 items-center overflow-x-auto overflow-y-hidden [scrollbar-width:thin] border-b border-edge bg-sunk px-2 py-0.5">
      {b('change', 'Change', '⏎')}
      {b('insert', 'Insert', 'a…z')}
      {b('leg', isCoil ? 'Add output' : 'Add leg', '|')}
      {b('negate', 'NO / NC', '/', node !== undefined)}
      {b('edge', 'Edge', '*', node !== undefined)}
      {b('latch', 'Set / reset', '+', isCoil)}
      {b('delete', 'Delete', 'Del', node !== undefined)}
      <span className="mx-1 h-5 w-px bg-edge" />
      {b('forceOn', 'Force on', '1', hasTag)}
      {b('forceOff', 'Off', '0', hasTag)}
      {b('release', 'Release', '.', hasTag)}
      {said && <p role="status" className={`ml-auto min-w-0 flex-1 truncate pl-3 text-right text-[12px] ${isError ? 'text-bad' : 'text-copper-ink'}`} title={said}>{said}</p>}
    </div>
  );
}

/** What can be done with the rung under the cursor; stands on the rung itself. */
export function RungActions({ onCommand }: { readonly onCommand: (c: Command) => void }) {
  const b = (c: Command, text: string, keys: string) => <Button look="quiet" tight keys={keys} onClick={() => onCommand(c)}>{text}</Button>;
  return <span className="flex shrink-0">{b('line', 'Line', ';')}{b('newRung', 'New rung', 'Ins')}{b('deleteRung', 'Delete rung', '⇧Del')}</span>;
}
