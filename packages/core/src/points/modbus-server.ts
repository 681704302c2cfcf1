/**
 * Answers requests as a Modbus server (Modbus application protocol V1.1b3, chapters 6 and 7). Written here because
 * those libraries that there are leave the checks of the specification out: a wrong count or length gets no answer, or
 * a wrong one. No input or output: bytes in, bytes out.
 */
import { type ModbusMap, type Mapped, type Table, type WordOrder, fromRegisters, toRegisters } from './modbus-map.js';
import type { Value } from '../runtime/paths.js';

/** Exception codes (chapter 7). */
export const EXCEPTION = { function: 1, address: 2, value: 3, device: 4, busy: 6 } as const;

/** The discrete input that is on while the values are good: Modbus itself carries no quality. */
export const QUALITY = 65_535;

/** What a server answers from. */
export interface ModbusData {
  readonly map: ModbusMap;
  readonly order: WordOrder;
  /** The value of a point now. */
  read(m: Mapped): Value;
  /** Whether the values are as the scan leaves them: it runs. */
  isGood(): boolean;
}
export interface Write {
  readonly path: string;
  readonly value: Value;
}
export interface Answered {
  /** The answer's PDU: function and data. */
  readonly pdu: Uint8Array;
  /** What the request writes; it is to be done before the answer goes out. */ readonly writes: readonly Write[];
  /** Why it was refused: a code of chapter 7. */ readonly exception?: number;
}

/** Where everything is, by table and number. */
export class ModbusServer {
  private readonly at: Readonly<Record<Table, ReadonlyMap<number, Mapped>>>;
  constructor(private readonly data: ModbusData) {
    const at: Record<Table, Map<number, Mapped>> = {
      discrete: new Map(),
      coil: new Map(),
      input: new Map(),
      holding: new Map(),
    };
    for (const m of data.map.points) for (let i = 0; i < m.count; i++) at[m.table].set(m.number + i, m);
    this.at = at;
  }

  /** Answers one PDU (function and data). Nothing throws, whatever the bytes. */
  answer(pdu: Uint8Array): Answered {
    const view = new DataView(pdu.buffer, pdu.byteOffset, pdu.length),
      code = pdu[0] ?? 0;
    const refuse = (exception: number): Answered => ({
      pdu: Uint8Array.of(code | 0x80, exception),
      writes: [],
      exception,
    });
    switch (code) {
      case 1:
      case 2:
        return this.readBits(view, code === 1 ? 'coil' : 'discrete', refuse);
      case 3:
      case 4:
        return this.readRegisters(view, code === 3 ? 'holding' : 'input', refuse);
      case 5:
        return this.writeCoil(view, pdu, refuse);
      case 6:
        return view.byteLength === 5
          ? this.writeRegisters(view.getUint16(1), [view.getUint16(3)], pdu, refuse)
          : refuse(EXCEPTION.value);
      case 15:
        return this.writeCoils(view, pdu, refuse);
      case 16:
        return this.writeMany(view, pdu, refuse);
      case 22:
        return this.maskRegister(view, pdu, refuse);
      case 23:
        return this.writeAndRead(view, refuse);
      default:
        return refuse(EXCEPTION.function);
    }
  }

  /** First the count, then the addresses: the order of the specification's own diagrams (figures 11 to 26). */
  private readBits(view: DataView, table: Table, refuse: (e: number) => Answered): Answered {
    if (view.byteLength !== 5) return refuse(EXCEPTION.value);
    const from = view.getUint16(1),
      count = view.getUint16(3);
    if (count < 1 || count > 2000) return refuse(EXCEPTION.value);
    const bits = this.values(table, from, count);
    if (!bits) return refuse(EXCEPTION.address);
    const bytes = new Uint8Array(2 + Math.ceil(count / 8));
    bytes[0] = view.getUint8(0);
    bytes[1] = bytes.length - 2;
    bits.forEach((on, i) => {
      if (on) bytes[2 + (i >> 3)]! |= 1 << (i & 7);
    });
    return { pdu: bytes, writes: [] };
  }

