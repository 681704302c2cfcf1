/**
 * Pictures of parts on their way: where they come from, belts, gates, arms, tables, tools, bins; and what measures
 * them.
 */
import { type ReactNode, createContext, useContext } from 'react';
import { LINE_PARTS } from '@ferrule/core/machine';
import { Label, type Picture, type Read, Sensor, Wrong, body } from './drawing.js';

/** A part that is so much longer than it is high is drawn flat: a tile, a board. */
const FLAT = 8;
interface Form {
  readonly sort: number;
  readonly worked: boolean;
  readonly isFlat?: boolean;
  /** Its own number, written above it where there is room to read it. */ readonly number?: number;
}
/** Whether parts show their numbers: where the picture is large enough for them to be read. */
export const Numbers = createContext(true);

/** Whether a part of these measures is a flat one. */
export const isFlat = (length: number, height: number): boolean => height > 0 && length > FLAT * height;

/** A part in a picture: its front edge at x, lying on y = 8. */
interface Lying extends Form {
  readonly x: number;
  readonly length: number;
}

/** A box with round corners as a path. */
const roundBox = (x: number, y: number, w: number, h: number, r: number): string =>
  `M${(x + r).toFixed(1)} ${y}h${(w - 2 * r).toFixed(1)}a${r} ${r} 0 0 1 ${r} ${r}v${h - 2 * r}a${r} ${r} 0 0 1 ${-r} ${r}h${(2 * r - w).toFixed(1)}a${r} ${r} 0 0 1 ${-r} ${-r}v${2 * r - h}a${r} ${r} 0 0 1 ${r} ${-r}z`;

/**
 * Parts, each with its sort by its form, a mark when it has been worked on, and its number. All that moves together is
 * one path whose points are written anew: an element that is moved as a whole costs the browser several times as much
 * of each frame.
 */
export function Parts({ of }: { readonly of: readonly Lying[] }) {
  const showsNumbers = useContext(Numbers);
  let boxes = '',
    marks = '';
  const words: ReactNode[] = [];
  for (const [i, { x: front, length, sort, worked, isFlat, number }] of of.entries()) {
    const w = Math.max(5, length - 1.5),
      x = front - w,
      middle = x + w / 2,
      top = isFlat ? -1 : sort === 2 ? -6 : -12;
    boxes += roundBox(x, top, w, 8 - top, Math.min(sort === 3 && !isFlat ? 8 : 2, w / 2));
    if (worked)
      marks += isFlat
        ? `M${(middle - 3.5).toFixed(1)} ${(top + 8) / 2}l2.5 2 4.5-4`
        : `M${(middle - 3.5).toFixed(1)} ${top + 5}l2.5 3 4.5-5`;
    if (sort > 3 && !isFlat)
      words.push(<Word key={`sort ${i}`} x={middle} y={3} text={sort} className="fill-sheet text-[9px]" />);
    if (showsNumbers && number !== undefined && w >= 5.5 * String(number).length)
      words.push(<Word key={i} x={middle} y={top - 4} text={number} className="fill-soft font-mono text-[9px]" />);
  }
  return (
    <>
      {boxes && <path d={boxes} className="fill-copper stroke-copper-ink" strokeWidth={0.8} />}
      {marks && <path d={marks} fill="none" className="stroke-sheet" strokeWidth={1.8} />}
      {words}
    </>
  );
}
export const Part = (part: Lying) => <Parts of={[part]} />;

/** What is written on a part goes along as a whole: its letters are not set anew. */
const Word = ({
  x,
  y,
  text,
  className,
}: {
  readonly x: number;
  readonly y: number;
  readonly text: number;
  readonly className: string;
}) => (
  <text transform={`translate(${x.toFixed(1)},${y})`} textAnchor="middle" className={className}>
    {text}
  </text>
);

