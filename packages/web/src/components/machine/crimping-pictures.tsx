/**
 * A cell that puts ferrules on wire ends, as one picture: the wire comes from its reel through the rollers, past the
 * blade into the clamp and under the press; a ferrule comes down its track, the puller tries the end, and the finished
 * piece drops over the chute into one of two bins. What moves is a device of its own and sits where it acts.
 */
import type { ReactNode } from 'react';
import { Label, type Picture, Sensor, body } from './drawing.js';

const Bad = ({ y, text }: { readonly y: number; readonly text: string }) => (
  <text y={y} textAnchor="middle" className="fill-bad text-[11px] font-semibold">
    {text}
  </text>
);

/** A reel of wire and the two rollers that drive it. */
const feeder: Picture = {
  width: 104,
  reads: ['Turns', 'Velocity', 'Jam', 'Empty', 'Length'],
  draw: (read, label) => {
    const turn = read('Turns') * 360;
    const moving = read('Velocity') > 1;
    return (
      <g>
        <g transform="translate(-22,-44)">
          <circle r={32} className="fill-panel stroke-soft" strokeWidth={1.5} />
          <circle
            r={22}
            fill="none"
            className={read('Empty') ? 'stroke-edge' : 'stroke-copper'}
            strokeWidth={9}
            opacity={0.85}
          />
          <circle r={10} className="fill-panel stroke-soft" />
          <path d="M0-10v20M-10 0h20" className="stroke-soft" transform={`rotate(${-turn / 3})`} />
        </g>
        {[-11, 11].map((y) => (
          <g key={y} transform={`translate(38,${y})`}>
            <circle
              r={10}
              className={moving ? 'fill-glow stroke-copper' : 'fill-sheet stroke-soft'}
              strokeWidth={1.6}
            />
            <path d="M0 0v-9" className="stroke-ink" strokeWidth={1.6} transform={`rotate(${y < 0 ? turn : -turn})`} />
          </g>
        ))}
        {read('Jam') > 0 && (
          <g transform="translate(38,0)">
            <Bad y={-28} text="jammed" />
          </g>
        )}
        <g transform="translate(-22,0)">
          <Label y={16} text={label} />
        </g>
      </g>
    );
  },
};

const ferruleTrack: Picture = {
  width: 50,
  up: 40,
  reads: ['InPlace', 'Falling', 'Progress', 'Low', 'Blocked'],
  draw: (read, label) => (
    <g>
      <path d="M0-104q-3 50 6 92" fill="none" className="stroke-soft" strokeWidth={2.5} />
      {[-100, -86, -72].map((y) => (
        <rect key={y} x={-6} y={y} width={11} height={10} rx={2} className="fill-panel stroke-ink" />
      ))}
      {read('Falling') > 0 && (
        <rect x={-3} y={-62 + read('Progress') * 50} width={11} height={10} rx={2} className="fill-copper" />
      )}
      {read('InPlace') > 0 && <rect x={0} y={-6} width={13} height={12} rx={2} className="fill-copper stroke-copper" />}
      {read('Blocked') > 0 && <Bad y={-110} text="blocked" />}
      <Label y={38} text={label} />
    </g>
  ),
};

const pullTester: Picture = {
  width: 66,
  reads: ['Force', 'Pull', 'Slipped'],
  draw: (read, label) => {
    const force = read('Force');
    return (
      <g>
        <rect
          x={-16}
          y={-14}
          width={30}
          height={28}
          rx={4}
          className={read('Pull') > 0 ? 'fill-glow stroke-copper' : 'fill-sheet stroke-soft'}
          strokeWidth={1.6}
        />
        <path d={`M14 0h${6 + Math.min(18, force / 5)}`} className="stroke-soft" strokeWidth={3} />
        <text y={-20} textAnchor="middle" className="fill-ink font-mono text-[11px]">
          {force.toFixed(0)} N
        </text>
        {read('Slipped') > 0 && <Bad y={32} text="slipped" />}
        <Label y={read('Slipped') > 0 ? 46 : 32} text={label} />
      </g>
    );
  },
};

