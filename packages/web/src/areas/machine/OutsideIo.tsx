/**
 * Outside I/O: inputs that come from another program and outputs that go to it, tag by tag; what there is over there,
 * and the bench joined to it.
 */
import { memo, useEffect, useMemo, useState } from 'react';
import useSWR from 'swr';
import { useStore } from 'zustand';
import { type FoundItem, matchByName } from '@ferrule/core/workspace';
import type { OutsideIo as Outside, OutsideItem } from '@ferrule/core/document';
import type { Quality } from '@ferrule/core/bench';
import { readItems } from '@ferrule/core/files';
import { ApiProblem, api, messageOf } from '../../api.js';
import { askBench, useBench } from '../../bench/live.js';
import { joinOutside, openBenchStore, rejoinOutside, trustCertificate } from '../../bench/open-bench.js';
import { Password, linkColour, linkWords } from '../../components/LinkTo.js';
import { COLOUR, type Certificate, Certificates } from '../../components/OpenProtocols.js';
import { useFileDialog } from '../../components/choose-file.js';
import { textOf } from '../../components/read-file.js';
import { KEEP_ASKING } from '../../components/polling.js';
import { Button, type Choice, EditInPlace } from '../../components/ui.js';
import { numberIn } from '../../components/values.js';
import { useDocument } from '../../document/store.js';

const NOTHING: Outside = { isOn: false, protocol: 'opcua', address: '', items: [] };
const MOST_LISTED = 400;
type IoPoint = Awaited<ReturnType<typeof askBench<'ioPoints'>>>[number];
type Found = FoundItem & { readonly value?: string };

export function OutsideIo() {
  const outside = useDocument((s) => s.project?.outside) ?? NOTHING,
    edit = useDocument((s) => s.edit);
  const save = (change: Partial<{ [K in keyof Outside]: Outside[K] | undefined }>) => {
    const next = Object.fromEntries(
      Object.entries({ ...outside, ...change }).filter(([, v]) => v !== undefined && v !== ''),
    ) as unknown as Outside;
    edit({ kind: 'changeOutside', outside: { ...next, address: change.address ?? outside.address } });
  };
  const checked = useBench((s) => s.checked),
    [points, setPoints] = useState<readonly IoPoint[]>([]);
  useEffect(() => void askBench('ioPoints', {}).then(setPoints), [checked]);
  const [found, setFound] = useState<readonly Found[]>([]);
  const items = useMemo(() => new Map(outside.items.map((x) => [x.path.toLowerCase(), x])), [outside.items]);
  const connect = (changes: readonly OutsideItem[]) => {
    const next = new Map(items);
    for (const c of changes) {
      if (c.item) next.set(c.path.toLowerCase(), c);
      else next.delete(c.path.toLowerCase());
    }
    save({ items: [...next.values()] });
  };
  const matches = useMemo(
    () =>
      matchByName(
        points.filter((p) => !items.has(p.path.toLowerCase())),
        found,
      ),
    [points, items, found],
  );
  const choices = useMemo(
    () => found.map((f): Choice => ({ text: f.item, about: [f.name, f.type].filter(Boolean).join(' · ') })),
    [found],
  );
  return (
    <section aria-label="Outside I/O" className="flex min-h-0 flex-col gap-3 overflow-y-auto p-3 text-[12.5px]">
      <fieldset className="flex flex-wrap items-center gap-x-4 gap-y-1">
        <legend className="float-left mr-3 font-semibold">Inputs and outputs are</legend>
        {[false, true].map((isOn) => (
          <label key={String(isOn)} className="flex items-center gap-1.5">
            <input
              type="radio"
              name="outside"
              className="accent-copper"
              checked={outside.isOn === isOn}
              onChange={() => {
                if (!isOn) joinOutside(false);
                save({ isOn });
              }}
            />
            {isOn ? 'another program’s, where they are connected' : 'the machine model’s'}
          </label>
        ))}
      </fieldset>
      <Where outside={outside} save={save} />
      <Look outside={outside} found={found} onFound={setFound} />
      {outside.isOn && <Join points={outside.items.length} address={outside.address} />}
      <div className="flex flex-wrap items-center gap-2">
        <h3 className="font-semibold">
          {outside.items.length.toLocaleString('en')} of {points.length.toLocaleString('en')} inputs and outputs
          connected
        </h3>
        {matches.matched.length > 0 && (
          <Button look="strong" onClick={() => connect(matches.matched)}>
            Connect what has the same name · {matches.matched.length}
          </Button>
        )}
        {found.length > 0 && !matches.matched.length && matches.unclear.length > 0 && (
          <span className="text-copper-ink">Several items are called {matches.unclear.slice(0, 3).join(', ')}.</span>
        )}
      </div>
      {!points.length && (
        <p className="text-soft">
          No tag has an address of an input or output (%I…, %Q…) yet; give it in Tags. Errors in the logic must be
          mended first, too.
        </p>
      )}
      {(['Inputs', 'Outputs'] as const).map((title) => {
        const mine = points.filter((p) => p.isInput === (title === 'Inputs'));
        return (
          mine.length > 0 && (
            <Points key={title} title={title} of={mine} items={items} choices={choices} connect={connect} />
          )
        );
      })}
      <Dangling items={outside.items} points={points} connect={connect} />
      {found.length > 0 && <FoundThere found={found} items={outside.items} />}
    </section>
  );
}

