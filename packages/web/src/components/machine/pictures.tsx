/** How each kind of device looks, from its own values. */
import { CRIMPING_PICTURES } from './crimping-pictures.js';
import { Label, type Picture, Sensor, Wrong, body } from './drawing.js';
import { HANDLING_PICTURES } from './handling-pictures.js';
import { PART_PICTURES } from './part-pictures.js';
import { SITE_PICTURES } from './site-pictures.js';

const actuator: Picture = {
  width: 58,
  up: 28,
  down: 8,
  reads: ['Position', 'AtHome', 'AtEnd', 'Out', 'Jam'],
  draw: (read, label) => {
    const at = 30 - read('Position') * 24;
    const driven = read('Out') > 0;
    const jaw = driven ? 'fill-copper stroke-copper' : 'fill-panel stroke-soft';
    return (
      <g>
        <path d={`M0 ${-at - 20}V-74`} className="stroke-soft" strokeWidth={5} />
        <rect x={-15} y={-at - 22} width={30} height={20} rx={3} className={jaw} strokeWidth={1.4} />
        <rect x={-15} y={at + 2} width={30} height={20} rx={3} className={jaw} strokeWidth={1.4} />
        <rect x={-13} y={-90} width={26} height={18} rx={3} className="fill-soft" />
        <Sensor x={20} y={-66} on={read('AtHome') > 0} label="home" />
        <Sensor x={20} y={-40} on={read('AtEnd') > 0} label="end" />
        {read('Jam') > 0 && (
          <text y={-96} textAnchor="middle" className="fill-bad text-[11px] font-semibold">
            stuck
          </text>
        )}
        <Label y={70} text={label} />
      </g>
    );
  },
};

/** Two lines through the middle, so long to each side and turned by so many turns. */
function cross(reach: number, turns: number): string {
  const angle = turns * 2 * Math.PI,
    x = (reach * Math.cos(angle)).toFixed(1),
    y = (reach * Math.sin(angle)).toFixed(1);
  return `M${x} ${y}L${-Number(x)} ${-Number(y)}M${-Number(y)} ${x}L${y} ${-Number(x)}`;
}

const motor: Picture = {
  width: 84,
  reads: ['Speed', 'Turn', 'Running', 'Overload', 'Run'],
  draw: (read, label) => (
    <g>
      <circle r={24} className={body(read('Speed') > 0.02)} strokeWidth={1.8} />
      <path d={cross(17, read('Turn'))} className="stroke-soft" strokeWidth={2.2} />
      <Sensor x={30} y={-20} on={read('Running') > 0} label="contactor" />
      <text y={40} textAnchor="middle" className="fill-ink font-mono text-[10.5px]">
        {(read('Speed') * 100).toFixed(0)} %
      </text>
      {read('Overload') > 0 && <Wrong text="overload" />}
      <Label y={56} text={label} />
    </g>
  ),
};

const servo: Picture = {
  width: 120,
  reads: ['Position', 'Length', 'InPosition', 'Enable', 'Jam'],
  draw: (read, label) => (
    <g>
      <path d="M-48 10h96" className="stroke-soft" strokeWidth={3} />
      <rect
        x={-48 + 84 * Math.min(1, read('Position') / Math.max(1, read('Length')))}
        y={-6}
        width={12}
        height={26}
        rx={3}
        className={body(read('Enable') > 0)}
        strokeWidth={1.6}
      />
      <Sensor x={52} y={-12} on={read('InPosition') > 0} label="in position" />
      <text y={-14} textAnchor="middle" className="fill-ink font-mono text-[10.5px]">
        {read('Position').toFixed(1)} mm
      </text>
      {read('Jam') > 0 && <Wrong text="stuck" />}
      <Label y={40} text={label} />
    </g>
  ),
};

const valve: Picture = {
  width: 72,
  reads: ['Position', 'IsOpen', 'IsShut', 'Open', 'Jam'],
  draw: (read, label) => (
    <g>
      <path d="M-26 0h52" className="stroke-soft" strokeWidth={9} />
      <path d="M-26 0h52" className={read('Position') > 0.05 ? 'stroke-copper' : 'stroke-sunk'} strokeWidth={6} />
      <g transform={`rotate(${90 - read('Position') * 90})`}>
        <rect x={-17} y={-3.5} width={34} height={7} rx={3} className={body(read('Open') > 0)} strokeWidth={1.5} />
      </g>
      <path d="M0-6v-18" className="stroke-soft" strokeWidth={2} />
      <rect x={-9} y={-36} width={18} height={13} rx={3} className={body(read('Open') > 0)} strokeWidth={1.4} />
      <Sensor x={22} y={-30} on={read('IsOpen') > 0} label="open" />
      <Sensor x={22} y={-18} on={read('IsShut') > 0} label="shut" />
      {read('Jam') > 0 && <Wrong text="stuck" />}
      <Label y={34} text={label} />
    </g>
  ),
};

