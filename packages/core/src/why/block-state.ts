/**
 * How a block of the library stands, in words: how far a timer is, which input of a bistable wins (Tables 43 to 46).
 */
import type { Value } from '../runtime/paths.js';

/** What can be asked of one instance after a scan. */
export interface BlockView {
  /** As it is called where it is spoken of. */
  readonly name: string;
  readonly type: string;
  /** The output that is spoken of. */
  readonly out: string;
  value(member: string): Value | undefined;
  /** The scan since which a member is as it is; undefined for since the start. */
  since(member: string): number | undefined;
  /** What stands at an input and is so: `OffPB`, `Level > 80 does not hold`; undefined where nothing can be named. */
  atPin(member: string): string | undefined;
}

/** Inputs that switch an output on, and those that keep it off whatever the others say. */
interface Roles {
  readonly on: readonly string[];
  readonly keepsOff?: string;
}
/** A timer for LTIME is told as the one for TIME. */
const kindOfBlock = (type: string): string => type.toUpperCase().replace(/_L?TIME$/, '');

/** Undefined for what is no block of the library, or has no such output. */
export function rolesOf(type: string, out: string): Roles | undefined {
  switch (kindOfBlock(type)) {
    case 'SR':
      return { on: ['S1'] };
    case 'RS':
      return { on: ['S'], keepsOff: 'R1' };
    case 'TON':
    case 'TOF':
    case 'TP':
      return { on: ['IN'] };
    case 'R_TRIG':
    case 'F_TRIG':
      return { on: ['CLK'] };
    default: {
      const counter = /^CT(UD|U|D)(_|$)/i.exec(type)?.[1]?.toUpperCase();
      if (counter === undefined) return undefined;
      return counter === 'D' || out.toUpperCase() === 'QD' ? { on: ['CD'] } : { on: ['CU'], keepsOff: 'R' };
    }
  }
}

/** The inputs one of which turned an output round, the one that wins first; undefined where it is no bistable. */
export function turnedBy(type: string, isOn: boolean): readonly string[] | undefined {
  switch (type.toUpperCase()) {
    case 'SR':
      return isOn ? ['S1'] : ['R', 'S1'];
    case 'RS':
      return isOn ? ['S', 'R1'] : ['R1'];
    default:
      return undefined;
  }
}

export const scanText = (n: number): string => `scan ${n.toLocaleString('en')}`;

export function blockState(b: BlockView): string {
  const { name } = b,
    is = (m: string) => b.value(m) === true,
    seconds = (m: string) => `${(Number(b.value(m)) / 1e9).toFixed(2)} s`,
    since = (m: string) => {
      const at = b.since(m);
      return at === undefined ? 'since the start' : `since ${scanText(at)}`;
    },
    because = (m: string) => {
      const what = b.atPin(m);
      return what === undefined ? since(m) : `${what} ${since(m)}`;
    };
  switch (kindOfBlock(b.type)) {
    case 'TON':
      return is('Q')
        ? `${name} has run its ${seconds('PT')}`
        : is('IN')
          ? `${name} has ${seconds('ET')} of ${seconds('PT')}, timing ${since('IN')}`
          : `${name} is not timing`;
    case 'TOF':
      return is('Q')
        ? is('IN')
          ? `${name} is held`
          : `${name} drops after ${seconds('ET')} of ${seconds('PT')}, timing ${since('IN')}`
        : `${name} has run out`;
    case 'TP':
      return is('Q')
        ? `${name} gives its pulse: ${seconds('ET')} of ${seconds('PT')}`
        : is('IN')
          ? `${name} has given its pulse and waits for its input to go off`
          : `${name} waits for its input to rise`;
    case 'SR':
      if (is('S1')) return `${name}: S1 is on${is('R') ? ' and wins over R' : ''}: ${because('S1')}`;
      if (is('Q1')) return `${name} stays set: S1 was on last${lastOn('S1')}`;
      return is('R') ? `${name} waits for S1; R is on: ${because('R')}` : `${name} waits for S1: ${because('S1')}`;
    case 'RS':
      if (is('R1')) return `${name}: R1 is on and wins${is('S') ? ' over S' : ''}: ${because('R1')}`;
      if (is('S')) return `${name}: S is on: ${because('S')}`;
      return is('Q1') ? `${name} stays set: S was on last${lastOn('S')}` : `${name} waits for S: ${because('S')}`;
    case 'R_TRIG':
      return is('Q')
        ? `${name} saw CLK rise in this scan`
        : is('CLK')
          ? `${name} gave its one scan; CLK is on: ${because('CLK')}`
          : `${name} waits for CLK to rise: ${because('CLK')}`;
    case 'F_TRIG':
      return is('Q')
        ? `${name} saw CLK fall in this scan`
        : is('CLK')
          ? `${name} waits for CLK to fall: ${because('CLK')}`
          : `${name} gave its one scan; CLK is off: ${because('CLK')}`;
    default: {
      const roles = rolesOf(b.type, b.out);
      if (!roles) return `${name}.${b.out} is ${is(b.out) ? 'on' : 'off'}`;
      const counted = `${name} has counted ${String(b.value('CV'))} of ${String(b.value('PV'))}`;
      return roles.keepsOff && is(roles.keepsOff)
        ? `${name}: ${roles.keepsOff} is on and wins: ${because(roles.keepsOff)}`
        : roles.on[0] === 'CD'
          ? `${name} has ${String(b.value('CV'))} left of ${String(b.value('PV'))}`
          : counted;
    }
  }

  function lastOn(m: string): string {
    const at = b.since(m);
    return at === undefined ? '' : ` in ${scanText(at - 1)}`;
  }
}
