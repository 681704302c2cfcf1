/** An example that runs on the engine itself: played once for its timing chart, then by hand. */
import { useEffect, useMemo, useRef, useState } from 'react';
import { createStore } from 'zustand/vanilla';
import {
  Engine,
  type Frame,
  type FrameRequest,
  type ShownValue,
  findPath,
  frameOf,
  parseValue,
  shown,
} from '@ferrule/core/bench';
import { type Project, type Tag, emptyProject } from '@ferrule/core/document';
import { compile } from '@ferrule/core/workspace';
import { isBool, typeText } from '@ferrule/core/language';
import { type Live, type LiveState, LiveProvider, makeLooker } from '../bench/live.js';
import { RungView } from '../components/ladder/RungView.js';
import { modelOf } from '../components/ladder/rung-model.js';
import { Button } from '../components/ui.js';
import { valueText } from '../components/values.js';
import type { TagFacts } from '../bench/protocol.js';
import { Stations, pictureOf } from '../components/machine/MachineView.js';
import type { Example } from './examples.js';

const STEP_MS = 10;

/** The program of an example, ready to run. */
export function exampleEngine(e: Example): { readonly engine: Engine; readonly project: Project } {
  const tags = e.tags.map((t, i): Tag => {
    const m = /^(\w+) : (.+?)(?: := (.+))?$/.exec(t)!;
    return { id: `t${i}`, name: m[1]!, type: m[2]!, ...(m[3] ? { initial: m[3] } : {}) };
  });
  const project: Project = {
    ...emptyProject('Example'),
    tags,
    pous: [
      e.rungs
        ? {
            id: 'p',
            name: 'Main',
            language: 'LD',
            kind: 'program',
            rungs: e.rungs.map((line, i) => ({ id: `r${i}`, line })),
          }
        : {
            id: 'p',
            name: 'Main',
            language: 'ST',
            kind: 'program',
            text: `PROGRAM Main\n${e.text ?? ''}\nEND_PROGRAM`,
          },
    ],
    ...(e.devices
      ? {
          machine: {
            devices: e.devices.map((d, i) => ({ id: `d${i}`, ...d })),
            ...(e.kinds ? { kinds: e.kinds } : {}),
          },
        }
      : {}),
  };
  const c = compile([{ kind: 'project', name: 'Example', project }]);
  if (c.hasErrors) throw new Error(c.diagnostics.map((d) => d.message).join('\n'));
  return { engine: new Engine(c.build(true), { stepNs: BigInt(STEP_MS) * 1_000_000n, wires: c.wires }), project };
}

export function write(engine: Engine, path: string, text: string): void {
  const v = parseValue(engine.locate(path).type, text);
  if (!('error' in v)) engine.write(path, v.value);
}

interface Trace {
  readonly path: string;
  readonly isBand: boolean;
  readonly type: string;
  readonly values: readonly ShownValue[];
}

/** Plays the example's own stimulus from the start: one value a scan of each trace. */
export function playExample(e: Example): readonly Trace[] {
  const { engine } = exampleEngine(e);
  const at = (path: string) => {
    const f = findPath(engine.image, path);
    if ('error' in f) throw new Error(f.error);
    return f.location;
  };
  const traces = e.watch.map((path) => ({
    path,
    isBand: isBool(at(path).type),
    type: typeText(at(path).type),
    values: [] as ShownValue[],
  }));
  const due = [...e.play].sort((a, b) => a[0] - b[0]);
  for (let ms = 0; ms < e.ms; ms += STEP_MS) {
    while (due.length && due[0]![0] <= ms) {
      const [, path, value] = due.shift()!;
      write(engine, path, value);
    }
    engine.runScan();
    for (const t of traces) t.values.push(shown(at(t.path), engine.read(t.path)));
  }
  return traces;
}

