/** The one list of tabs: arrow keys, Home and End go along it (Radix), what is chosen is told by the application. */
import { Tabs } from 'radix-ui';
import { type ButtonHTMLAttributes, type ReactNode, type Ref, useRef } from 'react';

/** A line under the chosen one, a sheet that it stands on, or a field. */
const LOOKS = {
  line: 'shrink-0 border-b-2 border-transparent text-soft hover:text-ink data-[state=active]:border-copper data-[state=active]:font-semibold data-[state=active]:text-ink',
  sheet:
    'shrink-0 rounded-t-lg px-3 text-soft hover:text-ink data-[state=active]:font-semibold data-[state=active]:text-ink',
  field:
    'h-8 rounded-md px-2.5 text-soft hover:text-ink data-[state=active]:bg-sheet data-[state=active]:font-semibold data-[state=active]:text-ink',
} as const;

export interface Tab extends Omit<ButtonHTMLAttributes<HTMLButtonElement>, 'value' | 'children'> {
  readonly value: string;
  readonly words: ReactNode;
  /** Stands in the place of the tab, while it is renamed. */
  readonly instead?: ReactNode;
}
interface RowProps {
  readonly label: string;
  readonly tabs: readonly Tab[];
  readonly look?: keyof typeof LOOKS;
  readonly className?: string;
  /** Of each tab. */
  readonly tabClass?: string;
  readonly row?: Ref<HTMLDivElement>;
}

/** The tabs of a `Tabs.Root` around, whose contents are its own. */
export const TabRow = ({ label, tabs, look = 'line', className = '', tabClass = '', row }: RowProps) => (
  <Tabs.List ref={row} aria-label={label} className={className}>
    {tabs.map(({ value, words, instead, className: own = '', ...rest }) =>
      instead ? (
        <span key={value}>{instead}</span>
      ) : (
        <Tabs.Trigger
          key={value}
          value={value}
          className={`-outline-offset-2 ${LOOKS[look]} ${tabClass} ${own}`}
          {...rest}
        >
          {words}
        </Tabs.Trigger>
      ),
    )}
  </Tabs.List>
);

interface ListProps extends RowProps {
  readonly value: string | undefined;
  readonly onChoose: (value: string) => void;
}
/**
 * Tabs alone: what they choose stands elsewhere on the page. Whoever goes along them with the keys stays on them, also
 * where what was chosen takes the keys as it appears.
 */
export function TabList({ value, onChoose, tabs, ...rest }: ListProps) {
  const root = useRef<HTMLDivElement>(null),
    byKey = useRef(false);
  const choose = (next: string): void => {
    onChoose(next);
    if (byKey.current)
      requestAnimationFrame(() => root.current?.querySelector<HTMLElement>('[role=tab][aria-selected=true]')?.focus());
  };
  return (
    <Tabs.Root
      ref={root}
      value={value ?? ''}
      onValueChange={choose}
      onKeyDownCapture={() => (byKey.current = true)}
      onPointerDownCapture={() => (byKey.current = false)}
      className="contents"
    >
      <TabRow {...rest} tabs={tabs.map((t) => ({ 'aria-controls': undefined, ...t }))} />
    </Tabs.Root>
  );
}
