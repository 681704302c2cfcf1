/**
 * The checked program as C11: `logic.h`, `logic.c` and what tells faults and names, from the intermediate
 * representation.
 */
import type { CheckedPou, CheckedProgram, ProgramInstance, Variable } from '../../checked/tree.js';
import type { Wire } from '../../runtime/engine.js';
import { withoutNeedless } from '../../ir/bounds.js';
import { ProgramFacts, lowerLoose, lowerPou } from '../../ir/lower.js';
import type { Statement, Unit } from '../../ir/tree.js';
import { type Span, placeText } from '../../language/source.js';
import { type Constant, type Type, baseOf, defaultValue, isScalar, sizeOf } from '../../types/type.js';
import { findPath, type Paths } from '../../runtime/paths.js';
import { Names } from './names.js';
import { fixedSpot, initialStatements } from './initial.js';
import { type NamedSpot, Reflection, quoted } from './reflect.js';
import { longReal, longTime } from './limits.js';
import { CTypes, NotInC, blockType } from './types.js';
import { type Spot, type Surroundings, dot, literal } from './surroundings.js';
import { contains, listsOf } from '../../ir/walk.js';
import { UnitPrinter, comment } from './unit.js';
import { machineOf } from '../../ir/machine.js';

export interface CProgram {
  /** Text of each file by its name. */
  readonly files: ReadonlyMap<string, string>;
  /** Which parts of the runtime it needs. */
  readonly needs: { readonly math: boolean; readonly text: boolean; readonly double: boolean; readonly real: boolean };
  /** Inputs and outputs: tags with an address, in its order. */
  readonly points: readonly Point[];
  /** Every tag that holds one value, for tables that name them. */
  readonly tags: readonly Point[];
  /** What lives through a restart, and a number that changes with how it lies. */
  readonly retained: readonly { readonly name: string; readonly c: string; readonly size: string }[];
  readonly retainedMark: number;
  /** Why durations need 64 bits of nanoseconds; undefined where 32 bits of milliseconds hold all of them. */
  readonly longTime: string | undefined;
  /** The first place that works with 64-bit reals. */
  readonly longReal: string | undefined;
  /** Statements of all units, for what they cost. */
  readonly units: readonly Unit[];
  /** The variables that make up the state. */
  readonly state: readonly Variable[];
  readonly types: CTypes;
  /** How often scans happen, in ns. */
  readonly stepNs: bigint;
}
/** A tag with an address in %I or %Q. */
export interface Point {
  readonly name: string;
  readonly address: string;
  readonly area: 'I' | 'Q' | 'M';
  readonly byte: number;
  readonly bit?: number;
  readonly type: Type;
  readonly spot: Spot;
}

export interface CSource {
  readonly program: CheckedProgram;
  readonly paths: Paths;
  /** Paths of what is retained, with the text that says how it lies. */
  readonly retained: { readonly paths: readonly string[]; readonly layout: string };
  readonly wires: readonly Wire[];
  /** Name of the program that holds the machine model: it goes into files of its own. */
  readonly machine?: string;
  readonly stepNs: bigint;
  /** What is said at the head of the files: name of the project. */
  readonly title: string;
}

/** Which units the statements of others call, in an order in which they were found. */
function reachable(
  facts: ProgramFacts,
  roots: readonly CheckedPou[],
  loose: readonly (readonly Statement[])[],
): Map<CheckedPou, Unit> {
  const units = new Map<CheckedPou, Unit>();
  const dispatches = new Map(facts.program.dispatches.map((d) => [d.method, d]));
  const visit = (pou: CheckedPou): void => {
    if (units.has(pou)) return;
    const unit = withoutNeedless(lowerPou(facts, pou), facts);
    units.set(pou, unit);
    walk(unit.body);
    if (pou.inheritsBody && pou.base) visit(pou.base);
  };
  const walk = (list: readonly Statement[]): void => {
    for (const s of list) {
      if (s.kind === 'call') {
        if (s.isVirtual) dispatches.get(s.pou)?.targets.forEach((t) => visit(t.pou));
        else visit(s.pou);
      }
      listsOf(s).forEach(walk);
    }
  };
  loose.forEach(walk);
  roots.forEach(visit);
  return units;
}

