/** What can be done with the element under the cursor, each with its key. */
import { ChevronDown } from 'lucide-react';
import { DropdownMenu } from 'radix-ui';
import type { ReactNode } from 'react';
import type { Node } from '@ferrule/core/ladder';
import { useDesk } from '../../components/desk.js';
import { Button, MENU, MENU_ITEM } from '../../components/ui.js';
import { COMMANDS, type Command } from './commands.js';

interface Props {
  readonly node: Node | undefined;
  readonly onCommand: (c: Command) => void;
  /** The way to the program's own variables. */ readonly own: ReactNode;
}

/** What does not fit goes: More has all of it. Nothing scrolls sideways. */
export function EditStrip({ node, onCommand, own }: Props) {
  const isCoil = node?.kind === 'coil';
  const hasTag = node !== undefined && 'tag' in node;
  const b = (c: Command, text: string, keys: string, enabled = true) => (
    <Button key={c} look="quiet" keys={keys} disabled={!enabled} onClick={() => onCommand(c)} tight>
      {text}
    </Button>
  );
  return (
    <div
      role="toolbar"
      aria-label="Rung editing"
      className="flex h-8 shrink-0 items-center border-b border-edge bg-sunk px-2"
    >
      <span className="flex h-7 min-w-0 flex-1 flex-wrap items-center overflow-hidden">
        {b('newRung', 'New rung', 'Ins')}
        {b('change', 'Change', '⏎')}
        {b('leg', isCoil ? 'Add output' : 'Add leg', '|')}
        {b('negate', 'NO / NC', '/', node !== undefined)}
        {b('edge', 'Edge', '*', node !== undefined)}
        {b('latch', 'Set / reset', '+', isCoil)}
        {b('delete', 'Delete', 'Del', node !== undefined)}
        {b('forceOn', 'Force on', '1', hasTag)}
        {b('forceOff', 'Off', '0', hasTag)}
        {b('release', 'Release', '.', hasTag)}
      </span>
      <More onCommand={onCommand} />
      <Show />
      <span className="mx-1 h-5 w-px shrink-0 bg-edge" />
      {own}
    </div>
  );
}

function More({ onCommand }: { readonly onCommand: (c: Command) => void }) {
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger asChild>
        <button
          type="button"
          className="inline-flex h-7 shrink-0 items-center gap-1 rounded-md px-[5px] text-[12px] font-medium text-soft hover:bg-edge/40 hover:text-ink"
        >
          More
          <ChevronDown size={12} />
        </button>
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content sideOffset={4} className={`${MENU} max-h-[70vh] overflow-auto`}>
          {COMMANDS.map((c) => (
            <DropdownMenu.Item
              key={c.command}
              className={MENU_ITEM}
              onSelect={() => requestAnimationFrame(() => onCommand(c.command))}
            >
              <span className="flex-1">{c.words}</span>
              <kbd className="pl-6 font-mono text-[10.5px] text-faint">{c.shown ?? c.key}</kbd>
            </DropdownMenu.Item>
          ))}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}

function Show() {
  const { showAddress, showDescription, set } = useDesk();
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger asChild>
        <button
          type="button"
          className="inline-flex h-7 shrink-0 items-center gap-1 rounded-md px-[5px] text-[12px] font-medium text-soft hover:bg-edge/40 hover:text-ink"
        >
          Show
          <ChevronDown size={12} />
        </button>
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content sideOffset={4} className={MENU}>
          <DropdownMenu.CheckboxItem
            className={MENU_ITEM}
            checked={showAddress}
            onCheckedChange={(on) => set({ showAddress: on })}
          >
            <span className="w-5">{showAddress ? '✓' : ''}</span>Addresses
          </DropdownMenu.CheckboxItem>
          <DropdownMenu.CheckboxItem
            className={MENU_ITEM}
            checked={showDescription}
            onCheckedChange={(on) => set({ showDescription: on })}
          >
            <span className="w-5">{showDescription ? '✓' : ''}</span>Descriptions of tags
          </DropdownMenu.CheckboxItem>
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}