/** What is read of a line of parts to draw it. */
export const lineReads = (line: string): readonly string[] => [
  `${line}.Count`,
  ...Array.from({ length: LINE_PARTS }, (_, i) => `${line}.Front[${i + 1}]`),
  ...Array.from({ length: LINE_PARTS }, (_, i) => `${line}.Part[${i + 1}]`).flatMap((p) => [
    `${p}.Number`,
    `${p}.Length`,
    `${p}.Height`,
    `${p}.Sort`,
    `${p}.Worked`,
  ]),
];
/** The names of what is read of a part of a line. */
const namesOf = new Map<string, ReturnType<typeof partNames>>();
const partNames = (line: string) =>
  Array.from({ length: LINE_PARTS }, (_, i) => ({
    front: `${line}.Front[${i + 1}]`,
    number: `${line}.Part[${i + 1}].Number`,
    length: `${line}.Part[${i + 1}].Length`,
    height: `${line}.Part[${i + 1}].Height`,
    sort: `${line}.Part[${i + 1}].Sort`,
    worked: `${line}.Part[${i + 1}].Worked`,
  }));
function namesOn(line: string) {
  const names = namesOf.get(line) ?? partNames(line);
  namesOf.set(line, names);
  return names;
}

/** The parts of a line, along a stretch of the picture of this width. */
export const PartsOn = ({
  read,
  width,
  line = 'Line',
}: {
  readonly read: Read;
  readonly width: number;
  readonly line?: string;
}) => {
  const along = read('Length');
  return (
    <Parts
      of={namesOn(line)
        .slice(0, read(`${line}.Count`))
        .map((name): Lying => {
          const length = read(name.length),
            front = read(name.front);
          return {
            x: alongBelt(front, along, width),
            length: (width * length) / Math.max(0.1, along),
            sort: read(name.sort),
            worked: read(name.worked) > 0,
            isFlat: isFlat(length, read(name.height)),
            // Half come on, half of its number would be seen.
            ...(front >= length ? { number: read(name.number) } : {}),
          };
        })}
    />
  );
};

/** Along a belt of this length the picture's x of a place in m. */
export const BELT = 156;
export const alongBelt = (m: number, length: number, width = BELT): number =>
  -width / 2 + (width * m) / Math.max(0.1, length);

const feed: Picture = {
  width: 76,
  reads: ['Wait', 'Next', 'Every', 'Ahead', 'Empty', 'Total'],
  draw: (read, label) => {
    const share = read('Every') > 0 ? Math.min(1, read('Wait') / Math.max(0.01, read('Next'))) : 0;
    return (
      <g>
        <path d="M-30-42h46l14 30v20h-30z" className="fill-panel stroke-soft" strokeWidth={1.5} />
        {read('Empty') === 0 &&
          [0, 1, 2].map((i) => (
            <rect
              key={i}
              x={-20 + i * 14}
              y={-36 + i * 2}
              width={11}
              height={10}
              rx={2}
              className="fill-copper stroke-copper-ink"
              strokeWidth={0.8}
            />
          ))}
        <path d="M0 14h30" className="stroke-edge" strokeWidth={4} />
        {share > 0 && <path d={`M0 14h${30 * share}`} className="stroke-copper" strokeWidth={4} />}
        {read('Empty') > 0 && <Wrong text="empty" />}
        {read('Empty') === 0 && read('Ahead') > 0 && (
          <text y={-50} textAnchor="middle" className="fill-soft text-[10px]">
            waits for room
          </text>
        )}
        <Label y={34} text={label} />
      </g>
    );
  },
};

