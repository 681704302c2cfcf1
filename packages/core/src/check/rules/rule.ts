import type { Diagnostic } from '../../language/diagnostic.js';
import type { CheckedProgram } from '../checked.js';

export type Report = (at: Diagnostic['at'], message: string, related?: Diagnostic['related']) => void;

/** One lint rule: what it looks for, and how it says so. Severity is the project's setting, not the rule's business. */
export interface Rule {
  readonly code: string;
  /** One sentence for the help. */
  readonly about: string;
  readonly check: (program: CheckedProgram, report: Report) => void;
}
