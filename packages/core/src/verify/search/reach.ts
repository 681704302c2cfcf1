/** What the checks have exercised: contacts seen both ways, rungs powered, branches taken, steps entered. */
import type { Engine } from '../../runtime/engine.js';
import { powerOf } from '../../runtime/frame.js';
import { type Image, branchProbe } from '../../compile/image.js';
import { isOutput, nodesOf } from '../../ladder/rung.js';
import { EARLIER_ID } from '../play/earlier.js';
import type { ProofPlan } from '../play/plan.js';
import { type ProofResult, prove } from '../play/play.js';
import { type Judge, reachTarget } from './search.js';

export interface RungReach {
  readonly rung: string;
  readonly pou: string;
  readonly pouId: string;
  readonly number: number;
  readonly powered: boolean;
  /** Of each contact, comparison and block: whether it was seen closed, and open. */ readonly elements: readonly {
    readonly element: number;
    /** The contact, comparison or block as it is written. */ readonly text: string;
    readonly closed: boolean;
    readonly open: boolean;
  }[];
}
export interface StepReach {
  readonly tag: string;
  readonly value: string;
  readonly entered: boolean;
}
export interface BranchReach {
  readonly pouId: string;
  readonly at: number;
  readonly taken: boolean;
}
export interface Reach {
  readonly rungs: readonly RungReach[];
  readonly steps: readonly StepReach[];
  readonly branches: readonly BranchReach[];
  readonly figures: Readonly<
    Record<'contacts' | 'rungs' | 'steps' | 'branches', { readonly reached: number; readonly of: number }>
  >;
  readonly result: ProofResult;
}

/** Plays everything on the watched build and notes what it reached. */
export function reachOf(plan: ProofPlan, stepNs: bigint, isOver?: () => boolean): Reach {
  const image = plan.compiled.build(true);
  const seen = new Map<string, number[]>(),
    powered = new Set<string>(),
    taken = new Set<string>();
  const steps = [...image.symbols.values()].flatMap((s) =>
    s.type.kind === 'enum' && !s.isView && s.bit === undefined
      ? [{ s, values: s.type.values, seen: new Set<string>() }]
      : [],
  );
  const rungs = [...image.probes.values()].filter((p) => p.rungId[0] !== '@'),
    branches = [...image.probes.values()].filter((p) => p.rungId[0] === '@' && !p.rungId.startsWith(`@${EARLIER_ID}:`));
  const look = (e: Engine) => {
    for (const p of rungs) {
      if (e.view.getUint32(p.address, true) === 0) continue;
      // The word says it all: only one that was not seen before is taken apart.
      const word = e.view.getUint32(p.address, true),
        key = `${p.rungId} ${word}`;
      if (p.elements <= 31 && taken.has(key)) continue;
      taken.add(key);
      const bits = powerOf(e.view, p),
        known = seen.get(p.rungId) ?? bits.map(() => 0);
      bits.forEach((b, i) => {
        known[i]! |= b & 4 ? 1 : 2;
        if (b & 2) powered.add(`${p.rungId} ${i}`);
      });
      seen.set(p.rungId, known);
    }
    for (const p of branches) if (e.view.getUint32(p.address, true)) taken.add(p.rungId);
    for (const x of steps) {
      const v = e.read(x.s.name),
        name = x.values.find((y) => y.value === v)?.name;
      if (name) x.seen.add(name);
    }
  };
  const result = prove({ ...plan, image }, { stepNs, onScan: look, ...(isOver ? { isOver } : {}) });
  const rungReach = [...plan.compiled.rungs].flatMap(([id, r]): RungReach[] => {
    const o = r.source.origin;
    if (o.kind !== 'rung' || !r.parsed) return [];
    const nodes = nodesOf(r.parsed.rung),
      known = seen.get(id) ?? [];
    const isCondition = (i: number) => ['contact', 'compare', 'call'].includes(nodes[i]!.kind);
    const outputs = nodes.flatMap((n, i) => (isCondition(i) || n.kind === 'return' ? [] : [i]));
    return [
      {
        rung: id,
        pou: o.pou,
        pouId: o.pouId,
        number: o.number,
        powered: outputs.some((i) => powered.has(`${id} ${i}`)),
        elements: nodes.flatMap((_, i) =>
          isCondition(i)
            ? [
                {
                  element: i,
                  text: r.source.text.slice(nodes[i]!.start, nodes[i]!.end),
                  closed: ((known[i] ?? 0) & 1) !== 0,
                  open: ((known[i] ?? 0) & 2) !== 0,
                },
              ]
            : [],
        ),
      },
    ];
  });
  const stepReach = steps.flatMap((x) =>
    x.values.map((v): StepReach => ({ tag: x.s.name, value: v.name, entered: x.seen.has(v.name) })),
  );
  const branchReach = branches.map((b): BranchReach => {
    const [, pouId, at] = /^@(.*):(\d+)$/.exec(b.rungId)!;
    return { pouId: pouId!, at: Number(at), taken: taken.has(b.rungId) };
  });
  const contacts = rungReach.flatMap((r) => r.elements);
  return {
    rungs: rungReach,
    steps: stepReach,
    branches: branchReach,
    result,
    figures: {
      contacts: { reached: contacts.filter((c) => c.closed && c.open).length, of: contacts.length },
      rungs: { reached: rungReach.filter((r) => r.powered).length, of: rungReach.length },
      steps: { reached: stepReach.filter((s) => s.entered).length, of: stepReach.length },
      branches: { reached: branchReach.filter((b) => b.taken).length, of: branchReach.length },
    },
  };
}