const conveyor: Picture = {
  width: BELT + 6,
  reads: ['Speed', 'Run', 'Stop', 'AtStop', 'AtEnd', 'Length', 'StopAt', 'Moves', 'Jam', ...lineReads('Line')],
  draw: (read, label) => {
    const x = (m: number) => alongBelt(m, read('Length'));
    return (
      <g>
        <rect
          x={-BELT / 2 - 2}
          y={8}
          width={BELT + 4}
          height={12}
          rx={6}
          className={body(read('Speed') > 0.001)}
          strokeWidth={1.5}
        />
        <path
          d={`M${-BELT / 2 + 4} 14H${BELT / 2 - 3}`}
          className="stroke-soft"
          strokeWidth={3.2}
          strokeLinecap="round"
          strokeDasharray="0 18"
          strokeDashoffset={-180 * read('Moves')}
        />
        <PartsOn read={read} width={BELT} />
        <path
          d={`M${x(read('StopAt')) + 3} ${read('Stop') > 0 ? -16 : 22}v${read('Stop') > 0 ? 24 : 10}`}
          className={read('Stop') > 0 ? 'stroke-copper' : 'stroke-soft'}
          strokeWidth={4}
        />
        <Sensor x={x(read('StopAt'))} y={-24} on={read('AtStop') > 0} label="at its stop" />
        <Sensor x={BELT / 2 - 3} y={-24} on={read('AtEnd') > 0} label="at the end" />
        {read('Jam') > 0 && <Wrong text="jammed" />}
        <Label y={46} text={label} />
      </g>
    );
  },
};

/** Drawn at its place above the belt. */
const partSensor: Picture = {
  width: 30,
  reads: ['Sees', 'Seen', 'StuckOn', 'StuckOff', 'BrokenWire'],
  draw: (read, label) => {
    const wrong = read('StuckOn') > 0 || read('StuckOff') > 0 || read('BrokenWire') > 0;
    return (
      <g>
        <path
          d="M0-28V6"
          className={read('Seen') > 0 ? 'stroke-copper' : 'stroke-edge'}
          strokeWidth={1.4}
          strokeDasharray="3 3"
        />
        <rect
          x={-6}
          y={-40}
          width={12}
          height={12}
          rx={2}
          className={`${read('Sees') > 0 ? 'fill-copper' : 'fill-sheet'} ${wrong ? 'stroke-bad' : 'stroke-ink'}`}
          strokeWidth={1.3}
        />
        <text y={-44} textAnchor="middle" className={`text-[10px] ${wrong ? 'fill-bad' : 'fill-soft'}`}>
          {label}
        </text>
      </g>
    );
  },
};
/** Drawn at its place below the belt. */
const stopper: Picture = {
  width: 30,
  reads: ['Position', 'Up', 'Jam'],
  draw: (read, label) => (
    <g>
      <rect
        x={-3}
        y={18 - 30 * read('Position')}
        width={6}
        height={22}
        rx={1.5}
        className={body(read('Up') > 0)}
        strokeWidth={1.4}
      />
      <path d="M-8 38h16" className="stroke-soft" strokeWidth={3} />
      <text
        y={58}
        textAnchor="middle"
        className={`text-[10px] ${read('Jam') > 0 ? 'fill-bad font-semibold' : 'fill-soft'}`}
      >
        {read('Jam') > 0 ? 'stuck' : label}
      </text>
    </g>
  ),
};

const sorter: Picture = {
  width: 74,
  exits: { out: { at: [34, 14], open: 'IsStraight' }, outaside: { at: [10, 40], open: 'IsAside' } },
  reads: ['Position', 'Aside', 'IsStraight', 'IsAside', 'Jam', 'Lost'],
  draw: (read, label) => (
    <g>
      <path d="M-34 14h68M-34 14q30 0 44 26" fill="none" className="stroke-soft" strokeWidth={5} />
      <g transform={`translate(-22,10) rotate(${38 * read('Position')})`}>
        <rect x={0} y={-4} width={44} height={6} rx={3} className={body(read('Aside') > 0)} strokeWidth={1.4} />
      </g>
      <Sensor x={24} y={-8} on={read('IsStraight') > 0} label="straight" />
      <Sensor x={24} y={32} on={read('IsAside') > 0} label="aside" />
      {(read('Jam') > 0 || read('Lost') > 0) && <Wrong text={read('Jam') > 0 ? 'stuck' : `${read('Lost')} lost`} />}
      <Label y={58} text={label} />
    </g>
  ),
};

