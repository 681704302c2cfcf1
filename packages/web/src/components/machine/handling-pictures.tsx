/**
 * Pictures of handling: what pushes, collects, lifts, weighs, reads and sends several ways; carts with the layers on
 * them.
 */
import { LOAD_LAYERS } from '@ferrule/core/machine';
import { Label, type Picture, type Read, Sensor, Wrong, body } from './drawing.js';
import { BELT, Part, Parts, PartsOn, isFlat, lineReads } from './part-pictures.js';

const Small = ({ x = 0, y, text }: { readonly x?: number; readonly y: number; readonly text: string }) => (
  <text x={x} y={y} textAnchor="middle" className="fill-soft text-[9.5px]">
    {text}
  </text>
);
/** The first thing that is wrong, in words. */
const Trouble = ({ read, of }: { readonly read: Read; readonly of: Readonly<Record<string, string>> }) => {
  const found = Object.keys(of).find((name) => read(name) > 0);
  return found ? <Wrong text={found === 'Lost' ? `${read('Lost')} lost` : of[found]!} /> : null;
};
const one = (part: string): readonly string[] =>
  ['Number', 'Sort', 'Worked', 'Length', 'Height'].map((x) => `${part}.${x}`);
const OnePart = ({
  read,
  of,
  x,
  length = 24,
}: {
  readonly read: Read;
  readonly of: string;
  readonly x: number;
  readonly length?: number;
}) =>
  read(`${of}.Number`) > 0 ? (
    <Part
      x={x}
      length={length}
      sort={read(`${of}.Sort`)}
      worked={read(`${of}.Worked`) > 0}
      isFlat={isFlat(read(`${of}.Length`), read(`${of}.Height`))}
      number={read(`${of}.Number`)}
    />
  ) : null;
const rollerTrack: Picture = {
  width: BELT + 6,
  reads: ['Run', 'Moves', 'Length', 'AtEnd', 'Filled', 'Release', 'Jam', 'Lost', ...lineReads('Line')],
  draw: (read, label) => (
    <g>
      <path d={`M${-BELT / 2} 21H${BELT / 2}`} className="stroke-soft" strokeWidth={2.5} />
      {Array.from({ length: 11 }, (_, i) => -BELT / 2 + 8 + i * 14).map((x) => (
        <circle key={x} cx={x} cy={13.5} r={5} className={body(read('Run') > 0)} strokeWidth={1.4} />
      ))}
      <PartsOn read={read} width={BELT} />
      <path
        d={`M${BELT / 2 + 1} ${read('Release') > 0 ? 10 : -12}v${read('Release') > 0 ? 14 : 24}`}
        className={read('Release') > 0 ? 'stroke-copper' : 'stroke-ink'}
        strokeWidth={3}
      />
      <Sensor x={BELT / 2 - 6} y={-24} on={read('AtEnd') > 0} label="a part waits at the end" />
      <Sensor x={-BELT / 2 + 6} y={-24} on={read('Filled') > 0} label="filled to the beginning" />
      <Trouble read={read} of={{ Jam: 'jammed', Lost: '' }} />
      <Label y={46} text={label} />
    </g>
  ),
};

/** Length of a weigh belt in the picture. */
export const WEIGH = 76;
const weighBelt: Picture = {
  width: WEIGH + 8,
  reads: ['Run', 'Moves', 'Length', 'Present', 'Weight', 'Stable', 'Jam', 'Drifts', 'Lost', ...lineReads('Line')],
  draw: (read, label) => (
    <g>
      <rect x={-WEIGH / 2} y={8} width={WEIGH} height={10} rx={2} className={body(read('Run') > 0)} strokeWidth={1.5} />
      <path d="M0 18v10" className="stroke-ink" strokeWidth={3} />
      <rect x={-25} y={28} width={50} height={17} rx={3} className="fill-ink" />
      <text y={40} textAnchor="middle" className="fill-glow font-mono text-[10.5px]">
        {Math.max(0, read('Weight')).toFixed(2)} kg
      </text>
      <PartsOn read={read} width={WEIGH} />
      <Sensor x={0} y={-24} on={read('Present') > 0} label="a part is all on it" />
      <Sensor x={32} y={36} on={read('Stable') > 0} label="steady" />
      <Trouble read={read} of={{ Jam: 'jammed', Drifts: 'drifts', Lost: '' }} />
      <Label y={60} text={label} />
    </g>
  ),
};

