/** Object orientation (6.6.5 to 6.6.8): bases, methods, overriding, interfaces, and what may stand for what. */
import type { Span } from '../language/source.js';
import type { InterfaceDecl, Name, Pou } from '../language/tree.js';
import { type Type, UNKNOWN, sameType, typeText } from '../types/type.js';
import { didYouMean } from '../language/diagnostic.js';
import type { CheckedInterface, CheckedPou, Variable } from '../checked/tree.js';
import { type PouScope, type ProjectScope, findNamed, fullName, key, namesOf } from '../names/scope.js';
import { findMethod, lineage, interfacesOf } from '../names/lineage.js';

/** Whether instances carry the number of their class: where methods or bodies can be chosen by it. */
export function needsClassNumber(decl: Pou): boolean {
  return decl.pou === 'CLASS' || decl.methods.length > 0 || decl.extends !== undefined || decl.implements.length > 0;
}

/** The base of a block, laid out; reports what cannot be extended. */
export function baseBlock(scope: PouScope, decl: Pou): CheckedPou | undefined {
  const name = decl.extends;
  if (!name?.text) return undefined;
  const { project } = scope;
  const base = findNamed(project, name.text, scope.context);
  const fits = base?.kind === 'pou' && (base.pou === 'FUNCTION_BLOCK' || base.pou === 'CLASS');
  if (!fits || (decl.pou === 'CLASS' && base.pou !== 'CLASS')) {
    project.problems.error(
      base ? 'TYPE_MISMATCH' : 'UNKNOWN_TYPE',
      base
        ? `A ${decl.pou === 'CLASS' ? 'class extends a class' : 'function block extends a function block or a class'}; '${name.text}' is neither.`
        : `There is no ${decl.pou === 'CLASS' ? 'class' : 'function block'} '${name.text}'.${didYouMean(
            name.text,
            namesOf(project, (d) => d.kind === 'pou'),
          )}`,
      name.at,
    );
    return undefined;
  }
  if (base.modifiers.includes('FINAL')) {
    project.problems.error('NOT_EXTENDABLE', `'${name.text}' is FINAL and cannot be extended.`, name.at);
    return undefined;
  }
  return project.parts.block(project, base, name.at);
}

/** An interface, its prototypes declared; undefined with a problem reported when there is none of that name. */
export function findInterface(scope: PouScope, name: Name): CheckedInterface | undefined {
  const { project } = scope;
  const decl = findNamed(project, name.text, scope.context);
  if (decl?.kind === 'interface') return checkInterface(project, decl, name.at);
  if (name.text)
    project.problems.error(
      decl ? 'TYPE_MISMATCH' : 'UNKNOWN_TYPE',
      decl
        ? `'${name.text}' is not an interface.`
        : `There is no interface '${name.text}'.${didYouMean(
            name.text,
            namesOf(project, (d) => d.kind === 'interface'),
          )}`,
      name.at,
    );
  return undefined;
}

export function checkInterface(project: ProjectScope, decl: InterfaceDecl, at: Span): CheckedInterface | undefined {
  const id = key(fullName(decl));
  const done = project.interfaces.get(id);
  if (done) return done;
  if (project.open.has(`interface ${id}`)) {
    project.problems.error('RECURSION', `The interface '${decl.name.text}' extends itself.`, at);
    return undefined;
  }
  project.open.add(`interface ${id}`);
  const scope: PouScope = { project, context: decl.context, variables: new Map() };
  const bases = decl.extends.flatMap((n) => findInterface(scope, n) ?? []);
  const methods = new Map<string, CheckedPou>();
  const result: CheckedInterface = { name: fullName(decl), bases, methods };
  project.interfaces.set(id, result);
  for (const b of bases) b.methods.forEach((m, k) => methods.set(k, m));
  for (const m of decl.methods) {
    if (methods.has(key(m.name.text)) && !bases.some((b) => b.methods.has(key(m.name.text))))
      project.problems.error('DUPLICATE_NAME', `The interface has a method '${m.name.text}' already.`, m.name.at);
    methods.set(
      key(m.name.text),
      scope.project.parts.method(scope, undefined, { ...m, modifiers: ['ABSTRACT'], access: 'PUBLIC' }, result.name),
    );
  }
  project.open.delete(`interface ${id}`);
  return result;
}