interface WhereProps {
  readonly outside: Outside;
  readonly save: (change: Partial<{ [K in keyof Outside]: Outside[K] | undefined }>) => void;
}
/** Where the other program is, and how to join it. */
function Where({ outside, save }: WhereProps) {
  const { protocol, address, security, user, unit, words } = outside,
    isOpcua = protocol === 'opcua';
  const [kept, setKept] = useState<string>();
  const select = 'h-7 rounded-md border border-edge bg-sheet px-1';
  return (
    <div className="flex flex-wrap items-center gap-2">
      <select
        aria-label="Protocol"
        className={select}
        value={protocol}
        onChange={(e) => save({ protocol: e.target.value as Outside['protocol'] })}
      >
        <option value="opcua">OPC UA</option>
        <option value="modbus">Modbus TCP</option>
      </select>
      <span className="w-60 rounded-md border border-edge bg-sheet">
        <EditInPlace
          mono
          label="Address of the other program"
          value={address}
          placeholder={isOpcua ? 'opc.tcp://192.168.0.10:4840' : '192.168.0.10:502'}
          onCommit={(to) => save({ address: to })}
        />
      </span>
      {isOpcua ? (
        <>
          <select
            aria-label="Messages"
            className={select}
            value={security ?? ''}
            onChange={(e) => save({ security: (e.target.value || undefined) as Outside['security'] })}
          >
            <option value="">plain messages</option>
            <option value="signed">signed</option>
            <option value="encrypted">signed and encrypted</option>
          </select>
          <span className="w-36 rounded-md border border-edge bg-sheet">
            <EditInPlace
              label="User name there"
              value={user ?? ''}
              placeholder="without a name"
              onCommit={(to) => save({ user: to || undefined })}
            />
          </span>
          {user !== undefined && (
            <>
              <Password
                set={(password) =>
                  void api('PUT', '/outside/password', { address, user, password }).then(
                    () => {
                      rejoinOutside();
                      setKept('kept at this server, not in the project');
                    },
                    (e: unknown) => setKept(messageOf(e)),
                  )
                }
              />
              {kept && <span className="text-soft">{kept}</span>}
            </>
          )}
        </>
      ) : (
        <>
          <label className="flex items-center gap-1.5">
            unit
            <span className="w-14 rounded-md border border-edge bg-sheet">
              <EditInPlace
                mono
                label="Unit number"
                value={String(unit ?? 1)}
                onCommit={(to) => save({ unit: /^\d{1,3}$/.test(to) && Number(to) <= 255 ? Number(to) : unit })}
              />
            </span>
          </label>
          <select
            aria-label="Word order there"
            className={select}
            value={words ?? ''}
            onChange={(e) => save({ words: (e.target.value || undefined) as Outside['words'] })}
          >
            <option value="">high word first</option>
            <option value="low first">low word first</option>
          </select>
        </>
      )}
    </div>
  );
}

const LAST_NUMBER = 65_535,
  MOST_LOOKED_AT = 100;
