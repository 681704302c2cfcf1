/**
 * Machines with others in them, each as one picture: a lock with its gates and sluices, a cart track with its doors and
 * the kiln at its end, ducts with their gates and the fan. What moves in them is a device of its own and sits where it
 * acts.
 */
import { Label, type Picture, Sensor, Wrong, body } from './drawing.js';

const Small = ({ x = 0, y, text }: { readonly x?: number; readonly y: number; readonly text: string }) => (
  <text x={x} y={y} textAnchor="middle" className="fill-soft text-[9.5px]">
    {text}
  </text>
);

/** A drive with what it says of its two ends; what it moves is drawn by the machine it sits in. */
const drive = (at: 'above' | 'below'): Picture => ({
  width: 30,
  reads: ['Position', 'IsOpen', 'IsShut', 'Open', 'Jam'],
  draw: (read, label) => {
    const s = at === 'above' ? -1 : 1;
    return (
      <g>
        <rect
          x={-8}
          y={s < 0 ? -13 : 1}
          width={16}
          height={12}
          rx={2.5}
          className={body(read('Open') > 0)}
          strokeWidth={1.3}
        />
        <Sensor x={14} y={s < 0 ? -11 : 4} on={read('IsOpen') > 0} label={`${label} open`} />
        <Sensor x={14} y={s < 0 ? -3 : 12} on={read('IsShut') > 0} label={`${label} shut`} />
        {read('Jam') > 0 && (
          <text y={s * 20 + 3} textAnchor="middle" className="fill-bad text-[10px] font-semibold">
            stuck
          </text>
        )}
      </g>
    );
  },
});

/** A slide in a culvert below the gates, with its drive beneath. */
const paddle: Picture = {
  width: 40,
  reads: ['Position', 'IsOpen', 'IsShut', 'Open', 'Jam'],
  draw: (read, label) => {
    const open = read('Position');
    return (
      <g>
        <path d="M-22 -8v8q0 5 5 5h34q5 0 5 -5v-8" fill="none" className="stroke-soft" strokeWidth={9} />
        <path
          d="M-22 -8v8q0 5 5 5h34q5 0 5 -5v-8"
          fill="none"
          className={open > 0.05 ? 'stroke-copper' : 'stroke-sunk'}
          strokeWidth={6}
        />
        <path d={`M0 ${-1 + 10 * open}v12`} className="stroke-ink" strokeWidth={4} />
        <path d="M0 12v7" className="stroke-soft" strokeWidth={2} />
        <g transform="translate(0,19)">{drive('below').draw(read, label)}</g>
      </g>
    );
  },
};

