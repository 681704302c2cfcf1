/**
 * Where the boxes and lines of a flow chart lie. Steps stand in one column in their order, so the chart reads like the
 * table; what leads back runs in lanes on the left, what skips ahead in lanes on the right, and lanes never cross
 * more than they must: the shorter way lies nearer.
 */
import type { Sequence } from '@ferrule/core/document';

export const BOX = { width: 124, height: 34 } as const;
export const PITCH = 68;
const LANE = 22,
  SIDE = 16,
  TOP = 14;

export interface FlowBox {
  readonly id: string;
  readonly x: number;
  readonly y: number;
  readonly words: string;
}
export interface FlowLine {
  readonly id: string;
  readonly from: string;
  readonly to: string;
  readonly points: readonly { readonly x: number; readonly y: number }[];
  /** What it says, and the same in the lines that there is room for. */
  readonly label: string;
  readonly words: readonly string[];
  /** The middle of its first line; the others stand below. */
  readonly at: { readonly x: number; readonly y: number; readonly anchor: 'start' | 'end' };
  readonly isLimit: boolean;
  /** The condition, to see whether it holds. */ readonly when?: string;
  /** The bar across a straight line down. */ readonly tick?: { readonly x: number; readonly y: number };
}
/** What happens past a limit that ends in a fault: a word beside the box. */
export interface FlowFault {
  readonly id: string;
  readonly x: number;
  readonly y: number;
  readonly label: string;
}
export interface Flow {
  readonly boxes: readonly FlowBox[];
  readonly lines: readonly FlowLine[];
  readonly faults: readonly FlowFault[];
  readonly width: number;
  readonly height: number;
}

interface Lane {
  readonly low: number;
  readonly high: number;
  lane: number;
}

/** Gives each stretch the nearest lane that no shorter stretch over the same rows has. */
function lanes(list: readonly { readonly low: number; readonly high: number }[]): readonly Lane[] {
  const placed: Lane[] = list.map((l) => ({ ...l, lane: -1 }));
  for (const l of [...placed].sort((a, b) => a.high - a.low - (b.high - b.low))) {
    for (let n = 0; ; n++)
      if (!placed.some((o) => o !== l && o.lane === n && o.low <= l.high && l.low <= o.high)) {
        l.lane = n;
        break;
      }
  }
  return placed;
}

/** From one line of a label to the next. */
export const LINE = 12;
/** Characters of a label, where nothing says how much room there is. */
const MOST = 27;
const clip = (text: string, most: number): string =>
  text.length > most ? `${text.slice(0, Math.max(1, most - 1))}…` : text;
/** Lines of a label, between words: what they do not hold is told when the mouse is on it. */
function inLines(text: string, most: number, lines: number): readonly string[] {
  const at = text.lastIndexOf(' ', most);
  return text.length <= most || lines < 2 || at <= 0
    ? [clip(text, most)]
    : [text.slice(0, at), clip(text.slice(at + 1), most)];
}
/** Which of its neighbours on the same side of the same step each line is, and how many there are. */
function rowsBeside(
  list: readonly { readonly from: number }[],
): readonly { readonly row: number; readonly of: number }[] {
  return list.map((l, i) => ({
    row: list.slice(0, i).filter((o) => o.from === l.from).length,
    of: list.filter((o) => o.from === l.from).length,
  }));
}

