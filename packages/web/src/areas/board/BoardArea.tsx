/**
 * The logic as C for a board: the target, which point is which pin, what it takes there, and the files to build it
 * from.
 */
import { useEffect, useMemo, useState } from 'react';
import { AVR_PINS, type BoardUse } from '@ferrule/core/boards';
import type { Board, BoardPin } from '@ferrule/core/document';
import { askBench, useBench } from '../../bench/live.js';
import { saveAs } from '../../components/save-as.js';
import { Button, EditInPlace } from '../../components/ui.js';
import { useDocument } from '../../document/store.js';

const TARGETS: readonly { readonly target: Board['target']; readonly name: string; readonly about: string }[] = [
  { target: 'avr', name: '8-bit board', about: 'ATmega328P at 16 MHz: 32 KB of program, 2 KB of memory' },
  { target: 'arm', name: 'Cortex-M', about: 'pins are bits of registers; memory.ld says what the chip has' },
  { target: 'linux', name: 'Linux', about: 'in real time; points over Modbus TCP or in shared memory' },
  { target: 'c', name: 'C library', about: 'the logic and its runtime, for whatever there is' },
];
const NOTHING: Board = { target: 'avr', pins: [] };
type Point = Awaited<ReturnType<typeof askBench<'ioPoints'>>>[number];
type Answer = Awaited<ReturnType<typeof askBench<'board'>>>;

const hasWord = (how: string | undefined, word: string): boolean => (how ?? '').split(/\s+/).includes(word);
const withWord = (how: string | undefined, word: string, on: boolean): string =>
  [...(how ?? '').split(/\s+/).filter((w) => w && w !== word), ...(on ? [word] : [])].join(' ');

export function BoardArea() {
  const project = useDocument((s) => s.project)!,
    edit = useDocument((s) => s.edit);
  const board = project.board ?? NOTHING;
  const checked = useBench((s) => s.checked);
  const [points, setPoints] = useState<readonly Point[]>([]);
  const [answer, setAnswer] = useState<Answer>();
  useEffect(() => {
    let isGone = false;
    void askBench('ioPoints', {}).then((p) => {
      if (!isGone) setPoints(p ?? []);
    });
    void askBench('board', { board }).then((a) => {
      if (!isGone) setAnswer(a);
    });
    return () => {
      isGone = true;
    };
  }, [checked, board]);
  const save = (next: Board) => edit({ kind: 'changeBoard', board: next });
  const pins = useMemo(
    () => new Map(board.pins.map((p, i) => [p.point.toLowerCase(), { ...p, row: i }])),
    [board.pins],
  );
  const put = (pin: BoardPin) => {
    const rest = board.pins.filter((p) => p.point.toLowerCase() !== pin.point.toLowerCase()),
      at = board.pins.findIndex((p) => p.point.toLowerCase() === pin.point.toLowerCase());
    if (!pin.pin) save({ ...board, pins: rest });
    else if (at < 0) save({ ...board, pins: [...board.pins, pin] });
    else save({ ...board, pins: board.pins.map((p, i) => (i === at ? pin : p)) });
  };
  const problem = answer && 'problem' in answer ? answer : undefined,
    built = answer && 'files' in answer ? answer : undefined;
  const others = board.pins.filter((p) => !points.some((x) => x.path.toLowerCase() === p.point.toLowerCase()));
  const hasPins = board.target !== 'linux';
  return (
    <div className="h-full overflow-auto bg-paper p-5 text-[12.5px]">
      <div className="mx-auto flex max-w-[1180px] flex-col gap-4">
        <header className="flex flex-wrap items-baseline gap-x-4 gap-y-1">
          <h1 className="text-lg font-semibold">C for a board</h1>
          <p className="text-soft">
            What runs there does what the bench does, bit by bit. Names are kept; every rung and line stands beside its
            C.
          </p>
        </header>
        <Targets board={board} onChoose={(target) => save({ ...board, target })} />
        <div className="grid grid-cols-1 gap-4 lg:grid-cols-[minmax(0,1fr)_340px]">
          <section aria-label="Points and pins" className="rounded-lg border border-edge bg-sheet">
            {hasPins ? (
              <PinTable
                board={board}
                points={points}
                others={others}
                pins={pins}
                wrong={problem?.rows ?? NONE}
                addressOf={(name) =>
                  project.tags.find((t) => t.name.toLowerCase() === name.toLowerCase())?.address ?? ''
                }
                names={project.tags.map((t) => t.name)}
                onPut={put}
              />
            ) : (
              <p className="p-4 text-soft">
                On Linux points have no pins: bits and words of %I are the discrete inputs and input registers of a
                Modbus device, %Q its coils and holding registers (./logic --modbus host:port), or bytes in a file of
                shared memory (--map file). Retained values lie in a file (--retain file).
              </p>
            )}
          </section>
          <Result problem={problem} built={built} target={board.target} name={project.name} />
        </div>
        {built?.wiring !== undefined && <Wiring text={built.wiring} />}
      </div>
    </div>
  );
}

