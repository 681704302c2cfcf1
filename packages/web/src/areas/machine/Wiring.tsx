/** How every terminal is wired, device by device, with both ends live. */
import { CircleHelp, Trash2 } from 'lucide-react';
import { useEffect, useMemo, useRef, useState } from 'react';
import { type Changes, type Device, capColour, renameDevice } from '@ferrule/core/document';
import {
  type DeviceKind,
  LINE,
  type Loose,
  LOAD,
  PART,
  isBoughtClosed,
  type Parameter,
  type Terminal,
  limitsOf,
  linkEnds,
} from '@ferrule/core/machine';
import { useBench, useLook, useValue } from '../../bench/live.js';
import type { ProblemNote } from '../../bench/protocol.js';
import { grab, useTagDrop } from '../../components/drag.js';
import { askHelp } from '../../components/help-topic.js';
import { useInSight } from '../../components/in-sight.js';
import { keyHandle, useKinds, useMachine } from '../../components/kinds.js';
import { pictureOf } from '../../components/machine/MachineView.js';
import { seatsFor } from '../../components/machine/seating.js';
import { EditInPlace } from '../../components/ui.js';
import { valueText } from '../../components/values.js';
import { useOutsideItems } from '../../components/outside.js';
import { useDocument } from '../../document/store.js';
import { wireChoices } from './wire-choices.js';

const GRID = 'grid grid-cols-[minmax(0,1fr)_160px_96px_80px]';
const NO_PATHS: readonly string[] = [],
  NO_PROBLEMS: readonly ProblemNote[] = [];

export function Wiring({ loose, chosen }: { readonly loose: readonly Loose[]; readonly chosen: string | undefined }) {
  const { devices } = useMachine(),
    kind = useKinds();
  const problems = useBench((s) => s.checked?.problems) ?? NO_PROBLEMS;
  return (
    <section aria-label="Wiring" className="flex min-h-0 flex-col border-l border-edge bg-sheet">
      {devices.length > 0 && <FreeTags devices={devices} />}
      <div role="table" aria-label="Terminals" className="min-h-0 flex-1 overflow-y-auto text-[12.5px]">
        <div role="rowgroup" className="sticky top-0 z-10 bg-sunk text-soft">
          <div role="row" className={`${GRID} py-1.5 font-medium`}>
            <span role="columnheader" className="px-3">
              Terminal
            </span>
            <span role="columnheader">Wired to</span>
            <span role="columnheader">At the device</span>
            <span role="columnheader">At the tag</span>
          </div>
        </div>
        {devices.map((d) => (
          <DeviceRows
            key={d.id}
            device={d}
            loose={loose}
            kind={kind(d.type)}
            isChosen={chosen === d.id}
            problems={problems.filter((p) => p.origin.kind === 'device' && p.origin.id === d.id)}
          />
        ))}
      </div>
    </section>
  );
}

