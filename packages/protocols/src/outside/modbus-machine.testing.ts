/** For tests: another program with a machine in it, that is asked over Modbus TCP. */
import { type Socket, createServer } from 'node:net';

/** A Modbus server of the test's own: tables in memory, some numbers of which are not there. */
export function modbusMachine(port: number) {
  const bits = { coil: new Map<number, number>(), discrete: new Map<number, number>() },
    words = { holding: new Map<number, number>(), input: new Map<number, number>() },
    asked: number[] = [],
    sockets = new Set<Socket>();
  let isMute = false;
  const answer = (pdu: Buffer): Buffer => {
    const code = pdu[0]!,
      at = pdu.readUInt16BE(1),
      n = pdu.readUInt16BE(3);
    asked.push(code);
    const no = (exception: number) => Buffer.from([code | 0x80, exception]);
    if (code <= 2) {
      const table = code === 1 ? bits.coil : bits.discrete,
        bytes = Buffer.alloc(Math.ceil(n / 8));
      for (let i = 0; i < n; i++) {
        const v = table.get(at + i);
        if (v === undefined) return no(2);
        bytes[i >> 3]! |= v << (i & 7);
      }
      return Buffer.from([code, bytes.length, ...bytes]);
    }
    if (code <= 4) {
      const table = code === 3 ? words.holding : words.input,
        bytes = Buffer.alloc(2 * n);
      for (let i = 0; i < n; i++) {
        const v = table.get(at + i);
        if (v === undefined) return no(2);
        bytes.writeUInt16BE(v, 2 * i);
      }
      return Buffer.from([code, bytes.length, ...bytes]);
    }
    const put = (table: Map<number, number>, values: number[]) => {
      if (values.some((_, i) => !table.has(at + i))) return no(2);
      values.forEach((v, i) => table.set(at + i, v));
      return pdu.subarray(0, 5);
    };
    if (code === 5) return put(bits.coil, [n ? 1 : 0]);
    if (code === 6) return put(words.holding, [n]);
    if (code === 15)
      return put(
        bits.coil,
        Array.from({ length: n }, (_, i) => (pdu[6 + (i >> 3)]! >> (i & 7)) & 1),
      );
    return put(
      words.holding,
      Array.from({ length: n }, (_, i) => pdu.readUInt16BE(6 + 2 * i)),
    );
  };
  const server = createServer((s) => {
    sockets.add(s);
    s.on('error', () => s.destroy());
    s.on('close', () => sockets.delete(s));
    s.on('data', (d) => {
      if (isMute) return;
      for (let at = 0; at < d.length;) {
        const length = d.readUInt16BE(at + 4),
          out = answer(d.subarray(at + 7, at + 6 + length)),
          head = Buffer.from(d.subarray(at, at + 7));
        head.writeUInt16BE(out.length + 1, 4);
        s.write(Buffer.concat([head, out]));
        at += 6 + length;
      }
    });
  });
  return {
    ...bits,
    ...words,
    asked,
    mute: (to: boolean) => (isMute = to),
    start: () => new Promise<void>((r) => server.listen(port, '127.0.0.1', r)),
    stop: () => {
      for (const s of sockets) s.destroy();
      return new Promise((r) => server.close(r));
    },
  };
}
