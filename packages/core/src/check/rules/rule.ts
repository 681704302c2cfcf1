import type { Diagnostic } from '../../language/diagnostic.js';
import type { CheckedPou, CheckedProgram } from '../../checked/tree.js';

export type Report = (at: Diagnostic['at'], message: string, related?: Diagnostic['related']) => void;

/** What of a wire of the machine model a rule may ask: paths of tags and of `Machine.Device.Terminal`. */
export interface WiredEnds {
  readonly from: string;
  readonly to: string;
  readonly kind: 'toTag' | 'toMachine' | 'link';
}

/** One lint rule: what it looks for, and how it says so. Severity is the project's setting, not the rule's business. */
export interface Rule {
  readonly code: string;
  /** One sentence for the help. */
  readonly about: string;
  /** The rest of its page in the help: why it matters, and two examples as they would be typed. */
  readonly help: { readonly why: string; readonly breaks: string; readonly holds: string };
  /** It says what nothing does; that can be told only when everything could be read. */
  readonly whole?: boolean;
  /** Looks at the program as a whole. */
  readonly check?: (program: CheckedProgram, report: Report, wires: readonly WiredEnds[]) => void;
  /** Looks at one POU and nothing else: what it says is kept until that POU is checked anew. */
  readonly checkPou?: (pou: CheckedPou, report: Report) => void;
}

/** What a project makes of a rule. */
export type Level = 'error' | 'warning' | 'off';
