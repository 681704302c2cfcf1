/** Where a program writes and calls: every statement with what must hold for it to run. */
import type { BlockCall, Checked, CheckedPou, CheckedProgram, CheckedStatement, Place } from '../checked/tree.js';
import { type Source, elementAt } from '../language/source.js';
import { typeText } from '../types/type.js';

/** A condition on the way to a statement, and what it must be. */
export interface Guard {
  readonly condition: Checked;
  readonly wanted: boolean;
  /** A CASE: the labels that lead here. */ readonly labels?: readonly {
    readonly low: bigint;
    readonly high: bigint;
  }[];
}

export interface Writer {
  readonly pou: CheckedPou;
  readonly statement: CheckedStatement;
  readonly guards: readonly Guard[];
  /** The rung it stands on and the element it is. */
  readonly rung?: CheckedStatement & { kind: 'rung' };
  readonly element?: number;
  readonly targets: readonly { readonly place: Place; readonly value?: Checked }[];
  readonly call?: BlockCall;
}

/** All writers of a program, and by the place they begin at. */
export class Writers {
  readonly all: Writer[] = [];
  private readonly bySource = new Map<Source, Writer[]>();

  constructor(program: CheckedProgram) {
    for (const p of program.pous) this.body(p, p.body, []);
  }

  private body(
    pou: CheckedPou,
    list: readonly CheckedStatement[],
    guards: readonly Guard[],
    rung?: CheckedStatement & { kind: 'rung' },
  ): void {
    for (const s of list) this.statement(pou, s, guards, rung);
  }

  private statement(
    pou: CheckedPou,
    s: CheckedStatement,
    guards: readonly Guard[],
    rung: (CheckedStatement & { kind: 'rung' }) | undefined,
  ): void {
    const add = (targets: Writer['targets'], call?: BlockCall) => {
      const element = rung && elementAt(s.at.source, s.at.start);
      const w: Writer = {
        pou,
        statement: s,
        guards,
        targets,
        ...(rung ? { rung } : {}),
        ...(element ? { element: element - 1 } : {}),
        ...(call ? { call } : {}),
      };
      this.all.push(w);
      const list = this.bySource.get(s.at.source);
      if (list) list.push(w);
      else this.bySource.set(s.at.source, [w]);
    };
    switch (s.kind) {
      case 'assign':
        add([{ place: s.target, value: s.value }]);
        return;
      case 'copy':
        add([{ place: s.target }]);
        return;
      case 'blockCall':
        add(
          s.call.outputs.map((o) => ({ place: o.to })),
          s.call,
        );
        return;
      case 'evaluate':
        if (s.value.kind === 'call') add(s.value.call.outputs.map((o) => ({ place: o.to })));
        return;
      case 'rung':
        this.body(pou, s.body, guards, s);
        return;
      case 'if': {
        const before: Guard[] = [];
        for (const b of s.branches) {
          this.body(pou, b.body, [...guards, ...before, { condition: b.condition, wanted: true }], rung);
          before.push({ condition: b.condition, wanted: false });
        }
        this.body(pou, s.otherwise ?? [], [...guards, ...before], rung);
        return;
      }
      case 'case':
        for (const a of s.arms)
          this.body(pou, a.body, [...guards, { condition: s.selector, wanted: true, labels: a.labels }], rung);
        this.body(
          pou,
          s.otherwise ?? [],
          [...guards, { condition: s.selector, wanted: false, labels: s.arms.flatMap((a) => a.labels) }],
          rung,
        );
        return;
      case 'for':
        add([{ place: s.variable }]);
        this.body(pou, s.body, guards, rung);
        return;
      case 'while':
        this.body(pou, s.body, [...guards, { condition: s.condition, wanted: true }], rung);
        return;
      case 'repeat':
        this.body(pou, s.body, guards, rung);
        return;
    }
  }

  /** Writers on a rung or at a statement of a text. */
  at(source: Source, start: number): readonly Writer[] {
    return (this.bySource.get(source) ?? []).filter((w) => w.rung || w.statement.at.start === start);
  }

  /** Calls of an instance, by its path within the code that calls it. */
  callsOf(type: string): readonly Writer[] {
    return this.all.filter((w) => w.call && typeText(w.call.type) === type);
  }
}
