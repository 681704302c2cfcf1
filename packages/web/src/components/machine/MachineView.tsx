/** The machine, assembled from its devices in the order of the flow: nobody draws it. */
import { memo, useLayoutEffect, useMemo, useRef, useState } from 'react';
import type React from 'react';
import { useShallow } from 'zustand/react/shallow';
import { useStore } from 'zustand';
import type { Device, OwnKind } from '@ferrule/core/document';
import {
  type Floor,
  type FloorPlace,
  type FloorSpot,
  floorLinks,
  layOutFloor,
  placeDevice,
  spotAt,
} from '@ferrule/core/machine';
import { useLive, useLook } from '../../bench/live.js';
import { useDocument } from '../../document/store.js';
import { useInSight } from '../in-sight.js';
import type { Picture } from './drawing.js';
import { ownPicture } from './own-picture.js';
import { PICTURES } from './pictures.js';
import { type Chute, chutesOf } from './chutes.js';
import { Numbers } from './part-pictures.js';
import { type Seated, linksBetween, roomOf, seating } from './seating.js';

interface Props {
  readonly devices: readonly Device[];
  /** Told when a device is clicked on. */ readonly onChoose?: (id: string) => void;
  readonly chosen?: string | undefined;
  /** Devices can be dragged to other places of the flow. */ readonly canMove?: boolean;
  /** Links between devices are shown: while they are wired. */ readonly showsLinks?: boolean;
  /** It takes all the height there is, and is as large as it can be in it. */ readonly fills?: boolean;
}

export const pictureOf = (type: string, kinds: readonly OwnKind[] | undefined): Picture | undefined => {
  const own = PICTURES[type] ? undefined : kinds?.find((k) => k.type.toLowerCase() === type.toLowerCase());
  return PICTURES[type] ?? (own && ownPicture(own));
};

export function MachineView({ devices, onChoose, chosen, canMove = false, showsLinks = false, fills = false }: Props) {
  const kinds = useDocument((s) => s.project?.machine.kinds);
  const stations = devices.filter((d) => pictureOf(d.type, kinds));
  if (!stations.length) return null;
  return (
    <section
      aria-label="Machine view"
      className={`rounded-xl border border-edge bg-sheet p-2 ${fills ? 'flex min-h-24 flex-1' : 'shrink-0'}`}
    >
      <Stations
        devices={stations}
        kinds={kinds}
        label="The machine"
        chosen={chosen}
        canMove={canMove}
        showsLinks={showsLinks}
        fills={fills}
        {...(onChoose ? { onChoose } : {})}
      />
    </section>
  );
}

/** One device, drawn anew only when something it shows has changed. */
const Drawn = memo(function Drawn({
  name,
  picture,
  label,
  seen = true,
  taken,
}: {
  readonly name: string;
  readonly picture: Picture;
  readonly label: string;
  readonly seen?: boolean;
  /** Seats in which others sit. */ readonly taken?: ReadonlySet<string>;
}) {
  const { reads, draw } = picture;
  const paths = useMemo(() => reads.map((v) => `Machine.${name}.${v}`), [reads, name]),
    at = useMemo(() => new Map(reads.map((v, i) => [v, i])), [reads]);
  useLook(seen ? paths : NO_PATHS);
  const live = useLive();
  const numbers = useMemo(() => numbersAt(paths), [paths]);
  // Out of sight it stays as it was last seen.
  const values = useStore(live.store, (s) => numbers(seen ? s.frame?.values : undefined));
  return draw((v) => values[at.get(v) ?? -1] ?? 0, label, taken);
});

const NO_PATHS: readonly string[] = [];

/** Reads the values at these paths as numbers: the same list while none has changed, and while there is nothing to read. */
function numbersAt(
  paths: readonly string[],
): (values: Readonly<Record<string, number | boolean | string>> | undefined) => readonly number[] {
  let last = paths.map(() => 0);
  return (values) => {
    if (!values) return last;
    const read = (i: number) => Number(values[paths[i]!] ?? 0),
      changed = last.findIndex((before, i) => !Object.is(read(i), before));
    if (changed >= 0) last = last.map((before, i) => (i < changed ? before : read(i)));
    return last;
  };
}
const HEIGHT = 150,
  TOP = -80,
  FAR_PX = 6,
  SCALES = [1.9, 1.7, 1.5, 1.35, 1.2, 1.1, 1, 0.9, 0.8, 0.7, 0.62, 0.55, 0.48, 0.42, 0.37],
  /* of the window */ MOST_HIGH = 0.4,
  WORTH = 0.6,
  /** Scale from which the small numbers of parts can be read. */ READABLE = 0.7;