/** A cylinder over the wire, with what it moves: `tool` is drawn from how far it is out, 0 to 1. */
const over = (tool: (out: number, driven: boolean) => ReactNode, sensors = -21): Picture => ({
  width: 58,
  reads: ['Position', 'AtHome', 'AtEnd', 'Out', 'Jam'],
  draw: (read, label) => (
    <g>
      <rect x={-13} y={-78} width={26} height={18} rx={3} className="fill-soft" />
      {tool(read('Position'), read('Out') > 0)}
      <Sensor x={sensors} y={-72} on={read('AtHome') > 0} label={`${label} home`} />
      <Sensor x={sensors} y={-61} on={read('AtEnd') > 0} label={`${label} at its end`} />
      {read('Jam') > 0 && <Bad y={-84} text="stuck" />}
      <Label y={46} text={label} />
    </g>
  ),
});

/** Two jaws: the upper comes down onto the wire. */
const clamp = over((out, driven) => {
  const y = -20 - 22 * (1 - out);
  return (
    <>
      <path d={`M0-60V${y}`} className="stroke-soft" strokeWidth={5} />
      <rect x={-14} y={y} width={28} height={17} rx={3} className={body(driven)} strokeWidth={1.5} />
      <rect x={-14} y={3} width={28} height={25} rx={3} className="fill-panel stroke-soft" strokeWidth={1.5} />
    </>
  );
});
/** A pointed blade that meets its notch. */
const blade = over((out, driven) => {
  const y = -24 - 28 * (1 - out);
  return (
    <>
      <path d={`M0-60V${y}`} className="stroke-soft" strokeWidth={4} />
      <path d={`M-10 ${y}h20v16l-10 12l-10-12z`} className={body(driven)} strokeWidth={1.5} />
      <path d="M-10 28V8l10 9l10-9v20z" className="fill-panel stroke-soft" strokeWidth={1.5} />
    </>
  );
});
/** A ram in its frame, over an anvil. */
const press = over((out, driven) => {
  const y = -34 - 24 * (1 - out);
  return (
    <>
      <path d="M-27 28V-66h54V28" fill="none" className="stroke-soft" strokeWidth={2.4} />
      <path d={`M0-60V${y}`} className="stroke-soft" strokeWidth={7} />
      <rect x={-20} y={y} width={40} height={20} rx={3} className={body(driven)} strokeWidth={1.5} />
      <rect x={-8} y={y + 20} width={16} height={9} className={body(driven)} strokeWidth={1.5} />
      <path d="M-16 28V10h8v-5h16v5h8v18z" className="fill-panel stroke-soft" strokeWidth={1.5} />
    </>
  );
}, -35);

/** Ferrules one above the other, and the way down to the press. */
const track: Picture = {
  width: 50,
  reads: ferruleTrack.reads,
  draw: (read, label) => {
    const at = read('Progress');
    return (
      <g>
        <path d="M8-96v48q0 40-26 44" fill="none" className="stroke-soft" strokeWidth={2.2} />
        <path d="M-7-96v46q0 34-14 40" fill="none" className="stroke-soft" strokeWidth={2.2} />
        {[-96, -82, -68].map((y) => (
          <rect
            key={y}
            x={-4.5}
            y={y}
            width={10}
            height={11}
            rx={2}
            className={read('Low') > 0 && y < -70 ? 'fill-none stroke-faint' : 'fill-panel stroke-ink'}
          />
        ))}
        {read('Falling') > 0 && (
          <rect
            x={-4.5 - 26 * at * at}
            y={-54 + 50 * at}
            width={10}
            height={10}
            rx={2}
            className="fill-copper stroke-copper"
          />
        )}
        {read('InPlace') > 0 && (
          <rect x={-44} y={-5} width={13} height={10} rx={2} className="fill-copper stroke-copper" />
        )}
        <title>
          {label}: {read('Low') > 0 ? 'low' : 'enough'}
        </title>
        {read('Blocked') > 0 ? <Bad y={-102} text="blocked" /> : <Label y={-102} text={label} />}
      </g>
    );
  },
};

/** Two fingers that take the end and pull. */
const puller: Picture = {
  width: 66,
  reads: pullTester.reads,
  draw: (read, label) => {
    const pulls = read('Pull') > 0,
      reach = pulls ? 72 : 16,
      force = read('Force');
    return (
      <g>
        <path
          d={`M-12-7h${-reach}v4M-12 7h${-reach}v-4`}
          fill="none"
          className={pulls ? 'stroke-copper' : 'stroke-soft'}
          strokeWidth={3}
        />
        <rect x={-14} y={-13} width={30} height={26} rx={4} className={body(pulls)} strokeWidth={1.6} />
        <path d="M1 13v15" className="stroke-soft" strokeWidth={6} />
        <text y={-20} textAnchor="middle" className="fill-ink font-mono text-[11px]">
          {force.toFixed(0)} N
        </text>
        {read('Slipped') > 0 && <Bad y={-34} text="slipped" />}
        <Label y={46} text={label} />
      </g>
    );
  },
};

