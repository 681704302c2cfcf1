import { Boxes, ChartNoAxesGantt, Cpu, ListTree, Tag } from 'lucide-react';
import { NavLink, useParams } from 'react-router';
import type { ReactNode } from 'react';

const mark = { size: 20, strokeWidth: 1.6 } as const;
/** A rung between its rails: our own sign for Logic. */
const RungMark = () => (
  <svg width="20" height="20" viewBox="0 0 20 20" fill="none" stroke="currentColor" strokeWidth="1.6">
    <path d="M2 3v14M18 3v14M2 10h5M13 10h5M7 5.5v9M13 5.5v9" />
  </svg>
);
const TickMark = () => (
  <svg width="20" height="20" viewBox="0 0 20 20" fill="none" stroke="currentColor" strokeWidth="1.8">
    <path d="m4 10.5 4 4 8-9" />
  </svg>
);

const AREAS: readonly { readonly to: string; readonly name: string; readonly icon: ReactNode }[] = [
  { to: 'plan', name: 'Plan', icon: <ListTree {...mark} /> },
  { to: 'tags', name: 'Tags', icon: <Tag {...mark} /> },
  { to: 'logic', name: 'Logic', icon: <RungMark /> },
  { to: 'machine', name: 'Machine', icon: <Boxes {...mark} /> },
  { to: 'prove', name: 'Prove', icon: <TickMark /> },
  { to: 'controller', name: 'Controller', icon: <Cpu {...mark} /> },
  { to: 'timing', name: 'Timing', icon: <ChartNoAxesGantt {...mark} /> },
];

export function AreaRail() {
  const { id } = useParams();
  return (
    <nav
      aria-label="Areas"
      className="flex min-h-0 flex-col items-center gap-1 overflow-y-auto bg-bar pt-2 [scrollbar-width:none]"
    >
      {AREAS.map((a, i) => (
        <NavLink
          key={a.to}
          to={`/projects/${id}/${a.to}`}
          title={`${a.name} (Alt+${i + 1})`}
          className={({ isActive }) =>
            `flex w-[58px] shrink-0 flex-col items-center gap-1 rounded-lg py-2 text-[11px] ${isActive ? 'bg-bar-2 font-medium text-bar-ink' : 'text-bar-soft hover:text-bar-ink'}`
          }
        >
          {a.icon}
          {a.name}
        </NavLink>
      ))}
    </nav>
  );
}