const pickAndPlace: Picture = {
  width: 150,
  reads: [
    'X',
    'Z',
    'Grip',
    'Along',
    'Down',
    'Held.Number',
    'Held.Sort',
    'Held.Worked',
    'AtPick',
    'AtPlace',
    'IsUp',
    'IsDown',
    'Jam',
    'NoVacuum',
    'Lost',
  ],
  draw: (read, label) => {
    const x = -56 + 112 * read('X'),
      z = 20 * read('Z');
    return (
      <g>
        <path d="M-66-44H66M-66-44v64M66-44v64" fill="none" className="stroke-soft" strokeWidth={3} />
        <g transform={`translate(${x},0)`}>
          <rect x={-10} y={-52} width={20} height={14} rx={3} className={body(read('Along') > 0)} strokeWidth={1.4} />
          <path d={`M0-38v${16 + z}`} className={read('Down') > 0 ? 'stroke-copper' : 'stroke-ink'} strokeWidth={3} />
          <path
            d={`M-8 ${-20 + z}h16l-3 5h-10z`}
            className={read('Grip') > 0 ? 'fill-copper stroke-copper' : 'fill-sheet stroke-ink'}
            strokeWidth={1.3}
          />
          {read('Held.Number') > 0 && (
            <g transform={`translate(0,${-3 + z})`}>
              <Part x={9} length={19} sort={read('Held.Sort')} worked={read('Held.Worked') > 0} />
            </g>
          )}
        </g>
        <Sensor x={-56} y={-60} on={read('AtPick') > 0} label="at the picking end" />
        <Sensor x={56} y={-60} on={read('AtPlace') > 0} label="at the placing end" />
        <Sensor x={74} y={-30} on={read('IsUp') > 0} label="up" />
        <Sensor x={74} y={-14} on={read('IsDown') > 0} label="down" />
        {(read('Jam') > 0 || read('NoVacuum') > 0 || read('Lost') > 0) && (
          <Wrong text={read('Jam') > 0 ? 'stuck' : read('NoVacuum') > 0 ? 'no vacuum' : `${read('Lost')} lost`} />
        )}
        <Label y={46} text={label} />
      </g>
    );
  },
};

const turntable: Picture = {
  width: 110,
  reads: [
    'Along',
    'Turn',
    'Index',
    'InFirst',
    'InWork',
    'InLast',
    'Jam',
    'Lost',
    ...[1, 2, 3, 4].flatMap((i) => [`Nest[${i}].Number`, `Nest[${i}].Worked`]),
  ],
  draw: (read, label) => (
    <g transform="translate(0,-8)">
      <circle r={36} className={body(read('Turn') > 0)} strokeWidth={1.8} />
      <g transform={`rotate(${90 * read('Along')})`}>
        {[1, 2, 3, 4].map((i) => {
          const a = Math.PI + ((i - 1) * Math.PI) / 2,
            [cx, cy] = [25 * Math.cos(a), 25 * Math.sin(a)];
          return (
            <g key={i}>
              <circle cx={cx} cy={cy} r={9} className="fill-sunk stroke-soft" strokeWidth={1.2} />
              {read(`Nest[${i}].Number`) > 0 && (
                <circle cx={cx} cy={cy} r={6.5} className="fill-copper stroke-copper-ink" strokeWidth={0.8} />
              )}
              {read(`Nest[${i}].Worked`) > 0 && read(`Nest[${i}].Number`) > 0 && (
                <circle cx={cx} cy={cy} r={2} className="fill-sheet" />
              )}
            </g>
          );
        })}
        <path d="M0 0v-9" className="stroke-ink" strokeWidth={1.6} />
      </g>
      <Sensor x={-46} y={0} on={read('InFirst') > 0} label="in the first nest" />
      <Sensor x={0} y={-44} on={read('InWork') > 0} label="where it is worked on" />
      <Sensor x={46} y={0} on={read('InLast') > 0} label="where it leaves" />
      <Sensor x={40} y={36} on={read('Index') > 0} label="index" />
      {(read('Jam') > 0 || read('Lost') > 0) && <Wrong text={read('Jam') > 0 ? 'stuck' : `${read('Lost')} lost`} />}
      <Label y={54} text={label} />
    </g>
  ),
};

