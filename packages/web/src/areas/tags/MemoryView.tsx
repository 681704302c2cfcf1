/** What lies where: the input, output and internal memory byte by byte, free places and overlaps. */
import { useEffect, useState } from 'react';
import { Link, useParams } from 'react-router';
import type { IoModule } from '@ferrule/core/document';
import type { MemoryArea } from '@ferrule/core/workspace';
import { askBench, useBench } from '../../bench/live.js';
import { Button, EditInPlace } from '../../components/ui.js';
import { newId, useDocument } from '../../document/store.js';
import { numberedName } from '../../components/free-name.js';

const NAMES = { I: 'Inputs', Q: 'Outputs', M: 'Internal memory' } as const;
/** Bytes drawn of an area at most. */
const MOST = 512;

export function MemoryView() {
  const checked = useBench((s) => s.checked);
  const [map, setMap] = useState<readonly MemoryArea[]>();
  useEffect(() => {
    let isOn = true;
    void askBench('memory', {}).then((m) => {
      if (isOn) setMap(m);
    });
    return () => {
      isOn = false;
    };
  }, [checked]);
  if (!map)
    return (
      <p role="status" className="p-4 text-soft">
        Looking …
      </p>
    );
  return (
    <div className="flex h-full min-h-0 flex-wrap content-start gap-6 overflow-auto p-4">
      {map.map((a) => (
        <Area key={a.area} area={a} />
      ))}
    </div>
  );
}