/** Lays out the steps of a sequence. Ways to steps that are not there are left out. */
export function layOutFlow(s: Sequence): Flow {
  const index = new Map(s.steps.map((x, i) => [x.id, i]));
  const all = s.steps.flatMap((x, from) => [
    ...x.ways.flatMap((w) => {
      const to = index.get(w.to);
      return to === undefined
        ? []
        : [
            {
              id: `${x.id} ${w.id}`,
              from,
              to,
              label: [w.when ?? '', w.for ?? ''].filter(Boolean).join(' · '),
              isLimit: false,
              ...(w.when ? { when: w.when } : {}),
            },
          ];
    }),
    ...(x.limit && x.past?.to !== undefined && index.has(x.past.to)
      ? [{ id: `${x.id} limit`, from, to: index.get(x.past.to)!, label: x.limit, isLimit: true }]
      : []),
  ]);
  const isDown = (l: { from: number; to: number; isLimit: boolean }) => l.to === l.from + 1 && !l.isLimit;
  const downSeen = new Set<number>();
  const down = all.filter((l) => {
    if (!isDown(l) || downSeen.has(l.from)) return false;
    downSeen.add(l.from);
    return true;
  });
  const rest = all.filter((l) => !down.includes(l));
  const back = rest.filter((l) => l.to <= l.from),
    ahead = rest.filter((l) => l.to > l.from);
  const backLanes = lanes(back.map((l) => ({ low: l.to, high: l.from }))),
    aheadLanes = lanes(ahead.map((l) => ({ low: l.from, high: l.to })));
  const left = SIDE + Math.max(0, ...backLanes.map((l) => l.lane + 1)) * LANE + (back.length ? 64 : 40);
  const x = left + BOX.width / 2,
    y = (i: number) => TOP + i * PITCH + BOX.height / 2;
  const edge = BOX.width / 2,
    longest = (list: readonly { label: string }[]) =>
      Math.max(0, ...list.map((l) => Math.min(200, l.label.length * 5.8)));
  // Lanes on the right run past the words of the lines down.
  const beside =
    x +
    Math.max(
      edge + 20,
      Math.min(170, 24 + longest(down)),
      s.steps.some((p) => p.limit && p.past?.fault !== undefined) ? edge + 112 : 0,
    );
  const backRows = rowsBeside(back),
    aheadRows = rowsBeside(ahead);
  const lines: FlowLine[] = [
    ...down.map((l): FlowLine => {
      const words = inLines(l.label, MOST, 2);
      return {
        ...ids(s, l),
        label: l.label,
        words,
        isLimit: false,
        ...(l.when ? { when: l.when } : {}),
        points: [
          { x, y: y(l.from) + BOX.height / 2 },
          { x, y: y(l.to) - BOX.height / 2 },
        ],
        tick: { x, y: y(l.from) + PITCH / 2 },
        at: { x: x + 14, y: y(l.from) + PITCH / 2 - (LINE * (words.length - 1)) / 2, anchor: 'start' },
      };
    }),
    ...back.map((l, i): FlowLine => {
      const lx = left - 14 - (backLanes[i]!.lane + 1) * LANE,
        down_ = l.from === s.steps.length - 1 || !down.some((d) => d.from === l.from);
      const points = down_
        ? [
            { x, y: y(l.from) + BOX.height / 2 },
            { x, y: y(l.from) + BOX.height / 2 + 14 },
            { x: lx, y: y(l.from) + BOX.height / 2 + 14 },
            { x: lx, y: y(l.to) - 4 },
            { x: x - edge, y: y(l.to) - 4 },
          ]
        : [
            { x: x - edge, y: y(l.from) + 6 },
            { x: lx, y: y(l.from) + 6 },
            { x: lx, y: y(l.to) - 4 },
            { x: x - edge, y: y(l.to) - 4 },
          ];
      // Below its line; several from one step have a line each.
      const { row, of } = backRows[i]!,
        lower = LINE * row;
      return {
        ...ids(s, l),
        label: l.label,
        words: inLines(l.label, MOST, of > 1 ? 1 : 2),
        isLimit: l.isLimit,
        ...(l.when ? { when: l.when } : {}),
        points,
        at: down_
          ? { x: x + 8, y: y(l.from) + BOX.height / 2 + 15 + lower, anchor: 'start' }
          : { x: x - edge - 4, y: y(l.from) + 17 + lower, anchor: 'end' },
      };
    }),
    ...ahead.map((l, i): FlowLine => {
      const lx = beside + aheadLanes[i]!.lane * LANE,
        { row, of } = aheadRows[i]!,
        words = inLines(l.label, Math.floor((lx - x - edge - 8) / 5.8), of > 1 ? 1 : 2);
      return {
        ...ids(s, l),
        label: l.label,
        words,
        isLimit: l.isLimit,
        ...(l.when ? { when: l.when } : {}),
        points: [
          { x: x + edge, y: y(l.from) - 5 },
          { x: lx, y: y(l.from) - 5 },
          { x: lx, y: y(l.to) - 5 },
          { x: x + edge, y: y(l.to) - 5 },
        ],
        // Above its line, so that the line strikes nothing through.
        at: { x: x + edge + 6, y: y(l.from) - 12 - LINE * (row + words.length - 1), anchor: 'start' },
      };
    }),
  ];
  const faults = s.steps.flatMap((p, i): FlowFault[] =>
    p.limit && p.past?.fault !== undefined
      ? [{ id: p.id, x: x + edge, y: y(i) + 8, label: `${p.limit} → fault ${p.past.fault}` }]
      : [],
  );
  const right = Math.max(
    longest(down) + 24 - edge,
    ahead.length ? beside - x - edge + 10 + Math.max(...aheadLanes.map((l) => l.lane + 1)) * LANE : 0,
    faults.length ? 130 : 0,
    30,
  );
  return {
    boxes: s.steps.map((p, i) => ({ id: p.id, x, y: y(i), words: p.name })),
    lines,
    faults,
    width: x + edge + right + SIDE,
    height: y(Math.max(0, s.steps.length - 1)) + BOX.height / 2 + 34,
  };
}

const ids = (s: Sequence, l: { readonly id: string; readonly from: number; readonly to: number }) => ({
  id: l.id,
  from: s.steps[l.from]!.id,
  to: s.steps[l.to]!.id,
});