const workStation: Picture = {
  width: 66,
  reads: ['Position', 'Work', 'IsUp', 'IsDown', 'Done', 'Time', 'Takes', 'From.Number', 'Jam', 'Blunt'],
  draw: (read, label) => {
    const y = -34 + 26 * read('Position'),
      share = Math.min(1, read('Time') / Math.max(0.01, read('Takes')));
    return (
      <g>
        <path d="M-24-56h48M-24-56v74M24-56v74" fill="none" className="stroke-soft" strokeWidth={3} />
        <path d={`M0-56V${y}`} className="stroke-ink" strokeWidth={4} />
        <rect x={-15} y={y} width={30} height={15} rx={3} className={body(read('Work') > 0)} strokeWidth={1.5} />
        {read('From.Number') > 0 && <Part x={10} length={21} sort={1} worked={read('Done') > 0} />}
        <path d="M-24 18h48" className="stroke-soft" strokeWidth={3} />
        {share > 0 && <path d={`M-22 25h${44 * share}`} className="stroke-copper" strokeWidth={3} />}
        <Sensor x={31} y={-40} on={read('IsUp') > 0} label="up" />
        <Sensor x={31} y={-8} on={read('IsDown') > 0} label="down" />
        {(read('Jam') > 0 || read('Blunt') > 0) && <Wrong text={read('Jam') > 0 ? 'stuck' : 'blunt'} />}
        <Label y={46} text={label} />
      </g>
    );
  },
};

const bin: Picture = {
  width: 76,
  reads: ['Total', 'Unworked', 'Full'],
  draw: (read, label) => (
    <g>
      <path
        d="M-30-16h60l-7 42h-46z"
        className={read('Full') > 0 ? 'fill-bad-soft stroke-bad' : 'fill-sunk stroke-soft'}
        strokeWidth={1.5}
      />
      <text y={8} textAnchor="middle" className="fill-ink font-mono text-[14px] font-semibold">
        {read('Total')}
      </text>
      {read('Unworked') > 0 && (
        <text y={20} textAnchor="middle" className="fill-soft text-[9px]">
          {read('Unworked')} bare
        </text>
      )}
      {read('Full') > 0 && <Wrong text="full" />}
      <Label y={44} text={label} />
    </g>
  ),
};

/** A cylinder lying along the flow. */
const cylinder: Picture = {
  width: 110,
  reads: ['Position', 'Out', 'In', 'AtHome', 'AtEnd', 'Jam'],
  draw: (read, label) => (
    <g>
      <rect x={-48} y={-10} width={52} height={20} rx={3} className="fill-panel stroke-soft" strokeWidth={1.5} />
      <path d={`M-30 0H${14 + 32 * read('Position')}`} className="stroke-ink" strokeWidth={3.5} />
      <rect
        x={12 + 32 * read('Position')}
        y={-12}
        width={6}
        height={24}
        rx={2}
        className={body(read('Out') > 0 || read('In') > 0)}
        strokeWidth={1.4}
      />
      <text
        x={-40}
        y={24}
        className={`text-[9.5px] ${read('In') > 0 ? 'fill-copper-ink font-semibold' : 'fill-faint'}`}
      >
        in
      </text>
      <text
        x={-12}
        y={24}
        className={`text-[9.5px] ${read('Out') > 0 ? 'fill-copper-ink font-semibold' : 'fill-faint'}`}
      >
        out
      </text>
      <Sensor x={14} y={-22} on={read('AtHome') > 0} label="home" />
      <Sensor x={46} y={-22} on={read('AtEnd') > 0} label="end" />
      {read('Jam') > 0 && <Wrong text="stuck" />}
      <Label y={42} text={label} />
    </g>
  ),
};