const lockChamber: Picture = {
  width: 270,
  down: 26,
  reads: ['Water', 'Lift', 'UpperGate', 'LowerGate', 'Boat', 'Along', 'QueueBelow', 'QueueAbove', 'Surge', 'Stalled'],
  seats: {
    lowergate: { x: -52, y: -46, picture: drive('above'), hit: [-14, -16, 28, 100] },
    uppergate: { x: 52, y: -46, picture: drive('above'), hit: [-14, -16, 28, 100] },
    lowersluice: { x: -52, y: 52, picture: paddle, hit: [-26, -6, 52, 40], behind: true },
    uppersluice: { x: 52, y: 52, picture: paddle, hit: [-26, -6, 52, 40], behind: true },
  },
  draw: (read, label) => {
    // Nothing is known of it while it stands in a list.
    const lift = read('Lift') || 3,
      y = (m: number) => 34 - (62 * m) / Math.max(0.1, lift),
      water = read('Water'),
      boat = read('Boat'),
      along = read('Along');
    const at =
      boat === 1
        ? -92 + 92 * along
        : boat === 3
          ? 92 * along
          : boat === 4
            ? 92 - 92 * along
            : boat === 6
              ? -92 * along
              : 0;
    const level = at < -52 ? 0 : at > 52 ? lift : water;
    const Boat = ({ x, m }: { readonly x: number; readonly m: number }) => (
      <g transform={`translate(${x},${y(m)})`}>
        <path d="M-17 -6h34l-6 10h-22z" className="fill-ink stroke-sheet" strokeWidth={1} />
        <path d="M-7 -7v-8h11l4 8z" className="fill-sheet stroke-ink" strokeWidth={1.2} />
      </g>
    );
    // A leaf turns away into the chamber: shut it is seen from its edge, open from its side.
    const gate = (x: number, into: 1 | -1, open: number) => {
      const w = 6 + 26 * open;
      return (
        <rect
          x={into > 0 ? x - 3 : x + 3 - w}
          y={y(lift) - 12}
          width={w}
          height={44 - y(lift) + 14}
          rx={1.5}
          className={open > 0.02 ? 'fill-glow stroke-copper' : 'fill-ink stroke-ink'}
          fillOpacity={open > 0.02 ? 0.9 - 0.6 * open : 1}
          strokeWidth={1.3}
        />
      );
    };
    return (
      <g>
        <rect x={-130} y={y(0)} width={78} height={46 - y(0)} className="fill-copper" opacity={0.35} />
        <rect x={52} y={y(lift)} width={78} height={46 - y(lift)} className="fill-copper" opacity={0.35} />
        <rect x={-52} y={y(water)} width={104} height={46 - y(water)} className="fill-copper" opacity={0.5} />
        <path d="M-130 47h260" className="stroke-ink" strokeWidth={3} />
        {boat > 0 && <Boat x={at} m={level} />}
        {gate(-52, 1, read('LowerGate'))}
        {gate(52, -1, read('UpperGate'))}
        {Array.from({ length: Math.min(2, read('QueueBelow')) }, (_, i) => (
          <Boat key={i} x={-92 - i * 30} m={0} />
        ))}
        {Array.from({ length: Math.min(2, read('QueueAbove')) }, (_, i) => (
          <Boat key={i} x={92 + i * 30} m={lift} />
        ))}
        <text y={-40} textAnchor="middle" className="fill-ink font-mono text-[11px] font-semibold">
          {water.toFixed(2)} m
        </text>
        <Small x={-100} y={20} text="below" />
        <Small x={100} y={-40} text="above" />
        {(read('Surge') > 0 || read('Stalled') > 0) && (
          <Wrong text={read('Surge') > 0 ? 'water breaks through' : 'boat stalled'} />
        )}
        <Label y={66} text={label} />
      </g>
    );
  },
};

/** Contacts of a contactor in small, beside what it switches. */
const switchBox: Picture = {
  width: 24,
  reads: ['Closed', 'Coil', 'Welded', 'CoilOpen'],
  draw: (read, label) => {
    const closed = read('Closed') > 0;
    return (
      <g>
        <rect x={-11} y={-14} width={22} height={28} rx={3} className={body(read('Coil') > 0)} strokeWidth={1.4} />
        <path
          d={`M0 -12v7M0 5v7${closed ? 'M0 -5v10' : 'M0 5l-5 -9'}`}
          className={closed ? 'stroke-copper' : 'stroke-ink'}
          strokeWidth={closed ? 2.6 : 1.5}
        />
        {(read('Welded') > 0 || read('CoilOpen') > 0) && (
          <text y={-18} textAnchor="middle" className="fill-bad text-[10px] font-semibold">
            {read('Welded') > 0 ? 'welded' : 'coil open'}
          </text>
        )}
        <Small y={25} text={label} />
      </g>
    );
  },
};

/** A fan seen from its side, turning. */
const fanWheel = (r: number): Picture => ({
  width: 2 * r,
  reads: ['Speed', 'Turn', 'Running', 'Overload'],
  draw: (read, label) => (
    <g>
      <circle r={r} className={body(read('Speed') > 0.02)} strokeWidth={1.6} />
      <g transform={`rotate(${read('Turn') * 360})`}>
        {[0, 120, 240].map((a) => (
          <path
            key={a}
            d={`M0 0q${r * 0.5} ${-r * 0.2} ${r * 0.25} ${-r * 0.8}q${-r * 0.35} ${r * 0.3} ${-r * 0.25} ${r * 0.8}`}
            transform={`rotate(${a})`}
            className="fill-panel stroke-soft"
            strokeWidth={1.2}
          />
        ))}
      </g>
      <Sensor x={r} y={-r} on={read('Running') > 0} label={`${label}: contactor`} />
      {read('Overload') > 0 && (
        <text y={-r - 6} textAnchor="middle" className="fill-bad text-[10px] font-semibold">
          overload
        </text>
      )}
    </g>
  ),
});