/** Drawn at its place over the belt: a gate with a beam, and what it measured. */
const partReader: Picture = {
  width: 44,
  reads: ['Sees', 'Valid', 'Number', 'Height', 'NoRead', 'Blind', 'Misreads'],
  draw: (read, label) => {
    const isWrong = read('NoRead') > 0 || read('Blind') > 0 || read('Misreads') > 0;
    return (
      <g>
        <path d="M-17 8v-44h34v44" fill="none" className={isWrong ? 'stroke-bad' : 'stroke-ink'} strokeWidth={1.8} />
        <path
          d="M0 -34V6"
          className={read('Sees') > 0 ? 'stroke-copper' : 'stroke-edge'}
          strokeWidth={1.4}
          strokeDasharray="3 3"
        />
        <Sensor x={0} y={-36} on={read('Valid') > 0} label={`${label} has read`} />
        <text y={-54} textAnchor="middle" className={`text-[10px] ${isWrong ? 'fill-bad' : 'fill-soft'}`}>
          {label}
        </text>
        {read('Number') > 0 && (
          <text y={-43} textAnchor="middle" className="fill-ink font-mono text-[9.5px]">
            {read('Height').toFixed(1)} mm
          </text>
        )}
      </g>
    );
  },
};

/** Drawn over its belt, where the part waits; it pushes into the picture. */
const pusher: Picture = {
  width: 40,
  reads: ['Position', 'Push', 'IsBack', 'IsOut', 'Jam', ...one('Held')],
  draw: (read, label) => {
    const y = -34 + 22 * read('Position');
    return (
      <g>
        <rect x={-7} y={-60} width={14} height={26} rx={2} className="fill-panel stroke-soft" strokeWidth={1.4} />
        <path d={`M0 -36V${y}`} className="stroke-ink" strokeWidth={3} />
        <rect x={-13} y={y} width={26} height={6} rx={1.5} className={body(read('Push') > 0)} strokeWidth={1.3} />
        {read('Held.Number') > 0 && (
          <g transform={`translate(0,${y + 6})`}>
            <OnePart read={read} of="Held" x={12} />
          </g>
        )}
        <Sensor x={12} y={-55} on={read('IsBack') > 0} label={`${label} back`} />
        <Sensor x={12} y={-42} on={read('IsOut') > 0} label={`${label} out`} />
        <text
          y={-65}
          textAnchor="middle"
          className={`text-[10px] ${read('Jam') > 0 ? 'fill-bad font-semibold' : 'fill-soft'}`}
        >
          {read('Jam') > 0 ? 'stuck' : label}
        </text>
      </g>
    );
  },
};

