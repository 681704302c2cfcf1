/** A rung to its line. `parseRungLine(printRung(r))` gives the same structure: a property test holds that. */
import type { CallArgument, Element, Output, Part, Rung } from './rung.js';

const CONTACT = { open: '', closed: '!', rising: '^', falling: '^!' } as const;
const COIL = { plain: '', negated: '!', set: 'set ', reset: 'reset ', rising: '^', falling: '^!' } as const;

export function printRung(rung: Rung): string {
  const logic = rung.logic ? `${printPart(rung.logic)} ` : '';
  return `${logic}-> ${rung.outputs.map(printOutput).join(', ')}`;
}

export function printPart(p: Part, inSeries = false): string {
  switch (p.kind) {
    case 'series':
      return p.parts.map((x) => printPart(x, true)).join(' & ');
    case 'parallel': {
      const text = p.legs.map((l) => printPart(l)).join(' | ');
      return inSeries ? `(${text})` : text;
    }
    default:
      return printElement(p);
  }
}

export function printElement(e: Element): string {
  switch (e.kind) {
    case 'contact':
      return CONTACT[e.mode] + e.tag;
    case 'compare':
      return `${e.left} ${e.op} ${e.right}`;
    case 'call':
      return `${e.name}${e.inPin ? `@${e.inPin}` : ''}${e.type ? `:${e.type}` : ''}(${e.args.map(printArgument).join(', ')})${e.outPin ? `.${e.outPin}` : ''}`;
  }
}

/** What stands over the contact of a function, and names a call: without pins and types that only its line tells. */
export const callText = (e: Element & { readonly kind: 'call' }): string =>
  `${e.name}(${e.args.map(printArgument).join(', ')})`;

const printArgument = (a: CallArgument): string => (a.pin ? `${a.pin} ${a.output ? '=>' : ':='} ${a.value}` : a.value);

export function printOutput(o: Output): string {
  switch (o.kind) {
    case 'coil':
      return COIL[o.mode] + o.tag;
    case 'action':
      return `${o.once ? '^' : ''}{ ${o.text} }`;
    case 'return':
      return 'return';
    case 'path':
      return `(${printPart(o.logic)} -> ${o.outputs.map(printOutput).join(', ')})`;
  }
}