/** What there is over there: asked of it, or read from a list. */
function Look({
  outside,
  found,
  onFound,
}: {
  readonly outside: Outside;
  readonly found: readonly Found[];
  readonly onFound: (all: readonly Found[]) => void;
}) {
  const [state, setState] = useState<{ readonly isBusy?: boolean; readonly words?: string; readonly isBad?: boolean }>(
      {},
    ),
    [certificates, setCertificates] = useState<readonly Certificate[]>([]);
  const [stretch, setStretch] = useState({ table: 'coil', from: '0', count: '16' });
  const { protocol, address, security, user, unit } = outside,
    isModbus = protocol === 'modbus';
  useEffect(() => {
    onFound([]);
    setState({});
    setCertificates([]);
  }, [protocol, address]);
  const look = async () => {
    const from = numberIn(stretch.from, 0, LAST_NUMBER),
      count = numberIn(stretch.count, 1, MOST_LOOKED_AT);
    if (isModbus && !(Number.isInteger(from) && Number.isInteger(count))) {
      setState({
        words: `The first is a whole number from 0 to ${LAST_NUMBER}, and from 1 to ${MOST_LOOKED_AT} of them are looked at.`,
        isBad: true,
      });
      return;
    }
    setState({ isBusy: true });
    try {
      const answer = await api<{ items: readonly Found[]; more?: string; certificates: readonly Certificate[] }>(
        'POST',
        '/outside/look',
        {
          protocol,
          address,
          ...(isModbus
            ? {
                ...(unit === undefined ? {} : { unit }),
                table: stretch.table,
                from,
                count,
              }
            : { ...(security ? { security } : {}), ...(user ? { user } : {}) }),
        },
      );
      onFound(answer.items);
      setCertificates(answer.certificates);
      setState({
        words: `${answer.items.length.toLocaleString('en')} item${answer.items.length === 1 ? '' : 's'} found there.${answer.more ? ` ${answer.more}` : ''}`,
      });
    } catch (e) {
      if (e instanceof ApiProblem && Array.isArray(e.details['certificates']))
        setCertificates(e.details['certificates'] as readonly Certificate[]);
      setState({ words: messageOf(e), isBad: true });
    }
  };
  const read = async (file: File) => {
    let items: ReturnType<typeof readItems>;
    try {
      items = readItems(await textOf(file), protocol);
    } catch (e) {
      setState({ words: messageOf(e), isBad: true });
      return;
    }
    if (typeof items === 'string') setState({ words: `${file.name}: ${items}`, isBad: true });
    else {
      onFound([...found.filter((f) => f.name), ...items]);
      setState({ words: `${items.length} items in ${file.name}.` });
    }
  };
  const [chooseNames, namesInput] = useFileDialog({
    label: 'Names from a list (CSV)',
    accept: '.csv,text/csv',
    onFiles: ([f]) => void read(f!),
  });
  const field = 'h-7 w-16 rounded-md border border-edge bg-sheet px-1.5 font-mono text-[12px]';
  return (
    <div className="flex flex-col gap-2">
      <div className="flex flex-wrap items-center gap-2">
        <Button disabled={!address || state.isBusy} onClick={() => void look()}>
          Look what is there
        </Button>
        {isModbus && (
          <>
            <select
              aria-label="Table to look at"
              className="h-7 rounded-md border border-edge bg-sheet px-1"
              value={stretch.table}
              onChange={(e) => setStretch({ ...stretch, table: e.target.value })}
            >
              <option value="coil">coils</option>
              <option value="discrete">discrete inputs</option>
              <option value="holding">holding registers</option>
              <option value="input">input registers</option>
            </select>
            {(['from', 'count'] as const).map((k) => (
              <label key={k} className="flex items-center gap-1.5">
                {k === 'from' ? 'from number' : 'so many'}
                <input
                  className={field}
                  inputMode="numeric"
                  value={stretch[k]}
                  onKeyDown={(e) => {
                    e.stopPropagation();
                    if (e.key === 'Enter') void look();
                  }}
                  onChange={(e) => setStretch({ ...stretch, [k]: e.target.value })}
                />
              </label>
            ))}
          </>
        )}
        <button onClick={chooseNames} className="text-soft underline hover:text-ink">
          Names from a list (CSV) …
        </button>
        {namesInput}
        {state.isBusy && <span className="text-soft">Looking …</span>}
      </div>
      {state.words !== undefined && (
        <p
          role={state.isBad ? 'alert' : 'status'}
          className={state.isBad ? 'rounded-md bg-bad-soft px-2 py-1 text-bad' : ''}
        >
          {state.words}
        </p>
      )}
      <Certificates
        of={certificates}
        trust={(thumbprint, isTrusted) =>
          void api<{ certificates: readonly Certificate[] }>('PUT', `/outside/certificates/${thumbprint}`, {
            isTrusted,
          }).then(
            (a) => {
              setCertificates(a.certificates);
              trustCertificate(thumbprint, isTrusted, 'trustOutside');
            },
            (e: unknown) => setState({ words: messageOf(e), isBad: true }),
          )
        }
      />
    </div>
  );
}

