/**
 * `PREVIOUS(Tag)` and `PREVIOUS(Tag, n)` in rules and checks: what a tag held a scan, or n scans, before. A small
 * program remembers it, run after all others in the plan of a proof: so snapshots, searches and proofs know it as any
 * state.
 *
 * Earlier scans (`verify/play/earlier`): `PREVIOUS(Tag, n)` in a rule or check is rewritten to read a small program that
 * remembers, which the plan of a proof runs after all others; so search and proof know it as any state, and the
 * project itself is not changed.
 */
import type { Image } from '../../compile/image.js';
import { type ProjectPou, MACHINE } from '../../document/document.js';
import { findPath } from '../../runtime/paths.js';
import { baseOf, typeText } from '../../types/type.js';

/** Id of the program that remembers: what it does is no logic of the project. */
export const EARLIER_ID = 'rules-earlier';
/** Most scans back. */
export const MOST_BACK = 100;

const CALL = /\bPREVIOUS\s*\(\s*([A-Za-z_][\w.]*(?:\[[^\]()]*\][\w.]*)*)\s*(?:,\s*(\d+)\s*)?\)/gi;
/** Whether a condition asks for something earlier. */
export const asksEarlier = (text: string): boolean => /\bPREVIOUS\s*\(/i.test(text);

export class Earlier {
  private readonly paths = new Map<string, { readonly path: string; readonly type: string; back: number }>();

  /** `image`: of the project alone. `name`: of the program, one that nothing of the project has. */
  constructor(
    private readonly image: Image,
    private readonly name: string,
  ) {}

  /** The condition with what it asks for in place, or what is wrong with it. */
  replace(text: string): { readonly text: string } | { readonly error: string } {
    let error: string | undefined;
    const replaced = text.replace(CALL, (_, path: string, n: string | undefined) => {
      const back = Number(n ?? 1),
        found = findPath(this.image, path);
      if ('error' in found) error ??= found.error;
      else if (path.split(/[.[]/)[0]!.toLowerCase() === MACHINE.toLowerCase())
        error ??= `PREVIOUS looks back at tags of the logic; '${path}' belongs to the machine. Use the input that it is wired to.`;
      else if (baseOf(found.location.type) === undefined)
        error ??= `PREVIOUS looks back at one value; '${path}' is made of several. Name a member or an element.`;
      else if (back < 1 || back > MOST_BACK) error ??= `PREVIOUS looks back 1 to ${MOST_BACK} scans, not ${n}.`;
      else {
        const key = path.toLowerCase(),
          known = this.paths.get(key) ?? { path, type: typeText(found.location.type), back };
        known.back = Math.max(known.back, back);
        this.paths.set(key, known);
        return `${this.name}.v${[...this.paths.keys()].indexOf(key)}_${back}`;
      }
      return 'FALSE';
    });
    if (!error && asksEarlier(replaced))
      error = `PREVIOUS takes the name of a tag, member or element, and how many scans back: PREVIOUS(Level) or PREVIOUS(Level, 5).`;
    return error ? { error } : { text: replaced };
  }

  /**
   * The program that remembers; undefined when nothing was asked for. In the first scan everything was always as it is.
   */
  program(): ProjectPou | undefined {
    if (!this.paths.size) return undefined;
    const list = [...this.paths.values()],
      cells = (p: { readonly back: number }) => Array.from({ length: p.back + 1 }, (_, i) => i);
    const text = [
      `PROGRAM ${this.name}`,
      'VAR_OUTPUT',
      ...list.flatMap((p, i) => cells(p).map((k) => `  v${i}_${k} : ${p.type};`)),
      'END_VAR',
      'VAR',
      '  Begun : BOOL;',
      'END_VAR',
      'IF Begun THEN',
      ...list.flatMap((p, i) =>
        [...cells(p)].reverse().map((k) => `  v${i}_${k} := ${k ? `v${i}_${k - 1}` : p.path};`),
      ),
      'ELSE',
      '  Begun := TRUE;',
      ...list.flatMap((p, i) => cells(p).map((k) => `  v${i}_${k} := ${p.path};`)),
      'END_IF;',
      'END_PROGRAM',
      '',
    ].join('\n');
    return { id: EARLIER_ID, name: this.name, language: 'ST', kind: 'program', text };
  }
}