/** Inputs and outputs that no device is wired to: to be dragged onto a terminal. */
function FreeTags({ devices }: { readonly devices: readonly Device[] }) {
  const tags = useDocument((s) => s.project?.tags);
  const free = useMemo(() => {
    const wired = new Set(
      devices.flatMap((d) => Object.values(d.wires ?? {}).map((w) => w.split(/[.[]/)[0]!.toLowerCase())),
    );
    return (tags ?? []).filter(
      (t) => /^%[IQ]/i.test(t.address ?? '') && !t.standsFor && !wired.has(t.name.toLowerCase()),
    );
  }, [tags, devices]);
  if (!free.length) return null;
  return (
    <div
      role="region"
      aria-label="Tags not wired"
      className="flex max-h-24 shrink-0 flex-wrap items-center gap-1 overflow-y-auto border-b border-edge px-3 py-1.5"
    >
      <span className="text-[12px] text-soft">Not wired yet; drag onto a terminal:</span>
      {free.map((t) => (
        <span
          key={t.id}
          onPointerDown={(e) => {
            e.preventDefault();
            grab(e, () => ({ text: t.name, tag: t.name }));
          }}
          title={`${t.address} ${t.type}${t.description ? `: ${t.description}` : ''}`}
          className="cursor-grab touch-none rounded border border-edge px-1.5 font-mono text-[12px] hover:bg-glow"
        >
          {t.name}
        </span>
      ))}
    </div>
  );
}

const named = (seat: string): string => seat.charAt(0).toUpperCase() + seat.slice(1);
/** Where in the picture a device is drawn, and which way round. */
function Stands({ device }: { readonly device: Device }) {
  const { devices, kinds } = useMachine();
  const change = (to: Changes<Device>) => useDocument.getState().edit({ kind: 'changeDevice', id: device.id, to });
  const seats = devices.flatMap((d) => {
    const host = d === device ? undefined : pictureOf(d.type, kinds);
    return host ? seatsFor(host, device.type).map((s) => ({ value: `${d.name}.${named(s)}`, host: d, seat: s })) : [];
  });
  const field = 'h-6 min-w-0 rounded border border-edge bg-sheet px-1';
  return (
    <div className="col-span-2 flex flex-wrap items-center gap-x-3 gap-y-1 pb-1">
      <label className="flex min-w-0 items-center gap-1.5">
        <span className="text-soft">Drawn</span>
        <select
          className={`${field} max-w-52`}
          aria-label={`Where ${device.name} is drawn`}
          value={device.sits ?? ''}
          onChange={(e) => change({ sits: e.target.value || null })}
        >
          <option value="">along the flow, or in what it is linked to</option>
          {device.sits && !seats.some((s) => s.value === device.sits) && (
            <option value={device.sits}>{device.sits}, which is not there</option>
          )}
          {seats.map((s) => (
            <option key={s.value} value={s.value}>
              {s.seat === 'above' || s.seat === 'below'
                ? `${s.seat} ${s.host.label ?? s.host.name}`
                : `in ${s.host.label ?? s.host.name}: ${named(s.seat)}`}
            </option>
          ))}
        </select>
      </label>
      <label className="flex items-center gap-1.5">
        <span className="text-soft">turned</span>
        <select
          className={field}
          aria-label={`How ${device.name} is turned`}
          value={device.turn ?? 0}
          onChange={(e) => change({ turn: Number(e.target.value) === 0 ? null : (Number(e.target.value) as 90) })}
        >
          {[0, 90, 180, 270].map((n) => (
            <option key={n} value={n}>
              {n}°
            </option>
          ))}
        </select>
      </label>
      <label className="flex items-center gap-1.5">
        <input
          type="checkbox"
          className="accent-copper"
          aria-label={`${device.name} is mirrored`}
          checked={device.mirrored ?? false}
          onChange={(e) => change({ mirrored: e.target.checked || null })}
        />
        mirrored
      </label>
    </div>
  );
}

function DeviceRows({
  device,
  kind,
  isChosen,
  problems,
  loose,
}: {
  readonly loose: readonly Loose[];
  readonly device: Device;
  readonly kind: DeviceKind | undefined;
  readonly isChosen: boolean;
  readonly problems: readonly ProblemNote[];
}) {
  const [open, setOpen] = useState(false);
  const group = useRef<HTMLDivElement>(null),
    seen = useInSight(group);
  useEffect(() => {
    if (isChosen) group.current?.scrollIntoView({ block: 'nearest' });
  }, [isChosen]);
  const change = (to: Changes<Device>) => useDocument.getState().edit({ kind: 'changeDevice', id: device.id, to });
  const rename = (name: string) => {
    const { project, edit } = useDocument.getState();
    if (!project || !/^[A-Za-z_]\w*$/.test(name)) {
      useDocument.setState({ refused: `‘${name}’ is not a name: letters, digits and underscores, a letter first.` });
      return;
    }
    if (project.machine.devices.some((d) => d !== device && d.name.toLowerCase() === name.toLowerCase())) {
      useDocument.setState({ refused: `There is a device ‘${name}’ already.` });
      return;
    }
    edit(renameDevice(project, device.id, name));
  };
  const move = (by: -1) => {
    const { project, edit } = useDocument.getState(),
      at = project?.machine.devices.findIndex((d) => d.id === device.id) ?? 0;
    if (at + by >= 0)
      edit({
        kind: 'group',
        label: `Move ${device.name}`,
        edits: [
          { kind: 'removeDevice', id: device.id },
          { kind: 'addDevice', device, at: at + by },
        ],
      });
  };
  const keyed = keyHandle(kind),
    { kinds } = useMachine(),
    hasPicture = pictureOf(device.type, kinds) !== undefined;
  const bind = (text: string) => {
    const key = text.trim().toLowerCase(),
      { project } = useDocument.getState();
    const taken = project?.machine.devices.find((d) => d.id !== device.id && d.key === key);
    if (key && !/^[a-z]$/.test(key))
      useDocument.setState({ refused: `‘${text}’ is no key that can be bound; it is one letter, and works with Alt.` });
    else if (key && taken)
      useDocument.setState({
        refused: `Alt+${key.toUpperCase()} works ${taken.label ?? taken.name} already; take it from there first.`,
      });
    else change({ key: key || null });
  };
  // What is out of sight is neither laid out nor painted, nor does it look at values.
  return (
    <div
      ref={group}
      role="rowgroup"
      className="scroll-mt-8"
      style={{ contentVisibility: 'auto', containIntrinsicSize: `auto ${30 + 25 * (kind?.terminals.length ?? 0)}px` }}
    >
      <div role="row" className={`border-t border-edge px-3 py-1 ${isChosen ? 'bg-glow' : 'bg-sunk/60'}`}>
        <div role="cell" title={kind?.help}>
          <div className="flex items-center gap-2">
            <span className="w-28 font-semibold">
              <EditInPlace value={device.name} label={`Name of the device ${device.name}`} onCommit={rename} />
            </span>
            <span className="text-soft">{device.type}</span>
            <span className="min-w-0 flex-1 text-soft">
              <EditInPlace
                value={device.label ?? ''}
                label={`Label of ${device.name}`}
                placeholder="label"
                onCommit={(label) => change({ label: label || null })}
              />
            </span>
            {['PushButton', 'Lamp', 'Selector', 'ThreeWaySelector', 'PlaceSelector'].includes(device.type) && (
              <select
                aria-label={`Colour of ${device.name}`}
                value={capColour(device)}
                onChange={(e) => change({ colour: e.target.value as 'red' })}
                className="h-6 rounded bg-transparent text-[11.5px] text-soft"
              >
                {['red', 'yellow', 'green', 'blue', 'white', 'black'].map((c) => (
                  <option key={c}>{c}</option>
                ))}
              </select>
            )}
            {kind?.parameters.length || kind?.upsets.length || kind?.handles.length || hasPicture ? (
              <button
                aria-expanded={open}
                aria-label={`${open ? 'less' : 'more'} of ${device.name}`}
                onClick={() => setOpen(!open)}
                className="text-[11.5px] text-soft hover:text-ink"
              >
                {open ? 'less' : 'more'}
              </button>
            ) : null}
            {kind && (
              <button
                aria-label={`What a ${device.type} does`}
                title={kind.help}
                onClick={() => askHelp({ tab: 'devices', page: device.type })}
                className="text-faint hover:text-ink"
              >
                <CircleHelp size={13} />
              </button>
            )}
            <button
              aria-label={`Move ${device.name} up the flow`}
              onClick={() => move(-1)}
              className="text-faint hover:text-ink"
            >
              ↑
            </button>
            <button
              aria-label={`Delete the device ${device.name}`}
              onClick={() => useDocument.getState().edit({ kind: 'removeDevice', id: device.id })}
              className="text-faint hover:text-bad"
            >
              <Trash2 size={13} />
            </button>
          </div>
          {open && kind && (
            <div className="grid grid-cols-2 gap-x-4 pb-1">
              {hasPicture && <Stands device={device} />}
              {kind.parameters.map((p) => (
                <label key={p.name} className="flex items-center gap-1.5" title={`${p.help}${rangeText(p)}`}>
                  <span className="w-20 truncate text-soft">{p.name}</span>
                  <span className="w-20">
                    <EditInPlace
                      mono
                      value={device.parameters?.[p.name] ?? ''}
                      placeholder={p.initial}
                      label={`${p.name} of ${device.name}`}
                      onCommit={(v) => {
                        const { [p.name]: _, ...rest } = device.parameters ?? {};
                        change({
                          parameters: v
                            ? { ...rest, [p.name]: /^-?\d+$/.test(v) && p.type === 'REAL' ? `${v}.0` : v }
                            : rest,
                        });
                      }}
                    />
                  </span>
                  <span className="text-faint">{p.unit}</span>
                </label>
              ))}
              {keyed && (
                <label
                  className="col-span-2 flex items-center gap-1.5"
                  title={`Alt and this key ${keyed.type === 'press' ? 'hold it' : 'turn it over'}, so that two can be worked at once`}
                >
                  <span className="w-20 text-soft">Key: Alt +</span>
                  <span className="w-20">
                    <EditInPlace
                      mono
                      value={device.key?.toUpperCase() ?? ''}
                      placeholder="none"
                      label={`Key of ${device.name}`}
                      onCommit={bind}
                    />
                  </span>
                </label>
              )}
              {kind.upsets.map((u) => (
                <span key={u.name} className="col-span-2 text-[11.5px] text-soft">
                  upset {u.name}: {u.help}
                </span>
              ))}
            </div>
          )}
          {problems.map((p, i) => (
            <p key={i} className={p.severity === 'error' ? 'text-bad' : 'text-ink'}>
              <span aria-hidden>{p.severity === 'error' ? '✕ ' : '△ '}</span>
              {p.message}
            </p>
          ))}
        </div>
      </div>
      {kind?.terminals.map((t) => (
        <TerminalRow
          key={t.name}
          device={device}
          terminal={t}
          loose={loose.find((l) => l.device === device.name && l.terminal === t.name)?.what}
          seen={seen}
        />
      ))}
    </div>
  );
}

/** Limits of a parameter, as words behind what it is for. */
function rangeText(p: Parameter): string {
  const l = limitsOf(p);
  return l ? `; ${l[1] === Infinity ? `at least ${l[0]}` : `${l[0]} to ${l[1]}`}${p.unit ? ` ${p.unit}` : ''}` : '';
}

/** What is read to show a terminal: of a part its number, of a line how many parts are on it. */
const shownAt = (path: string, t: Terminal): string =>
  t.type === PART ? `${path}.Number` : t.type === LINE ? `${path}.Count` : t.type === LOAD ? `${path}.Cart` : path;

function TerminalRow({
  device,
  terminal,
  loose,
  seen,
}: {
  readonly seen: boolean;
  readonly device: Device;
  readonly terminal: Terminal;
  readonly loose: 'unwired' | 'twice' | undefined;
}) {
  const to =
    Object.entries(device.wires ?? {}).find(([k]) => k.toLowerCase() === terminal.name.toLowerCase())?.[1] ?? '';
  const outside = useOutsideItems();
  const isTag =
    useDocument((s) => s.project?.tags.some((t) => t.name.toLowerCase() === to.split(/[.[]/)[0]!.toLowerCase())) ??
    false;
  const here = shownAt(`Machine.${device.name}.${terminal.name}`, terminal);
  const there = isTag ? to : to ? shownAt(`Machine.${to}`, terminal) : '';
  const project = useDocument((s) => s.project);
  const isLink = terminal.direction === 'in' && terminal.mechanical === true;
  const used = useMemo(
    () =>
      terminal.mechanical && terminal.direction === 'out' && project
        ? project.machine.devices.flatMap((d) =>
            Object.entries(d.wires ?? {}).flatMap(([t, w]) =>
              w.toLowerCase() === `${device.name}.${terminal.name}`.toLowerCase() ? [`${d.name}.${t}`] : [],
            ),
          )
        : [],
    [project, device.name, terminal],
  );
  // The ends to choose from are listed once somebody chooses: with many devices there are thousands.
  const [isOpen, setOpen] = useState(false);
  const ends = useMemo(
    () => (isOpen && isLink && project ? linkEnds(project, device.name, terminal.name) : []),
    [isOpen, isLink, project, device.name, terminal.name],
  );
  useLook(seen ? [here, ...(there ? [there] : [])] : NO_PATHS);
  const [a, b] = [useValue(seen ? here : ''), useValue(seen ? there : '')];
  const rewire = (text: string) => {
    const wires = Object.fromEntries(Object.entries({ ...device.wires, [terminal.name]: text }).filter(([, v]) => v));
    useDocument.getState().edit({ kind: 'changeDevice', id: device.id, to: { wires } });
  };
  const drop = useTagDrop<HTMLDivElement>(rewire);
  const isClosed = (terminal.wiring === 'NC') !== isBoughtClosed(device, terminal);
  return (
    <div
      ref={drop}
      role="row"
      data-takes-tags
      className={`${GRID} items-center border-t border-edge/60 ${loose === 'twice' ? 'bg-bad-soft' : ''}`}
    >
      <span
        role="cell"
        className={`py-0.5 pl-6 ${terminal.mechanical ? 'text-soft' : ''}`}
        title={`${terminal.help}${terminal.mechanical ? ' (mechanical)' : ''}`}
      >
        <span className="text-faint" aria-label={terminal.direction === 'out' ? 'gives' : 'takes'}>
          {terminal.direction === 'out' ? '→' : '←'}
        </span>{' '}
        {terminal.name}
        {terminal.type === 'BOOL' &&
          terminal.direction === 'out' &&
          !terminal.mechanical &&
          !/^N[OC]$/.test(terminal.name) && (
            <button
              aria-label={`Contact of ${device.name}.${terminal.name}`}
              aria-pressed={isClosed}
              title={
                isClosed
                  ? 'Closed at rest (NC): the tag is on while it does not speak. Press for one that is open at rest.'
                  : 'Open at rest (NO). Press for one that is closed at rest, so that a broken wire is seen.'
              }
              onClick={() => {
                const others = device.nc?.filter((n) => n.toLowerCase() !== terminal.name.toLowerCase()) ?? [];
                useDocument.getState().edit({
                  kind: 'changeDevice',
                  id: device.id,
                  to: { nc: isBoughtClosed(device, terminal) ? others : [...others, terminal.name] },
                });
              }}
              className={`ml-1.5 rounded px-1 text-[10.5px] ${isClosed ? 'bg-glow font-semibold text-copper-ink' : 'text-faint hover:text-ink'}`}
            >
              {isClosed ? 'NC' : 'NO'}
            </button>
          )}
      </span>
      <span role="cell">
        {isLink ? (
          <select
            aria-label={`Link of ${device.name}.${terminal.name}`}
            value={to}
            onFocus={() => setOpen(true)}
            onPointerDown={() => setOpen(true)}
            onChange={(e) => rewire(e.target.value)}
            className="h-6 w-full rounded-sm border border-transparent bg-transparent px-0.5 font-mono text-[12px] text-soft hover:border-edge"
          >
            <option value="">not linked</option>
            {[...new Set([...ends, ...(to ? [to] : [])])].map((e) => (
              <option key={e}>{e}</option>
            ))}
          </select>
        ) : terminal.mechanical && !to ? (
          <span className="px-1 font-mono text-[12px] text-faint">{used.join(', ') || 'nothing'}</span>
        ) : (
          <EditInPlace
            mono
            value={to}
            label={`Wire of ${device.name}.${terminal.name}`}
            choices={wireChoices(project, terminal)}
            placeholder={loose === 'unwired' ? 'not wired yet' : 'not wired'}
            onCommit={rewire}
          />
        )}
        {terminal.direction === 'out' && outside.has(to.toLowerCase()) && (
          <span className="px-1 text-[11px] text-copper-ink">
            another program gives it: {outside.get(to.toLowerCase())}
          </span>
        )}
        {loose === 'twice' && <span className="px-1 text-[11px] text-bad">another terminal drives this too</span>}
      </span>
      <span role="cell" className={`truncate font-mono ${a === true ? 'font-semibold text-copper-ink' : ''}`}>
        {valueText(a)}
      </span>
      <span role="cell" className={`truncate font-mono ${b === true ? 'font-semibold text-copper-ink' : ''}`}>
        {valueText(b)}
      </span>
    </div>
  );
}