const encoder: Picture = {
  width: 70,
  reads: ['Count', 'PerTurn', 'Track', 'Zero', 'BrokenWire', 'Slips'],
  draw: (read, label) => (
    <g>
      <circle r={17} className="fill-panel stroke-soft" strokeWidth={1.5} />
      <circle
        r={17}
        fill="none"
        className="stroke-ink"
        strokeWidth={4}
        strokeDasharray="3 3.7"
        strokeDashoffset={(-2 * Math.PI * 17 * read('Count')) / Math.max(1, read('PerTurn'))}
      />
      <Sensor x={24} y={-12} on={read('Track') > 0} label="track" />
      <Sensor x={24} y={2} on={read('Zero') > 0} label="zero" />
      <text y={34} textAnchor="middle" className="fill-ink font-mono text-[10.5px]">
        {read('Count')}
      </text>
      {(read('BrokenWire') > 0 || read('Slips') > 0) && (
        <Wrong text={read('BrokenWire') > 0 ? 'wire broken' : 'slips'} />
      )}
      <Label y={50} text={label} />
    </g>
  ),
};

const hopper: Picture = {
  width: 128,
  reads: ['Content', 'Holds', 'Position', 'Open', 'Flow', 'Low', 'IsShut', 'Bridged', 'Jam'],
  draw: (read: Read, label) => {
    const share = Math.min(1, read('Content') / Math.max(0.001, read('Holds')));
    return (
      <g>
        <path
          d={`M${-26 * share - 6} ${-6 - 42 * share}H${26 * share + 6}L6 -6h-12z`}
          className="fill-copper"
          opacity={0.55}
        />
        <path d="M-32-50L-6-6v10h12V-6L32-50" fill="none" className="stroke-ink" strokeWidth={2} />
        <path
          d={`M${-9 + 16 * read('Position')} 6h18`}
          className={read('Open') > 0 ? 'stroke-copper' : 'stroke-ink'}
          strokeWidth={4}
        />
        {read('Flow') > 0.001 && <path d="M0 9v18" className="stroke-copper" strokeWidth={3} strokeDasharray="3 3" />}
        <text x={20} y={4} className="fill-ink font-mono text-[10px]">
          {read('Content').toFixed(0)} kg
        </text>
        <Sensor x={-34} y={-14} on={read('Low') > 0} label="low" />
        <Sensor x={-18} y={8} on={read('IsShut') > 0} label="gate shut" />
        {(read('Bridged') > 0 || read('Jam') > 0) && <Wrong text={read('Bridged') > 0 ? 'bridged' : 'gate stuck'} />}
        <Label y={44} text={label} />
      </g>
    );
  },
};

const supply: Picture = {
  width: 56,
  reads: ['OK', 'Off'],
  draw: (read, label) => (
    <g>
      <rect x={-18} y={-28} width={36} height={50} rx={4} className={body(read('OK') > 0)} strokeWidth={1.8} />
      <path d="M3-18l-9 17h7l-4 14 10-18h-7z" className={read('OK') > 0 ? 'fill-copper' : 'fill-faint'} />
      {read('OK') === 0 && <Wrong text={read('Off') > 0 ? 'off' : 'no supply'} />}
      <Label y={40} text={label} />
    </g>
  ),
};

export const PART_PICTURES: Readonly<Record<string, Picture>> = {
  PartFeed: feed,
  Conveyor: conveyor,
  PartSensor: partSensor,
  Stopper: stopper,
  Sorter: sorter,
  PickAndPlace: pickAndPlace,
  Turntable: turntable,
  WorkStation: workStation,
  Bin: bin,
  Cylinder: cylinder,
  Encoder: encoder,
  Hopper: hopper,
  Supply: supply,
};
