/** A machine in small, standing still: its devices in the order of the flow, without words. */
import { memo, useMemo } from 'react';
import { type Floor, type Project, floorLinks, layOutFloor } from '@ferrule/core';
import { pictureOf } from './MachineView.js';

/** What one device takes, in the units of its picture. */
const ROW = 150,
  TOP = -80,
  /** Widths that a row may have; the one is taken that draws the machine largest. */ FITS = [300, 420, 560, 720, 900],
  /** Width to height of what it is drawn in, about. */ SHAPE = 2.3;
const AT_REST = (): number => 0;
const heightOf = (f: Floor): number => ((f.places.at(-1)?.row ?? 0) + 1) * ROW;

export const SmallMachine = memo(function SmallMachine({
  machine,
  className = '',
}: {
  readonly machine: Project['machine'];
  readonly className?: string;
}) {
  const { stations, floor } = useMemo(() => {
    // Sensors and stops sit at a belt; in small the belt is enough.
    const stations = machine.devices.filter(
      (d) =>
        pictureOf(d.type, machine.kinds) && d.type !== 'PartSensor' && d.type !== 'Stopper' && d.type !== 'WirePiece',
    );
    const items = stations.map((d) => ({ id: d.id, width: pictureOf(d.type, machine.kinds)!.width })),
      links = floorLinks(machine),
      sizeIn = (f: Floor) => Math.min(SHAPE / Math.max(1, f.width), 1 / Math.max(1, heightOf(f)));
    const floor = FITS.map((fit) => layOutFloor(items, links, { fit, row: ROW, flow: -TOP })).reduce((a, b) =>
      sizeIn(b) > sizeIn(a) ? b : a,
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
        const d = stations.find((x) => x.id === p.id)!;
        return (
          <g key={p.id} transform={`translate(${p.x + p.width / 2},${p.y - TOP})`}>
            {pictureOf(d.type, machine.kinds)!.draw(AT_REST, '')}
          </g>
        );
      })}
    </svg>
  );
});