/** A flap in a chimney; the chimney is the kiln's. */
const flap: Picture = {
  width: 26,
  reads: ['Position', 'IsOpen', 'IsShut', 'Open', 'Jam'],
  draw: (read, label) => (
    <g>
      <g transform={`rotate(${90 * read('Position')})`}>
        <path d="M-9 0h18" className={read('Open') > 0 ? 'stroke-copper' : 'stroke-ink'} strokeWidth={3.5} />
      </g>
      <Sensor x={17} y={-4} on={read('IsOpen') > 0} label={`${label} open`} />
      <Sensor x={17} y={5} on={read('IsShut') > 0} label={`${label} shut`} />
      {read('Jam') > 0 && (
        <text y={-10} textAnchor="middle" className="fill-bad text-[10px] font-semibold">
          stuck
        </text>
      )}
    </g>
  ),
};

const KILN_READS = [
  'T[1]',
  'T[2]',
  'T[3]',
  'P[1]',
  'P[2]',
  'P[3]',
  'Supply',
  'Door',
  'Damper',
  'Cart',
  'LimitOK',
  'Probe1Broken',
  'Element2Broken',
  'Zone3StuckOn',
] as const;

/** A kiln with three zones; its door stands at its left, where no track has one. */
const kilnOf = (hasDoor: boolean): Picture => ({
  width: 230,
  up: 16,
  reads: KILN_READS,
  seats: {
    damper: { x: 52, y: -64, picture: flap, hit: [-13, -14, 26, 28] },
    supply: { x: 103, y: 4, picture: switchBox, hit: [-12, -16, 24, 44] },
    fan: { x: -40, y: -64, picture: fanWheel(13), hit: [-15, -15, 30, 30] },
  },
  draw: (read, label) => (
    <g>
      <path d="M43 -50v-36M61 -50v-36" className="stroke-ink" strokeWidth={2} />
      <rect x={-84} y={-50} width={168} height={84} rx={3} className="fill-panel stroke-ink" strokeWidth={2.5} />
      {[1, 2, 3].map((z) => {
        const x = -112 + 56 * z,
          power = read(`P[${z}]`) * read('Supply'),
          heat = Math.min(1, Math.max(0, (read(`T[${z}]`) - 20) / 1200));
        return (
          <g key={z} transform={`translate(${x},0)`}>
            <rect x={-27} y={-46} width={54} height={76} rx={2} className="fill-copper" opacity={0.05 + 0.6 * heat} />
            {[-18, -6, 6, 18].map((e) => (
              <path
                key={e}
                d={`M${e} -8q-4-4 0-8t0-8`}
                fill="none"
                className={power > 0.02 ? 'stroke-copper' : 'stroke-faint'}
                strokeWidth={1 + 2.2 * power}
              />
            ))}
            <text y={-34} textAnchor="middle" className="fill-ink font-mono text-[11px] font-semibold">
              {read(`T[${z}]`).toFixed(0)}°
            </text>
          </g>
        );
      })}
      {hasDoor && (
        <path
          d={`M-84 ${34 - 82 * (1 - read('Door'))}V34`}
          className={read('Door') > 0.02 ? 'stroke-copper' : 'stroke-ink'}
          strokeWidth={6}
          opacity={read('Door') > 0.98 ? 0.2 : 1}
        />
      )}
      {read('LimitOK') === 0 && <Wrong text="over the limit" />}
      {(read('Probe1Broken') > 0 || read('Element2Broken') > 0 || read('Zone3StuckOn') > 0) && (
        <Wrong
          text={
            read('Probe1Broken') > 0
              ? 'probe 1 broken'
              : read('Element2Broken') > 0
                ? 'element 2 broken'
                : 'zone 3 stuck on'
          }
        />
      )}
      <Label y={hasDoor ? 54 : 66} text={label} />
    </g>
  ),
});

/** Place on the track in m to the picture's x: table 0, outer door 1, lock 2, inner door 3, kiln 4. */
const onTrack = (m: number): number => -204 + 76 * m;