const rowFormer: Picture = {
  width: 112,
  reads: ['Row.Count', 'Count', 'Position', 'Push', 'RowFull', 'IsBack', 'IsOut', 'Jam', 'Lost', ...lineReads('Row')],
  draw: (read, label) => {
    const n = Math.max(1, read('Count')),
      w = Math.min(24, 84 / n),
      // The plate stands against what it pushes.
      left = 46 - read('Row.Count') * w + 8 * read('Position'),
      push = Math.min(-48 + 40 * read('Position'), read('Row.Count') ? left - 5 : 50);
    return (
      <g>
        <rect x={-50} y={8} width={100} height={8} rx={2} className="fill-panel stroke-ink" strokeWidth={1.5} />
        <path d="M-40 16v14M40 16v14" className="stroke-soft" strokeWidth={2.5} />
        <Parts
          of={Array.from({ length: read('Row.Count') }, (_, i) => ({
            x: Math.min(50, 46 - i * w + 8 * read('Position')),
            length: w,
            sort: read(`Row.Part[${i + 1}].Sort`),
            worked: read(`Row.Part[${i + 1}].Worked`) > 0,
            isFlat: isFlat(read(`Row.Part[${i + 1}].Length`), read(`Row.Part[${i + 1}].Height`)),
          }))}
        />
        <path d={`M-58 -2H${push}`} className="stroke-ink" strokeWidth={3} />
        <rect x={push} y={-10} width={5} height={17} rx={1.5} className={body(read('Push') > 0)} strokeWidth={1.3} />
        <Sensor x={0} y={-24} on={read('RowFull') > 0} label="the row is whole" />
        <Sensor x={-48} y={-24} on={read('IsBack') > 0} label="plate back" />
        <Sensor x={48} y={-24} on={read('IsOut') > 0} label="plate out" />
        <Trouble read={read} of={{ Jam: 'stuck', Lost: '' }} />
        <Label y={46} text={label} />
      </g>
    );
  },
};

const lift: Picture = {
  width: 76,
  down: 16,
  reads: ['Position', 'Up', 'Down', 'Roll', 'Along', 'Descends', 'AtBottom', 'AtTop', 'Jam', 'Lost', ...one('Held')],
  draw: (read, label) => {
    const isDown = read('Descends') > 0,
      [top, bottom] = isDown ? [0, 42] : [-50, 0],
      y = bottom + (top - bottom) * read('Position');
    return (
      <g>
        <path
          d={`M-29 ${top - 14}V34M29 ${top - 14}V34M-29 ${top - 14}H29`}
          fill="none"
          className="stroke-soft"
          strokeWidth={2.5}
        />
        <path d={`M0 ${top - 14}V${y + 8}`} className="stroke-edge" strokeWidth={1.5} />
        <g transform={`translate(0,${y})`}>
          <rect
            x={-27}
            y={8}
            width={54}
            height={8}
            rx={2}
            className={body(read('Up') > 0 || read('Down') > 0 || read('Roll') > 0)}
            strokeWidth={1.5}
          />
          <OnePart read={read} of="Held" x={-14 + 26 * read('Along')} length={28} />
        </g>
        <Sensor x={35} y={bottom + 10} on={read('AtBottom') > 0} label="at the bottom" />
        <Sensor x={35} y={top + 10} on={read('AtTop') > 0} label="at the top" />
        <Trouble read={read} of={{ Jam: 'stuck', Lost: '' }} />
        <Label y={isDown ? 68 : 50} text={label} />
      </g>
    );
  },
};