/** Where what is being dragged would go. */
interface Drop {
  readonly target: string;
  readonly spot: FloorSpot;
}

/**
 * Stations in the order of the flow, in as many rows as they need, with the links between them; each is a picture of
 * its own, so that what stands still is not painted. With `onMove` they can be dragged: beside another, or onto one.
 */
export function Stations({
  devices,
  kinds,
  label,
  onChoose,
  chosen,
  canMove = false,
  showsLinks = false,
  fills = false,
}: Props & { readonly kinds: readonly OwnKind[] | undefined; readonly label: string }) {
  const box = useRef<HTMLDivElement>(null),
    inner = useRef<HTMLDivElement>(null),
    [fit, setFit] = useState({ width: 620, height: 300 });
  useLayoutEffect(() => {
    const watch = new ResizeObserver(() => {
      const { clientWidth, clientHeight } = box.current!;
      setFit({ width: Math.max(200, clientWidth - 2), height: Math.max(100, clientHeight - 2) });
    });
    watch.observe(box.current!);
    return () => watch.disconnect();
  }, []);
  const seats = useMemo(() => seating(devices, kinds, pictureOf), [devices, kinds]);
  const { stations, inside } = seats;
  const { floor, scale } = useMemo(() => {
    const items = stations.map((d) => {
        const room = roomOf(d, pictureOf(d.type, kinds)!, inside.get(d.id) ?? []);
        return { id: d.id, ...room, width: room.width + 8 };
      }),
      links = linksBetween(seats, floorLinks({ devices, ...(kinds ? { kinds } : {}) }));
    const at = (scale: number) => ({
      scale,
      floor: layOutFloor(items, links, {
        fit: fit.width / scale,
        row: HEIGHT,
        flow: -TOP + 8,
        hasWays: showsLinks,
      }),
    });
    const most = fills ? fit.height : window.innerHeight * MOST_HIGH,
      isWhole = (x: ReturnType<typeof at>) => x.floor.width * x.scale <= fit.width && x.floor.height * x.scale <= most;
    // As large as it can be and be seen as a whole; a flow that stays in one row is worth some of its size.
    const whole = SCALES.map(at).filter(isWhole),
      rowsOf = (x: ReturnType<typeof at>) => Math.max(0, ...x.floor.places.map((p) => p.row)),
      fewest = Math.min(...whole.map(rowsOf)),
      flowing = whole.find((x) => rowsOf(x) === fewest);
    return flowing && flowing.scale >= whole[0]!.scale * WORTH ? flowing : (whole[0] ?? at(SCALES.at(-1)!));
  }, [devices, kinds, seats, fit, showsLinks, fills]);
  const places = useMemo(() => new Map(floor.places.map((p) => [p.id, p])), [floor]);
  const chutes = useMemo(
      () => chutesOf(devices, seats, floor, -TOP, (d) => pictureOf(d.type, kinds)),
      [devices, seats, floor, kinds],
    ),
    ways = useMemo(() => {
      const of = new Map<string, string[]>();
      for (const c of chutes) of.set(c.device, [...(of.get(c.device) ?? []), c.terminal]);
      return of;
    }, [chutes]);
  const [drag, setDrag] = useState<{
    readonly id: string;
    readonly x: number;
    readonly y: number;
    readonly drop: Drop | undefined;
  }>();
  /** The place under a point, and what letting go there would do. */
  const dropAt = (id: string, x: number, y: number): Drop | undefined => {
    const r = inner.current!.getBoundingClientRect(),
      [px, py] = [(x - r.left) / scale, (y - r.top) / scale];
    const p = floor.places.find(
        (q) => q.id !== id && px >= q.x && px < q.x + q.width && py >= q.y && py < q.y + HEIGHT,
      ),
      project = useDocument.getState().project;
    if (!p || !project) return undefined;
    const along = (px - p.x) / p.width,
      spot = spotAt(along, (py - p.y) / HEIGHT);
    // What has nothing to do with the device under it goes beside it.
    return spot !== 'onto' || placeDevice(project, id, p.id, 'onto')
      ? { target: p.id, spot }
      : { target: p.id, spot: along < 0.5 ? 'before' : 'behind' };
  };
  const grab = (e: React.PointerEvent, id: string) => {
    if (!canMove || e.button !== 0) return;
    const start = [e.clientX, e.clientY] as const;
    let last: Drop | undefined,
      on = false;
    const swallow = (c: Event) => c.stopPropagation();
    const move = (m: PointerEvent) => {
      if (!on && Math.hypot(m.clientX - start[0], m.clientY - start[1]) < FAR_PX) return;
      on = true;
      m.preventDefault();
      last = dropAt(id, m.clientX, m.clientY);
      setDrag({ id, x: m.clientX, y: m.clientY, drop: last });
    };
    const end = () => {
      for (const [k, f] of [
        ['pointermove', move],
        ['pointerup', up],
        ['pointercancel', end],
      ] as const)
        window.removeEventListener(k, f as EventListener);
      window.removeEventListener('keydown', key, true);
      setDrag(undefined);
    };
    const up = () => {
      const { project, edit } = useDocument.getState(),
        made = on && last && project ? placeDevice(project, id, last.target, last.spot) : undefined;
      end();
      if (made) edit(made);
      // The click that ends a drag chooses nothing.
      if (on) {
        window.addEventListener('click', swallow, true);
        setTimeout(() => window.removeEventListener('click', swallow, true));
      }
    };
    const key = (k: KeyboardEvent) => {
      if (k.key === 'Escape') {
        k.stopPropagation();
        end();
      }
    };
    window.addEventListener('pointermove', move);
    window.addEventListener('pointerup', up);
    window.addEventListener('pointercancel', end);
    window.addEventListener('keydown', key, true);
  };
  const drop = drag?.drop,
    at = drop && places.get(drop.target),
    moved = drag && devices.find((d) => d.id === drag.id),
    onto = drop && devices.find((d) => d.id === drop.target);
  return (
    <>
      <div
        ref={box}
        role="img"
        aria-label={label}
        className={`w-full overflow-x-hidden overflow-y-auto select-none ${fills ? 'flex min-h-0 flex-1' : 'max-h-[46vh]'}`}
      >
        <div
          ref={inner}
          className={`relative ${fills ? 'm-auto shrink-0' : 'mx-auto'}`}
          style={{ height: floor.height * scale, width: floor.width * scale }}
        >
          <Chutes chutes={chutes} floor={floor} scale={scale} />
          <Numbers value={scale >= READABLE}>
            {stations.map((d) => (
              <Station
                key={d.id}
                device={d}
                inside={inside.get(d.id) ?? NONE}
                kinds={kinds}
                scale={scale}
                place={places.get(d.id)!}
                ways={ways.get(d.name) ?? NO_WAYS}
                isChosen={chosen === d.id}
                isDragged={drag?.id === d.id}
                onGrab={grab}
                {...(onChoose ? { onChoose } : {})}
              />
            ))}
          </Numbers>
          {showsLinks && <Ways floor={floor} scale={scale} />}
          {at && (
            <span
              aria-hidden
              className={`pointer-events-none absolute rounded-md ${drop.spot === 'onto' ? 'border-2 border-copper bg-glow/40' : 'bg-copper'}`}
              style={markOf(drop.spot, at, scale)}
            />
          )}
        </div>
      </div>
      {drag && moved && (
        <span
          role="status"
          className="pointer-events-none fixed z-50 rounded-md border border-copper bg-sheet px-2 py-0.5 text-[12px] shadow-lg"
          style={{ left: drag.x + 12, top: drag.y + 12 }}
        >
          {moved.label ?? moved.name}
          {onto ? ` ${drop.spot} ${onto.label ?? onto.name}` : ''}
        </span>
      )}
    </>
  );
}