const cartTrack: Picture = {
  width: 480,
  up: 36,
  reads: [
    'Place',
    'Present',
    'Fired',
    'Outer',
    'Inner',
    'AtTable',
    'InLock',
    'InKiln',
    'OuterWay',
    'InnerWay',
    'Crash',
    'Stuck',
    'Forward',
    'Backward',
  ],
  seats: {
    outer: { x: onTrack(1), y: -50, picture: drive('above'), hit: [-14, -16, 28, 96] },
    inner: { x: onTrack(3), y: -50, picture: drive('above'), hit: [-14, -16, 28, 96] },
    lockroof: { x: onTrack(2), y: -64, picture: fanWheel(12), hit: [-14, -14, 28, 28], of: ['Motor'] },
    heat: { x: onTrack(3) + 84, y: -4, picture: kilnOf(false), hit: [-80, -46, 160, 80], behind: true },
  },
  draw: (read, label, taken) => {
    const at = onTrack,
      moves = read('Forward') !== read('Backward'),
      fired = read('Fired') > 0,
      hasKiln = taken?.has('heat') ?? false;
    const door = (m: number, open: number, name: string) => (
      <g>
        <rect
          x={at(m) - 3}
          y={-50 - 62 * open}
          width={6}
          height={80}
          className={open > 0.02 ? 'fill-glow stroke-copper' : 'fill-ink stroke-ink'}
          strokeWidth={1.2}
          opacity={open > 0.98 ? 0.5 : 1}
        />
        <title>{`${name} door ${(100 * open).toFixed(0)} % open`}</title>
      </g>
    );
    return (
      <g>
        <path d={`M${at(0) - 28} 31H${at(4) + 90}`} className="stroke-soft" strokeWidth={3} />
        <path d={`M${at(1)} -50H${at(3)}`} fill="none" className="stroke-ink" strokeWidth={2.5} />
        {!hasKiln && <path d={`M${at(3)} -50H${at(4) + 60}V30`} fill="none" className="stroke-ink" strokeWidth={2} />}
        {read('Present') > 0 && (
          <g transform={`translate(${at(read('Place'))},0)`}>
            <rect
              x={-27}
              y={11}
              width={54}
              height={10}
              rx={2}
              className={moves ? 'fill-glow stroke-copper' : 'fill-panel stroke-ink'}
              strokeWidth={1.6}
            />
            <circle cx={-16} cy={26} r={4.5} className="fill-ink" />
            <circle cx={16} cy={26} r={4.5} className="fill-ink" />
            {[-16, 0, 16].map((x) => (
              <path
                key={x}
                d={`M${x - 6} 10q-3 -12 2 -18h8q5 7 2 18z`}
                className={fired ? 'fill-copper stroke-ink' : 'fill-sheet stroke-soft'}
                strokeWidth={1.2}
              />
            ))}
          </g>
        )}
        {door(1, read('Outer'), 'Outer')}
        {door(3, read('Inner'), 'Inner')}
        <Sensor x={at(0)} y={41} on={read('AtTable') > 0} label="at the table" />
        <Sensor x={at(2)} y={41} on={read('InLock') > 0} label="in the lock" />
        <Sensor x={at(4)} y={41} on={read('InKiln') > 0} label="in the kiln" />
        <Sensor x={at(1)} y={41} on={read('OuterWay') > 0} label="outer doorway" />
        <Sensor x={at(3)} y={41} on={read('InnerWay') > 0} label="inner doorway" />
        <Small x={at(0)} y={58} text="table" />
        <Small x={at(2)} y={-36} text="lock" />
        {!hasKiln && <Small x={at(4)} y={-56} text="kiln" />}
        {(read('Crash') > 0 || read('Stuck') > 0) && (
          <Wrong text={read('Crash') > 0 ? 'against a door' : 'cart stuck'} />
        )}
        <g transform={`translate(${at(1) - 20},0)`}>
          <Label y={62} text={label} />
        </g>
      </g>
    );
  },
};

/** A slide in a branch of the ducts. */
const slide: Picture = {
  width: 34,
  reads: ['Position', 'IsOpen', 'IsShut', 'Open', 'Jam'],
  draw: (read, label) => (
    <g>
      <path
        d={`M${-8 + 15 * read('Position')} 0h16`}
        className={read('Open') > 0 ? 'stroke-copper' : 'stroke-ink'}
        strokeWidth={4}
      />
      <rect x={14} y={-5} width={11} height={10} rx={2} className={body(read('Open') > 0)} strokeWidth={1.2} />
      <Sensor x={31} y={-4} on={read('IsOpen') > 0} label={`${label} open`} />
      <Sensor x={31} y={5} on={read('IsShut') > 0} label={`${label} shut`} />
      {read('Jam') > 0 && (
        <text x={20} y={-9} textAnchor="middle" className="fill-bad text-[10px] font-semibold">
          stuck
        </text>
      )}
    </g>
  ),
};

