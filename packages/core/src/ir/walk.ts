/** Walks over the intermediate representation that more than one back end needs. */
import type { Place, Statement, Value } from './tree.js';

const NONE: readonly never[] = [];

/** The lists of statements directly in a statement. */
export function listsOf(s: Statement): readonly (readonly Statement[])[] {
  return s.kind === 'if' ? [s.then, s.otherwise] : s.kind === 'loop' ? [s.head, s.body, s.tail] : NONE;
}
/** Whether a statement is there, however deep. */
export function contains(list: readonly Statement[], is: (s: Statement) => boolean): boolean {
  for (const s of list) {
    if (is(s)) return true;
    for (const l of listsOf(s)) if (contains(l, is)) return true;
  }
  return false;
}
/** The values that stand directly in a statement other than a `let`, those in its places left out. */
export function valuesOf(s: Statement): readonly Value[] {
  switch (s.kind) {
    case 'store':
      return [s.value];
    case 'fault':
      return s.shown ? [s.when, s.shown] : [s.when];
    case 'call':
      return [...(s.self ? [s.self] : []), ...s.args.map((a) => a.value)];
    case 'text':
      return s.args;
    case 'if':
      return [s.condition];
    case 'probe':
      return [s.closed];
    default:
      return NONE;
  }
}
export function placesOf(s: Statement): readonly Place[] {
  return s.kind === 'store' ? [s.place] : s.kind === 'copy' ? [s.to, s.from] : NONE;
}

function eachTemp(v: Value, visit: (temp: number) => void): void {
  if (v.kind === 'temp') visit(v.temp);
  else if (v.kind === 'op') for (const a of v.args) eachTemp(a, visit);
  else if (v.kind === 'load' || v.kind === 'address') eachTempOf(v.place, visit);
}
function eachTempOf(p: Place, visit: (temp: number) => void): void {
  if (p.root.kind === 'target') eachTemp(p.root.pointer, visit);
  for (const step of p.steps) if (step.kind === 'element') eachTemp(step.index, visit);
}

/**
 * Temps that something asks for which is written down: what only an unused one asks for is not. `also` is a value that
 * stands behind the statements.
 */
export function usedTemps(list: readonly Statement[], also?: Value): Set<number> {
  const used = new Set<number>(),
    kept = new Map<number, Value>();
  const use = (temp: number): void => {
    if (used.has(temp)) return;
    used.add(temp);
    const of = kept.get(temp);
    if (of) eachTemp(of, use);
  };
  // A temp is named before it is used, so the way back meets every use first.
  const collect = (some: readonly Statement[]): void => {
    for (const s of some) {
      if (s.kind === 'let') kept.set(s.temp, s.value);
      for (const l of listsOf(s)) collect(l);
    }
  };
  const walk = (some: readonly Statement[]): void => {
    for (const s of some) {
      for (const v of valuesOf(s)) eachTemp(v, use);
      for (const p of placesOf(s)) eachTempOf(p, use);
      for (const l of listsOf(s)) walk(l);
    }
  };
  collect(list);
  walk(list);
  if (also) eachTemp(also, use);
  return used;
}

/** After which statement of the list that names it a temp is not asked for any more; `also` as above. */
export function lastUses(
  list: readonly Statement[],
  used: ReadonlySet<number>,
  also?: Value,
): Map<Statement, number[]> {
  interface Level {
    current: Statement;
  }
  const named = new Map<number, Level>(),
    last = new Map<number, Statement>();
  const mention = (temp: number): void => {
    const level = named.get(temp);
    if (level) last.set(temp, level.current);
  };
  const visit = (some: readonly Statement[], level: Level, isLoop: boolean): void => {
    for (const s of some) {
      // What the head of a loop names may be asked for in all of it.
      if (!isLoop) level.current = s;
      const name = (temp: number): void => {
        named.set(temp, level);
        last.set(temp, level.current);
      };
      if (s.kind === 'let') {
        if (!used.has(s.temp)) continue;
        eachTemp(s.value, mention);
        name(s.temp);
        continue;
      }
      for (const v of valuesOf(s)) eachTemp(v, mention);
      for (const p of placesOf(s)) eachTempOf(p, mention);
      if (s.kind === 'if') for (const l of listsOf(s)) visit(l, { current: s }, false);
      else if (s.kind === 'loop') {
        visit(s.head, level, true);
        visit(s.body, { current: s }, false);
        visit(s.tail, level, true);
      } else if (s.kind === 'call' && s.result && 'temp' in s.result) name(s.result.temp);
    }
  };
  const first = list[0];
  if (first) visit(list, { current: first }, false);
  if (also) eachTemp(also, (temp) => last.delete(temp));
  const ends = new Map<Statement, number[]>();
  for (const [temp, s] of last) {
    const some = ends.get(s);
    if (some) some.push(temp);
    else ends.set(s, [temp]);
  }
  return ends;
}