/** Where the wire is cut and where its end may lie, along the picture; units of the view a millimetre. */
const CUT = -62,
  FAR = 72,
  MM = 1.55;
/** Time that a piece falls, s: as the device has it. */
const FALL = 0.15;

const wirePiece: Picture = {
  width: 386,
  up: 36,
  down: 58,
  reads: ['Present', 'Crimped', 'Falling', 'Good', 'Reject', 'ToReject', 'PieceLength', 'WireOut', 'Chute'],
  seats: {
    wireout: { x: -136, y: 0, picture: feeder, hit: [-56, -78, 108, 130], of: ['Feeder'] },
    blade: { x: CUT, y: 0, picture: blade, hit: [-26, -80, 52, 128], of: ['Actuator'] },
    clamp: { x: 0, y: 0, picture: clamp, hit: [-26, -80, 52, 128], of: ['Actuator'] },
    press: { x: 66, y: 0, picture: press, hit: [-30, -80, 60, 128], of: ['Actuator'] },
    ferrulein: { x: 108, y: 0, picture: track, hit: [-20, -112, 40, 96], of: ['FerruleTrack'] },
    puller: { x: 160, y: 0, picture: puller, hit: [-30, -40, 60, 90], of: ['PullTester'], by: 'holds' },
  },
  draw: (read, label, taken) => {
    const end = (mm: number) => Math.min(FAR, CUT + mm * MM),
      present = read('Present') > 0,
      falling = read('Falling'),
      toReject = read('ToReject') > 0,
      down = 1 - falling / FALL;
    const bin = (x: number, text: string, n: number, isNext: boolean) => (
      <g transform={`translate(${x},88)`}>
        <path
          d="M-29-16h58l-6 32h-46z"
          className={isNext && falling > 0 ? 'fill-glow stroke-copper' : 'fill-sunk stroke-soft'}
          strokeWidth={1.4}
        />
        <text y={6} textAnchor="middle" className="fill-ink font-mono text-[13px] font-semibold">
          {n}
        </text>
        <text y={30} textAnchor="middle" className="fill-soft text-[11px]">
          {text}
        </text>
      </g>
    );
    return (
      <g>
        <path d="M-124 30H180" className="stroke-soft" strokeWidth={4} />
        <path d="M-110 32v86M134 32v86" className="stroke-soft" strokeWidth={3} />
        {/* From the reel through the rollers to its end. */}
        <path
          d={`${taken?.has('wireout') ? 'M-158-12q4 12 34 12' : 'M-190 0H-124'}H${end(read('WireOut'))}`}
          fill="none"
          className="stroke-copper"
          strokeWidth={4}
        />
        {present && (
          <g>
            <path d={`M${CUT + 3} 0H${end(read('PieceLength'))}`} className="stroke-copper-ink" strokeWidth={5} />
            {read('Crimped') > 0 && (
              <rect x={end(read('PieceLength')) - 6} y={-5} width={13} height={10} rx={2} className="fill-ink" />
            )}
          </g>
        )}
        <path d={toReject ? 'M8 56l34 16' : 'M42 56l-34 16'} className="stroke-ink" strokeWidth={3} />
        {falling > 0 && (
          <rect
            x={(toReject ? 26 : -24) + (toReject ? 30 : -14) * down}
            y={38 + 36 * down}
            width={26}
            height={5}
            rx={2}
            className="fill-copper"
          />
        )}
        {bin(-12, 'good', read('Good'), !toReject)}
        {bin(66, 'reject', read('Reject'), toReject)}
        <g transform="translate(-78,0)">
          <Label y={78} text={label} />
        </g>
      </g>
    );
  },
};

export const CRIMPING_PICTURES: Readonly<Record<string, Picture>> = {
  Feeder: feeder,
  FerruleTrack: ferruleTrack,
  PullTester: pullTester,
  WirePiece: wirePiece,
};
