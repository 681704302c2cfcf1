/**
 * What is open to other programs: each protocol's switch and address, who is there, and every point with how far it can
 * be trusted.
 */
import { useState } from 'react';
import { type FeedState, type LinkShown, type OpenShown, qualityOf } from '@ferrule/core/bench';
import { csvLine } from '@ferrule/core/files';
import { saveAs } from './save-as.js';
import { Button, EditInPlace } from './ui.js';
import { durationText } from './values.js';
import { useDocument } from '../document/store.js';

export type LinkState = LinkShown;
/** What a server tells of its bench, or a controller of itself. */
export type OpenState = OpenShown & { readonly outside: LinkState };
export type Certificate = LinkState['certificates'][number];

const QUALITY: Readonly<Record<FeedState, string>> = {
  run: 'Values are good: the scan runs.',
  paused: 'Values are uncertain: the scan is paused.',
  stop: 'Values are bad: the controller is in stop; they are as it left them.',
  fault: 'Values are bad: the logic has faulted; they are as it left them.',
  gone: 'There are no values: the controller has no program.',
};
const count = (n: number): string => n.toLocaleString('en');

/** Switches both protocols, and shows who is there and every point. */
export function OpenProtocols(props: {
  readonly of: OpenState;
  readonly words?: Partial<Record<FeedState, string>>;
  /** Said where there are no points. */ readonly empty: string;
  readonly projectId: string | undefined;
  readonly set: (protocol: 'modbus' | 'opcua', change: Readonly<Record<string, unknown>>) => void;
  readonly trust: (thumbprint: string, isTrusted: boolean) => void;
}) {
  const { of, set } = props,
    { state, modbus, opcua } = of,
    quality = qualityOf(state);
  return (
    <div className="flex flex-col gap-4 p-3">
      <p className={`font-semibold ${COLOUR[quality]}`}>{props.words?.[state] ?? QUALITY[state]}</p>
      <OpcUa of={opcua} set={(change) => set('opcua', change)} trust={props.trust} />
      <Modbus of={modbus} set={(change) => set('modbus', change)} />
      <Points of={of} projectId={props.projectId} empty={props.empty} />
    </div>
  );
}
export const COLOUR = { good: 'text-good', uncertain: 'text-copper-ink', bad: 'text-bad' } as const;

/** One protocol: its switch, and where to connect. */
function Switch(props: {
  readonly label: string;
  readonly isOn: boolean;
  readonly address?: string | undefined;
  readonly onChange: (isOn: boolean) => void;
}) {
  return (
    <>
      <label className="flex items-center gap-2 font-semibold">
        <input
          type="checkbox"
          role="switch"
          className="accent-copper"
          checked={props.isOn}
          onChange={(e) => props.onChange(e.target.checked)}
        />
        {props.label}
      </label>
      {props.address !== undefined && (
        <code className="rounded bg-sunk px-1.5 py-0.5 font-mono text-[12px]">{props.address}</code>
      )}
    </>
  );
}
function Failed({ error }: { readonly error: string | undefined }) {
  if (error === undefined) return null;
  return (
    <p role="alert" className="rounded-md bg-bad-soft px-2 py-1 text-bad">
      {error}
    </p>
  );
}

function OpcUa(props: {
  readonly of: OpenState['opcua'];
  readonly set: (change: Readonly<Record<string, unknown>>) => void;
  readonly trust: (thumbprint: string, isTrusted: boolean) => void;
}) {
  const { of, set } = props;
  const { isOn, plain, anonymous } = of;
  return (
    <section aria-label="OPC UA" className="flex flex-col gap-2">
      <div className="flex flex-wrap items-center gap-3">
        <Switch
          label="OPC UA is open to other programs"
          isOn={isOn}
          address={of.state === 'on' ? of.address : undefined}
          onChange={(to) => set({ isOn: to })}
        />
        {of.state === 'starting' && <span className="text-soft">opening …</span>}
      </div>
      <Failed error={of.error} />
      <div className="flex flex-wrap items-center gap-x-4 gap-y-1">
        <label className="flex items-center gap-1.5">
          <input
            type="checkbox"
            className="accent-copper"
            checked={plain}
            onChange={(e) => set({ isOn, plain: e.target.checked })}
          />
          plain messages too
        </label>
        <label className="flex items-center gap-1.5">
          <input
            type="checkbox"
            className="accent-copper"
            checked={anonymous}
            onChange={(e) => set({ isOn, anonymous: e.target.checked })}
          />
          without a name
        </label>
        <WhoByName key={of.user ?? ''} of={of} set={set} />
      </div>
      <p className="text-soft">
        Signed and encrypted is always offered; it takes a certificate that you trust here. A change of these rules ends
        the connections. Points are below Objects, Tags (namespace urn:ferrule:points).
      </p>
      {of.clients.length > 0 ? (
        <ul aria-label="Connected over OPC UA">
          {of.clients.map((c) => (
            <li key={c.address} className="flex flex-wrap justify-between gap-x-3 border-t border-edge py-1">
              <span>
                <b className="font-semibold">{c.name}</b>{' '}
                <span className="font-mono text-[12px] text-soft">{c.address}</span>
              </span>
              <span className="text-soft">
                {c.user === 'anonymous' ? 'without a name' : `as ${c.user}`},{' '}
                {c.security === 'plain' ? 'plain' : c.security === 'signed' ? 'signed' : 'signed and encrypted'} · for{' '}
                {durationText(c.forMs)} · {count(c.subscribed)} subscribed · {count(c.reads)} read · {count(c.writes)}{' '}
                written · {count(c.refused)} refused
              </span>
            </li>
          ))}
        </ul>
      ) : (
        of.state === 'on' && <p>Nobody is connected.</p>
      )}
      <Certificates of={of.certificates} trust={props.trust} />
    </section>
  );
}