/** Between one way of a sorter and the next, in degrees. */
const FAN = 17;
/** Where its ways begin and end, from where it turns. */
const WAY = { from: 70, to: 92, x: -42, y: 14 };
const waySorter: Picture = {
  width: 104,
  exits: Object.fromEntries(
    [0, 1, 2, 3].map((i) => {
      const turn = (FAN * i * Math.PI) / 180;
      return [
        `out${i + 1}`,
        { at: [WAY.x + WAY.to * Math.cos(turn), WAY.y + WAY.to * Math.sin(turn)] as const, open: `At${i + 1}` },
      ];
    }),
  ),
  reads: ['Position', 'Run', 'Along', 'At1', 'At2', 'At3', 'At4', 'Jam', 'Lost', ...one('Held')],
  draw: (read, label, taken) => {
    const turn = FAN * (Math.max(1, read('Position')) - 1),
      ways = [0, 1, 2, 3].filter((i) => taken?.has(`out${i + 1}`));
    return (
      <g>
        {/* Ways that lead nowhere are shown until the first leads somewhere. */}
        {(ways.length ? ways : [0, 1, 2, 3]).map((i) => (
          <g key={i} transform={`translate(${WAY.x},${WAY.y}) rotate(${FAN * i})`}>
            <path
              d={`M${WAY.from} 0H${WAY.to}`}
              className={read(`At${i + 1}`) > 0 ? 'stroke-copper' : 'stroke-edge'}
              strokeWidth={4}
              strokeLinecap="round"
            />
            <title>
              way {i + 1}
              {read(`At${i + 1}`) > 0 ? ': it stands there' : ''}
            </title>
          </g>
        ))}
        <g transform={`translate(-42,8) rotate(${turn})`}>
          <rect x={-8} y={0} width={72} height={10} rx={5} className={body(read('Run') > 0)} strokeWidth={1.5} />
          <g transform="translate(0,-8)">
            <OnePart read={read} of="Held" x={12 + 26 * read('Along')} length={26} />
          </g>
        </g>
        <circle cx={-42} cy={14} r={3} className="fill-ink" />
        <path d="M-42 20v16M-52 36h20" className="stroke-soft" strokeWidth={2.5} />
        <Trouble read={read} of={{ Jam: 'stuck', Lost: '' }} />
        <g transform="translate(-10,0)">
          <Label y={52} text={label} />
        </g>
      </g>
    );
  },
};

const gantry: Picture = {
  width: 200,
  reads: [
    'Position',
    'Length',
    'PickAt',
    'Place1',
    'Place2',
    'Place3',
    'Z',
    'Enable',
    'Down',
    'Grip',
    'IsUp',
    'IsDown',
    'InPosition',
    'Jam',
    'GripsNot',
    'Lost',
    ...one('Held'),
  ],
  draw: (read, label) => {
    const at = (mm: number) => -84 + (168 * Math.max(0, mm)) / Math.max(1, read('Length')),
      x = at(read('Position')),
      z = 22 * read('Z');
    return (
      <g>
        <path d="M-94 -46H94M-94 -46v64M94 -46v64" fill="none" className="stroke-soft" strokeWidth={3} />
        {(['PickAt', 'Place1', 'Place2', 'Place3'] as const).map((p, i) => (
          <g key={p} transform={`translate(${at(read(p))},0)`}>
            <path d="M-9 18h18" className="stroke-ink" strokeWidth={2.5} />
            <Small y={30} text={i ? String(i) : 'pick'} />
          </g>
        ))}
        <g transform={`translate(${x},0)`}>
          <rect x={-10} y={-54} width={20} height={14} rx={3} className={body(read('Enable') > 0)} strokeWidth={1.4} />
          <path d={`M0-40v${16 + z}`} className={read('Down') > 0 ? 'stroke-copper' : 'stroke-ink'} strokeWidth={3} />
          <path
            d={`M-11 ${-24 + z}h22v8h-4v-4h-14v4h-4z`}
            className={read('Grip') > 0 ? 'fill-copper stroke-copper' : 'fill-sheet stroke-ink'}
            strokeWidth={1.3}
          />
          <g transform={`translate(0,${-12 + z})`}>
            <OnePart read={read} of="Held" x={10} length={20} />
          </g>
        </g>
        <Sensor x={86} y={-34} on={read('IsUp') > 0} label="up" />
        <Sensor x={86} y={-18} on={read('IsDown') > 0} label="down" />
        <Sensor x={-86} y={-34} on={read('InPosition') > 0} label="in position" />
        <Trouble read={read} of={{ Jam: 'stuck', GripsNot: 'does not grip', Lost: '' }} />
        <Label y={48} text={label} />
      </g>
    );
  },
};

const LOAD_READS: readonly string[] = [
  'Load.Cart',
  'Load.Count',
  'Load.Layers',
  'Load.Height',
  ...Array.from({ length: LOAD_LAYERS }, (_, i) => [`Load.Seen[${i + 1}]`, `Load.InLayer[${i + 1}]`]).flat(),
];
/** Width of a cart's bed, and where its top is below the line of flow. */
const BED = 82,
  BED_Y = 24;
