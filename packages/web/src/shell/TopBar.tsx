/** Where in time we are and how it moves; problems, forces and the controller, always in sight. */
import { CircleHelp, SunMoon } from 'lucide-react';
import { Link, useParams } from 'react-router';
import useSWR from 'swr';
import { KEEP_ASKING } from '../components/polling.js';
import { useDocument } from '../document/store.js';
import { FileMenu } from './FileMenu.js';
import { switchTheme } from './theme.js';
import { Clock } from './Clock.js';
import { Problems, Forces } from './problems-and-forces.js';
import { pill } from './top-bar-parts.js';

export function TopBar({ onHelp }: { readonly onHelp: () => void }) {
  const name = useDocument((s) => s.project?.name);
  const revision = useDocument((s) => s.revision);
  const saving = useDocument((s) => s.saving);
  const { id } = useParams();
  return (
    <header className="flex h-12 items-center gap-3 overflow-x-auto bg-bar px-4 max-[1300px]:gap-2 max-[1150px]:px-3 max-[900px]:gap-1.5 text-bar-ink [scrollbar-width:none]">
      <Link to="/" className="flex shrink-0 items-center gap-2 font-semibold" title="All projects">
        <img src="/ferrule.svg" alt="" width={22} height={22} />
        <span className="max-[1150px]:sr-only">Ferrule</span>
      </Link>
      <span className="h-5 w-px shrink-0 bg-bar-2 max-[1150px]:hidden" />
      <span
        className="line-clamp-2 min-w-[84px] leading-tight break-words text-bar-soft max-[1150px]:text-[12px]"
        title={name}
      >
        <span className="text-bar-ink">{name}</span> ·{' '}
        <Link
          to={`/projects/${id}/revisions`}
          className="relative inline-block whitespace-nowrap underline decoration-bar-soft/40 underline-offset-2 hover:text-bar-ink"
          title="Revisions: name, compare, bring back"
        >
          {/* In the same place: were it beside it, the whole bar would move under the pointer with every edit. */}
          <span className={saving === 'saving' ? 'invisible' : ''}>rev {revision}</span>
          {saving === 'saving' && <span className="absolute left-0">saving</span>}
        </Link>
      </span>
      <FileMenu />
      <Clock />
      <Problems />
      <Forces />
      <ControllerPill />
      <button aria-label="Light or dark" className="shrink-0 text-bar-soft hover:text-bar-ink" onClick={switchTheme}>
        <SunMoon size={17} />
      </button>
      <button
        aria-label="Help and shortcuts (?)"
        className="shrink-0 text-bar-soft hover:text-bar-ink"
        onClick={onHelp}
      >
        <CircleHelp size={17} />
      </button>
    </header>
  );
}

interface Status {
  readonly name: string;
  readonly state: string;
  readonly revision?: number;
  readonly trial?: { readonly revision: number };
  readonly forces: readonly unknown[];
}

function ControllerPill() {
  const { id } = useParams();
  const { data, error } = useSWR<Status>('/controller/status', { refreshInterval: 3000, ...KEEP_ASKING });
  const text = error
    ? 'Controller offline'
    : !data
      ? 'Controller'
      : [
          data.state === 'empty'
            ? 'empty'
            : data.trial
              ? `rev ${data.trial.revision} on trial`
              : `rev ${data.revision}`,
          ...(data.forces.length ? [`${data.forces.length} forced`] : []),
        ].join(' · ');
  return (
    <Link
      to={`/projects/${id}/controller`}
      aria-label={data && !error ? `${data.name} · ${text}` : text}
      className={`${pill} bg-bar-2 ${error ? 'text-bar-soft' : ''}`}
    >
      {data && !error ? (
        <span>
          {data.name}
          <span className="max-[900px]:hidden"> · {text}</span>
        </span>
      ) : (
        text
      )}
    </Link>
  );
}