function Targets({ board, onChoose }: { readonly board: Board; readonly onChoose: (t: Board['target']) => void }) {
  return (
    <fieldset className="grid grid-cols-2 gap-2 lg:grid-cols-4">
      <legend className="sr-only">Target</legend>
      {TARGETS.map((t) => (
        <label
          key={t.target}
          className={`flex cursor-pointer gap-2 rounded-lg border bg-sheet px-3 py-2 has-focus-visible:outline-2 has-focus-visible:outline-copper ${board.target === t.target ? 'border-copper' : 'border-edge hover:border-faint'}`}
        >
          <input
            type="radio"
            name="target"
            className="mt-0.5 accent-copper"
            checked={board.target === t.target}
            onChange={() => onChoose(t.target)}
          />
          <span>
            <span className="block font-semibold">{t.name}</span>
            <span className="block text-[12px] text-soft">{t.about}</span>
          </span>
        </label>
      ))}
    </fieldset>
  );
}

const HINTS: Record<Board['target'], string> = {
  avr: 'A pin is PB0 to PB5, PC0 to PC5 or PD0 to PD7; ADC0 to ADC5 give a whole number from 0 to 1023. Or a function of yours: call:its_name.',
  arm: 'A pin is a bit of a register, 0x400253FC.3; a whole number is a register alone. Or a function of yours: call:its_name. Where no pin is said at all, each point is a function in own.c.',
  c: 'A point is a function of yours: call:its_name. Where none is said at all, each has one in own.c, to be filled in.',
  linux: '',
};
const ANALOG = ['ADC0', 'ADC1', 'ADC2', 'ADC3', 'ADC4', 'ADC5'];