/** Certificates that others have shown, to be trusted by hand. */
export function Certificates(props: {
  readonly of: readonly Certificate[];
  readonly trust: (thumbprint: string, isTrusted: boolean) => void;
}) {
  if (!props.of.length) return null;
  return (
    <ul aria-label="Certificates">
      <li className="pt-1 font-semibold">Certificates that were shown</li>
      {props.of.map((c) => (
        <li key={c.thumbprint} className="flex flex-wrap items-center gap-x-3 border-t border-edge py-1">
          <span className="flex-1">
            <b className="font-semibold">{c.subject}</b>{' '}
            <span className="font-mono text-[12px] text-soft" title={c.thumbprint}>
              {c.thumbprint.slice(0, 16)}…
            </span>{' '}
            <span className="text-soft">valid to {c.validTo}</span>
          </span>
          <span className={c.isTrusted ? 'text-good' : 'text-bad'}>{c.isTrusted ? 'trusted' : 'not trusted'}</span>
          <Button
            tight
            aria-label={`${c.isTrusted ? 'Trust no more' : 'Trust'} ${c.subject}`}
            onClick={() => props.trust(c.thumbprint, !c.isTrusted)}
          >
            {c.isTrusted ? 'Trust no more' : 'Trust'}
          </Button>
        </li>
      ))}
    </ul>
  );
}

/** The one name that may join, and its password; kept hashed at the controller. */
function WhoByName({
  of,
  set,
}: {
  readonly of: OpenState['opcua'];
  readonly set: (change: Readonly<Record<string, unknown>>) => void;
}) {
  const [name, setName] = useState(of.user ?? ''),
    [password, setPassword] = useState('');
  const field = 'h-8 w-32 rounded-md border border-edge bg-sheet px-2';
  const { isOn } = of;
  return (
    <form
      className="flex flex-wrap items-center gap-2"
      onSubmit={(e) => {
        e.preventDefault();
        set({ isOn, user: { name, ...(password ? { password } : {}) } });
        setPassword('');
      }}
    >
      <label className="flex items-center gap-1.5">
        as
        <input
          aria-label="User name for OPC UA"
          placeholder="name"
          className={field}
          value={name}
          maxLength={60}
          autoComplete="off"
          onChange={(e) => setName(e.target.value)}
        />
      </label>
      <input
        aria-label="Password for OPC UA"
        type="password"
        className={field}
        value={password}
        maxLength={200}
        autoComplete="new-password"
        placeholder={of.user === undefined ? 'password' : 'unchanged'}
        onChange={(e) => setPassword(e.target.value)}
      />
      <Button tight type="submit" disabled={!name.trim() || (name === of.user && !password)}>
        {of.user === undefined ? 'Add' : 'Change'}
      </Button>
      {of.user !== undefined && (
        <Button tight onClick={() => set({ isOn, user: null })}>
          Remove
        </Button>
      )}
    </form>
  );
}

function Modbus(props: {
  readonly of: OpenState['modbus'];
  readonly set: (change: { isOn: boolean; words: string }) => void;
}) {
  const { of: m, set } = props;
  return (
    <section aria-label="Modbus TCP" className="flex flex-col gap-2">
      <div className="flex flex-wrap items-center gap-3">
        <Switch
          label="Modbus TCP is open to other programs"
          isOn={m.isOn}
          address={m.isOn && !m.error ? `127.0.0.1:${m.port}` : undefined}
          onChange={(isOn) => set({ isOn, words: m.words })}
        />
        <span className="flex-1" />
        <select
          aria-label="Word order"
          value={m.words}
          onChange={(e) => set({ isOn: m.isOn, words: e.target.value })}
          className="h-8 rounded-md border border-edge bg-sheet px-1"
        >
          <option value="high first">high word first</option>
          <option value="low first">low word first</option>
        </select>
      </div>
      <Failed error={m.error} />
      <p className="text-soft">
        Any unit number; within a register the high byte comes first; numbers count from 0. Only programs on this
        machine reach it. Discrete input 65535 is on while values are good.
      </p>
      {m.clients.length > 0 ? (
        <ul aria-label="Connected over Modbus">
          {m.clients.map((c) => (
            <li key={c.address} className="flex justify-between border-t border-edge py-1">
              <span className="font-mono text-[12px]">{c.address}</span>
              <span className="text-soft">
                for {durationText(c.forMs)} · {count(c.requests)} requests · {count(c.writes)} values written ·{' '}
                {count(c.refused)} refused
              </span>
            </li>
          ))}
        </ul>
      ) : (
        m.isOn && !m.error && <p>Nobody is connected.</p>
      )}
    </section>
  );
}