/** Parts beside each other, from the left, standing on `y`. */
const Blocks = ({ n, y, high }: { readonly n: number; readonly y: number; readonly high: number }) => {
  const w = (BED - 8) / Math.max(1, n);
  return Array.from({ length: n }, (_, i) => (
    <rect
      key={i}
      x={-BED / 2 + 4 + i * w + 0.75}
      y={y - high + 0.4}
      width={w - 1.5}
      height={Math.max(2, high - 0.8)}
      rx={1.2}
      className="fill-copper stroke-copper-ink"
      strokeWidth={0.7}
    />
  ));
};
/** A cart with its layers; the standing one at the middle of its place. */
const Cart = ({ read, high }: { readonly read: Read; readonly high: number }) => (
  <g>
    {Array.from({ length: read('Load.Layers') }, (_, i) => (
      <Blocks key={i} n={read(`Load.Seen[${i + 1}]`)} y={BED_Y - i * high} high={high} />
    ))}
    <rect x={-BED / 2} y={BED_Y} width={BED} height={5} rx={1.5} className="fill-panel stroke-ink" strokeWidth={1.4} />
    <circle cx={-27} cy={BED_Y + 9} r={4.2} className="fill-ink" />
    <circle cx={27} cy={BED_Y + 9} r={4.2} className="fill-ink" />
  </g>
);
/** On its way in or out a cart pales: what takes it shows it from there. One that waits to be taken is still seen. */
const onWay = (place: number, far: number) => ({
  transform: `translate(${(far * (place - 1)).toFixed(1)},0)`,
  opacity: 1 - 0.45 * Math.min(1, Math.abs(place - 1)),
});
const Rail = ({ half }: { readonly half: number }) => (
  <path d={`M${-half} ${BED_Y + 14}H${half}`} className="stroke-edge" strokeWidth={3} />
);
const loadText = (read: Read): string =>
  read('Load.Cart') === 0
    ? 'no cart'
    : read('Load.Count') === 0
      ? 'empty cart'
      : `${read('Load.Layers')} ${read('Load.Layers') === 1 ? 'layer' : 'layers'} · ${read('Load.Count')} pieces`;

/** Where a stacker's plate is at the top, in the picture; at the bottom it lies on the bed. */
const PLATE_UP = -62,
  LIFT = BED_Y - PLATE_UP;
const portal = (
  <path
    d={`M-54 ${PLATE_UP - 10}V${BED_Y + 12}M54 ${PLATE_UP - 10}V${BED_Y + 12}`}
    className="stroke-ink"
    strokeWidth={2.2}
  />
);
const layerHeight = (read: Read): number =>
  read('Load.Layers') === 0 ? 8 : (LIFT * read('Load.Height')) / Math.max(0.01, read('Rise')) / read('Load.Layers');
/** The cart on its way under a portal, and the portal before it. */
const UnderPortal = ({ read }: { readonly read: Read }) => (
  <>
    <Rail half={60} />
    {read('Load.Cart') > 0 && (
      <g {...onWay(read('Place'), 44)}>
        <Cart read={read} high={layerHeight(read)} />
      </g>
    )}
    {portal}
  </>
);
/** What it is called, and what lies there. */
const LoadLabel = ({ read, label }: { readonly read: Read; readonly label: string }) => (
  <>
    <Label y={54} text={label} />
    <Small y={66} text={loadText(read)} />
  </>
);