/** What of a rung was never exercised, in words: `never powered; StopOK never open`. */
export const neverReached = (r: RungReach): string =>
  [
    r.powered ? '' : 'never powered',
    ...r.elements
      .filter((e) => !e.closed || !e.open)
      .map((e) => `${e.text} never ${!e.closed && !e.open ? 'evaluated' : !e.closed ? 'closed' : 'open'}`),
  ]
    .filter(Boolean)
    .join('; ');

/** Something that the checks did not reach, as something to search for on the watched build; the id says which. */
export function unreachedTargets(
  plan: ProofPlan,
  reach: Pick<Reach, 'rungs' | 'steps' | 'branches'>,
  image: Image,
): readonly Judge[] {
  const probe = (id: string, test: (bits: readonly number[]) => boolean) => {
    const p = image.probes.get(id),
      known = new Map<number, boolean>();
    return (e: Engine) => {
      const word = p ? e.view.getUint32(p.address, true) : 0;
      if (!p || word === 0) return false;
      // One word says all of a rung of up to 31 elements: a word seen before is not taken apart again.
      let is = p.elements <= 31 ? known.get(word) : undefined;
      if (is === undefined) known.set(word, (is = test(powerOf(e.view, p))));
      return is;
    };
  };
  const steps = reach.steps
    .filter((s) => !s.entered)
    .flatMap((s) => {
      const symbol = [...image.symbols.values()].find((x) => x.name === s.tag),
        value = symbol?.type.kind === 'enum' ? symbol.type.values.find((v) => v.name === s.value)?.value : undefined;
      return value === undefined
        ? []
        : [
            reachTarget(
              stepId(s),
              `${s.tag} is ${s.value}`,
              (e) => e.read(s.tag) === value,
              () => [`${s.tag} is ${s.value} within 3 scans`],
            ),
          ];
    });
  const rungs = reach.rungs.flatMap((r) => {
    const parsed = plan.compiled.rungs.get(r.rung)?.parsed,
      nodes = parsed ? nodesOf(parsed.rung) : [];
    const now = (e: Engine, tag: string) => {
      try {
        return e.read(tag) === true;
      } catch {
        return undefined;
      }
    };
    const expect = (e: Engine, tag: string | undefined) => {
      const v = tag === undefined ? undefined : now(e, tag);
      return v === undefined ? [] : [`${tag} is ${v ? 'on' : 'off'} within 3 scans`];
    };
    const coil = nodes.flatMap((n) => (n.kind === 'coil' ? [n.tag] : []))[0];
    return [
      ...(r.powered
        ? []
        : [
            reachTarget(
              rungId(r),
              `${r.pou} rung ${r.number} powered`,
              probe(r.rung, (bits) =>
                nodes.some((n, i) => isOutput(n) && n.kind !== 'return' && ((bits[i] ?? 0) & 2) !== 0),
              ),
              (e) => expect(e, coil),
            ),
          ]),
      ...r.elements.flatMap((x) =>
        [true, false].flatMap((closed) =>
          (closed ? x.closed : x.open)
            ? []
            : [
                reachTarget(
                  elementId(r, x.element, closed),
                  `${r.pou} rung ${r.number} element ${x.element + 1} ${closed ? 'closed' : 'open'}`,
                  probe(r.rung, (bits) => (((bits[x.element] ?? 0) & 4) !== 0) === closed),
                  (e) => {
                    const n = nodes[x.element];
                    return expect(e, n?.kind === 'contact' ? n.tag : coil);
                  },
                ),
              ],
        ),
      ),
    ];
  });
  const branches = reach.branches
    .filter((b) => !b.taken)
    .flatMap((b) => {
      const p = image.probes.get(branchProbe(b.pouId, b.at));
      return p
        ? [
            reachTarget(
              branchId(b),
              'the branch taken',
              (e) => e.view.getUint32(p.address, true) !== 0,
              () => [],
            ),
          ]
        : [];
    });
  return [...steps, ...rungs, ...branches];
}
const stepId = (s: StepReach): string => `step ${s.tag} ${s.value}`;
const rungId = (r: RungReach): string => `rung ${r.rung}`;
const elementId = (r: RungReach, element: number, closed: boolean): string =>
  `element ${r.rung} ${element} ${closed ? 'closed' : 'open'}`;
const branchId = (b: BranchReach): string => `branch ${b.pouId} ${b.at}`;
