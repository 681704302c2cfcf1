/**
 * The protocols that are open over a source's points: switched by hand, under rules that are kept, and shown with who
 * is there.
 *
 * Other programs join in over the protocols of `packages/protocols`, which stand on a `PointSource` (points, values,
 * state of what feeds them, cable, a write before the coming scan) and know of no controller; the stand-in's is in
 * `controller/src/other-programs.ts`. Which tags are points is the tag's access and nothing else. Quality follows the
 * feed: good while the scan runs, uncertain while a bench is paused, bad in stop, after a fault and where nobody hears
 * of it. What is written is taken between two scans like what a page writes, so a recording holds it and replays
 * without the other program. *Modbus TCP* (`modbus-listener.ts`): numbers from the addresses, or from the tag
 * (`core/points/modbus-map.ts`); answers from a look that is at most 2 ms old, by the specification's own checks
 * (`modbus-server.ts`); clients, frames on their way and silence are bounded; on this machine only, for it has no
 * password. *OPC UA* (`opcua/`) is served by a library in a process of its own, which is started when it is switched
 * on and started again should it end; it makes its certificates in the controller's folder at its first start. At the
 * end of each scan while a client is there (`Scan.lookAfterScan`) it is told what changed; while it has not taken
 * that, changes are told together, so nothing queues up. Tags are nodes by name (`nodes.ts`): structures, instances
 * and arrays of those are objects, arrays of values one variable, enumerations data types, with units, ranges and
 * descriptions; times are durations in ms, points in time whole milliseconds (`carry.ts`). When another program comes,
 * what is the same stays, with who subscribed to it. Who samples at 50 ms or faster is told of each change, once a
 * scan at most. The cable (`cable.ts`) stands between clients and the server, so that cut and slow are as at a socket.
 * Off this machine (`FERRULE_OPCUA_HOST`) it opens only with a name, a password and encryption. Both are tried with
 * clients in processes of their own (`e2e/other-programs.spec.ts`). *The bench* runs in a page, so its points reach
 * the protocols through the server (`server/src/bench-relay.ts`): the worker tells what changed with each turn
 * (`web/bench/outside.ts`, 60 times a second, not each scan), values as the text that the bench shows; the server
 * makes the points from the project that the bench runs, so that no type comes from a page. One page at a time;
 * another one finds nothing open, one whose socket broke goes on, and clients of one that is gone see bad values for
 * 30 s. What is written is an event of the history like a press on the panel; while an earlier scan is shown it is
 * refused.
 */
import { MOST_POINTS, type OpenShown, type WordOrder, formatValue, modbusRows, qualityOf } from '@ferrule/core/bench';
import { typeText } from '@ferrule/core/language';
import { ModbusListener } from './modbus-listener.js';
import type { OpcuaRules } from './opcua/messages.js';
import { OpcuaHost } from './opcua/opcua-host.js';
import { hashed } from './opcua/secret.js';
import type { PointSource } from './source.js';

/** What is to be open, and how. */
export interface Open {
  readonly modbus?: { readonly isOn: boolean; readonly words: WordOrder };
  readonly opcua?: OpcuaRules & { readonly isOn: boolean };
}
type OpcuaKept = NonNullable<Open['opcua']>;

/** Why it was not done, with its HTTP status. */
export class OpenRefusal extends Error {
  constructor(
    readonly status: number,
    message: string,
  ) {
    super(message);
  }
}

const MOST_SHOWN = 2000;

export class OpenProtocols {
  readonly modbus: ModbusListener;
  readonly opcua: OpcuaHost;

  constructor(
    private readonly source: PointSource,
    private readonly options: {
      readonly modbusPort: number;
      readonly opcuaPort: number;
      /** How another port is chosen, for the sentence. */ readonly portNames: {
        readonly modbus: string;
        readonly opcua: string;
      };
      /** Where OPC UA listens; off this machine only with a name, a password and encryption. */
      readonly opcuaHost: string;
      /** Certificates lie here. */ readonly folder: string;
      /** The OPC UA server's built program. */ readonly opcuaEntry: URL;
      /** As OPC UA clients see it. */ readonly name: string;
      readonly clockMs: () => number;
      /** What is to be open, as it is kept. */ readonly kept: () => Open;
      /** Keeps a change of it; throws where it cannot. */ readonly keep: (change: Open) => void;
    },
  ) {
    this.modbus = new ModbusListener(source, {
      port: options.modbusPort,
      portName: options.portNames.modbus,
      host: '127.0.0.1',
      words: () => this.words,
      clockMs: options.clockMs,
    });
    this.opcua = new OpcuaHost(source, {
      entry: options.opcuaEntry,
      port: options.opcuaPort,
      portName: options.portNames.opcua,
      host: options.opcuaHost,
      folder: options.folder,
      name: options.name,
    });
  }

  /** The cable has changed. */
  cableChanged(): void {
    if (this.source.cable === 'cut') this.modbus.cut();
    this.opcua.cableChanged();
  }
  private get words(): 'high first' | 'low first' {
    return this.options.kept().modbus?.words ?? 'high first';
  }
  private get rules(): OpcuaKept {
    return this.options.kept().opcua ?? { isOn: false, plain: true, anonymous: true };
  }