/** A magazine of carts in small, at the foot of what it feeds. */
const smallMagazine: Picture = {
  width: 40,
  reads: ['Left', 'Give', 'Low', 'IsEmpty', 'Jam'],
  draw: (read, label) => (
    <g>
      {Array.from({ length: Math.min(4, read('Left')) }, (_, i) => (
        <rect
          key={i}
          x={-15}
          y={BED_Y + 8 - 5 * i}
          width={30}
          height={3.4}
          rx={1}
          className={i === 0 && read('Give') > 0 ? 'fill-glow stroke-copper' : 'fill-panel stroke-ink'}
          strokeWidth={1}
        />
      ))}
      <path d={`M-17 ${BED_Y - 10}v22h34v-22`} fill="none" className="stroke-soft" strokeWidth={1.5} />
      <text
        y={BED_Y + 23}
        textAnchor="middle"
        className={`text-[9.5px] ${read('Jam') > 0 || read('IsEmpty') > 0 ? 'fill-bad font-semibold' : 'fill-soft'}`}
      >
        {read('Jam') > 0 ? 'jammed' : read('IsEmpty') > 0 ? 'no carts' : `${read('Left')} carts`}
        <title>{label}</title>
      </text>
      <Sensor x={22} y={BED_Y} on={read('Low') > 0} label={`${label}: few left`} />
    </g>
  ),
};

/** How far right of its middle a stacker's portal stands: before it tiles go up, below is room for a magazine. */
const PORTAL = 24;
const stacker: Picture = {
  width: 172,
  up: 14,
  down: 10,
  reads: [
    'Position',
    'Lower',
    'Open',
    'Gate',
    'Plate.Count',
    'Across',
    'Deep',
    'Turned',
    'Rise',
    'Place',
    'IsUp',
    'IsDown',
    'LayerFull',
    'CartThere',
    'Enters',
    'Jam',
    'CartStuck',
    'Crash',
    'Lost',
    ...LOAD_READS,
  ],
  seats: {
    cartin: { x: -64, y: 0, picture: smallMagazine, hit: [-18, 12, 36, 40], of: ['CartMagazine'] },
  },
  draw: (read, label) => {
    const y = PLATE_UP + LIFT * read('Position'),
      isTurned = read('Turned') > 0 && read('Load.Layers') % 2 === 1,
      gap = 24 * read('Gate'),
      moves = read('Lower') > 0 || read('Open') > 0;
    return (
      <g transform={`translate(${PORTAL},0)`}>
        <path
          d={`M${-86 - PORTAL} 16L-60 ${PLATE_UP + 6}`}
          className="stroke-edge"
          strokeWidth={5}
          strokeLinecap="round"
        />
        {read('Enters') > 0 && <circle cx={-58} cy={PLATE_UP - 6} r={2.5} className="fill-copper" />}
        <UnderPortal read={read} />
        <Blocks n={Math.min(read('Plate.Count'), isTurned ? read('Deep') : read('Across'))} y={y} high={8} />
        <path
          d={`M-54 ${y + 2.5}H${-gap}M${gap} ${y + 2.5}H54`}
          className={moves ? 'stroke-copper' : 'stroke-ink'}
          strokeWidth={5}
        />
        <Sensor x={-60} y={PLATE_UP} on={read('IsUp') > 0} label="plate up" />
        <Sensor x={60} y={PLATE_UP} on={read('LayerFull') > 0} label="the layer is whole" />
        <Sensor x={-60} y={BED_Y - 8} on={read('IsDown') > 0} label="plate on the load" />
        <Sensor x={60} y={BED_Y - 8} on={read('CartThere') > 0} label="a cart stands there" />
        <g transform="translate(0,-16)">
          <Trouble
            read={read}
            of={{ Crash: 'the plate is in the way', Jam: 'stuck', CartStuck: 'cart stuck', Lost: '' }}
          />
        </g>
        <LoadLabel read={read} label={label} />
      </g>
    );
  },
};