function Area({ area }: { readonly area: MemoryArea }) {
  const tags = useDocument((s) => s.project?.tags) ?? [];
  const { id } = useParams();
  const overlaps = area.entries.filter((e) => e.over.length);
  const views = area.entries.filter((e) => e.within.length);
  const rows = Array.from({ length: Math.min(MOST, area.bytes) }, (_, byte) => byte);
  const at = (bit: number) => area.entries.filter((e) => bit >= e.firstBit && bit < e.firstBit + e.bits);
  const link = (name: string) => `/projects/${id}/tags?tag=${tags.find((t) => t.name === name)?.id ?? ''}`;
  return (
    <section aria-label={NAMES[area.area]} className={area.bytes ? 'min-w-[420px] flex-1' : 'flex-none'}>
      <h2 className="text-[14px] font-semibold">
        {NAMES[area.area]}{' '}
        <span className="font-normal text-soft">
          {area.bytes ? `${area.bytes} byte${area.bytes > 1 ? 's' : ''}, ${area.freeBits} bits free` : 'nothing here'}
        </span>
      </h2>
      {area.area !== 'M' && <Modules area={area} />}
      {overlaps.length > 0 && (
        <p role="note" className="mt-1 rounded-md bg-bad-soft px-2 py-1 text-[12.5px] text-bad">
          Over each other:{' '}
          {[...new Set(overlaps.map((e) => `${e.name} ${e.address} and ${e.over.join(', ')}`))].join('; ')}
        </p>
      )}
      {views.length > 0 && (
        <p className="mt-1 text-[12.5px] text-soft">
          Views of the same memory: {views.map((e) => `${e.name} in ${e.within[0]}`).join('; ')}
        </p>
      )}
      {area.bytes > 0 && (
        <table className="mt-2 w-full table-fixed border-collapse font-mono text-[10px]">
          <thead>
            <tr>
              <th className="w-14" />
              {[7, 6, 5, 4, 3, 2, 1, 0].map((b) => (
                <th key={b} className="font-normal text-faint">
                  .{b}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {rows.map((byte) => {
              const whole = area.entries.find(
                (e) => e.bits >= 8 && byte * 8 >= e.firstBit && byte * 8 < e.firstBit + e.bits,
              );
              const bits = area.entries.some((e) => e.bits === 1 && Math.floor(e.firstBit / 8) === byte);
              return (
                <tr key={byte}>
                  <th scope="row" className="pr-2 text-right font-normal text-faint">
                    %{area.area}
                    {byte}
                  </th>
                  {whole && !bits ? (
                    <td
                      colSpan={8}
                      className="border border-edge bg-glow/60 px-1 text-center"
                      title={`${whole.name} : ${whole.type} at ${whole.address}`}
                    >
                      {whole.firstBit === byte * 8 ? (
                        <Link to={link(whole.name)}>{whole.name}</Link>
                      ) : (
                        <span className="text-faint">{whole.name}</span>
                      )}
                    </td>
                  ) : (
                    [7, 6, 5, 4, 3, 2, 1, 0].map((b) => {
                      const here = at(byte * 8 + b);
                      const one = here.find((e) => e.bits === 1) ?? here[0];
                      return (
                        <td
                          key={b}
                          title={
                            here.map((e) => `${e.name} : ${e.type} at ${e.address}`).join('\n') ||
                            `%${area.area}X${byte}.${b} is free`
                          }
                          className={`h-6 truncate border border-edge px-0.5 text-center ${one?.over.length ? 'bg-bad-soft text-bad' : one ? 'bg-glow/60' : 'text-faint'}`}
                        >
                          {one ? <Link to={link(one.name)}>{one.name}</Link> : '·'}
                        </td>
                      );
                    })
                  )}
                </tr>
              );
            })}
          </tbody>
        </table>
      )}
      {area.bytes > MOST && <p className="mt-1 text-soft">{area.bytes - MOST} more bytes are not drawn.</p>}
    </section>
  );
}

/** The modules of the I/O layout in an area: name, first byte, bytes. New tags take their places first. */
function Modules({ area }: { readonly area: MemoryArea }) {
  const modules = useDocument((s) => s.project?.modules) ?? NO_MODULES;
  const edit = useDocument((s) => s.edit);
  const mine = modules.filter((m) => m.area === area.area);
  const put = (next: readonly IoModule[]) => edit({ kind: 'changeModules', modules: next });
  const change = (m: IoModule, to: Partial<IoModule>) => {
    const next = { ...m, ...to };
    const clash = mine.find(
      (x) => x.id !== m.id && next.start < x.start + x.bytes && x.start < next.start + next.bytes,
    );
    if (
      !next.name ||
      !Number.isInteger(next.start) ||
      next.start < 0 ||
      !Number.isInteger(next.bytes) ||
      next.bytes < 1
    )
      useDocument.setState({ refused: 'A module has a name, a first byte from 0 and at least one byte.' });
    else if (clash)
      useDocument.setState({
        refused: `‘${next.name}’ would lie over ‘${clash.name}’ (bytes ${clash.start} to ${clash.start + clash.bytes - 1}).`,
      });
    else put(modules.map((x) => (x.id === m.id ? next : x)));
  };
  const outside = mine.length
    ? area.entries.filter(
        (e) => !mine.some((m) => e.firstBit >= m.start * 8 && e.firstBit + e.bits <= (m.start + m.bytes) * 8),
      )
    : [];
  const end = Math.max(0, ...mine.map((m) => m.start + m.bytes));
  return (
    <div className="mt-1">
      {mine.map((m) => (
        <div
          key={m.id}
          className="grid grid-cols-[minmax(120px,1fr)_70px_70px_auto] items-center gap-x-2 border-b border-edge"
        >
          <EditInPlace
            value={m.name}
            label={`Name of module ${m.name}`}
            className="font-semibold"
            onCommit={(name) => change(m, { name })}
          />
          <label className="flex items-center text-[12px] text-soft">
            %{m.area}
            <EditInPlace
              mono
              value={String(m.start)}
              label={`First byte of ${m.name}`}
              onCommit={(t) => change(m, { start: Number(t) })}
            />
          </label>
          <label className="flex items-center text-[12px] text-soft">
            <EditInPlace
              mono
              value={String(m.bytes)}
              label={`Bytes of ${m.name}`}
              onCommit={(t) => change(m, { bytes: Number(t) })}
            />
            bytes
          </label>
          <Button
            look="quiet"
            tight
            aria-label={`Take module ${m.name} out`}
            onClick={() => put(modules.filter((x) => x.id !== m.id))}
          >
            Take out
          </Button>
        </div>
      ))}
      <Button
        look="quiet"
        tight
        onClick={() =>
          put([
            ...modules,
            {
              id: newId('m'),
              name: numberedName(
                area.area === 'I' ? 'Inputs ' : 'Outputs ',
                mine.map((m) => m.name),
              ),
              area: area.area as 'I',
              start: end,
              bytes: 2,
            },
          ])
        }
      >
        + Module
      </Button>
      {outside.length > 0 && (
        <p role="note" className="mt-1 text-[12.5px] text-copper-ink">
          On no module: {outside.map((e) => `${e.name} ${e.address}`).join(', ')}
        </p>
      )}
    </div>
  );
}
const NO_MODULES: readonly IoModule[] = [];