/** Throws `NotInC` with what the target has no way to write. */
export function printProgram(source: CSource): CProgram {
  return new Printer(source).print();
}

class Printer {
  private readonly facts: ProgramFacts;
  private readonly globals = new Names();
  private readonly structures = new Names();
  private readonly tags = new Names();
  private readonly machineTags = new Names();
  private readonly types: CTypes;
  private readonly places: { at: Span; isUnsigned: boolean }[] = [];
  private readonly texts = new Map<string, string>();
  private readonly textLines: string[] = [];
  private readonly shared: ReadonlySet<Variable>;
  private readonly machineVariable: Variable | undefined;
  private readonly around: Surroundings;
  private file: 'logic' | 'machine' = 'logic';

  constructor(private readonly source: CSource) {
    const { program } = source;
    this.facts = new ProgramFacts(program);
    for (const name of [
      'text',
      'I',
      'Q',
      'M',
      'inputs',
      'outputs',
      'links',
      'step',
      'type',
      'member',
      'value',
      'name',
      'place',
      'point',
    ]) {
      this.globals.reserve(name);
      this.structures.reserve(name);
      if (/^[IQM]$/.test(name)) this.tags.reserve(name);
    }
    this.types = new CTypes(this.structures, (name) => this.facts.pou(name));
    this.shared = sharedMemory(allVariables(program));
    const machine = source.machine === undefined ? -1 : program.instances.findIndex((i) => i.name === source.machine);
    this.machineVariable = program.instanceVariables[machine];
    this.around = {
      types: this.types,
      globals: this.globals,
      tag: (v) => this.spot(v),
      functionName: (pou, isVirtual) => this.functionName(pou, isVirtual),
      locate: (at, isUnsigned) => this.places.push({ at, isUnsigned }) - 1,
      text: (text, wide) => this.text(text, wide),
    };
  }

  private functionName(pou: CheckedPou, isVirtual: boolean): string {
    const name = this.globals.of(`function ${pou.name}`, pou.name.replaceAll('.', '_'), true);
    return isVirtual ? this.globals.of(`any ${pou.name}`, `any_${name}`) : name;
  }

  private spot(v: Variable): Spot {
    if (v.address && this.shared.has(v))
      return {
        kind: 'bytes',
        c: v.address.byte ? `logic.${v.address.area} + ${v.address.byte}` : `logic.${v.address.area}`,
        type: v.type,
        ...(v.address.bit !== undefined ? { bit: v.address.bit } : {}),
      };
    if (v === this.machineVariable)
      return { kind: 'variable', c: `machine.${this.machineTags.of(v, v.name)}`, type: v.type };
    const name = v.owner && v.address ? `${v.owner}_${v.name}` : v.name.replace('%', '');
    return { kind: 'variable', c: `logic.${this.tags.of(v, name)}`, type: v.type };
  }

  private text(text: string, wide: boolean): string {
    const key = `${this.file}${wide ? 'w' : ''}:${text}`;
    let name = this.texts.get(key);
    if (!name) {
      name = this.globals.of(key, `characters_${this.texts.size}`);
      this.texts.set(key, name);
      const codes = [...Array(text.length).keys()].map((i) => text.charCodeAt(i) & (wide ? 0xffff : 0xff));
      this.textLines.push(
        `static struct { uint16_t length; ${wide ? 'uint16_t' : 'uint8_t'} characters[${Math.max(codes.length, 1)}]; } ${name}_ = {${codes.length}, {${codes.join(', ') || '0'}}}; /* ${comment(text)} */`,
      );
    }
    return `(void *)&${name}_`;
  }