const pump: Picture = {
  width: 72,
  reads: ['Turn', 'Running', 'Flow', 'Dry', 'Blocked'],
  draw: (read, label) => (
    <g>
      <path d="M-30 12h14M16-12h14" className="stroke-soft" strokeWidth={6} />
      <circle r={20} className={body(read('Running') > 0)} strokeWidth={1.8} />
      <g transform={`rotate(${read('Turn') * 360})`}>
        <path d="M0 0q7-8 3-16M0 0q-11-1-13 8M0 0q3 11 11 9" fill="none" className="stroke-soft" strokeWidth={2.4} />
      </g>
      <text y={36} textAnchor="middle" className="fill-ink font-mono text-[10.5px]">
        {read('Flow').toFixed(1)} l/s
      </text>
      {(read('Dry') > 0 || read('Blocked') > 0) && <Wrong text={read('Dry') > 0 ? 'dry' : 'blocked'} />}
      <Label y={52} text={label} />
    </g>
  ),
};

const tank: Picture = {
  width: 96,
  reads: ['Level', 'High', 'LowOK', 'HighAt', 'LowAt', 'FlowOut', 'Leak'],
  draw: (read, label) => {
    const y = (percent: number) => 44 - (percent / 100) * 92;
    return (
      <g>
        <rect
          x={-28}
          y={y(read('Level'))}
          width={56}
          height={44 - y(read('Level'))}
          className="fill-copper"
          opacity={0.55}
        />
        <path d="M-28-50v94h56v-94" fill="none" className="stroke-ink" strokeWidth={2} />
        <Sensor x={36} y={y(read('HighAt'))} on={read('High') > 0} label="high" />
        <Sensor x={36} y={y(read('LowAt'))} on={read('LowOK') > 0} label="low" />
        <text y={2} textAnchor="middle" className="fill-ink font-mono text-[11px] font-semibold">
          {read('Level').toFixed(0)} %
        </text>
        {read('Leak') > 0 && <Wrong text="leaks" />}
        <Label y={60} text={label} />
      </g>
    );
  },
};

const heater: Picture = {
  width: 92,
  reads: ['Temperature', 'Power', 'On', 'BrokenElement', 'BrokenWire', 'DoorOpen'],
  draw: (read, label) => {
    const power = read('On') > 0 ? 1 : read('Power');
    return (
      <g>
        <rect x={-32} y={-36} width={64} height={64} rx={5} className={body(power > 0.02)} strokeWidth={1.8} />
        {[-14, 0, 14].map((x) => (
          <path
            key={x}
            d={`M${x} 20q-6-7 0-13t0-13`}
            fill="none"
            className={power > 0.02 ? 'stroke-copper' : 'stroke-faint'}
            strokeWidth={1 + 2.5 * power}
          />
        ))}
        <text y={-18} textAnchor="middle" className="fill-ink font-mono text-[11.5px] font-semibold">
          {read('Temperature').toFixed(0)} °C
        </text>
        {(read('BrokenElement') > 0 || read('BrokenWire') > 0 || read('DoorOpen') > 0) && (
          <Wrong
            text={read('BrokenWire') > 0 ? 'probe broken' : read('DoorOpen') > 0 ? 'door open' : 'element broken'}
          />
        )}
        <Label y={46} text={label} />
      </g>
    );
  },
};

/** Something measured, as a number in a frame. */
const meter = (of: string, unit: string, digits: number, more: readonly string[] = []): Picture => ({
  width: 84,
  reads: [of, ...more, 'BrokenWire'],
  draw: (read, label) => (
    <g>
      <rect x={-34} y={-16} width={68} height={30} rx={5} className="fill-sheet stroke-soft" strokeWidth={1.5} />
      <text y={4} textAnchor="middle" className="fill-ink font-mono text-[12px] font-semibold">
        {read(of).toFixed(digits)}
        {unit}
      </text>
      {more.includes('Stable') && <Sensor x={40} y={-1} on={read('Stable') > 0} label="settled" />}
      {read('BrokenWire') > 0 && <Wrong text="wire broken" />}
      <Label y={32} text={label} />
    </g>
  ),
});

const contactor: Picture = {
  width: 60,
  reads: ['Closed', 'Coil', 'Welded', 'CoilOpen'],
  draw: (read, label) => {
    const closed = read('Closed') > 0;
    return (
      <g>
        <rect x={-20} y={-30} width={40} height={56} rx={4} className={body(read('Coil') > 0)} strokeWidth={1.8} />
        {[-10, 0, 10].map((x) => (
          <g key={x} className={closed ? 'stroke-copper' : 'stroke-ink'} strokeWidth={closed ? 3 : 1.6}>
            <path d={`M${x} -38v18M${x} 18v16`} />
            <path d={closed ? `M${x} -20v38` : `M${x} 18l-7 -34`} />
          </g>
        ))}
        {(read('Welded') > 0 || read('CoilOpen') > 0) && <Wrong text={read('Welded') > 0 ? 'welded' : 'coil open'} />}
        <Label y={52} text={label} />
      </g>
    );
  },
};

export const PICTURES: Readonly<Record<string, Picture>> = {
  ...PART_PICTURES,
  ...HANDLING_PICTURES,
  ...SITE_PICTURES,
  ...CRIMPING_PICTURES,
  Actuator: actuator,
  Motor: motor,
  Contactor: contactor,
  Servo: servo,
  Valve: valve,
  Pump: pump,
  Tank: tank,
  Heater: heater,
  AnalogSensor: meter('Signal', '', 1),
  Scale: meter('Weight', ' kg', 2, ['Stable']),
};