/** What must hold once all methods are known: overriding, abstract methods, interfaces (6.6.5.4 to 6.6.6). */
export function checkClass(project: ProjectScope, pou: CheckedPou, decl: Pou): void {
  const { problems } = project;
  for (const m of pou.methods.values()) {
    const before = findMethod(pou.base, m.method!.name.text);
    const at = m.method!.name.at;
    const isOverride = m.method!.modifiers.includes('OVERRIDE');
    if (before && !isOverride)
      problems.error(
        'OVERRIDE',
        `'${m.method!.name.text}' is a method of ${before.owner!.name} already; write OVERRIDE to replace it.`,
        at,
        [{ message: 'declared here', at: before.method!.name.at }],
      );
    if (!before && isOverride)
      problems.error(
        'OVERRIDE',
        `There is no method '${m.method!.name.text}' in a base of ${pou.name} to override.${didYouMean(
          m.method!.name.text,
          lineage(pou.base).flatMap((p) => [...p.methods.values()].map((x) => x.method!.name.text)),
        )}`,
        at,
      );
    if (before?.method!.modifiers.includes('FINAL'))
      problems.error(
        'OVERRIDE',
        `'${before.owner!.name}.${m.method!.name.text}' is FINAL and cannot be overridden.`,
        at,
        [{ message: 'declared here', at: before.method!.name.at }],
      );
    if (before) sameSignature(project, m, before);
    if (m.method!.modifiers.includes('ABSTRACT') && !decl.modifiers.includes('ABSTRACT'))
      problems.error('ABSTRACT', `'${m.method!.name.text}' is ABSTRACT, so ${pou.name} must be ABSTRACT too.`, at);
  }
  if (!decl.modifiers.includes('ABSTRACT')) {
    for (const m of abstractIn(pou).values())
      if (m.owner !== pou)
        problems.error(
          'ABSTRACT',
          `${pou.name} gives no method for the ABSTRACT '${m.method!.name.text}' of its base.`,
          decl.name.at,
        );
  }
  for (const i of interfacesOf(pou))
    for (const proto of i.methods.values()) {
      const own = findMethod(pou, proto.method!.name.text);
      if (!own) {
        if (!decl.modifiers.includes('ABSTRACT'))
          problems.error(
            'INTERFACE',
            `${pou.name} implements ${i.name}, but has no method '${proto.method!.name.text}'.`,
            decl.name.at,
            [{ message: 'asked for here', at: proto.method!.name.at }],
          );
        continue;
      }
      if (own.method!.access !== 'PUBLIC')
        problems.error(
          'INTERFACE',
          `'${own.method!.name.text}' implements ${i.name} and must be PUBLIC.`,
          own.method!.name.at,
        );
      sameSignature(project, own, proto);
    }
}

const knownAbstract = new WeakMap<CheckedPou, ReadonlyMap<string, CheckedPou>>();
/** Methods of a block and of its bases for which there is no body yet, by name; once all methods are declared. */
function abstractIn(pou: CheckedPou): ReadonlyMap<string, CheckedPou> {
  const known = knownAbstract.get(pou);
  if (known) return known;
  const above = pou.base ? abstractIn(pou.base) : new Map<string, CheckedPou>();
  let all = above;
  if (pou.methods.size) {
    const own = new Map(above);
    for (const [name, m] of pou.methods) {
      own.delete(name);
      if (m.method!.modifiers.includes('ABSTRACT')) own.set(name, m);
    }
    all = own;
  }
  knownAbstract.set(pou, all);
  return all;
}

const parametersOf = (m: CheckedPou): Variable[] =>
  m.variables.filter((v) => v.section === 'input' || v.section === 'inout' || v.section === 'output');

function sameSignature(project: ProjectScope, m: CheckedPou, other: CheckedPou): void {
  const a = parametersOf(m),
    b = parametersOf(other);
  const result = (x: CheckedPou): Type => x.result?.type ?? UNKNOWN;
  const same =
    a.length === b.length &&
    a.every((v, i) => key(v.name) === key(b[i]!.name) && v.section === b[i]!.section && sameType(v.type, b[i]!.type)) &&
    result(m).kind === result(other).kind &&
    (result(m).kind === 'unknown' || sameType(result(m), result(other)));
  if (same) return;
  const text = (x: CheckedPou) =>
    `(${parametersOf(x)
      .map((v) => `${v.name} : ${typeText(v.type)}`)
      .join('; ')})${x.result ? ` : ${typeText(x.result.type)}` : ''}`;
  project.problems.error(
    'OVERRIDE',
    `'${m.method!.name.text}' must have the parameters of ${other.name}: ${text(other)}, not ${text(m)}.`,
    m.method!.name.at,
    [{ message: 'declared here', at: other.method!.name.at }],
  );
}

/** Every method that can run when `method` is called on an instance not known before the run, by class. */
export function implementations(
  classes: Iterable<CheckedPou>,
  method: CheckedPou,
  within: (c: CheckedPou) => boolean,
): Map<CheckedPou, CheckedPou> {
  const found = new Map<CheckedPou, CheckedPou>();
  for (const c of classes) {
    if (!within(c)) continue;
    const m = findMethod(c, method.method!.name.text);
    if (m && !m.method!.modifiers.includes('ABSTRACT')) found.set(c, m);
  }
  return found;
}
