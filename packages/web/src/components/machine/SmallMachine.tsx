/** A machine in small, standing still: its devices in the order of the flow, without words. */
import { memo, useMemo } from 'react';
import { type Floor, floorLinks, layOutFloor } from '@ferrule/core/machine';
import type { Project } from '@ferrule/core/document';
import type { Picture } from './drawing.js';
import { pictureOf } from './MachineView.js';
import { type Seated, linksBetween, roomOf, seating } from './seating.js';

/** What one device takes, in the units of its picture. */
const ROW = 150,
  TOP = -80,
  /** Widths that a row may have; the one is taken that draws the machine largest. */ FITS = [300, 420, 560, 720, 900],
  /** Width to height of what it is drawn in, about. */ SHAPE = 2.3;
const AT_REST = (): number => 0;
const heightOf = (f: Floor): number => Math.max(ROW, f.height);

/** A device at rest, with what sits in it. */
function Still({ picture, inside }: { readonly picture: Picture; readonly inside: readonly Seated[] }) {
  // In small a belt is enough; what sits at it is not.
  const drawn = (behind: boolean) =>
    inside
      .filter((s) => s.behind === behind && s.device.type !== 'PartSensor' && s.device.type !== 'Stopper')
      .map((s) => (
        <g key={s.device.id} transform={`translate(${s.x},${s.y})`}>
          <Still picture={s.picture} inside={s.inner} />
        </g>
      ));
  return (
    <>
      {drawn(true)}
      {picture.draw(AT_REST, '', new Set(inside.map((s) => s.seat)))}
      {drawn(false)}
    </>
  );
}

export const SmallMachine = memo(function SmallMachine({
  machine,
  className = '',
}: {
  readonly machine: Project['machine'];
  readonly className?: string;
}) {
  const { stations, floor } = useMemo(() => {
    const seats = seating(machine.devices, machine.kinds, pictureOf),
      { stations: all, inside } = seats,
      stations = all.map((d) => ({ d, inside: inside.get(d.id) ?? [] }));
    const items = stations.map((s) => ({
        id: s.d.id,
        ...roomOf(s.d, pictureOf(s.d.type, machine.kinds)!, s.inside),
      })),
      links = linksBetween(seats, floorLinks(machine)),
      sizeIn = (f: Floor) => Math.min(SHAPE / Math.max(1, f.width), 1 / Math.max(1, heightOf(f)));
    const floor = FITS.map((fit) => layOutFloor(items, links, { fit, row: ROW, flow: -TOP, hasWays: false })).reduce(
      (a, b) => (sizeIn(b) > sizeIn(a) ? b : a),
    );
    return { stations, floor };
  }, [machine]);
  if (!stations.length)
    return (
      <span className={`grid place-items-center text-[11.5px] text-faint ${className}`}>no machine model yet</span>
    );
  return (
    <svg
      aria-hidden
      viewBox={`0 0 ${Math.max(300, floor.width)} ${heightOf(floor)}`}
      preserveAspectRatio="xMidYMid meet"
      className={`[&_text]:hidden ${className}`}
    >
      {floor.places.map((p) => {
        const { d, inside } = stations.find((x) => x.d.id === p.id)!;
        return (
          <g key={p.id} transform={`translate(${p.x + p.width / 2},${p.y - TOP})`}>
            <Still picture={pictureOf(d.type, machine.kinds)!} inside={inside} />
          </g>
        );
      })}
    </svg>
  );
});
