/** What joins in from outside: the points of what the machine obeys, and the protocols that are open over them. */
import {
  type FeedState,
  PointValues,
  type Project,
  type Value,
  formatValue,
  modbusRows,
  pointTree,
  pointsBelow,
  qualityOf,
  typeText,
} from '@ferrule/core';
import {
  type ModbusClient,
  ModbusListener,
  OpcuaHost,
  type OpcuaState,
  type PointSource,
  type SourcePoints,
  hashed,
} from '@ferrule/protocols';
import { type Controller, Refusal } from './controller.js';
import type { Open } from './program-store.js';
import type { Prepared } from './prepare.js';

/** The points of the program that the machine obeys. */
class ControllerPoints implements PointSource {
  private readonly made = new WeakMap<Prepared, SourcePoints>();
  constructor(private readonly controller: Controller) {}

  get points(): SourcePoints | undefined {
    const { active } = this.controller.scan;
    if (!active) return undefined;
    let found = this.made.get(active);
    if (!found) {
      const tree = pointTree(JSON.parse(active.text) as Project, active.image);
      found = { tree, values: new PointValues(tree.flatMap((t) => pointsBelow(t.node))) };
      this.made.set(active, found);
      this.read(active, found);
    }
    return found;
  }
  get state(): FeedState {
    const { state } = this.controller.scan.facts;
    return state === 'empty' ? 'gone' : state;
  }
  get scanMs(): number {
    return this.controller.scan.facts.figures.scanMs || 10;
  }
  get cable(): 'ok' | 'slow' | 'cut' {
    return this.controller.isOn ? this.controller.network : 'cut';
  }
  async look(): Promise<void> {
    await this.controller.scan.look();
    this.readNow();
  }
  async lookAfterScan(): Promise<void> {
    await this.controller.scan.lookAfterScan();
    this.readNow();
  }
  private readNow(): void {
    const { active } = this.controller.scan,
      points = this.points;
    if (active && points) this.read(active, points);
  }
  private read({ engine, image }: Prepared, { values }: SourcePoints): void {
    values.look(engine.memory.subarray(0, image.stack), Date.now());
  }
  async write(path: string, value: Value): Promise<void> {
    await this.controller.scan.apply({ kind: 'write', path, value });
  }
  note(words: string): void {
    this.controller.note('link', words);
  }
}