  /** Opens what is to be open. */
  async start(): Promise<void> {
    if (this.options.kept().modbus?.isOn) await this.modbus.start();
    if (!this.rules.isOn) return;
    // It may have been allowed while it listened on this machine only.
    const why = this.whyNot(this.rules);
    if (why === undefined) void this.opcua.start(this.rules);
    else {
      this.opcua.refuse(why);
      this.source.note(`OPC UA could not be opened: ${why}`);
    }
  }
  /** Why it is not opened under these rules. */
  private whyNot({ anonymous, plain, user }: OpcuaRules): string | undefined {
    if (!anonymous && !user) return 'Nobody could join: allow it without a name, or give a name and a password.';
    return !isLoopback(this.options.opcuaHost) && (!user || anonymous || plain)
      ? 'It would be open to other machines: that takes a name and a password, nobody without a name, and no plain messages.'
      : undefined;
  }
  async stop(): Promise<void> {
    await Promise.all([this.modbus.stop(), this.opcua.stop()]);
  }

  async shown(): Promise<OpenShown> {
    await this.source.look();
    const { source, modbus } = this,
      map = modbus.map(),
      values = source.points?.values,
      bad = source.bad,
      { user, ...rules } = this.rules;
    return {
      state: source.state,
      pointCount: values?.points.length ?? 0,
      cut: (source.points?.tree ?? []).flatMap((t) =>
        t.isCut
          ? [
              `${t.tag.name} has more than ${MOST_POINTS.toLocaleString('en')} values: only those first ones are points.`,
            ]
          : [],
      ),
      points: (values?.points ?? []).slice(0, MOST_SHOWN).map((p, i) => ({
        path: p.path,
        type: typeText(p.type),
        ...(p.tag.unit ? { unit: p.tag.unit } : {}),
        // It may not have come yet.
        value: values!.values[i] === undefined ? '' : formatValue(p.type, values!.values[i]),
        access: p.access,
        quality: bad?.has(p.path.toLowerCase()) ? 'bad' : qualityOf(source.state),
      })),
      modbus: {
        isOn: this.options.kept().modbus?.isOn === true,
        port: modbus.port,
        words: this.words,
        ...(modbus.error ? { error: modbus.error } : {}),
        clients: modbus.list(),
        rows: map ? modbusRows(map, this.words) : [],
        left: map?.left ?? [],
      },
      opcua: { ...this.opcua.shown, ...rules, ...(user ? { user: user.name } : {}) },
    };
  }

  async setModbus(isOn: unknown, words: unknown = this.words): Promise<void> {
    if (typeof isOn !== 'boolean' || (words !== 'high first' && words !== 'low first'))
      throw new OpenRefusal(400, "'isOn' is true or false, 'words' is 'high first' or 'low first'.");
    const { modbus, source, options } = this,
      wasOn = modbus.isOn;
    options.keep({ modbus: { isOn, words } });
    if (isOn) await modbus.start();
    else await modbus.stop();
    if (modbus.error) source.note(`Modbus TCP could not be opened: ${modbus.error}`);
    else if (modbus.isOn !== wasOn)
      source.note(isOn ? 'Modbus TCP is open to other programs.' : 'Modbus TCP is closed.');
  }

  /**
   * `user`: with a password anew, without one the password stays; null: none. Answers before it is open: that takes
   * seconds.
   */
  setOpcua(fields: Readonly<Record<string, unknown>>): void {
    const { isOn, plain = this.rules.plain, anonymous = this.rules.anonymous, user } = fields,
      { source, options, opcua } = this;
    if (typeof isOn !== 'boolean' || typeof plain !== 'boolean' || typeof anonymous !== 'boolean')
      throw new OpenRefusal(400, "'isOn', 'plain' and 'anonymous' are true or false.");
    const who = user === undefined ? this.rules.user : user === null ? undefined : this.userOf(user),
      rules: OpcuaKept = { isOn, plain, anonymous, ...(who ? { user: who } : {}) };
    const why = isOn ? this.whyNot(rules) : undefined;
    if (why !== undefined) throw new OpenRefusal(409, why);
    const wasOn = this.rules.isOn;
    options.keep({ opcua: rules });
    if (isOn)
      void opcua.start(rules).then(() => {
        const { error, state } = opcua.shown;
        if (error) source.note(`OPC UA could not be opened: ${error}`);
        else if (!wasOn && state === 'on') source.note('OPC UA is open to other programs.');
      });
    else
      void opcua.stop().then(() => {
        if (wasOn) source.note('OPC UA is closed.');
      });
  }
  private userOf(user: unknown): OpcuaKept['user'] {
    const { name, password } = (typeof user === 'object' && user ? user : {}) as Record<string, unknown>;
    if (typeof name !== 'string' || !name.trim() || name.length > 60)
      throw new OpenRefusal(400, 'A user has a name of at most 60 characters.');
    if (password === undefined || password === '') {
      const { user: known } = this.rules;
      if (known?.name !== name.trim()) throw new OpenRefusal(400, 'A new name needs a password.');
      return known;
    }
    if (typeof password !== 'string' || password.length < 8 || password.length > 200)
      throw new OpenRefusal(400, 'A password has at least 8 characters.');
    return { name: name.trim(), secret: hashed(password) };
  }
}

const isLoopback = (host: string): boolean => host === '127.0.0.1' || host === 'localhost' || host === '::1';