interface AtController {
  readonly name: string;
  readonly outside?: { readonly address: string; readonly state: string };
}
/** The bench and the other program. */
function Join({ points, address }: { readonly points: number; readonly address: string }) {
  const { shown, isJoined, refused } = useStore(openBenchStore);
  const link = isJoined ? shown?.outside : undefined;
  const { data: controller } = useSWR<AtController>('/controller/status', { refreshInterval: 3000, ...KEEP_ASKING }),
    isThereToo = controller?.outside?.address === address && controller.outside.state === 'on';
  return (
    <div className="flex flex-wrap items-center gap-3 rounded-md border border-edge bg-sunk px-2.5 py-1.5">
      <Button
        look={isJoined ? 'plain' : 'strong'}
        disabled={!points && !isJoined}
        onClick={() => joinOutside(!isJoined)}
      >
        {isJoined ? 'Leave it' : 'Join it from the bench'}
      </Button>
      <span role="status" className={`min-w-0 flex-1 ${link ? linkColour(link) : 'text-soft'}`}>
        {refused ??
          (!isJoined
            ? 'The bench is not joined: connected inputs stay as they are, and can be worked by hand. Joined, it writes outputs over there.'
            : link
              ? linkWords(link)
              : 'Asking the server …')}
        {isThereToo && (
          <span className="block text-copper-ink">
            {controller.name} writes its outputs there, too: joined both, they work against each other.
          </span>
        )}
      </span>
    </div>
  );
}

interface PointsProps {
  readonly of: readonly IoPoint[];
  readonly items: ReadonlyMap<string, OutsideItem>;
  readonly connect: (changes: readonly OutsideItem[]) => void;
}
function Points({
  title,
  of,
  items,
  choices,
  connect,
}: PointsProps & { readonly title: 'Inputs' | 'Outputs'; readonly choices: readonly Choice[] }) {
  const problems = useBench((s) => s.checked?.problems),
    { shown, isJoined } = useStore(openBenchStore);
  const link = useMemo(
    () => new Map((isJoined ? (shown?.outside.points ?? []) : []).map((p) => [p.path, p])),
    [shown, isJoined],
  );
  const isInput = title === 'Inputs',
    told = useMemo(() => (problems ?? []).filter((x) => x.code === 'OUTSIDE'), [problems]);
  return (
    <table aria-label={title} className="w-full table-fixed border-collapse text-left">
      <colgroup>
        {['22%', '12%', '36%', '10%', '20%'].map((width, i) => (
          <col key={i} style={{ width }} />
        ))}
      </colgroup>
      <thead>
        <tr className="text-soft">
          {[title, 'Type', isInput ? 'Comes from' : 'Goes to', isInput ? 'Fallback' : '', isJoined ? 'Now' : ''].map(
            (h, i) => (
              <th key={i} scope="col" className="border-b border-edge px-1.5 py-0.5 font-normal">
                {i === 0 ? <b className="font-semibold text-ink">{h}</b> : h}
              </th>
            ),
          )}
        </tr>
      </thead>
      <tbody>
        {of.map((p) => {
          const now = link.get(p.path);
          return (
            <PointRow
              key={p.path}
              path={p.path}
              type={p.type}
              isInput={isInput}
              mine={items.get(p.path.toLowerCase())}
              choices={choices}
              problem={told.find((x) => x.message.includes(`'${p.path}'`))?.message}
              value={now?.value}
              quality={now?.quality}
              why={now?.why}
              connect={connect}
            />
          );
        })}
      </tbody>
    </table>
  );
}