/** A table saw: the blade half through its table. */
const saw: Picture = {
  width: 60,
  reads: ['Speed', 'Turn', 'Running', 'Overload', 'Run'],
  draw: (read, label) => {
    const runs = read('Speed') > 0.02;
    return (
      <g>
        <g transform={`translate(0,2) rotate(${read('Turn') * 360})`}>
          <circle r={15} className={body(runs)} strokeWidth={1.5} strokeDasharray="4 2" />
          <path d="M0 -9V9M-9 0H9" className="stroke-soft" strokeWidth={1.6} />
        </g>
        <rect x={-28} y={2} width={56} height={5} rx={1} className="fill-panel stroke-ink" strokeWidth={1.3} />
        <rect x={-22} y={7} width={44} height={17} className="fill-panel stroke-ink" strokeWidth={1.3} />
        <Sensor x={30} y={-8} on={read('Running') > 0} label={`${label}: contactor`} />
        {read('Overload') > 0 && (
          <text y={-18} textAnchor="middle" className="fill-bad text-[10px] font-semibold">
            overload
          </text>
        )}
        <text y={20} textAnchor="middle" className="fill-ink font-mono text-[9.5px]">
          {(read('Speed') * 100).toFixed(0)} %
        </text>
        <Small y={35} text={label} />
      </g>
    );
  },
};

/** Where the branches leave the main duct. */
const BRANCHES = [-134, -54, 26] as const;

const duct: Picture = {
  width: 372,
  down: 12,
  reads: ['Fan', 'Gate1', 'Gate2', 'Gate3', 'Draught', 'FilterDrop', 'Clogged'],
  seats: {
    ...Object.fromEntries(
      BRANCHES.flatMap((x, i) => [
        [`gate${i + 1}`, { x, y: -14, picture: slide, hit: [-10, -10, 46, 20] as const }],
        [`branch${i + 1}`, { x, y: 40, picture: saw, hit: [-30, -20, 60, 56] as const, of: ['Motor'] }],
      ]),
    ),
    fan: { x: 150, y: -44, picture: fanWheel(22), hit: [-24, -24, 48, 48] },
  },
  draw: (read, label, taken) => {
    const draws = read('Draught') > 50;
    return (
      <g>
        <path d="M-140 -44H96" className="stroke-soft" strokeWidth={14} />
        <path d="M-140 -44H96" className={draws ? 'stroke-copper' : 'stroke-sunk'} strokeWidth={10} opacity={0.7} />
        {BRANCHES.map((x, k) => {
          const open = read(`Gate${k + 1}`);
          return (
            <g key={x} transform={`translate(${x},0)`}>
              <path d="M0 -37V22" className="stroke-soft" strokeWidth={12} />
              <path
                d="M0 -38V22"
                className={open > 0.05 && read('Fan') > 0.05 ? 'stroke-copper' : 'stroke-sunk'}
                strokeWidth={8}
                opacity={0.3 + 0.6 * open}
              />
              <path d="M-12 24L-6 18H6L12 24" fill="none" className="stroke-soft" strokeWidth={2} />
            </g>
          );
        })}
        <rect x={88} y={-66} width={40} height={62} rx={3} className="fill-panel stroke-ink" strokeWidth={1.8} />
        <path d="M96 -58v42M104 -58v42M112 -58v42M120 -58v42" className="stroke-soft" strokeWidth={1.6} />
        <path d="M90 -4l18 14l18 -14" fill="none" className="stroke-ink" strokeWidth={1.6} />
        {!taken?.has('fan') && (
          <circle cx={150} cy={-44} r={22} className={body(read('Fan') > 0.02)} strokeWidth={1.6} />
        )}
        <text x={150} y={12} textAnchor="middle" className="fill-ink font-mono text-[10.5px]">
          {read('Draught').toFixed(0)} Pa
        </text>
        <text x={150} y={25} textAnchor="middle" className="fill-soft font-mono text-[9.5px]">
          filter {read('FilterDrop').toFixed(0)}
        </text>
        {read('Clogged') > 0 && <Wrong text="filter full" />}
        <g transform="translate(124,0)">
          <Label y={50} text={label} />
        </g>
      </g>
    );
  },
};

export const SITE_PICTURES: Readonly<Record<string, Picture>> = {
  CartTrack: cartTrack,
  Duct: duct,
  KilnChamber: kilnOf(true),
  LockChamber: lockChamber,
};