/** Lines over the whole floor, between the pictures of the stations. */
function Lines({
  floor,
  scale,
  of,
  className = '',
  ...more
}: { readonly floor: Floor; readonly scale: number; readonly of: 'links' | 'chutes' } & React.SVGProps<SVGSVGElement>) {
  return (
    <svg
      data-lines={of}
      aria-hidden
      className={`pointer-events-none absolute top-0 left-0 ${className}`}
      width={floor.width * scale}
      height={floor.height * scale}
      viewBox={`0 0 ${floor.width} ${floor.height}`}
      {...more}
    />
  );
}

/** The links between stations: what goes on from one to the next, and with broken lines what acts on another. */
const Ways = memo(function Ways({ floor, scale }: { readonly floor: Floor; readonly scale: number }) {
  if (!floor.ways.length) return null;
  const head = (x: number, y: number, dx: number, dy: number) => (
    <path
      d={
        dx
          ? `M${x - 4 * dx} ${y - 3.5}L${x} ${y}L${x - 4 * dx} ${y + 3.5}`
          : `M${x - 3.5} ${y - 4 * dy}L${x} ${y}L${x + 3.5} ${y - 4 * dy}`
      }
    />
  );
  return (
    <Lines
      floor={floor}
      scale={scale}
      of="links"
      className="fill-none stroke-faint"
      strokeWidth={1.5}
      strokeLinejoin="round"
    >
      {floor.ways.map((w) => {
        const [x, y] = w.points.at(-1)!,
          [, before] = w.points.at(-2)!;
        return (
          <g key={`${w.from} ${w.to}`}>
            {!w.beside && (
              <path d={`M${w.points.map((p) => p.join(' ')).join('L')}`} strokeDasharray={w.acts ? '3 3' : undefined} />
            )}
            {head(x, y, w.beside ? 1 : 0, w.beside ? 0 : Math.sign(y - before))}
          </g>
        );
      })}
    </Lines>
  );
});

