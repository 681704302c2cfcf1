/** Looks what there is in another program, before anything is connected to it. */
import { Socket } from 'node:net';
import { client as modbus } from 'jsmodbus';
import type { FoundItem } from '@ferrule/core/workspace';
import type { ModbusTable, OpcuaCertificate } from '@ferrule/core/bench';
import type { OutsideIo } from '@ferrule/core/document';
import { Cable } from '../cable.js';
import { ANSWER_MS, parseOutsideAddress } from './driver.js';
import { browseOpcua } from './opcua-driver.js';
import { troubleWords } from './outside-link.js';

export interface Looked {
  readonly items: readonly (FoundItem & { /** Of a register, as it is. */ readonly value?: string })[];
  /** What else there is, in words. */ readonly more?: string;
  readonly certificates: readonly OpcuaCertificate[];
}
export class NotFound extends Error {
  constructor(
    message: string,
    readonly certificates: readonly OpcuaCertificate[],
  ) {
    super(message);
  }
}

/** `stretch`: of Modbus, which numbers of which table. Rejects with `NotFound`. */
export async function lookOutside(
  outside: Omit<OutsideIo, 'isOn' | 'items'>,
  options: {
    readonly folder: string;
    readonly entry: URL;
    readonly password?: string;
    readonly stretch?: { readonly table: ModbusTable; readonly from: number; readonly count: number };
  },
): Promise<Looked> {
  const to = parseOutsideAddress(outside.protocol, outside.address);
  if (typeof to === 'string') throw new NotFound(to, []);
  const cable = new Cable(to);
  await cable.listen(0, '127.0.0.1');
  let certificates: readonly OpcuaCertificate[] = [];
  try {
    if (outside.protocol === 'modbus')
      return await registersAt(cable.port, outside.unit ?? 1, options.stretch ?? { table: 'coil', from: 0, count: 16 });
    const { items, lists, isCut } = await browseOpcua(
      {
        outside: { ...outside, isOn: true, items: [] },
        port: cable.port,
        path: to.path,
        ...(options.password === undefined ? {} : { password: options.password }),
      },
      { ...options, certificates: (all) => (certificates = all) },
    );
    const more = [
      ...(lists ? [`${lists} list${lists === 1 ? '' : 's'} of values, which cannot be connected`] : []),
      ...(isCut ? ['more items than are listed here'] : []),
    ].join(', and ');
    return {
      items,
      certificates,
      ...(more ? { more: `There ${lists === 1 && !isCut ? 'is' : 'are'} also ${more}.` } : {}),
    };
  } catch (e) {
    const why = troubleWords(cable.trouble, to) ?? (e as Error).message;
    throw new NotFound(`${outside.address}: ${why}${/[.!]$/.test(why) ? '' : '.'}`, certificates);
  } finally {
    await cable.end();
  }
}

/** Numbers of a table one by one, as many as answer. */
async function registersAt(
  port: number,
  unit: number,
  { table, from, count }: { readonly table: ModbusTable; readonly from: number; readonly count: number },
): Promise<Looked> {
  const socket = new Socket(),
    client = new modbus.TCP(socket, unit, ANSWER_MS);
  try {
    await new Promise<void>((resolve, reject) => {
      socket.once('error', reject);
      socket.once('close', () => reject(new Error('it has closed the connection')));
      socket.connect(port, '127.0.0.1', resolve);
    });
    const read = async (at: number, n: number): Promise<number[] | undefined> => {
      try {
        const { response } =
          table === 'coil'
            ? await client.readCoils(at, n)
            : table === 'discrete'
              ? await client.readDiscreteInputs(at, n)
              : table === 'holding'
                ? await client.readHoldingRegisters(at, n)
                : await client.readInputRegisters(at, n);
        return Array.from(response.body.valuesAsArray, Number).slice(0, n);
      } catch (e) {
        const { err, message } = e as { err?: string; message?: string };
        if (err === 'ModbusException') return undefined;
        throw new Error(
          err === 'Timeout'
            ? `it did not answer within ${ANSWER_MS / 1000} s`
            : err === 'Offline'
              ? 'it has closed the connection'
              : (message ?? String(err)),
        );
      }
    };
    const together = await read(from, count),
      items: (FoundItem & { value: string })[] = [];
    for (let i = 0; i < count; i++) {
      const value = together ? together[i] : (await read(from + i, 1))?.[0];
      if (value !== undefined)
        items.push({
          item: `${table} ${from + i}`,
          name: '',
          type: table === 'coil' || table === 'discrete' ? 'bit' : 'register',
          canRead: true,
          canWrite: table === 'coil' || table === 'holding',
          value: String(value),
        });
    }
    return { items, certificates: [] };
  } finally {
    socket.destroy();
  }
}
