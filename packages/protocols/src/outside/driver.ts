/** What joins another program to read inputs and write outputs there: one for each protocol. */
import type { OutsideIo } from '@ferrule/core/document';
import type { OutsidePoint } from '@ferrule/core/workspace';
import type { Value, OpcuaCertificate } from '@ferrule/core/bench';

/**
 * Of one point by its number: the value that came, or why it cannot be trusted; of an output that it was taken, or why
 * not.
 */
export interface Got {
  readonly n: number;
  readonly value?: Value;
  /** As the other side says it: a value that may be old. */ readonly isUncertain?: boolean;
  readonly why?: string;
}

export interface LinkTask {
  readonly outside: OutsideIo;
  readonly points: readonly OutsidePoint[];
  readonly password?: string;
  /** Milliseconds from scan to scan: so often it looks. */ readonly scanMs: number;
  /** Where its end of the cable is, on this machine. */ readonly port: number;
  /** `/path` of an OPC UA address. */ readonly path: string;
}

export interface DriverSide {
  /** The link stands: inputs come from now on, and outputs are wanted. */
  up(): void;
  /** It does not, or not any more; it is tried again. */
  away(why: string): void;
  got(all: readonly Got[]): void;
  certificates(all: readonly OpcuaCertificate[]): void;
}

export interface Driver {
  /**
   * Outputs by the number of their point. What is told again before it was sent takes the place of what was told
   * before.
   */
  put(values: readonly (readonly [number, Value])[]): void;
  trust(thumbprint: string, isTrusted: boolean): void;
  /** Sends these last, where the link stands, and leaves. */
  end(last: readonly (readonly [number, Value])[]): Promise<void>;
}

/** Between two attempts to join, in ms. */
export const AGAIN_MS = 1000;
/** An answer that takes longer does not come. */
export const ANSWER_MS = 2000;

/** Where an address leads; a string is what is wrong with it. */
export function parseOutsideAddress(
  protocol: OutsideIo['protocol'],
  address: string,
): { readonly host: string; readonly port: number; readonly path: string } | string {
  const [pattern, usual, example] =
    protocol === 'opcua'
      ? [/^opc\.tcp:\/\/(\[[0-9a-f:]+\]|[\w.-]+)(?::(\d{1,5}))?(\/\S*)?$/i, 4840, 'opc.tcp://192.168.0.10:4840']
      : [/^(\[[0-9a-f:]+\]|[\w.-]+)(?::(\d{1,5}))?()$/i, 502, '192.168.0.10:502'];
  const m = pattern.exec(address.trim()),
    port = m?.[2] === undefined ? (usual as number) : Number(m[2]);
  if (!m || port < 1 || port > 65_535)
    return `'${address}' is no address of ${protocol === 'opcua' ? 'an OPC UA server' : 'a Modbus server'}; write for example ${String(example)}.`;
  return { host: m[1]!.replace(/^\[|\]$/g, ''), port, path: m[3] ?? '' };
}