/** Where it is marked that something would go. */
function markOf(spot: FloorSpot, at: FloorPlace, scale: number): React.CSSProperties {
  if (spot === 'onto')
    return { left: at.x * scale, top: at.y * scale, width: at.width * scale, height: HEIGHT * scale };
  if (spot === 'above' || spot === 'below')
    return {
      left: at.x * scale + 8,
      top: (spot === 'above' ? at.y : at.y + HEIGHT) * scale - 2,
      width: at.width * scale - 16,
      height: 4,
    };
  return {
    left: (spot === 'before' ? at.x : at.x + at.width) * scale - 2,
    top: at.y * scale + 8,
    width: 4,
    height: HEIGHT * scale - 16,
  };
}

const NONE: readonly Seated[] = [];
const NO_WAYS: readonly string[] = [];

/** Where parts slide from a sorter to what takes them; the way that is open now in the colour of what goes on. */
const Chutes = memo(function Chutes({
  chutes,
  floor,
  scale,
}: {
  readonly chutes: readonly Chute[];
  readonly floor: Floor;
  readonly scale: number;
}) {
  const paths = useMemo(() => chutes.map((c) => `Machine.${c.device}.${c.open}`), [chutes]);
  useLook(paths);
  const live = useLive(),
    isOpen = useStore(
      live.store,
      useShallow((s) => paths.map((p) => s.frame?.values[p] === true)),
    );
  if (!chutes.length) return null;
  return (
    <Lines floor={floor} scale={scale} of="chutes" strokeWidth={4} strokeLinecap="round">
      {chutes.map(
        (c, i) =>
          c.to && (
            <line
              key={`${c.device} ${c.terminal}`}
              x1={c.from[0]}
              y1={c.from[1]}
              x2={c.to[0]}
              y2={c.to[1]}
              className={isOpen[i] ? 'stroke-copper' : 'stroke-edge'}
            />
          ),
      )}
    </Lines>
  );
});

