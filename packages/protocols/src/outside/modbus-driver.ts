/**
 * Joins a Modbus TCP server: reads inputs in stretches, as often as scans come, and writes outputs when they change.
 */
import { Socket } from 'node:net';
import { client as modbus } from 'jsmodbus';
import {
  type ModbusTable,
  type Value,
  formatValue,
  fromRegisters,
  parseModbusItem,
  registersOf,
  toRegisters,
} from '@ferrule/core/bench';
import type { OutsidePoint } from '@ferrule/core/workspace';
import { baseOf, typeText } from '@ferrule/core/language';
import { AGAIN_MS, ANSWER_MS, type Driver, type DriverSide, type Got, type LinkTask } from './driver.js';

type Client = InstanceType<typeof modbus.TCP>;
/** A point, and where it lies. */
interface Place {
  readonly n: number;
  readonly point: OutsidePoint;
  readonly table: ModbusTable;
  readonly number: number;
  readonly bit: number | undefined;
  readonly count: number;
}
/** Places side by side that are asked for at once. */
type Stretch = readonly Place[];

/** Of the specification (6.1 to 6.16): what one request carries. */
const MOST_BITS = 2000,
  MOST_REGISTERS = 125,
  MOST_WRITTEN = 123;
const EXCEPTIONS: Readonly<Record<number, string>> = {
  1: 'it does not know that function',
  2: 'there is nothing at that number',
  3: 'it does not take that value',
  4: 'it has failed',
  6: 'it is busy',
  10: 'there is no way to it',
  11: 'what is behind it does not answer',
};

export class ModbusDriver implements Driver {
  private readonly inputs: Stretch[];
  private readonly outputs = new Map<number, Place>();
  private readonly wanted = new Map<number, Value>();
  private socket: Socket | undefined;
  private isOver = false;
  private isUp = false;
  private wake: () => void = () => undefined;
  private readonly loop: Promise<void>;

  constructor(
    private readonly task: LinkTask,
    private readonly side: DriverSide,
  ) {
    const wrong: Got[] = [],
      places = task.points.flatMap((point, n): Place[] => {
        const place = placeOf(point, n);
        if (typeof place !== 'string') return [place];
        wrong.push({ n, why: place });
        return [];
      });
    this.inputs = stretchesOf(places.filter((p) => p.point.isInput));
    for (const p of places) if (!p.point.isInput) this.outputs.set(p.n, p);
    this.loop = this.run(wrong);
  }

  put(values: readonly (readonly [number, Value])[]): void {
    for (const [n, value] of values) if (this.outputs.has(n)) this.wanted.set(n, value);
    this.wake();
  }
  trust(): void {
    // There are no certificates.
  }
  async end(last: readonly (readonly [number, Value])[]): Promise<void> {
    this.put(last);
    this.isOver = true;
    this.wake();
    if (!this.isUp) this.socket?.destroy();
    await this.loop;
  }

  private async run(wrong: readonly Got[]): Promise<void> {
    while (!this.isOver) {
      try {
        await this.join(wrong);
      } catch (e) {
        if (!this.isOver) this.side.away(wordsOf(e));
      } finally {
        this.isUp = false;
        this.socket?.destroy();
      }
      if (!this.isOver) await this.pause(AGAIN_MS);
    }
  }
  private pause(ms: number): Promise<void> {
    return new Promise((resolve) => {
      const over = setTimeout(resolve, ms);
      this.wake = () => {
        clearTimeout(over);
        resolve();
      };
    });
  }