  private readRegisters(view: DataView, table: Table, refuse: (e: number) => Answered): Answered {
    if (view.byteLength !== 5) return refuse(EXCEPTION.value);
    const count = view.getUint16(3);
    if (count < 1 || count > 125) return refuse(EXCEPTION.value);
    const words = this.values(table, view.getUint16(1), count);
    return words ? { pdu: registersPdu(view.getUint8(0), words), writes: [] } : refuse(EXCEPTION.address);
  }

  /** Bits or registers of a stretch; undefined where one of them is nothing. */
  private values(table: Table, from: number, count: number): number[] | undefined {
    const result: number[] = [],
      known = new Map<Mapped, number[]>();
    for (let n = from; n < from + count; n++) {
      if (table === 'discrete' && n === QUALITY) {
        result.push(this.data.isGood() ? 1 : 0);
        continue;
      }
      const m = this.at[table].get(n);
      if (!m) return undefined;
      let words = known.get(m);
      if (!words) {
        const value = this.data.read(m);
        words =
          table === 'coil' || table === 'discrete'
            ? [value ? 1 : 0]
            : toRegisters(m.point.type, value, this.data.order);
        known.set(m, words);
      }
      result.push(words[n - m.number]!);
    }
    return result;
  }

  private writeCoil(view: DataView, pdu: Uint8Array, refuse: (e: number) => Answered): Answered {
    if (view.byteLength !== 5) return refuse(EXCEPTION.value);
    const value = view.getUint16(3),
      m = this.at.coil.get(view.getUint16(1));
    if (value !== 0xff00 && value !== 0) return refuse(EXCEPTION.value);
    if (!m) return refuse(EXCEPTION.address);
    return { pdu: pdu.slice(), writes: [{ path: m.point.path, value: value !== 0 }] };
  }

  private writeCoils(view: DataView, pdu: Uint8Array, refuse: (e: number) => Answered): Answered {
    if (view.byteLength < 6) return refuse(EXCEPTION.value);
    const from = view.getUint16(1),
      count = view.getUint16(3),
      bytes = view.getUint8(5);
    if (count < 1 || count > 1968 || bytes !== Math.ceil(count / 8) || view.byteLength !== 6 + bytes)
      return refuse(EXCEPTION.value);
    const writes: Write[] = [];
    for (let i = 0; i < count; i++) {
      const m = this.at.coil.get(from + i);
      if (!m) return refuse(EXCEPTION.address);
      writes.push({ path: m.point.path, value: ((pdu[6 + (i >> 3)]! >> (i & 7)) & 1) === 1 });
    }
    return { pdu: pdu.slice(0, 5), writes };
  }

  private writeMany(view: DataView, pdu: Uint8Array, refuse: (e: number) => Answered): Answered {
    if (view.byteLength < 6) return refuse(EXCEPTION.value);
    const count = view.getUint16(3),
      bytes = view.getUint8(5);
    if (count < 1 || count > 123 || bytes !== 2 * count || view.byteLength !== 6 + bytes)
      return refuse(EXCEPTION.value);
    const words = Array.from({ length: count }, (_, i) => view.getUint16(6 + 2 * i));
    return this.writeRegisters(view.getUint16(1), words, pdu.subarray(0, 5), refuse);
  }

  /** A value of several registers is written whole: those that were not sent stay as they are. */
  private writeRegisters(
    from: number,
    words: readonly number[],
    echo: Uint8Array,
    refuse: (e: number) => Answered,
  ): Answered {
    const changed = new Map<Mapped, number[]>();
    for (const [i, w] of words.entries()) {
      const m = this.at.holding.get(from + i);
      if (!m) return refuse(EXCEPTION.address);
      const now = changed.get(m) ?? toRegisters(m.point.type, this.data.read(m), this.data.order);
      now[from + i - m.number] = w;
      changed.set(m, now);
    }
    const writes: Write[] = [];
    for (const [m, now] of changed) {
      const value = fromRegisters(m.point.type, now, this.data.order);
      if (value === undefined) return refuse(EXCEPTION.value);
      writes.push({ path: m.point.path, value });
    }
    return { pdu: echo.slice(), writes };
  }