/** As it is shown. */
export interface OpenShown {
  readonly state: FeedState;
  readonly points: readonly {
    readonly path: string;
    readonly type: string;
    readonly unit?: string;
    readonly value: string;
    readonly access: 'read' | 'write';
    readonly quality: string;
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
type OpcuaKept = NonNullable<Open['opcua']>;

const MOST_SHOWN = 2000;

export class OtherPrograms {
  readonly modbus: ModbusListener;
  readonly opcua: OpcuaHost;
  private readonly source: ControllerPoints;

  constructor(
    private readonly controller: Controller,
    private readonly options: {
      readonly modbusPort: number;
      readonly opcuaPort: number;
      /** Where OPC UA listens; off this machine only with a name, a password and encryption. */ readonly opcuaHost: string;
      /** Certificates lie here. */ readonly folder: string;
      /** The OPC UA server's built program. */ readonly opcuaEntry: URL;
      readonly clockMs: () => number;
    },
  ) {
    this.source = new ControllerPoints(controller);
    this.modbus = new ModbusListener(this.source, {
      port: options.modbusPort,
      host: '127.0.0.1',
      words: () => this.words,
      clockMs: options.clockMs,
    });
    this.opcua = new OpcuaHost(this.source, {
      entry: options.opcuaEntry,
      port: options.opcuaPort,
      host: options.opcuaHost,
      folder: options.folder,
      name: 'Ferrule Cabinet A',
    });
    controller.onOpen = () => {
      if (this.source.cable === 'cut') this.modbus.cut();
      this.opcua.cableChanged();
    };
  }

  private get words(): 'high first' | 'low first' {
    return this.controller.open.modbus?.words ?? 'high first';
  }
  private get rules(): OpcuaKept {
    return this.controller.open.opcua ?? { isOn: false, plain: true, anonymous: true };
  }

  /** Opens what is to be open. */
  async start(): Promise<void> {
    if (this.controller.open.modbus?.isOn) await this.modbus.start();
    if (this.rules.isOn) void this.opcua.start(this.rules);
  }
  async stop(): Promise<void> {
    await Promise.all([this.modbus.stop(), this.opcua.stop()]);
  }

  async shown(): Promise<OpenShown> {
    await this.source.look();
    const { source, modbus } = this,
      map = modbus.map(),
      values = source.points?.values,
      { user, ...rules } = this.rules;
    return {
      state: source.state,
      points: (values?.points ?? []).slice(0, MOST_SHOWN).map((p, i) => ({
        path: p.path,
        type: typeText(p.type),
        ...(p.tag.unit ? { unit: p.tag.unit } : {}),
        value: formatValue(p.type, values!.values[i]!),
        access: p.access,
        quality: qualityOf(source.state),
      })),
      modbus: {
        isOn: this.controller.open.modbus?.isOn === true,
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
      throw new Refusal(400, "'isOn' is true or false, 'words' is 'high first' or 'low first'.");
    const { modbus, controller } = this,
      wasOn = modbus.isOn;
    controller.setOpen({ modbus: { isOn, words } });
    if (isOn) await modbus.start();
    else await modbus.stop();
    if (modbus.error) controller.note('link', `Modbus TCP could not be opened: ${modbus.error}`);
    else if (modbus.isOn !== wasOn)
      controller.note('link', isOn ? 'Modbus TCP is open to other programs.' : 'Modbus TCP is closed.');
  }

  /** `user`: with a password anew, without one the password stays; null: none. Answers before it is open: that takes seconds. */
  setOpcua(fields: Readonly<Record<string, unknown>>): void {
    const { isOn, plain = this.rules.plain, anonymous = this.rules.anonymous, user } = fields,
      { controller, opcua } = this;
    if (typeof isOn !== 'boolean' || typeof plain !== 'boolean' || typeof anonymous !== 'boolean')
      throw new Refusal(400, "'isOn', 'plain' and 'anonymous' are true or false.");
    const who = user === undefined ? this.rules.user : user === null ? undefined : this.userOf(user),
      rules: OpcuaKept = { isOn, plain, anonymous, ...(who ? { user: who } : {}) };
    if (isOn && !anonymous && !who)
      throw new Refusal(409, 'Nobody could join: allow it without a name, or give a name and a password.');
    if (isOn && !isLoopback(this.options.opcuaHost) && (!who || anonymous || plain))
      throw new Refusal(
        409,
        'It would be open to other machines: that takes a name and a password, nobody without a name, and no plain messages.',
      );
    const wasOn = this.rules.isOn;
    controller.setOpen({ opcua: rules });
    if (isOn)
      void opcua.start(rules).then(() => {
        const { error, state } = opcua.shown;
        if (error) controller.note('link', `OPC UA could not be opened: ${error}`);
        else if (!wasOn && state === 'on') controller.note('link', 'OPC UA is open to other programs.');
      });
    else
      void opcua.stop().then(() => {
        if (wasOn) controller.note('link', 'OPC UA is closed.');
      });
  }
  private userOf(user: unknown): OpcuaKept['user'] {
    const { name, password } = (typeof user === 'object' && user ? user : {}) as Record<string, unknown>;
    if (typeof name !== 'string' || !name.trim() || name.length > 60)
      throw new Refusal(400, 'A user has a name of at most 60 characters.');
    if (password === undefined || password === '') {
      const { user: known } = this.rules;
      if (known?.name !== name.trim()) throw new Refusal(400, 'A new name needs a password.');
      return known;
    }
    if (typeof password !== 'string' || password.length < 8 || password.length > 200)
      throw new Refusal(400, 'A password has at least 8 characters.');
    return { name: name.trim(), secret: hashed(password) };
  }
}

const isLoopback = (host: string): boolean => host === '127.0.0.1' || host === 'localhost' || host === '::1';