/** Columns of the mapping's rows. */
const TABLE = 2,
  UNIT = 7;

function Points({
  of,
  projectId,
  empty,
}: {
  readonly of: OpenState;
  readonly projectId: string | undefined;
  readonly empty: string;
}) {
  const { points, modbus } = of,
    [, ...rows] = modbus.rows,
    mapped = new Map(rows.map((r) => [r[0]!, r]));
  const cell = 'border-b border-edge px-1.5 py-1';
  return (
    <section aria-label="Points">
      <div className="flex items-center gap-2 pb-1">
        <h3 className="flex-1 font-semibold">
          {count(of.pointCount)} point{of.pointCount === 1 ? '' : 's'}
          {of.pointCount > points.length && `, the first ${count(points.length)} listed`}
        </h3>
        <a className="underline" href={`/api/projects/${projectId}/report#modbus`} target="_blank" rel="noreferrer">
          Print the Modbus mapping
        </a>
        <Button
          tight
          disabled={!rows.length}
          onClick={() => saveAs('modbus.csv', modbus.rows.map(csvLine).join(''), 'text/csv')}
        >
          Save it as CSV
        </Button>
      </div>
      {!points.length && <p className="text-soft">{empty}</p>}
      {[...of.cut, ...modbus.left].map((words) => (
        <p key={words} role="note" className="text-bad">
          {words}
        </p>
      ))}
      {points.length > 0 && (
        <div tabIndex={0} className="overflow-x-auto">
          <table className="w-full border-collapse text-left">
            <thead>
              <tr className="text-soft">
                {['Point', 'Value', 'Quality', 'Access', 'Type', 'Modbus table', 'Number', 'Unit'].map((h) => (
                  <th key={h} scope="col" className={`${cell} font-normal`}>
                    {h}
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {points.map((p) => {
                const row = mapped.get(p.path);
                return (
                  <tr key={p.path}>
                    <td className={`${cell} font-mono text-[12px]`}>{p.path}</td>
                    <td className={`${cell} max-w-40 truncate font-mono text-[12px]`} title={p.value}>
                      {p.value}
                    </td>
                    <td className={`${cell} ${COLOUR[p.quality]}`}>{p.quality}</td>
                    <td className={cell}>{p.access === 'write' ? 'read and write' : 'read'}</td>
                    <td className={cell}>{p.type}</td>
                    <td className={cell}>{row?.[TABLE] ?? <span className="text-soft">not over Modbus</span>}</td>
                    <td className={`${cell} font-mono text-[12px]`}>{row && <OwnNumber row={row} />}</td>
                    <td className={cell}>{p.unit ?? row?.[UNIT]}</td>
                  </tr>
                );
              })}
            </tbody>
          </table>
        </div>
      )}
    </section>
  );
}

const SHORT: Readonly<Record<string, string>> = {
  'discrete input': 'discrete',
  coil: 'coil',
  'input register': 'input',
  'holding register': 'holding',
};

/** The number, and the way to another one: it is the open project's tag that states it, for the next download. */
function OwnNumber({ row }: { readonly row: readonly string[] }) {
  const tag = useDocument((s) => s.project?.tags.find((t) => t.name === row[0])),
    edit = useDocument((s) => s.edit);
  const now = `${SHORT[row[2]!] ?? ''} ${row[3]}`;
  if (!tag?.access) return row[3];
  const isOther = tag.modbus !== undefined && tag.modbus.toLowerCase() !== now;
  return (
    <span className="flex items-center gap-1">
      <span className="w-16">
        <EditInPlace
          label={`Modbus number of ${tag.name}`}
          value={/\d+$/.exec(tag.modbus ?? '')?.[0] ?? row[3]!}
          onCommit={(n) => {
            // Left empty, it is numbered by itself again.
            if (n !== '' && !(/^\d+$/.test(n) && Number(n) <= 65_535))
              return `‘${n}’ is no Modbus number: write 0 to 65535, or nothing for one of its own.`;
            edit({ kind: 'changeTag', id: tag.id, to: { modbus: n ? `${SHORT[row[2]!]} ${Number(n)}` : null } });
          }}
        />
      </span>
      {isOther && <span className="text-[11px] text-copper-ink">with the next download</span>}
    </span>
  );
}
