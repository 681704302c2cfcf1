/** What Ferrule is and what it is made with: every package with its licence. */
import { useMemo, useState } from 'react';
import useSWRImmutable from 'swr/immutable';
import { version } from '../../../../package.json';

interface Licence {
  readonly name: string;
  readonly version: string;
  readonly licence: string;
  readonly text?: string;
}

export function AboutPage() {
  const { data, error } = useSWRImmutable<readonly Licence[], Error>('licences', async () => {
    const response = await fetch('/licences.json');
    if (!response.ok) throw new Error(`the list answers with ${response.status}`);
    return (await response.json()) as readonly Licence[];
  });
  const [search, setSearch] = useState('');
  const shown = useMemo(
    () => (data ?? []).filter((l) => `${l.name} ${l.licence}`.toLowerCase().includes(search.trim().toLowerCase())),
    [data, search],
  );
  const kinds = useMemo(() => {
    const counts = new Map<string, number>();
    for (const l of data ?? []) counts.set(l.licence, (counts.get(l.licence) ?? 0) + 1);
    return [...counts].sort((a, b) => b[1] - a[1]);
  }, [data]);
  return (
    <div className="flex h-full flex-col gap-2">
      <p>
        Ferrule {version}, under the MIT licence. It is made with {data ? `${data.length} packages` : 'packages'} of
        others{kinds.length ? `: ${kinds.map(([k, n]) => `${n} ${k}`).join(', ')}` : ''}.
      </p>
      {error && (
        <p role="alert" className="text-bad">
          The licences cannot be listed here: {error.message}.
        </p>
      )}
      <input
        aria-label="Search packages and licences"
        placeholder="a package, a licence"
        value={search}
        onChange={(e) => setSearch(e.target.value)}
        className="h-8 w-64 shrink-0 rounded-md border border-edge bg-sheet px-2"
      />
      <ul aria-label="Packages and their licences" className="min-h-0 flex-1 overflow-auto text-[12.5px]">
        {shown.map((l) => (
          <li key={`${l.name} ${l.version}`} className="border-b border-edge/60 py-0.5">
            {l.text ? (
              <details>
                <summary className="cursor-pointer">
                  <span className="font-medium">{l.name}</span> {l.version}{' '}
                  <span className="text-soft">{l.licence}</span>
                </summary>
                <pre className="overflow-x-auto py-1 pl-4 font-mono text-[11px] whitespace-pre-wrap text-soft">
                  {l.text}
                </pre>
              </details>
            ) : (
              <span className="pl-4">
                <span className="font-medium">{l.name}</span> {l.version} <span className="text-soft">{l.licence}</span>
              </span>
            )}
          </li>
        ))}
      </ul>
    </div>
  );
}
