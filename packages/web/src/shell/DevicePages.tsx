/**
 * A page for each kind of device: what it does, its terminals, parameters and upsets, how it behaves in time, and its
 * text.
 */
import { type ReactNode, useMemo, useState } from 'react';
import { DEVICE_GROUPS, DEVICE_KINDS, type DeviceKind, deviceBlock, limitsOf } from '@ferrule/core/machine';
import { HANDLE_WORDS, TERMINAL_WORDS } from '../components/kinds.js';
import { useDocument } from '../document/store.js';
import { LiveExample, exampleEngine } from '../help/LiveExample.js';
import { DEVICE_EXAMPLES, deviceExample } from '../help/device-examples.js';

const words = (type: string) => type.replace(/([a-z])([A-Z])/g, '$1 $2');

export function DevicePages({ start }: { readonly start: string | undefined }) {
  const own = useDocument((s) => s.project?.machine.kinds);
  const all: readonly DeviceKind[] = [...DEVICE_KINDS, ...(own ?? [])];
  const [type, setType] = useState(
    all.find((k) => k.type.toLowerCase() === start?.toLowerCase())?.type ?? DEVICE_KINDS[0]!.type,
  );
  const kind = all.find((k) => k.type === type) ?? DEVICE_KINDS[0]!;
  return (
    <div className="flex h-full min-h-0 gap-6">
      <div className="w-[150px] shrink-0 overflow-auto">
        {[...DEVICE_GROUPS, ...(own?.length ? [{ name: 'Own', kinds: own }] : [])].map((g) => (
          <div key={g.name}>
            <h3 className="mt-2 mb-0.5 px-2 text-[11px] font-medium text-soft">{g.name}</h3>
            <ul aria-label={g.name}>
              {g.kinds.map((k) => (
                <li key={k.type}>
                  <button
                    type="button"
                    aria-current={k === kind}
                    onClick={() => setType(k.type)}
                    className={`w-full rounded-md px-2 py-0.5 text-left text-[12px] ${k === kind ? 'bg-edge/50 font-medium' : 'hover:bg-edge/30'}`}
                  >
                    {words(k.type)}
                  </button>
                </li>
              ))}
            </ul>
          </div>
        ))}
      </div>
      <article aria-label={words(kind.type)} className="min-w-0 flex-1 overflow-auto pr-2">
        <Page key={kind.type} kind={kind} />
      </article>
    </div>
  );
}

function Page({ kind }: { readonly kind: DeviceKind }) {
  const own = useDocument((s) => s.project?.machine.kinds),
    isOwn = !DEVICE_EXAMPLES[kind.type];
  // Its example is played; an own kind whose text does not compile has none.
  const example = useMemo(
    () => DEVICE_EXAMPLES[kind.type] ?? (own ? deviceExample(kind, own) : undefined),
    [kind, own],
  );
  const hasErrors = useMemo(() => {
    if (!isOwn || !example) return false;
    try {
      exampleEngine(example);
      return false;
    } catch {
      return true;
    }
  }, [isOwn, example]);
  return (
    <>
      <h3 className="text-[15px] font-semibold">{words(kind.type)}</h3>
      <p className="mt-1 text-soft">{kind.help}</p>
      {example && !hasErrors && <LiveExample example={example} />}
      <Facts
        title="Terminals"
        rows={kind.terminals.map((t) => [
          `${t.direction === 'out' ? '→' : '←'} ${t.name}`,
          TERMINAL_WORDS[t.type],
          `${t.help}${t.mechanical ? ' (mechanical)' : ''}`,
        ])}
      />
      <Facts
        title="Parameters"
        rows={kind.parameters.map((p) => {
          const l = limitsOf(p);
          return [
            p.name,
            `${p.initial}${p.unit ? ` ${p.unit}` : ''}`,
            `${p.help}${l ? `; ${l[1] === Infinity ? `at least ${l[0]}` : `${l[0]} to ${l[1]}`}` : ''}`,
          ];
        })}
      />
      <Facts title="Upsets" rows={kind.upsets.map((u) => [u.name, '', u.help])} />
      <Facts title="By hand" rows={kind.handles.map((h) => [h.name, HANDLE_WORDS[h.type], h.help])} />
      <h4 className="mt-4 mb-0.5 text-[12px] text-soft">Its text</h4>
      <pre
        aria-label="Its text"
        className="overflow-auto rounded-md border border-edge bg-sunk px-3 py-2 font-mono text-[12px] leading-[1.45]"
      >
        {deviceBlock(kind).trim()}
      </pre>
      <p className="mt-2 text-[12px] text-soft">
        It runs once in each scan, after the programs; __STEP() is the simulated time from scan to scan.
      </p>
    </>
  );
}

function Facts({
  title,
  rows,
}: {
  readonly title: string;
  readonly rows: readonly (readonly [string, string, ReactNode])[];
}) {
  if (!rows.length) return null;
  return (
    <>
      <h4 className="mt-4 mb-0.5 text-[12px] text-soft">{title}</h4>
      <table aria-label={title} className="w-full text-[12.5px]">
        <tbody>
          {rows.map(([name, value, help]) => (
            <tr key={name} className="border-t border-edge align-top">
              <th scope="row" className="w-36 py-0.5 pr-3 text-left font-mono text-[12px] font-normal">
                {name}
              </th>
              <td className="w-28 pr-3 font-mono text-[12px] text-soft">{value}</td>
              <td>{help}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </>
  );
}
