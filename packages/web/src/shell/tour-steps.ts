/**
 * The first hour: what to do, where, and how the tour sees that it was done. On the dust extractor.
 *
 * The tour (`shell/Tour`, steps in `shell/tour-steps`) is a list of sentences with what to watch for: the document,
 * the frame, what was asked, how checks went. Upsets at random (`wiring/chance`) are turns of so many scans, each
 * decided by seed and number alone; the bench files them like any other event, so they are part of the recording.
 */
import type { Project } from '@ferrule/core/document';
import type { ShownValue } from '@ferrule/core/bench';
import type { BenchFrame } from '../bench/protocol.js';

export interface Seen {
  readonly project: Project;
  readonly area: string;
  readonly frame: BenchFrame | undefined;
  readonly value: (path: string) => ShownValue | undefined;
  /** Path that why was asked for. */
  readonly asked: string | undefined;
  readonly runs: { readonly passed: number; readonly failed: number; readonly isNow: boolean } | undefined;
  readonly proofs: number;
  /** What held when the step began. */
  readonly began: { readonly scan: number; readonly proofs: number };
}
export interface TourStep {
  readonly title: string;
  readonly say: string;
  /** Area where it is done. */
  readonly area: 'logic' | 'tags' | 'machine' | 'prove' | 'plan' | 'controller';
  /** Values it watches. */
  readonly reads?: readonly string[];
  readonly isDone: (s: Seen) => boolean;
}

const rungs = (p: Project) => p.pous.flatMap((x) => (x.language === 'LD' ? x.rungs : []));
const runOn = (p: Project): number =>
  Number(
    /FanRunOn\(PT\s*:=\s*([\d.]+)\s*s\)/.exec(
      rungs(p)
        .map((r) => r.line)
        .join('\n'),
    )?.[1] ?? 0,
  );
const busy = (p: Project) => rungs(p).find((r) => /->.*\bLampBusy\b/.test(r.line));

export const TOUR: readonly TourStep[] = [
  {
    title: 'Press something',
    area: 'logic',
    say: 'The bench runs already: logic and machine together, nothing to start. The lamp Ready is lit: on the panel turn the switch Saw 1.',
    reads: ['Saw1Sel'],
    isDone: (s) => s.value('Saw1Sel') === true,
  },
  {
    title: 'Watch it come',
    area: 'logic',
    say: 'Power is copper and thick. The gate opens, the fan runs up, and only then the saw may turn.',
    reads: ['Saw1Motor'],
    isDone: (s) => s.value('Saw1Motor') === true,
  },
  {
    title: 'Stop time',
    area: 'logic',
    say: 'Press F5, or pause in the top bar. Simulated time stands still, you do not have to hurry.',
    isDone: (s) => s.frame?.running === false,
  },
  {
    title: 'Go back in it',
    area: 'logic',
    say: 'Drag the time line of the scope to the left, to before the saw came on. Rungs, machine and panel all show that scan.',
    reads: ['Saw1Motor'],
    isDone: (s) => s.frame !== undefined && s.frame.scan < s.frame.end - 5 && s.value('Saw1Motor') === false,
  },
  {
    title: 'Ask why',
    area: 'logic',
    say: 'Click the coil Saw1Motor in rung 6 and press F4. The bench says what kept it off at that scan; each link leads there.',
    isDone: (s) => s.asked?.toLowerCase() === 'saw1motor',
  },
  {
    title: 'Go on',
    area: 'logic',
    say: 'Press F5: time goes on. Then turn Saw 1 off and watch the fan run on behind it: the timer FanRunOn counts in rung 4.',
    reads: ['Saw1Sel', 'FanMotor'],
    isDone: (s) =>
      s.frame?.running === true &&
      s.value('Saw1Sel') === false &&
      s.value('FanMotor') === true &&
      s.frame.scan > s.began.scan,
  },
  {
    title: 'Change it while it runs',
    area: 'logic',
    say: 'Eight seconds are too short. Double-click the block FanRunOn in rung 4, make it PT := 12 s, and press Enter. The bench takes it at once and keeps its state.',
    isDone: (s) => runOn(s.project) > 8,
  },
  {
    title: 'Write a rung',
    area: 'logic',
    say: 'A lamp for any saw that runs. Press Ins for a new rung and type  Saw1Motor | Saw2Motor | Saw3Motor -> LampBusy  , then Enter.',
    isDone: (s) => busy(s.project) !== undefined,
  },
  {
    title: 'Declare what is new',
    area: 'logic',
    say: 'LampBusy is no tag yet, so it is marked. Press Ctrl+. on it, or Fix, to declare it.',
    isDone: (s) => s.project.tags.some((t) => t.name.toLowerCase() === 'lampbusy'),
  },
  {
    title: 'Force an input',
    area: 'logic',
    say: 'Click the contact Gate2Open before Saw2Motor and press 1 to force it on: violet, with F=1, wherever it appears.',
    isDone: (s) => Object.keys(s.frame?.forces ?? {}).length > 0,
  },
  {
    title: 'Release it',
    area: 'logic',
    say: 'Press the full stop on it, or “Release all” under “forced” in the top bar. No force is ever hidden.',
    isDone: (s) => s.frame !== undefined && Object.keys(s.frame.forces).length === 0,
  },
  {
    title: 'Make something go wrong',
    area: 'machine',
    say: 'Under the panel open Upsets and jam Gate 1. Then turn Saw 1 on: the gate does not open, so the saw must not turn.',
    reads: ['Machine.Gate1.Jam', 'Saw1Sel', 'Saw1Motor'],
    isDone: (s) =>
      s.value('Machine.Gate1.Jam') === true && s.value('Saw1Sel') === true && s.value('Saw1Motor') === false,
  },
  {
    title: 'Run the checks',
    area: 'prove',
    say: 'Press F9. One check fails: it still wants the fan to stop after eight seconds. That is what checks are for.',
    isDone: (s) => s.runs !== undefined && s.runs.isNow,
  },
  {
    title: 'Say what you want now',
    area: 'prove',
    say: 'In “One saw”, row 3, write FanMotor is on for 11500 ms, and run all again (F9) until everything passes.',
    isDone: (s) => s.runs !== undefined && s.runs.isNow && s.runs.failed === 0,
  },
  {
    title: 'Prove it',
    area: 'prove',
    say: 'Checks are samples. Under “Proof for all inputs” press Prove: each rule is shown for every sequence of inputs, or inputs that break it are found.',
    isDone: (s) => s.proofs > s.began.proofs,
  },
];