  /** From joining until the link breaks. */
  private async join(wrong: readonly Got[]): Promise<void> {
    const socket = new Socket();
    this.socket = socket;
    socket.setNoDelay(true);
    const closed = new Promise<never>((_, reject) => {
      socket.once('close', () => reject(new Error('it has closed the connection')));
      socket.on('error', () => undefined);
    });
    closed.catch(() => undefined);
    const client = new modbus.TCP(socket, this.task.outside.unit ?? 1, ANSWER_MS);
    socket.connect(this.task.port, '127.0.0.1');
    await Promise.race([new Promise((r) => socket.once('connect', r)), closed]);
    this.wanted.clear();
    for (;;) {
      const startMs = performance.now();
      await Promise.race([this.read(client), closed]);
      if (!this.isUp) {
        this.isUp = true;
        // It writes what is told now: what was wanted of it before is told anew.
        this.side.up();
        this.side.got(wrong);
      }
      this.tell();
      await Promise.race([this.write(client), closed]);
      if (this.isOver && !this.wanted.size) return;
      await Promise.race([this.pause(Math.max(1, this.task.scanMs - (performance.now() - startMs))), closed]);
    }
  }

  private news: Got[] = [];
  private tell(): void {
    if (this.news.length) this.side.got(this.news.splice(0));
  }

  private async read(client: Client): Promise<void> {
    // Where there is nothing to read, one question tells whether the link stands.
    if (!this.inputs.length) {
      const [first] = this.outputs.values();
      if (first) await this.readStretch(client, [first]);
      else await ask(client.readCoils(0, 1)).catch(onlyExceptions);
      return;
    }
    for (let i = 0; i < this.inputs.length; i++) {
      const stretch = this.inputs[i]!;
      if ((await this.readStretch(client, stretch)) || stretch.length === 1) continue;
      // One of them is not there: from now on each is asked for by itself.
      this.inputs.splice(i, 1, ...stretch.map((p) => [p]));
      i--;
    }
  }
  /** False where the other side refused. */
  private async readStretch(client: Client, stretch: Stretch): Promise<boolean> {
    const [{ table, number: from }, last] = [stretch[0]!, stretch.at(-1)!],
      count = last.number + last.count - from;
    let values: readonly number[];
    try {
      values =
        table === 'coil'
          ? await ask(client.readCoils(from, count))
          : table === 'discrete'
            ? await ask(client.readDiscreteInputs(from, count))
            : table === 'holding'
              ? await ask(client.readHoldingRegisters(from, count))
              : await ask(client.readInputRegisters(from, count));
    } catch (e) {
      onlyExceptions(e);
      if (stretch.length === 1 && stretch[0]!.point.isInput) this.news.push({ n: stretch[0]!.n, why: wordsOf(e) });
      return false;
    }
    for (const p of stretch) {
      if (!p.point.isInput) continue;
      const of = values.slice(p.number - from, p.number - from + p.count),
        value = valueOf(p, of, this.order);
      this.news.push(
        value === undefined
          ? { n: p.n, why: `${of.join(' ')} is no value of ${typeText(p.point.type)}` }
          : { n: p.n, value },
      );
    }
    return true;
  }
  private get order(): 'high first' | 'low first' {
    return this.task.outside.words ?? 'high first';
  }

  /** What is wanted is written, side by side at once where it lies so. */
  private async write(client: Client): Promise<void> {
    const due = [...this.wanted].map(([n, value]) => ({ ...this.outputs.get(n)!, value }));
    this.wanted.clear();
    for (const stretch of stretchesOf(due, MOST_WRITTEN)) await this.writeStretch(client, stretch);
    this.tell();
  }
  private async writeStretch(client: Client, all: readonly (Place & { readonly value: Value })[]): Promise<void> {
    const [{ table, number: from }] = [all[0]!];
    try {
      if (table === 'coil')
        await ask(
          all.length === 1
            ? client.writeSingleCoil(from, Boolean(all[0]!.value))
            : client.writeMultipleCoils(
                from,
                all.map((p) => Boolean(p.value)),
              ),
        );
      else {
        const words = all.flatMap((p) => toRegisters(p.point.type, p.value, this.order));
        await ask(
          words.length === 1 ? client.writeSingleRegister(from, words[0]!) : client.writeMultipleRegisters(from, words),
        );
      }
      for (const { n, value } of all) this.news.push({ n, value });
    } catch (e) {
      onlyExceptions(e);
      if (all.length > 1) for (const p of all) await this.writeStretch(client, [p]);
      else
        this.news.push({
          n: all[0]!.n,
          why: `${formatValue(all[0]!.point.type, all[0]!.value)} was not taken: ${wordsOf(e)}`,
        });
    }
  }
}