  /** Mask write register (6.16): the result is (now AND and-mask) OR (or-mask AND NOT and-mask). */
  private maskRegister(view: DataView, pdu: Uint8Array, refuse: (e: number) => Answered): Answered {
    if (view.byteLength !== 7) return refuse(EXCEPTION.value);
    const number = view.getUint16(1),
      and = view.getUint16(3),
      or = view.getUint16(5),
      now = this.values('holding', number, 1)?.[0];
    return now === undefined
      ? refuse(EXCEPTION.address)
      : this.writeRegisters(number, [(now & and) | (or & ~and & 0xffff)], pdu, refuse);
  }

  /**
   * Read and write multiple registers (6.17): what is read is as it is before the write where the scan has not run yet.
   */
  private writeAndRead(view: DataView, refuse: (e: number) => Answered): Answered {
    if (view.byteLength < 10) return refuse(EXCEPTION.value);
    const count = view.getUint16(3),
      written = view.getUint16(7),
      bytes = view.getUint8(9);
    if (
      count < 1 ||
      count > 125 ||
      written < 1 ||
      written > 121 ||
      bytes !== 2 * written ||
      view.byteLength !== 10 + bytes
    )
      return refuse(EXCEPTION.value);
    const from = view.getUint16(1),
      to = view.getUint16(5),
      words = Array.from({ length: written }, (_, i) => view.getUint16(10 + 2 * i));
    const before = this.values('holding', from, count);
    if (!before) return refuse(EXCEPTION.address);
    const done = this.writeRegisters(to, words, new Uint8Array(0), refuse);
    if (done.exception !== undefined) return done;
    // The write is done before the read.
    const now = before.map((w, i) => words[from + i - to] ?? w);
    return { pdu: registersPdu(23, now), writes: done.writes };
  }
}

function registersPdu(code: number, words: readonly number[]): Uint8Array {
  const bytes = new Uint8Array(2 + 2 * words.length),
    view = new DataView(bytes.buffer);
  bytes[0] = code;
  bytes[1] = 2 * words.length;
  words.forEach((w, i) => view.setUint16(2 + 2 * i, w));
  return bytes;
}

/** Longest frame: a header of seven bytes and a PDU of at most 253 (4.1). */
const HEADER = 7,
  LONGEST = 253;

export interface Frame {
  readonly transaction: number;
  readonly unit: number;
  readonly pdu: Uint8Array;
}

/**
 * Takes frames off what has come (Modbus messaging on TCP/IP V1.0b, 3.1.3). `bad`: what is there is no Modbus, and
 * there is no telling where the next frame begins: the connection is to be closed.
 */
export function framesOf(bytes: Uint8Array): {
  readonly frames: readonly Frame[];
  readonly rest: Uint8Array;
  readonly bad: boolean;
} {
  const frames: Frame[] = [];
  let at = 0;
  while (bytes.length - at >= HEADER) {
    const view = new DataView(bytes.buffer, bytes.byteOffset + at),
      length = view.getUint16(4);
    if (view.getUint16(2) !== 0 || length < 2 || length > LONGEST + 1)
      return { frames, rest: new Uint8Array(0), bad: true };
    if (bytes.length - at < 6 + length) break;
    frames.push({
      transaction: view.getUint16(0),
      unit: view.getUint8(6),
      pdu: bytes.slice(at + HEADER, at + 6 + length),
    });
    at += 6 + length;
  }
  return { frames, rest: bytes.slice(at), bad: false };
}

/** A frame with its header. */
export function frameBytes({ transaction, unit, pdu }: Frame): Uint8Array {
  const bytes = new Uint8Array(HEADER + pdu.length),
    view = new DataView(bytes.buffer);
  view.setUint16(0, transaction);
  view.setUint16(4, pdu.length + 1);
  bytes[6] = unit;
  bytes.set(pdu, HEADER);
  return bytes;
}