/** How a picture is turned and mirrored; its words stay upright. */
function turned(d: Device): { readonly transform?: string; readonly className?: string } {
  if (!d.turn && !d.mirrored) return {};
  return {
    transform: `${d.turn ? `rotate(${d.turn})` : ''}${d.mirrored ? ' scale(-1,1)' : ''}`.trim(),
    className: `[&_text]:[transform-box:fill-box] [&_text]:origin-center ${d.mirrored ? '[&_text]:-scale-x-100' : ''} ${
      d.turn === 90
        ? '[&_text]:-rotate-90'
        : d.turn === 180
          ? '[&_text]:rotate-180'
          : d.turn === 270
            ? '[&_text]:rotate-90'
            : ''
    }`,
  };
}

interface StationProps {
  readonly device: Device;
  readonly inside: readonly Seated[];
  readonly kinds: readonly OwnKind[] | undefined;
  readonly scale: number;
  readonly place: FloorPlace;
  /** Ways out that lead somewhere. */ readonly ways: readonly string[];
  readonly isChosen: boolean;
  readonly isDragged: boolean;
  readonly onGrab: (e: React.PointerEvent, id: string) => void;
  readonly onChoose?: (id: string) => void;
}
/** One place of the flow: the device, and what sits in it. */
function Station({
  device: d,
  inside,
  kinds,
  scale,
  place: at,
  ways,
  isChosen,
  isDragged,
  onGrab,
  onChoose,
}: StationProps) {
  const place = useRef<SVGSVGElement>(null),
    seen = useInSight(place),
    w = at.width,
    picture = pictureOf(d.type, kinds)!,
    { up, down } = roomOf(d, picture, inside);
  return (
    <svg
      ref={place}
      data-device={d.name}
      viewBox={`${-w / 2} ${TOP - up} ${w} ${HEIGHT + up + down}`}
      style={{
        position: 'absolute',
        left: at.x * scale,
        top: (at.y - up) * scale,
        width: w * scale,
        height: (HEIGHT + up + down) * scale,
        contain: 'strict',
        contentVisibility: 'auto',
      }}
      onPointerDown={(e) => onGrab(e, d.id)}
      onClick={() => onChoose?.(d.id)}
      className={`rounded-md ${onChoose ? 'cursor-pointer hover:bg-sunk' : ''} ${isChosen ? 'bg-glow/60' : ''} ${isDragged ? 'opacity-40' : ''}`}
    >
      <Whole
        device={d}
        picture={picture}
        inside={inside}
        ways={ways}
        seen={seen}
        onGrab={onGrab}
        {...(onChoose ? { onChoose } : {})}
      />
    </svg>
  );
}

/** A device with what sits in it: some behind what it draws itself, some before. */
function Whole({
  device: d,
  picture,
  inside,
  ways = NO_WAYS,
  seen,
  onGrab,
  onChoose,
}: {
  readonly device: Device;
  readonly picture: Picture;
  readonly inside: readonly Seated[];
  readonly ways?: readonly string[];
  readonly seen: boolean;
  readonly onGrab: (e: React.PointerEvent, id: string) => void;
  readonly onChoose?: (id: string) => void;
}) {
  const taken = useMemo(() => new Set([...inside.map((s) => s.seat), ...ways]), [inside, ways]);
  const seat = (s: Seated) => (
    <g
      key={s.device.id}
      data-device={s.device.name}
      transform={`translate(${s.x},${s.y})`}
      onPointerDown={(e) => {
        e.stopPropagation();
        onGrab(e, s.device.id);
      }}
      onClick={(e) => {
        e.stopPropagation();
        onChoose?.(s.device.id);
      }}
    >
      <title>{s.device.label ?? s.device.name}</title>
      <rect x={s.hit[0]} y={s.hit[1]} width={s.hit[2]} height={s.hit[3]} fill="transparent" />
      <Whole
        device={s.device}
        picture={s.picture}
        inside={s.inner}
        seen={seen}
        onGrab={onGrab}
        {...(onChoose ? { onChoose } : {})}
      />
    </g>
  );
  return (
    <>
      {inside.filter((s) => s.behind).map(seat)}
      <g {...turned(d)}>
        <Drawn name={d.name} picture={picture} label={d.label ?? d.name} seen={seen} taken={taken} />
      </g>
      {inside.filter((s) => !s.behind).map(seat)}
    </>
  );
}