export function LiveExample({ example }: { readonly example: Example }) {
  const chart = useMemo(() => playExample(example), [example]);
  const run = useRunning(example);
  const tags = useMemo(
    () =>
      Object.fromEntries(
        run.project.tags.map((t): [string, TagFacts] => [
          t.name.toLowerCase(),
          {
            type: t.type,
            ...(/^[A-Z_]+$/.test(t.type) && !/^(BOOL|INT|REAL|TIME|WORD)$/.test(t.type) ? { block: t.type } : {}),
          },
        ]),
      ),
    [run.project],
  );
  const pou = run.project.pous[0];
  const rungs = pou?.language === 'LD' ? pou.rungs : [];
  return (
    <section aria-label="Example" className="mt-3 rounded-lg border border-edge">
      <Chart traces={chart} ms={example.ms} label="Timing chart" />
      <LiveProvider value={run.live}>
        {example.devices && <Pictures project={run.project} />}
        <div className="border-t border-edge px-3 py-2">
          {rungs.map((r) => (
            <RungView
              key={r.id}
              id={r.id}
              label="Example rung"
              model={modelOf(r, tags, 580)}
              tags={tags}
              declared={NONE}
            />
          ))}
          {example.text && (
            <pre className="font-mono text-[12px] whitespace-pre-wrap">{example.text.replaceAll('; ', ';\n')}</pre>
          )}
          <div className="mt-1 flex flex-wrap items-center gap-3">
            {example.press.map((name) => (
              <Press key={name} name={name} run={run} />
            ))}
            {(example.set ?? []).map((name) => (
              <label key={name} className="flex items-center gap-1.5">
                {called(name)}
                <input
                  aria-label={called(name)}
                  defaultValue={valueText(run.value(name))}
                  onKeyDown={(e) => {
                    if (e.key === 'Enter') run.write(name, e.currentTarget.value);
                  }}
                  onBlur={(e) => run.write(name, e.currentTarget.value)}
                  className="h-7 w-20 rounded border border-edge bg-sheet px-1.5 font-mono text-[12px]"
                />
              </label>
            ))}
          </div>
          <Now run={run} example={example} types={chart} />
        </div>
      </LiveProvider>
    </section>
  );
}
const NONE: ReadonlyMap<string, Tag> = new Map();

interface Running {
  readonly live: Live;
  readonly project: Project;
  readonly write: (path: string, value: string) => void;
  readonly value: (path: string) => ShownValue | undefined;
  readonly store: Live['store'];
}

/** The example run by hand, in step with the clock, as long as it is in sight. */
function useRunning(example: Example): Running {
  const made = useMemo(() => {
    const { engine, project } = exampleEngine(example);
    let request: FrameRequest = { paths: [], rungs: [] };
    const store = createStore<LiveState>(() => ({ frame: undefined as Frame | undefined }));
    const looker = makeLooker((r) => {
      request = r;
    });
    const at = (path: string) => {
      const f = findPath(engine.image, path);
      return 'error' in f ? undefined : f.location;
    };
    const run: Running = {
      project,
      store,
      live: { kind: 'bench', store, look: looker.look, event: () => undefined },
      write: (path, value) => write(engine, path, value),
      value: (path) => {
        const l = at(path);
        return l && shown(l, engine.read(path));
      },
    };
    return {
      engine,
      run,
      frame: () => {
        store.setState({
          frame: frameOf(engine, { ...request, paths: [...new Set([...request.paths, ...example.watch])] }),
        });
      },
    };
  }, [example]);
  useEffect(() => {
    let last = performance.now(),
      owed = 0,
      id = 0;
    const tick = (now: number) => {
      owed += Math.min(now - last, 100);
      last = now;
      for (; owed >= STEP_MS; owed -= STEP_MS) made.engine.runScan();
      made.frame();
      id = requestAnimationFrame(tick);
    };
    id = requestAnimationFrame(tick);
    return () => cancelAnimationFrame(id);
  }, [made]);
  return made.run;
}

/** The devices of the example as they are now. */
function Pictures({ project }: { readonly project: Project }) {
  const drawn = project.machine.devices.filter((d) => pictureOf(d.type, project.machine.kinds));
  return drawn.length ? (
    <div className="flex justify-center border-t border-edge p-1">
      <Stations devices={drawn} kinds={project.machine.kinds} label="The devices" />
    </div>
  ) : null;
}

/** What a value is called in an example: of a device, without the program it lives in. */
const called = (path: string) => path.replace(/^Machine\./, '');

function Press({ name, run }: { readonly name: string; readonly run: Running }) {
  const set = (v: string) => run.write(name, v);
  return (
    <Button
      onPointerDown={() => set('1')}
      onPointerUp={() => set('0')}
      onPointerLeave={() => set('0')}
      onKeyDown={(e) => {
        if ((e.key === ' ' || e.key === 'Enter') && !e.repeat) {
          e.preventDefault();
          set('1');
        }
      }}
      onKeyUp={(e) => {
        if (e.key === ' ' || e.key === 'Enter') set('0');
      }}
    >
      Hold {called(name)}
    </Button>
  );
}