interface RowProps {
  readonly path: string;
  readonly type: string;
  readonly isInput: boolean;
  readonly mine: OutsideItem | undefined;
  /** What was found there. */ readonly choices: readonly Choice[];
  readonly problem: string | undefined;
  readonly value: string | undefined;
  readonly quality: Quality | undefined;
  readonly why: string | undefined;
  readonly connect: PointsProps['connect'];
}
/** Drawn anew only where something of it changed: there may be thousands, and values come every second. */
const PointRow = memo(function PointRow(p: RowProps) {
  const { path, mine, connect } = p,
    cell = 'border-b border-edge px-1.5 py-0.5 align-top';
  return (
    <tr>
      <td className={`${cell} truncate font-mono text-[12px]`} title={path}>
        {path}
      </td>
      <td className={`${cell} truncate text-soft`}>{p.type}</td>
      <td className={cell}>
        <EditInPlace
          mono
          label={`Item of ${path}`}
          value={mine?.item ?? ''}
          placeholder="not connected"
          choices={p.choices}
          onCommit={(item) => connect([{ ...mine, path, item }])}
        />
        {p.problem && <p className="text-bad">{p.problem}</p>}
      </td>
      <td className={cell}>
        {p.isInput && mine && (
          <EditInPlace
            mono
            label={`Fallback of ${path}`}
            value={mine.fallback ?? ''}
            placeholder={/STRING/.test(p.type) ? '' : '0'}
            onCommit={(to) => connect([{ path: mine.path, item: mine.item, ...(to ? { fallback: to } : {}) }])}
          />
        )}
      </td>
      <td className={cell}>
        {p.quality && (
          <>
            <span className="font-mono text-[12px]">{p.value}</span>{' '}
            <span className={COLOUR[p.quality]}>{p.quality}</span>
            {p.why !== undefined && <p className="text-soft">{p.why}</p>}
          </>
        )}
      </td>
    </tr>
  );
});

/** Connections of tags that are no input or output any more. */
function Dangling({
  items,
  points,
  connect,
}: {
  readonly items: readonly OutsideItem[];
  readonly points: readonly IoPoint[];
  readonly connect: PointsProps['connect'];
}) {
  const known = new Set(points.map((p) => p.path.toLowerCase())),
    lost = points.length ? items.filter((x) => !known.has(x.path.toLowerCase())) : [];
  if (!lost.length) return null;
  return (
    <ul aria-label="Connections without a tag">
      {lost.map((x) => (
        <li key={x.path} className="flex items-center gap-2 border-b border-edge py-1 text-bad">
          <span className="flex-1">
            <code className="font-mono text-[12px]">{x.path}</code> is no input or output (any more); it was connected
            to {x.item}.
          </span>
          <Button tight onClick={() => connect([{ path: x.path, item: '' }])}>
            Take it away
          </Button>
        </li>
      ))}
    </ul>
  );
}

function FoundThere({ found, items }: { readonly found: readonly Found[]; readonly items: readonly OutsideItem[] }) {
  const [query, setQuery] = useState('');
  const used = new Map(items.map((x) => [x.item, x.path])),
    hits = found.filter((f) => `${f.name} ${f.item}`.toLowerCase().includes(query.toLowerCase().trim()));
  const cell = 'border-b border-edge px-1.5 py-0.5';
  return (
    <details open>
      <summary className="cursor-pointer py-1 font-semibold">Found there</summary>
      <input
        aria-label="Search what was found"
        placeholder="search"
        value={query}
        onKeyDown={(e) => e.stopPropagation()}
        onChange={(e) => setQuery(e.target.value)}
        className="mb-1 h-7 w-60 rounded-md border border-edge bg-sheet px-2"
      />
      <table aria-label="Found there" className="w-full border-collapse text-left">
        <tbody>
          {hits.slice(0, MOST_LISTED).map((f) => (
            <tr key={f.item}>
              <td className={cell}>{f.name}</td>
              <td className={`${cell} font-mono text-[12px]`}>{f.item}</td>
              <td className={`${cell} text-soft`}>{f.type}</td>
              <td className={`${cell} font-mono text-[12px]`}>{f.value}</td>
              <td className={`${cell} text-soft`}>{f.canWrite ? 'read and write' : f.canRead ? 'read' : ''}</td>
              <td className={`${cell} font-mono text-[12px] text-good`}>{used.get(f.item)}</td>
            </tr>
          ))}
        </tbody>
      </table>
      {hits.length > MOST_LISTED && (
        <p className="text-soft">
          {(hits.length - MOST_LISTED).toLocaleString('en')} more: search for what you look for.
        </p>
      )}
    </details>
  );
}
