/**
 * What is shown of points that are open to other programs, and of a link to another one: as a server or controller
 * tells it, as a page shows it.
 */
import type { Quality, FeedState } from './points.js';

export interface ModbusClient {
  readonly address: string;
  /** Milliseconds since it connected. */ readonly forMs: number;
  readonly requests: number;
  readonly writes: number;
  readonly refused: number;
}

export interface OpcuaClient {
  readonly name: string;
  readonly address: string;
  readonly user: string;
  readonly security: 'plain' | 'signed' | 'encrypted';
  readonly forMs: number;
  readonly subscribed: number;
  readonly reads: number;
  readonly writes: number;
  readonly refused: number;
}

export interface OpcuaCertificate {
  /** SHA-1 of it, in hex. */ readonly thumbprint: string;
  readonly subject: string;
  /** ISO 8601 day. */ readonly validTo: string;
  readonly isTrusted: boolean;
}

export interface OpcuaState {
  readonly state: 'off' | 'starting' | 'on';
  readonly port: number;
  /** Where clients connect. */ readonly address: string;
  /** Why it is not open though it should be. */ readonly error?: string;
  /** Of its own certificate. */ readonly thumbprint?: string;
  readonly clients: readonly OpcuaClient[];
  readonly certificates: readonly OpcuaCertificate[];
}

/** What is open to other programs. */
export interface OpenShown {
  readonly state: FeedState;
  /** All there are; of very many only the first are listed. */ readonly pointCount: number;
  /** What is left out, in words. */ readonly cut: readonly string[];
  readonly points: readonly {
    readonly path: string;
    readonly type: string;
    readonly unit?: string;
    readonly value: string;
    readonly access: 'read' | 'write';
    readonly quality: Quality;
  }[];
  readonly modbus: {
    readonly isOn: boolean;
    readonly port: number;
    readonly words: 'high first' | 'low first';
    readonly error?: string;
    readonly clients: readonly ModbusClient[];
    /** The first row names the columns. */ readonly rows: readonly (readonly string[])[];
    readonly left: readonly string[];
  };
  readonly opcua: OpcuaState & {
    readonly isOn: boolean;
    readonly plain: boolean;
    readonly anonymous: boolean;
    readonly user?: string;
  };
}

/** A link to another program that gives inputs and takes outputs. */
export interface LinkShown {
  readonly state: 'off' | 'joining' | 'on' | 'away';
  readonly protocol?: 'opcua' | 'modbus';
  readonly address?: string;
  /** Why it is away. */ readonly why?: string;
  /** Since it is as it is, in ms. */ readonly forMs: number;
  /** A name is given and no password for it. */ readonly needsPassword: boolean;
  readonly points: readonly {
    readonly path: string;
    readonly item: string;
    readonly type: string;
    readonly isInput: boolean;
    readonly value: string;
    readonly quality: Quality;
    readonly why?: string;
  }[];
  readonly certificates: readonly OpcuaCertificate[];
}