/** Where a point lies; a string is why it cannot lie there. */
function placeOf(point: OutsidePoint, n: number): Place | string {
  const at = parseModbusItem(point.item),
    isBit = baseOf(point.type) === 'BOOL';
  if (!at) return `'${point.item}' is no place; write for example coil 12, holding 40 or holding 40.3.`;
  if (point.type.kind === 'string') return 'text is not carried over Modbus';
  const { table, number, bit } = at,
    isBits = table === 'coil' || table === 'discrete';
  if (!point.isInput && (table === 'discrete' || table === 'input'))
    return `${table === 'discrete' ? 'a discrete input' : 'an input register'} cannot be written; an output goes to a coil or a holding register`;
  if (!point.isInput && bit !== undefined) return 'a single bit of a register cannot be written; connect it to a coil';
  if (isBits && !isBit) return `${typeText(point.type)} needs registers`;
  if (!isBits && isBit && point.isInput && bit === undefined)
    return 'a bit of a register is named by its number: holding 40.3';
  const count = isBits || isBit ? 1 : registersOf(point.type);
  return number + count > 65_536 ? 'it runs past number 65535' : { n, point, table, number, bit, count };
}

function valueOf(
  { point, table, bit }: Place,
  of: readonly number[],
  order: 'high first' | 'low first',
): Value | undefined {
  if (table === 'coil' || table === 'discrete') return of[0] === 1;
  return bit === undefined ? fromRegisters(point.type, of, order) : ((of[0]! >> bit) & 1) === 1;
}

/** Side by side, as many as one request carries; several bits of one register lie over each other. */
function stretchesOf<P extends Place>(places: readonly P[], mostRegisters = MOST_REGISTERS): P[][] {
  const all: P[][] = [];
  for (const p of [...places].sort((a, b) => (a.table < b.table ? -1 : a.table > b.table ? 1 : a.number - b.number))) {
    const open = all.at(-1),
      last = open?.at(-1),
      most = p.table === 'coil' || p.table === 'discrete' ? MOST_BITS - 32 : mostRegisters;
    if (
      open &&
      last?.table === p.table &&
      p.number <= last.number + last.count &&
      (p.point.isInput || p.number === last.number + last.count) &&
      p.number + p.count - open[0]!.number <= most
    )
      open.push(p);
    else all.push([p]);
  }
  return all;
}

/** The values of an answer; rejects as the library does. */
async function ask(request: PromiseLike<unknown>): Promise<readonly number[]> {
  const { response } = (await request) as { response: { body: { valuesAsArray?: ArrayLike<number | boolean> } } };
  return Array.from(response.body.valuesAsArray ?? [], Number);
}
interface Refused {
  readonly err?: string;
  readonly response?: { readonly body?: { readonly code?: number } };
}
/** An exception is an answer; everything else is no link. */
function onlyExceptions(e: unknown): void {
  if ((e as Refused).err !== 'ModbusException') throw e;
}
function wordsOf(e: unknown): string {
  const { err, response } = e as Refused,
    code = response?.body?.code;
  if (err === 'ModbusException') return `${EXCEPTIONS[code ?? 0] ?? 'it refuses'} (exception ${code ?? '?'})`;
  if (err === 'Timeout') return `it did not answer within ${ANSWER_MS / 1000} s`;
  if (err === 'Offline') return 'it has closed the connection';
  return e instanceof Error ? e.message : (err ?? String(e));
}