const unstacker: Picture = {
  width: 124,
  up: 14,
  down: 10,
  reads: [
    'Position',
    'Lower',
    'Grip',
    'Run',
    'Closed',
    'Held.Count',
    'Rise',
    'Place',
    'IsUp',
    'IsDown',
    'Holds',
    'CartThere',
    'CartEmpty',
    'Jam',
    'CartStuck',
    'GripsNot',
    'Crash',
    'Lost',
    ...LOAD_READS,
  ],
  draw: (read, label) => {
    const y = PLATE_UP + LIFT * read('Position'),
      jaw = 46 - 5 * read('Closed');
    return (
      <g>
        <UnderPortal read={read} />
        {read('Held.Count') > 0 && <Blocks n={Math.min(4, read('Held.Count'))} y={y} high={8} />}
        <path d={`M-54 ${y - 10}H54`} className={read('Lower') > 0 ? 'stroke-copper' : 'stroke-ink'} strokeWidth={4} />
        <path
          d={`M${-jaw} ${y - 10}v11M${jaw} ${y - 10}v11`}
          className={read('Grip') > 0 ? 'stroke-copper' : 'stroke-ink'}
          strokeWidth={4}
        />
        <Sensor x={-60} y={PLATE_UP} on={read('IsUp') > 0} label="gripper up" />
        <Sensor x={60} y={PLATE_UP} on={read('Holds') > 0} label="it holds parts" />
        <Sensor x={-60} y={BED_Y - 8} on={read('IsDown') > 0} label="gripper at the load" />
        <Sensor x={60} y={BED_Y - 8} on={read('CartThere') > 0} label="a cart stands there" />
        <g transform="translate(0,-16)">
          <Trouble
            read={read}
            of={{
              Crash: 'the gripper is in the way',
              Jam: 'stuck',
              CartStuck: 'cart stuck',
              GripsNot: 'does not grip',
              Lost: '',
            }}
          />
        </g>
        <LoadLabel read={read} label={label} />
      </g>
    );
  },
};

const cartStand: Picture = {
  width: 112,
  down: 10,
  reads: ['Place', 'Go', 'CartThere', 'Loaded', 'CartStuck', 'Lost', ...LOAD_READS],
  draw: (read, label) => (
    <g>
      <Rail half={56} />
      {read('Load.Cart') > 0 && (
        <g {...onWay(read('Place'), 40)}>
          <Cart read={read} high={8} />
        </g>
      )}
      <path
        d={`M${46} ${read('Go') > 0 ? 36 : 22}v12`}
        className={read('Go') > 0 ? 'stroke-copper' : 'stroke-ink'}
        strokeWidth={3}
      />
      <Sensor x={-50} y={BED_Y - 4} on={read('CartThere') > 0} label="a cart stands there" />
      <Sensor x={-50} y={BED_Y - 18} on={read('Loaded') > 0} label="something lies on it" />
      <Trouble read={read} of={{ CartStuck: 'cart stuck', Lost: '' }} />
      <LoadLabel read={read} label={label} />
    </g>
  ),
};

const cartMagazine: Picture = {
  width: 104,
  reads: ['Left', 'Holds', 'Give', 'Wait', 'Takes', 'Low', 'IsEmpty', 'Jam'],
  draw: (read, label) => {
    const n = Math.min(6, read('Left'));
    return (
      <g>
        <Rail half={52} />
        <path d={`M-46 -52V${BED_Y}M46 -52V${BED_Y - 14}`} className="stroke-soft" strokeWidth={2.5} />
        {Array.from({ length: n }, (_, i) => {
          const out = i === 0 ? 14 * Math.min(1, read('Wait') / Math.max(0.01, read('Takes'))) : 0;
          return (
            <g key={i} transform={`translate(${out},${-11 * i})`}>
              <rect
                x={-36}
                y={BED_Y + 1}
                width={72}
                height={4.5}
                rx={1.5}
                className={i === 0 && read('Give') > 0 ? 'fill-glow stroke-copper' : 'fill-panel stroke-ink'}
                strokeWidth={1.2}
              />
              <circle cx={-24} cy={BED_Y + 8.5} r={2.8} className="fill-ink" />
              <circle cx={24} cy={BED_Y + 8.5} r={2.8} className="fill-ink" />
            </g>
          );
        })}
        <Sensor x={52} y={0} on={read('Low') > 0} label="few left" />
        <Sensor x={52} y={12} on={read('IsEmpty') > 0} label="none left" />
        <Trouble read={read} of={{ Jam: 'jammed', IsEmpty: 'empty' }} />
        <Label y={54} text={`${label} · ${read('Left')} left`} />
      </g>
    );
  },
};