function PinTable({
  board,
  points,
  others,
  pins,
  wrong,
  addressOf,
  names,
  onPut,
}: {
  readonly board: Board;
  readonly points: readonly Point[];
  readonly others: readonly BoardPin[];
  readonly pins: ReadonlyMap<string, BoardPin & { readonly row: number }>;
  readonly wrong: readonly { readonly row: number; readonly words: string }[];
  readonly addressOf: (name: string) => string;
  readonly names: readonly string[];
  readonly onPut: (pin: BoardPin) => void;
}) {
  const used = new Map(board.pins.map((p) => [p.pin.toUpperCase(), p.point]));
  const choicesFor = (type: string) =>
    board.target !== 'avr'
      ? []
      : (type === 'BOOL' ? [...AVR_PINS.keys()] : ANALOG)
          .filter((n) => !used.has(n))
          .map((n) => ({ text: n, about: AVR_PINS.has(n) ? `leg ${AVR_PINS.get(n)}` : '0 to 1023' }));
  const rows = [
    ...points.map((p) => ({ name: p.path, type: p.type, isInput: p.isInput, own: false })),
    ...others.map((p) => ({ name: p.point, type: '', isInput: hasWord(p.how, 'in'), own: true })),
  ];
  return (
    <>
      <p className="px-2 pt-2 text-soft">{HINTS[board.target]}</p>
      <table className="w-full table-fixed border-collapse">
        <thead>
          <tr className="border-b border-edge text-left text-[12px] text-soft">
            {COLUMNS.map(([h, width], i) => (
              <th key={i} scope="col" className={`px-2 py-1.5 font-medium ${width}`}>
                {h}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {rows.map((r) => {
            const pin = pins.get(r.name.toLowerCase());
            const bad = wrong.find((w) => w.row === pin?.row)?.words;
            const put = (change: Partial<BoardPin>) => {
              const { row: _, ...before } = pin ?? { point: r.name, pin: '', row: -1 };
              const next = { ...before, ...change };
              onPut({ point: next.point, pin: next.pin, ...(next.how ? { how: next.how } : {}) });
            };
            return (
              <tr key={r.name} className="border-b border-edge/60 align-top">
                <td className="px-2 py-1 font-semibold break-words">{r.name}</td>
                <td className="px-2 py-1 font-mono text-[12px]">{addressOf(r.name)}</td>
                <td className="px-2 py-1 font-mono text-[12px]">{r.type}</td>
                <td className="px-2 py-1 text-soft">{r.isInput ? 'input' : 'output'}</td>
                <td className="px-1 py-0.5">
                  <EditInPlace
                    value={pin?.pin ?? ''}
                    label={`Pin of ${r.name}`}
                    mono
                    placeholder={!board.pins.length && board.target !== 'avr' ? 'in own.c' : 'no pin yet'}
                    choices={choicesFor(r.type)}
                    onCommit={(text) => put({ pin: text })}
                  />
                  {bad && (
                    <p role="alert" className="px-1 text-[12px] text-bad">
                      {bad}
                    </p>
                  )}
                </td>
                <td className="px-2 py-1">
                  {pin && (
                    <span className="flex gap-3">
                      {((r.isInput && board.target === 'avr' && r.type === 'BOOL') || hasWord(pin.how, 'pull-up')) && (
                        <Tick
                          label={`Pull-up at ${r.name}`}
                          words="pull-up"
                          on={hasWord(pin.how, 'pull-up')}
                          onChange={(on) => put({ how: withWord(pin.how, 'pull-up', on) })}
                        />
                      )}
                      {(r.type === 'BOOL' || r.own || hasWord(pin.how, 'inverted')) && (
                        <Tick
                          label={`${r.name} inverted`}
                          words="inverted"
                          on={hasWord(pin.how, 'inverted')}
                          onChange={(on) => put({ how: withWord(pin.how, 'inverted', on) })}
                        />
                      )}
                    </span>
                  )}
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
      {!rows.length && (
        <p className="p-4 text-soft">No tag has an address of an input or output (%I…, %Q…) yet; give it in Tags.</p>
      )}
      <Another names={names.filter((n) => !rows.some((r) => r.name === n))} onAdd={onPut} />
    </>
  );
}
const NONE: readonly never[] = [];
/** Their widths stay: what a pin brings with it does not move the field that is typed in next. */
const COLUMNS = [
  ['Point', ''],
  ['Address', 'w-20'],
  ['Type', 'w-24'],
  ['', 'w-16'],
  ['Pin', 'w-44'],
  ['How', 'w-44'],
] as const;

function Tick({
  label,
  words,
  on,
  onChange,
}: {
  readonly label: string;
  readonly words: string;
  readonly on: boolean;
  readonly onChange: (on: boolean) => void;
}) {
  return (
    <label className="flex items-center gap-1 whitespace-nowrap">
      <input
        type="checkbox"
        aria-label={label}
        className="accent-copper"
        checked={on}
        onChange={(e) => onChange(e.target.checked)}
      />
      {words}
    </label>
  );
}

/** A tag without an address may have a pin too; it then says which way it goes. */
function Another({ names, onAdd }: { readonly names: readonly string[]; readonly onAdd: (pin: BoardPin) => void }) {
  const [name, setName] = useState(''),
    [pin, setPin] = useState(''),
    [way, setWay] = useState<'in' | 'out'>('out');
  const known = names.find((n) => n.toLowerCase() === name.trim().toLowerCase());
  return (
    <form
      className="flex flex-wrap items-center gap-2 px-2 py-2 text-soft"
      onSubmit={(e) => {
        e.preventDefault();
        if (!known || !pin.trim()) return;
        onAdd({ point: known, pin: pin.trim(), how: way });
        setName('');
        setPin('');
      }}
    >
      Another tag
      <input
        aria-label="Another tag"
        list="board-tags"
        value={name}
        onChange={(e) => setName(e.target.value)}
        className="h-7 w-40 rounded-md border border-edge bg-sheet px-2 text-ink"
      />
      <datalist id="board-tags">
        {names.slice(0, 400).map((n) => (
          <option key={n} value={n} />
        ))}
      </datalist>
      <select
        aria-label="Which way it goes"
        value={way}
        onChange={(e) => setWay(e.target.value as 'in' | 'out')}
        className="h-7 rounded-md border border-edge bg-sheet px-1 text-ink"
      >
        <option value="out">goes out at</option>
        <option value="in">comes in at</option>
      </select>
      <input
        aria-label="Its pin"
        value={pin}
        onChange={(e) => setPin(e.target.value)}
        className="h-7 w-40 rounded-md border border-edge bg-sheet px-2 font-mono text-ink"
      />
      <Button type="submit" disabled={!known || !pin.trim()}>
        Add
      </Button>
      {name.trim() !== '' && !known && <span className="text-copper-ink">There is no such tag without a pin.</span>}
    </form>
  );
}

type Built = Extract<Answer, { readonly files: unknown }>;
function Result({
  problem,
  built,
  target,
  name,
}: {
  readonly problem: Extract<Answer, { readonly problem: string }> | undefined;
  readonly built: Built | undefined;
  readonly target: Board['target'];
  readonly name: string;
}) {
  const root = `${
    name
      .toLowerCase()
      .replace(/[^a-z0-9]+/g, '-')
      .replace(/^-|-$/g, '') || 'project'
  }-${target}`;
  const archive = async () => {
    const { strToU8, zipSync } = await import('fflate');
    const files = Object.fromEntries(built!.files.map(([path, text]) => [`${root}/${path}`, strToU8(text)]));
    saveAs(`${root}.zip`, zipSync(files) as Uint8Array<ArrayBuffer>, 'application/zip');
  };
  const tooLarge = built?.use !== undefined && built.use.ram > built.use.ramOf;
  return (
    <section aria-label="What it takes" className="flex flex-col gap-3 rounded-lg border border-edge bg-sheet p-4">
      {problem && (
        <p role="alert" className="text-bad">
          {!problem.rows
            ? problem.problem
            : problem.rows.length === 1
              ? 'A pin is wrong; it is marked in the table.'
              : `${problem.rows.length} pins are wrong; they are marked in the table.`}
        </p>
      )}
      {built?.use && <Use use={built.use} />}
      {built && built.without.length > 0 && (
        <p className="text-copper-ink">
          {target === 'linux' ? 'No single value, and so' : 'Without a pin, and so'} neither read nor written:{' '}
          {built.without.slice(0, 12).join(', ')}
          {built.without.length > 12 ? ` and ${built.without.length - 12} more` : ''}.
        </p>
      )}
      <Button look="strong" disabled={!built || tooLarge} onClick={() => void archive()} className="self-start">
        Save the C as an archive
      </Button>
      {tooLarge && <p className="text-bad">The state does not fit into the memory of this board.</p>}
      {built && (
        <p className="text-soft">
          {built.files.length} files with a Makefile; <span className="font-mono">make</span> builds them
          {target !== 'avr' ? (
            <>
              , <span className="font-mono">make trace</span> the same offline, with the options of ferrule run
            </>
          ) : null}
          . The same by hand:{' '}
          <span className="font-mono break-all">ferrule build … --target {target} --out folder</span>
        </p>
      )}
    </section>
  );
}
function Use({ use }: { readonly use: BoardUse }) {
  return (
    <>
      <Meter label="Memory" value={use.ram} of={use.ramOf} about="for the state; what calls take comes on top" />
      <Meter
        label="Program"
        value={use.flash}
        of={use.flashOf}
        about="an estimate; make tells what it is"
        about2="about "
      />
      {use.costs.length > 0 && (
        <ul aria-label="What is dear" className="flex list-disc flex-col gap-1 pl-4 text-soft">
          {use.costs.map((c) => (
            <li key={c}>{c}</li>
          ))}
        </ul>
      )}
    </>
  );
}
function Meter({
  label,
  value,
  of,
  about,
  about2 = '',
}: {
  readonly label: string;
  readonly value: number;
  readonly of: number;
  readonly about: string;
  readonly about2?: string;
}) {
  const share = Math.min(1, value / of);
  return (
    <div>
      <p className="flex justify-between gap-2">
        <span className="font-semibold">{label}</span>
        <span className={value > of ? 'text-bad' : ''}>
          {about2}
          {value.toLocaleString('en')} of {of.toLocaleString('en')} bytes
        </span>
      </p>
      <div className="mt-1 h-1.5 overflow-hidden rounded bg-edge" aria-hidden>
        <div
          className={`h-full ${value > of ? 'bg-bad' : 'bg-copper'}`}
          style={{ width: `${Math.max(1, share * 100)}%` }}
        />
      </div>
      <p className="mt-0.5 text-[12px] text-soft">{about}</p>
    </div>
  );
}

function Wiring({ text }: { readonly text: string }) {
  return (
    <section aria-label="Wiring list" className="flex flex-col gap-2">
      <div className="no-print flex items-center gap-3">
        <h2 className="font-semibold">Wiring list</h2>
        <Button onClick={() => window.print()}>Print</Button>
        <Button onClick={() => saveAs('wiring.txt', text)}>Save</Button>
      </div>
      <pre className="print-sheet overflow-x-auto rounded-lg border border-edge bg-white p-4 font-mono text-[11.5px] text-black">
        {text}
      </pre>
    </section>
  );
}