/** The last seconds as they go by. */
function Now({
  run,
  example,
  types,
}: {
  readonly run: Running;
  readonly example: Example;
  readonly types: readonly Trace[];
}) {
  const SECONDS = Math.max(4, example.ms / 1000);
  const kept = useRef<Map<string, ShownValue[]>>(new Map());
  const lastScan = useRef(-1);
  const [, show] = useState(0);
  useEffect(
    () =>
      run.store.subscribe(({ frame }) => {
        if (!frame || frame.scan === lastScan.current) return;
        const passed = Math.min(frame.scan - Math.max(0, lastScan.current), 50);
        lastScan.current = frame.scan;
        for (const path of example.watch) {
          const list = kept.current.get(path) ?? [];
          for (let i = 0; i < passed; i++) list.push(frame.values[path] ?? false);
          kept.current.set(path, list.slice(-SECONDS * (1000 / STEP_MS)));
        }
        show((n) => n + 1);
      }),
    [run, example, SECONDS],
  );
  const traces = example.watch.map((path): Trace => {
    const values = kept.current.get(path) ?? [];
    return {
      path,
      isBand: typeof values[0] === 'boolean',
      type: types.find((t) => t.path === path)?.type ?? '',
      values,
    };
  });
  return (
    <div className="mt-2">
      <Chart traces={traces} ms={SECONDS * 1000} label="Now" />
    </div>
  );
}

const ROW = 24,
  LEFT = 150,
  WIDTH = 420;

/** Traces below each other: bands for BOOLs, curves for numbers. */
export function Chart({
  traces,
  ms,
  label,
}: {
  readonly traces: readonly Trace[];
  readonly ms: number;
  readonly label: string;
}) {
  const count = ms / STEP_MS;
  const x = (i: number) => LEFT + (i / count) * WIDTH;
  const seconds = Array.from({ length: Math.floor(ms / 1000) + 1 }, (_, i) => i);
  const height = traces.length * ROW + 18;
  const every = seconds.length > 12 ? 5 : 1;
  return (
    <svg
      role="img"
      aria-label={`${label}: ${traces.map((t) => t.path).join(', ')}`}
      viewBox={`0 0 ${LEFT + WIDTH + 60} ${height}`}
      className="block w-full p-1"
    >
      {seconds
        .filter((s) => s % every === 0)
        .map((s) => (
          <g key={s}>
            <line
              x1={x(s * (1000 / STEP_MS))}
              x2={x(s * (1000 / STEP_MS))}
              y1={2}
              y2={height - 14}
              className="stroke-edge"
              strokeWidth={1}
            />
            <text x={x(s * (1000 / STEP_MS))} y={height - 3} textAnchor="middle" className="fill-faint text-[9.5px]">
              {s} s
            </text>
          </g>
        ))}
      {traces.map((t, k) => {
        const top = k * ROW + 3,
          bottom = top + ROW - 8;
        const numbers = t.isBand ? [] : t.values.map(Number);
        const low = Math.min(0, ...numbers),
          high = Math.max(...numbers, low + 1e-9);
        const y = (v: number) => bottom - ((v - low) / (high - low)) * (ROW - 9);
        return (
          <g key={t.path}>
            <text x={LEFT - 10} y={bottom - 3} textAnchor="end" className="fill-ink font-mono text-[10.5px]">
              {called(t.path)}
            </text>
            <line x1={LEFT} x2={LEFT + WIDTH} y1={bottom} y2={bottom} className="stroke-faint" strokeWidth={0.8} />
            {t.isBand
              ? runs(t.values).map(([from, to]) => (
                  <rect
                    key={from}
                    x={x(from)}
                    width={Math.max(1.2, x(to) - x(from))}
                    y={top + 2}
                    height={ROW - 12}
                    rx={1.5}
                    className="fill-copper"
                  />
                ))
              : numbers.length > 0 && (
                  <polyline
                    points={numbers
                      .flatMap((v, i) =>
                        i === 0 || v !== numbers[i - 1] || i === numbers.length - 1
                          ? [`${x(i)},${y(i ? numbers[i - 1]! : v)}`, `${x(i)},${y(v)}`]
                          : [],
                      )
                      .join(' ')}
                    fill="none"
                    className="stroke-copper"
                    strokeWidth={1.6}
                  />
                )}
            {!t.isBand && numbers.length > 0 && (
              <text x={LEFT + WIDTH + 6} y={bottom - 3} className="fill-soft font-mono text-[10px]">
                {t.type === 'TIME' ? `${(high / 1000).toFixed(1)} s` : String(Math.round(high * 100) / 100)}
              </text>
            )}
          </g>
        );
      })}
    </svg>
  );
}

/** Stretches of TRUE, as scan numbers. */
function runs(values: readonly ShownValue[]): [number, number][] {
  const list: [number, number][] = [];
  values.forEach((v, i) => {
    if (v !== true) return;
    const last = list.at(-1);
    if (last && last[1] === i) last[1] = i + 1;
    else list.push([i, i + 1]);
  });
  return list;
}