/** Between two tracks of a transfer car. */
const TRACK = 56;
const transferCar: Picture = {
  width: 2 * TRACK + 96,
  down: 10,
  reads: [
    'Place',
    'Left',
    'Right',
    'Roll',
    'TakeOn',
    'GiveOff',
    'GivesAt',
    'At1',
    'At2',
    'At3',
    'Loaded',
    'Jam',
    'CartStuck',
    'Crash',
    'Lost',
    ...LOAD_READS,
  ],
  draw: (read, label) => {
    const x = TRACK * (Math.max(1, read('Place')) - 2);
    return (
      <g>
        <path d={`M${-TRACK - 46} 42H${TRACK + 46}`} className="stroke-ink" strokeWidth={2.5} />
        {[1, 2, 3].map((i) => (
          <g key={i} transform={`translate(${TRACK * (i - 2)},0)`}>
            <path d="M-6 46h12" className="stroke-soft" strokeWidth={2} />
            <Sensor x={0} y={-38} on={read(`At${i}`) > 0} label={`at track ${i}`} />
            <Small y={-46} text={read('GivesAt') === i ? `${i} · out` : String(i)} />
          </g>
        ))}
        <g transform={`translate(${x},0)`}>
          {read('Load.Cart') > 0 && (
            <g {...onWay(read('Roll'), 30)}>
              <g transform="translate(0,-7)">
                <Cart read={read} high={7} />
              </g>
            </g>
          )}
          <rect
            x={-46}
            y={31}
            width={92}
            height={7}
            rx={2}
            className={body(read('Left') !== read('Right') || read('TakeOn') > 0 || read('GiveOff') > 0)}
            strokeWidth={1.5}
          />
          <circle cx={-32} cy={40} r={3.6} className="fill-ink" />
          <circle cx={32} cy={40} r={3.6} className="fill-ink" />
        </g>
        <Trouble read={read} of={{ Crash: 'a cart is half on it', Jam: 'stuck', CartStuck: 'cart stuck', Lost: '' }} />
        <Label y={60} text={label} />
      </g>
    );
  },
};

const cartExit: Picture = {
  width: 92,
  reads: ['Carts', 'Pieces', 'CartFull', 'Blocked'],
  draw: (read, label) => (
    <g>
      <Rail half={46} />
      <path
        d={`M-34 ${BED_Y + 12}V-34H34V${BED_Y + 12}`}
        className={read('Blocked') > 0 ? 'fill-bad-soft stroke-bad' : 'fill-sunk stroke-soft'}
        strokeWidth={2}
      />
      <text y={0} textAnchor="middle" className="fill-ink font-mono text-[14px] font-semibold">
        {read('Carts')}
      </text>
      <Small y={-16} text="carts" />
      <Small y={16} text={`${read('Pieces')} pieces`} />
      <Trouble read={read} of={{ Blocked: 'not fetched' }} />
      <Label y={54} text={label} />
    </g>
  ),
};

export const HANDLING_PICTURES: Readonly<Record<string, Picture>> = {
  CartExit: cartExit,
  CartMagazine: cartMagazine,
  CartStand: cartStand,
  Gantry: gantry,
  Lift: lift,
  PartReader: partReader,
  Pusher: pusher,
  RollerTrack: rollerTrack,
  RowFormer: rowFormer,
  Stacker: stacker,
  TransferCar: transferCar,
  Unstacker: unstacker,
  WaySorter: waySorter,
  WeighBelt: weighBelt,
};