  print(): CProgram {
    const { program, stepNs } = this.source;
    const machine = program.instances.find((i) => i.name === this.source.machine);
    const instances = program.instances.filter((i) => i !== machine);
    const loose = new Map(
      program.instances.map((i) => [
        i,
        { before: lowerLoose(this.facts, i.before), after: lowerLoose(this.facts, i.after) },
      ]),
    );
    const conditions = new Map(
      program.tasks.flatMap((t) => (t.single ? [[t, lowerLoose(this.facts, [], t.single)] as const] : [])),
    );
    const looseOf = (list: readonly ProgramInstance[]) =>
      list.flatMap((i) => [loose.get(i)!.before.body, loose.get(i)!.after.body]);
    const units = reachable(
      this.facts,
      [...instances.map((i) => i.pou), ...program.blockRuns.filter((r) => r.instance !== machine).map((r) => r.pou)],
      [...looseOf(instances), ...[...conditions.values()].map((c) => c.body)],
    );
    const machineUnits = machine
      ? reachable(this.facts, [machine.pou], looseOf([machine]))
      : new Map<CheckedPou, Unit>();
    for (const pou of units.keys()) machineUnits.delete(pou);

    // Types first: those of tags and instances, then what functions ask for on their way.
    const variables = allVariables(program).filter((v) => v.home.kind === 'global' && v !== this.machineVariable);
    const own = variables.filter((v) => !(v.address && this.shared.has(v)));
    const members = own.map((v) => ({ v, c: this.types.declare(v.type, dotless(this.spot(v).c)) }));
    const bodies = [...units.values()].map((u) => this.unit(u));
    const dispatchers = this.dispatchers(units);
    const scan = this.scan(instances, loose, conditions);
    const start = this.start(
      own,
      variables,
      instances.map((i) => program.instanceVariables[program.instances.indexOf(i)]!),
    );
    const logicTypes = this.types.definitions.splice(0);
    const logicTexts = this.textLines.splice(0);
    const prototypes = this.prototypes(units);

    const files = new Map<string, string>();
    files.set(
      'logic.h',
      this.header('LOGIC_H', [
        ...logicTypes,
        this.stateStruct(members, program),
        'extern struct logic logic;',
        ...prototypes,
      ]),
    );
    files.set(
      'logic.c',
      `${this.title()}#include "logic.h"\n\nstruct logic logic;\n\n${logicTexts.length ? `${logicTexts.join('\n')}\n\n` : ''}${[...bodies, ...dispatchers, start, scan].join('\n')}`,
    );
    if (machine) this.printMachine(machine, machineUnits, loose.get(machine)!, files);
    if (this.places.length > 65_535) throw new NotInC('a program with more than 65,535 places that may fault');
    files.set('places.c', this.placesFile());
    files.set('names.c', this.namesFile(variables, instances, machine));
    const all = [...files.values()].join('\n');
    const looseBodies = [
      ...looseOf(instances).map((body) => ({ body, temps: [] })),
      ...[...conditions.values()].map((c) => ({
        body: [...c.body, ...(c.value ? [{ kind: 'let', temp: 0, value: c.value } as const] : [])],
        temps: [],
      })),
    ];
    const facts = {
      // Locals start anew at each call, from values of their own.
      longTime: longTime([...units.values(), ...looseBodies], program, [
        ...variables,
        ...[...units.keys()].flatMap((pou) => pou.variables.filter((v) => v.home.kind !== 'global')),
      ]),
      longReal: longReal([...units.values(), ...looseBodies], own),
    };
    return {
      files,
      needs: {
        math: /\bferrule_(sin|cos|tan|asin|acos|atan|atan2|exp|log|log10|pow)\(/.test(all),
        text: /\btext_(write|read)\(/.test(all),
        double: /\bdouble\b|_f64\b/.test(all),
        real: /\bfloat\b|\bdouble\b/.test(all),
      },
      points: this.points(variables.filter((v) => v.address && v.section !== 'hidden')),
      tags: this.points(variables.filter((v) => v.section !== 'hidden' && isScalar(v.type))),
      retained: this.source.retained.paths.flatMap((path) => {
        const spot = this.pathSpot(path);
        if (!spot) return [];
        return spot.kind === 'variable'
          ? [{ name: path, c: spot.c, size: `sizeof ${spot.c}` }]
          : [{ name: path, c: `*(${spot.c})`, size: `${spot.bit !== undefined ? 1 : sizeOf(spot.type)}` }];
      }),
      retainedMark: markOf(this.source.retained.layout),
      ...facts,
      units: [...units.values()],
      state: own,
      types: this.types,
      stepNs,
    };
  }

  private title(): string {
    return `/* ${comment(this.source.title)}: made by Ferrule from the project. Change the project, not this file. */\n`;
  }
  private header(guard: string, parts: readonly string[], include = '#include "ferrule.h"'): string {
    return `${this.title()}#ifndef ${guard}\n#define ${guard}\n\n${include}\n\n${parts.join('\n\n')}\n\n#endif\n`;
  }

  /** All state of the logic: tags, instances of programs, and bytes of addresses that several tags share. */
  private stateStruct(members: readonly { v: Variable; c: string }[], program: CheckedProgram): string {
    const lines = members.map(({ v, c }) => {
      const what = [v.address?.text, v.isRetained ? 'RETAIN' : undefined].filter(Boolean).join(', ');
      return `  ${c};${what ? ` /* ${comment(what)} */` : ''}`;
    });
    for (const area of ['I', 'Q', 'M'] as const) {
      const size = Math.max(
        0,
        ...[...this.shared].filter((v) => v.address!.area === area).map((v) => v.address!.byte + v.address!.size),
      );
      if (size) lines.push(`  uint8_t ${area}[${size}]; /* addresses that several tags share */`);
    }
    program.tasks.forEach((t, n) => lines.push(`  struct ferrule_task ${this.taskName(n)}; /* ${comment(t.name)} */`));
    if (!lines.length) lines.push('  uint8_t nothing;');
    return `/* All state of the logic. */\nstruct logic {\n${lines.join('\n')}\n};`;
  }
  private taskName(n: number): string {
    return this.tags.of(`task ${n}`, `task_${this.source.program.tasks[n]!.name}`);
  }

  /** A long body goes in pieces: compilers take a time for one function that grows much faster than it. */
  private unit(u: Unit): string {
    const pieces = piecesOf(u);
    if (pieces.length > 1) {
      const { pou } = u,
        own: CheckedPou = { ...pou, inheritsBody: false };
      const names = pieces.map((_, i) => this.globals.of(`${pou.name} part ${i}`, `${pou.name}_part_${i + 1}`));
      const parts = pieces.map(
        (body, i) => `static ${new UnitPrinter(this.around, { pou: own, body, temps: u.temps }).print(names[i]!)}`,
      );
      const name = this.functionName(pou, false);
      const calls = names.map((n) => `  ${n}(self);\n`);
      if (pou.inheritsBody && pou.base) calls.push(`  ${this.functionName(pou.base, false)}(&self->base);\n`);
      return `${parts.join('\n')}\n${UnitPrinter.signature(this.around, pou, name)} {\n${calls.join('')}}\n`;
    }
    return new UnitPrinter(this.around, u).print(this.functionName(u.pou, false));
  }
  private prototypes(units: ReadonlyMap<CheckedPou, Unit>): string[] {
    const virtual = this.heads.splice(0);
    const lines = [...units.keys()].map(
      (pou) => `${UnitPrinter.signature(this.around, pou, this.functionName(pou, false))};`,
    );
    return [[...lines, ...virtual.map((h) => `${h};`)].join('\n')].filter(Boolean);
  }
  /** Dispatches that statements of these units make. */
  private dispatchesOf(units: ReadonlyMap<CheckedPou, Unit>) {
    const called = new Set<CheckedPou>();
    const walk = (list: readonly Statement[]): void => {
      for (const s of list) {
        if (s.kind === 'call' && s.isVirtual) called.add(s.pou);
        listsOf(s).forEach(walk);
      }
    };
    for (const u of units.values()) walk(u.body);
    return this.facts.program.dispatches.filter((d) => called.has(d.method) && !this.printed.has(d.method));
  }
  private readonly printed = new Set<CheckedPou>();
  private readonly heads: string[] = [];

  /** Chooses the method, or the statements of a block, by the class of the instance. */
  private dispatchers(units: ReadonlyMap<CheckedPou, Unit>): string[] {
    return this.dispatchesOf(units).map((d) => {
      this.printed.add(d.method);
      const name = this.functionName(d.method, true);
      const head = UnitPrinter.signature(this.around, d.method, name);
      this.heads.push(head);
      const names = /\((.*)\)$/
        .exec(head)![1]!
        .split(', ')
        .map((p) => /(\w+)\)?(?:\[\d+\])?$/.exec(p)![1]!);
      const returns = head.startsWith('void ') && !head.startsWith('void *') ? '' : 'return ';
      const cases = d.targets.map((t) => {
        const own = t.pou.pou === 'METHOD' ? t.pou.owner! : t.pou;
        const self = `${this.types.castTo(blockType(own))}self`;
        const call = `${this.functionName(t.pou, false)}(${[self, ...names.slice(1)].join(', ')});`;
        return `    case ${t.classNumber}:\n      ${returns}${call}\n${returns ? '' : '      return;\n'}`;
      });
      return `${head} {\n  switch (class_of(self)) {\n${cases.join('')}    default:\n      ferrule_fault(FAULT_NULL, 0, 0);\n  }\n}\n`;
    });
  }

  private runOf(
    instance: ProgramInstance,
    loose: {
      before: { body: readonly Statement[]; temps: Unit['temps'] };
      after: { body: readonly Statement[]; temps: Unit['temps'] };
    },
    indent: string,
  ): string[] {
    const v = this.source.program.instanceVariables[this.source.program.instances.indexOf(instance)]!;
    const lines = (part: { body: readonly Statement[]; temps: Unit['temps'] }) =>
      new UnitPrinter(this.around, part).printLoose().map((l) => l.replace(/^ {2}/, indent));
    const before = lines(loose.before),
      after = lines(loose.after),
      call = `${indent}${this.functionName(instance.pou, false)}(&${this.spot(v).c});`;
    return before.length || after.length ? [`${indent}{`, ...before, call, ...after, `${indent}}`] : [call];
  }

  /** Tasks that are due by priority, then programs without a task. */
  private scan(
    instances: readonly ProgramInstance[],
    loose: ReadonlyMap<ProgramInstance, Parameters<Printer['runOf']>[1]>,
    conditions: ReadonlyMap<CheckedProgram['tasks'][number], ReturnType<typeof lowerLoose>>,
  ): string {
    const { program } = this.source;
    const lines: string[] = [];
    const order = program.tasks
      .map((task, n) => ({ task, n }))
      .sort((a, b) => a.task.priority - b.task.priority || a.n - b.n);
    for (const { task, n } of order) {
      const runs = instances.flatMap((i) => [
        ...(i.task?.toLowerCase() === task.name.toLowerCase() ? this.runOf(i, loose.get(i)!, '    ') : []),
        ...program.blockRuns
          .filter((r) => r.instance === i && r.task.toLowerCase() === task.name.toLowerCase())
          .map((r) => `    ${this.functionName(r.pou, false)}(&${fixedSpot(this.around, r.place, { c: '' })});`),
      ]);
      const condition = conditions.get(task);
      const name = `&logic.${this.taskName(n)}`;
      if (condition) {
        const printer = new UnitPrinter(this.around, condition);
        lines.push(...printer.printLoose(condition.value));
        lines.push(`  if (ferrule_rises(${name}, ${printer.loose(condition.value!)})) {`);
      } else lines.push(`  if (ferrule_due(${name})) {`);
      lines.push(...runs, '  }');
    }
    for (const i of instances) if (!i.task) lines.push(...this.runOf(i, loose.get(i)!, '  '));
    return `void logic_scan(void) {\n${lines.join('\n')}\n}\n`;
  }

  private start(own: readonly Variable[], all: readonly Variable[], instances: readonly Variable[]): string {
    const { program } = this.source;
    const lines = ['  memset(&logic, 0, sizeof logic);'];
    for (const v of own) lines.push(...this.startOf(v, instances.includes(v)));
    for (const v of all) {
      if (!v.address || !this.shared.has(v) || v.initial === undefined) continue;
      const at = this.spot(v);
      if (typeof v.initial === 'object' || typeof v.initial === 'string')
        throw new NotInC(`the start value of '${v.name}', which shares its memory with others`);
      if (at.kind !== 'bytes') continue;
      const value = literal(machineOf(v.type), typeof v.initial === 'boolean' ? (v.initial ? 1n : 0n) : v.initial);
      lines.push(
        at.bit !== undefined
          ? `  put_bit(${at.c}, ${at.bit}, ${value});`
          : `  put_${machineOf(v.type)}(${at.c}, ${value});`,
      );
    }
    for (const { place, value } of program.startValues)
      lines.push(...this.initial(place.type, value, fixedSpot(this.around, place, { c: '' })));
    program.tasks.forEach((t, n) => {
      if (t.intervalNs) lines.push(`  logic.${this.taskName(n)}.interval = ${this.time(t.intervalNs)};`);
    });
    return `void logic_start(void) {\n${lines.join('\n')}\n}\n`;
  }
  private startOf(v: Variable, isInstance: boolean): string[] {
    // A view over another tag's memory starts with that tag's value; so does what has an address alone.
    if (v.address && v.initial === undefined) return [];
    if (v.section === 'hidden' && v.initial === undefined && !isInstance) return [];
    return this.initial(v.type, v.initial ?? defaultValue(v.type), this.spot(v).c);
  }
  private initial(type: Type, value: Constant, c: string): string[] {
    return initialStatements(this.around, type, value, c, '  ', type.kind === 'block' ? { c, type } : { c });
  }
  private time(ns: bigint): string {
    return `TIME_NS(${ns})`;
  }

  private printMachine(
    machine: ProgramInstance,
    units: ReadonlyMap<CheckedPou, Unit>,
    loose: Parameters<Printer['runOf']>[1],
    files: Map<string, string>,
  ): void {
    this.file = 'machine';
    const v = this.machineVariable!;
    const member = this.types.declare(v.type, dotless(this.spot(v).c));
    const bodies = [...units.values()].map((u) => this.unit(u));
    const dispatchers = this.dispatchers(units);
    const run = this.runOf(machine, loose, '  ');
    const start = this.initial(v.type, v.initial ?? defaultValue(v.type), this.spot(v).c);
    const wires = (['toTag', 'toMachine', 'link'] as const).map(
      (kind) =>
        `static void ${WIRES[kind]}(void) {\n${this.source.wires
          .filter((w) => w.kind === kind)
          .map((w) => this.wire(w))
          .join('')}}\n`,
    );
    const types = this.types.definitions.splice(0),
      texts = this.textLines.splice(0);
    files.set(
      'machine.h',
      this.header(
        'MACHINE_H',
        [
          '/* The model of the machine, as on the bench: it is for trying the logic, and no part of it. */',
          ...types,
          `struct machine {\n  ${member};\n};`,
          'extern struct machine machine;',
          ...this.prototypes(units),
          '/* Start values, and once through, so that sensors speak before the first scan. */\nvoid machine_start(void);',
          '/* A scan with the machine: its sensors into inputs, the logic, outputs to its drives, its step. */\nvoid machine_scan(void);',
        ],
        '#include "logic.h"',
      ),
    );
    files.set(
      'machine.c',
      `${this.title()}#include "machine.h"\n\nstruct machine machine;\n\n${texts.length ? `${texts.join('\n')}\n\n` : ''}${[...bodies, ...dispatchers, ...wires].join('\n')}
static void step(void) {
  links();
${run.join('\n')}
}

void machine_start(void) {
  memset(&machine, 0, sizeof machine);
${start.map((l) => `${l}\n`).join('')}  ferrule.budget = ferrule.watchdog;
  ferrule_time moves = ferrule.step;
  ferrule.step = 0;
  step();
  ferrule.step = moves;
}

void machine_scan(void) {
  inputs();
  logic_scan();
  outputs();
  step();
}
`,
    );
    this.file = 'logic';
  }
  private wire(w: Wire): string {
    const [from, to] = [this.pathSpot(w.from), this.pathSpot(w.to)];
    if (!from || !to) throw new NotInC(`the connection from ${w.from} to ${w.to}`);
    const load = (s: Spot) => {
      if (s.kind === 'variable') return s.c;
      return s.bit !== undefined ? `get_bit(${s.c}, ${s.bit})` : `get_${machineOf(s.type)}(${s.c})`;
    };
    const value = `${w.negated ? '!' : ''}${load(from)}`;
    if (to.kind === 'bytes')
      return to.bit !== undefined
        ? `  put_bit(${to.c}, ${to.bit}, ${value});\n`
        : `  put_${machineOf(to.type)}(${to.c}, ${from.type.kind === to.type.kind ? value : `(${value})`});\n`;
    if (isScalar(to.type) && isScalar(from.type) && sameBits(from.type, to.type)) return `  ${to.c} = ${value};\n`;
    const size = `sizeof ${to.c} < sizeof ${load(from)} ? sizeof ${to.c} : sizeof ${load(from)}`;
    if (from.kind === 'bytes') throw new NotInC(`the connection from ${w.from} to ${w.to}`);
    return `  memcpy(&${to.c}, &${from.c}, ${size});\n`;
  }
  /** What a path of the bench is in C. */
  private pathSpot(path: string): Spot | undefined {
    const found = findPath(this.source.paths, path);
    if ('error' in found) return undefined;
    return this.steps(path);
  }
  private steps(path: string): Spot | undefined {
    const { program } = this.source;
    const [first, ...rest] = path.split(/\.(?![^[]*\])/);
    const rootVariable = [...program.globals, ...program.instanceVariables].find(
      (v) => v.name.toLowerCase() === first!.replace(/\[.*/, '').toLowerCase(),
    );
    if (!rootVariable) return undefined;
    let at = this.spot(rootVariable);
    const indexed = (text: string) => {
      for (const m of text.matchAll(/\[([^\]]*)\]/g)) {
        if (at.type.kind !== 'array') return;
        let n = 0;
        m[1]!.split(',').forEach((x, i) => {
          const b = (at.type as Type & { kind: 'array' }).bounds[i]!;
          n = n * (b.high - b.low + 1) + Number(x) - b.low;
        });
        at = { kind: 'variable', c: `${at.c}[${n}]`, type: at.type.element };
      }
    };
    indexed(first!);
    for (const step of rest) {
      const name = step.replace(/\[.*/, '').toLowerCase();
      const t = at.type;
      if (t.kind !== 'struct' && t.kind !== 'block') return undefined;
      const member = (t.kind === 'struct' ? t.members : t.layout.members).find((m) => m.name.toLowerCase() === name);
      if (!member || at.kind === 'bytes') return undefined;
      at = {
        kind: 'variable',
        c: `${dot(at.c)}${this.types.member(t, member.offset, member.type).path}`,
        type: member.type,
      };
      indexed(step);
    }
    return at;
  }

  /** Where a fault may be, as the command line says it. */
  private placesFile(): string {
    const rows = this.places.map(({ at, isUnsigned }) => {
      const text = at.source.text.slice(at.start, at.end);
      return `  {${quoted(placeText(at))}, ${quoted(text.length > 1000 ? text.slice(0, 1000) : text)}, ${isUnsigned ? 1 : 0}},`;
    });
    return `${this.title()}#include "trace.h"\n\nconst struct place logic_places[] = {\n${rows.join('\n')}\n  {"", "", 0},\n};\n`;
  }

  private namesFile(
    variables: readonly Variable[],
    instances: readonly ProgramInstance[],
    machine: ProgramInstance | undefined,
  ): string {
    const { program } = this.source;
    const spots: NamedSpot[] = [];
    for (const v of program.globals)
      if (variables.includes(v)) spots.push({ name: v.name, type: v.type, spot: this.spot(v), isProgram: false });
    for (const i of instances) {
      const v = program.instanceVariables[program.instances.indexOf(i)]!;
      spots.push({ name: v.name, type: v.type, spot: this.spot(v), isProgram: true });
      for (const x of i.pou.variables)
        if (x.home.kind === 'global')
          spots.push({ name: `${i.name}.${x.name}`, type: x.type, spot: this.spot(x), isProgram: false });
    }
    if (machine && this.machineVariable)
      spots.push({
        name: this.machineVariable.name,
        type: this.machineVariable.type,
        spot: this.spot(this.machineVariable),
        isProgram: true,
      });
    for (const a of program.accessPaths) {
      if (spots.some((s) => s.name.toLowerCase() === a.name.toLowerCase())) continue;
      const spot = this.viewSpot(a.place);
      if (spot) spots.push({ name: a.name, type: a.place.type, spot, isProgram: false });
    }
    return new Reflection(this.types).print(
      spots,
      `${this.title()}#include "${machine ? 'machine' : 'logic'}.h"`,
      'logic_names',
    );
  }
  /** A second name: of a place, or of a bit of one. */
  private viewSpot(place: CheckedProgram['accessPaths'][number]['place']): Spot | undefined {
    if (place.kind === 'part') {
      if (place.base.kind === 'part' || baseOf(place.type) !== 'BOOL') return undefined;
      const c = fixedSpot(this.around, place.base, { c: '' });
      return {
        kind: 'bytes',
        c: `(uint8_t *)&${c} + ${place.shift >> 3}`,
        bit: place.shift & 7,
        type: place.type,
      };
    }
    if (place.kind === 'variable') return this.spot(place.variable);
    return { kind: 'variable', c: fixedSpot(this.around, place, { c: '' }), type: place.type };
  }

  private points(variables: readonly Variable[]): Point[] {
    return variables.map((v) => ({
      name: v.owner ? `${v.owner}.${v.name}` : v.name,
      address: v.address?.text ?? '',
      area: v.address?.area ?? 'M',
      byte: v.address?.byte ?? 0,
      type: v.type,
      spot: this.spot(v),
      ...(v.address?.bit !== undefined ? { bit: v.address.bit } : {}),
    }));
  }
}

/** Statements of a body that make one function at most. */
const PIECE = 200;
/** Where a body can be cut: between statements of the source, where it leaves nowhere and keeps nothing of its own. */
function piecesOf({ pou, body }: Unit): (readonly Statement[])[] {
  const cuts = body.flatMap((s, i) => (s.kind === 'note' ? [i] : []));
  const keeps =
    pou.locals.length > 0 || pou.variables.some((v) => v.home.kind === 'frame' || v.home.kind === 'localReference');
  if (cuts.length < PIECE * 1.5 || keeps || (pou.pou !== 'PROGRAM' && pou.pou !== 'FUNCTION_BLOCK')) return [body];
  if (contains(body, (s) => s.kind === 'return')) return [body];
  const pieces: (readonly Statement[])[] = [];
  for (let i = 0; i < cuts.length; i += PIECE)
    pieces.push(body.slice(i === 0 ? 0 : cuts[i], cuts[i + PIECE] ?? body.length));
  return pieces;
}

/** A number of a text: two texts seldom have the same. */
function markOf(text: string): number {
  let h = 0x811c9dc5;
  for (let i = 0; i < text.length; i++) h = Math.imul(h ^ text.charCodeAt(i), 0x01000193) >>> 0;
  return h;
}

const WIRES = { toTag: 'inputs', toMachine: 'outputs', link: 'links' } as const;
const dotless = (c: string): string => c.slice(c.indexOf('.') + 1);
const sameBits = (a: Type, b: Type): boolean => machineOf(a) === machineOf(b);

function allVariables(program: CheckedProgram): Variable[] {
  const seen = new Set<Variable>();
  for (const v of [...program.globals, ...program.instanceVariables, ...program.pous.flatMap((p) => p.variables)])
    if (v.home.kind === 'global') seen.add(v);
  return [...seen];
}

/** Tags with addresses that lie over each other: they are read and written byte by byte. */
function sharedMemory(variables: readonly Variable[]): Set<Variable> {
  const bitsOf = (v: Variable) => {
    const { byte, bit, size } = v.address!;
    return bit === undefined
      ? ([byte * 8, (byte + size) * 8] as const)
      : ([byte * 8 + bit, byte * 8 + bit + 1] as const);
  };
  const shared = new Set<Variable>();
  for (const area of ['I', 'Q', 'M'] as const) {
    const there = variables.filter((v) => v.address?.area === area).sort((a, b) => bitsOf(a)[0] - bitsOf(b)[0]);
    let end = -1,
      last: Variable | undefined;
    for (const v of there) {
      const [from, to] = bitsOf(v);
      if (from < end) {
        shared.add(v);
        shared.add(last!);
      }
      if (to > end) {
        end = to;
        last = v;
      }
    }
  }
  return shared;
}
