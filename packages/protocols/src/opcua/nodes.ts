/**
 * The points as nodes that a client browses: one folder, a node for each tag. A structure, instance or array of those
 * is an object of its parts, an array of values one variable; units, ranges and descriptions stand at the variables.
 * What stays the same when a program takes the place of another stays where it is, and so do subscriptions to it.
 */
import type { FeedState, Value } from '@ferrule/core/bench';
import type { AddressSpace, Namespace, UADataType, UAObject, UAVariable } from 'node-opcua-address-space';
import { makeEUInformation } from 'node-opcua-data-access';
import { DataValue } from 'node-opcua-data-value';
import { NumericRange } from 'node-opcua-numeric-range';
import { type StatusCode, StatusCodes } from 'node-opcua-status-code';
import { Range } from 'node-opcua-types';
import { DataType, Variant, VariantArrayType } from 'node-opcua-variant';
import { carriedAs, carry, uncarry } from './carry.js';
import { type Enumeration, type Model, type ModelNode, type ModelTag, type Shape, countOf } from './model.js';

export const NAMESPACE = 'urn:ferrule:points';

/** Bad with a reason of OPC 10000-4 (7.39): the controller stands, its logic has faulted, or there is no way to it. */
const STATUS: Readonly<Record<FeedState, StatusCode>> = {
  run: StatusCodes.Good,
  paused: StatusCodes.UncertainLastUsableValue,
  stop: StatusCodes.BadOutOfService,
  fault: StatusCodes.BadDeviceFailure,
  gone: StatusCodes.BadNoCommunication,
};

/** A variable, and where its values stand. */
interface Place {
  readonly variable: UAVariable;
  readonly node: Exclude<ModelNode, { kind: 'group' }>;
  readonly count: number;
  first: number;
  isOld: boolean;
  shown: DataValue;
}
interface Shown {
  readonly key: string;
  readonly root: UAObject | UAVariable;
  readonly places: readonly Place[];
}

export class PointNodes {
  private readonly namespace: Namespace;
  private readonly folder: UAObject;
  private tags = new Map<string, Shown>();
  private types = new Map<string, { readonly key: string; readonly type: UADataType }>();
  private byPoint: Place[] = [];
  private values: Value[] = [];
  private changedMs: number[] = [];
  private state: FeedState = 'gone';
  private bad: ReadonlySet<number> = new Set();

  /** `write` takes values by path and answers why it could not. */
  constructor(
    space: AddressSpace,
    private readonly write: (writes: readonly (readonly [string, Value])[]) => Promise<string | undefined>,
  ) {
    this.namespace = space.registerNamespace(NAMESPACE) as Namespace;
    this.folder = this.namespace.addFolder(space.rootFolder.objects, { browseName: 'Tags', nodeId: 's=Tags' });
  }

  /** Takes the points of another program. Values are unknown until they come. */
  show({ tags, enumerations }: Model): void {
    const types = new Map(enumerations.map((e) => [e.name, JSON.stringify(e)]));
    for (const [name, { key }] of this.types)
      if (types.get(name) !== key) {
        // What is of a type that is another now is another, too.
        for (const [tag, s] of this.tags) if (s.key.includes(`"enumeration":"${name}"`)) this.remove(tag, s);
        this.namespace.deleteNode(this.types.get(name)!.type);
        this.types.delete(name);
      }
    const keys = tags.map((t) => JSON.stringify(t, (_, v: unknown) => (typeof v === 'bigint' ? `${v}n` : v)));
    const wanted = new Map(tags.map((t, i) => [t.node.name.toLowerCase(), keys[i]!]));
    for (const [name, s] of this.tags) if (wanted.get(name) !== s.key) this.remove(name, s);
    for (const e of enumerations)
      if (!this.types.has(e.name)) this.types.set(e.name, { key: types.get(e.name)!, type: this.typeOf(e) });
    this.byPoint = [];
    this.values = [];
    this.changedMs = [];
    this.bad = new Set();
    for (const [i, tag] of tags.entries()) {
      const name = tag.node.name.toLowerCase();
      let shown = this.tags.get(name);
      if (!shown) {
        const places: Place[] = [];
        shown = { key: keys[i]!, root: this.add(tag, tag.node, this.folder, places), places };
        this.tags.set(name, shown);
      }
      for (const p of shown.places) {
        p.first = this.byPoint.length;
        p.isOld = true;
        for (let k = 0; k < p.count; k++) this.byPoint.push(p);
      }
    }
  }

  /** Takes values: the number of the point, what it is, and when it became so (ms since 1970). */
  /** `bad`: the points that are so though the scan runs, where they are others now. */
  take(changes: readonly (readonly [number, Value, number])[], state: FeedState, bad?: readonly number[]): void {
    const touched = new Set<Place>();
    if (bad) {
      for (const i of [...this.bad, ...bad]) {
        const place = this.byPoint[i];
        if (!place) continue;
        place.isOld = true;
        touched.add(place);
      }
      this.bad = new Set(bad);
    }
    for (const [i, value, ms] of changes) {
      const place = this.byPoint[i];
      if (!place) continue;
      this.values[i] = value;
      this.changedMs[i] = ms;
      place.isOld = true;
      touched.add(place);
    }
    if (state !== this.state) {
      this.state = state;
      for (const p of this.byPoint) {
        p.isOld = true;
        touched.add(p);
      }
    }
    for (const p of touched)
      if (p.variable.listenerCount('value_changed')) p.variable.emit('value_changed', this.read(p));
  }

  private remove(name: string, { root }: Shown): void {
    this.namespace.deleteNode(root);
    this.tags.delete(name);
  }

  private typeOf(e: Enumeration): UADataType {
    return this.namespace.addEnumerationType({
      browseName: e.name,
      nodeId: `s=${e.name} type`,
      enumeration: e.values.map((v) => ({ displayName: v.name, value: v.value })),
    });
  }

  private add(tag: ModelTag, node: ModelNode, parent: UAObject, places: Place[]): UAObject | UAVariable {
    const isTag = node === tag.node,
      common = {
        browseName: node.name,
        nodeId: `s=${node.path}`,
        ...(isTag && tag.description ? { description: tag.description } : {}),
        ...(isTag ? { organizedBy: parent } : { componentOf: parent }),
      };
    if (node.kind === 'group') {
      const object = this.namespace.addObject({ ...common, typeDefinition: 'BaseObjectType' });
      if (node.of) this.property(object, 'Type', new Variant({ dataType: DataType.String, value: node.of }), 'String');
      for (const n of node.nodes) this.add(tag, n, object, places);
      return object;
    }
    const { name: typeName } = carriedAs(node.shape),
      isNumber = !node.shape.enumeration && !['BOOL', 'CHAR', 'WCHAR', 'STRING', 'WSTRING'].includes(node.shape.base),
      // What stands at the tag is of its values, not of members that are something else.
      range = isTag && isNumber ? tag.range : undefined,
      unit = isTag && isNumber ? (tag.unit ?? unitOf(node.shape)) : isNumber ? unitOf(node.shape) : undefined;
    const variable = this.namespace.addVariable({
      ...common,
      typeDefinition:
        range && unit
          ? 'AnalogUnitRangeType'
          : range
            ? 'AnalogItemType'
            : unit
              ? 'AnalogUnitType'
              : 'BaseDataVariableType',
      dataType: node.shape.enumeration ? this.types.get(node.shape.enumeration)!.type.nodeId : typeName,
      valueRank: node.kind === 'array' ? node.bounds.length : -1,
      ...(node.kind === 'array' ? { arrayDimensions: node.bounds.map((b) => b.high - b.low + 1) } : {}),
      accessLevel: tag.canWrite ? 'CurrentRead | CurrentWrite' : 'CurrentRead',
      userAccessLevel: tag.canWrite ? 'CurrentRead | CurrentWrite' : 'CurrentRead',
      minimumSamplingInterval: 0,
    });
    if (range)
      this.property(
        variable,
        'EURange',
        new Variant({ dataType: DataType.ExtensionObject, value: new Range(range) }),
        'Range',
      );
    if (unit)
      this.property(
        variable,
        'EngineeringUnits',
        new Variant({ dataType: DataType.ExtensionObject, value: makeEUInformation(unit, unit, unit) }),
        'EUInformation',
      );
    const place: Place = {
      variable,
      node,
      count: node.kind === 'array' ? countOf(node.bounds) : 1,
      first: 0,
      isOld: true,
      shown: new DataValue({ statusCode: StatusCodes.BadWaitingForInitialData }),
    };
    places.push(place);
    variable.bindVariable(
      {
        timestamped_get: () => this.read(place),
        ...(tag.canWrite
          ? {
              timestamped_set: (value: DataValue, done: (e: Error | null, status: never) => void) =>
                void this.wrote(place, value).then((status) => done(null, status as never)),
            }
          : {}),
      },
      true,
    );
    if (tag.canWrite && node.kind === 'array') this.takeParts(place);
    return variable;
  }

  private property(of: UAObject | UAVariable, name: string, value: Variant, dataType: string): void {
    this.namespace.addVariable({
      propertyOf: of,
      browseName: { name, namespaceIndex: name === 'Type' ? this.namespace.index : 0 },
      nodeId: `s=${String(of.nodeId.value)} ${name}`,
      typeDefinition: 'PropertyType',
      dataType,
      value,
    });
  }

  /** A part of an array is written as the whole with that part changed: the library hands on the part alone. */
  private takeParts(place: Place): void {
    const { variable } = place,
      whole = variable.writeValue.bind(variable) as (...all: unknown[]) => unknown;
    variable.writeValue = ((context: unknown, value: DataValue, ...rest: unknown[]) => {
      const range = rest.length > 1 ? NumericRange.coerce(rest[0] as string) : undefined,
        done = rest.at(-1) as (e: Error | null, status: unknown) => void;
      if (!range || range.isEmpty()) return whole(context, value, ...rest);
      const now = this.read(place).value,
        { dimensions } = now;
      if (!range.isValid()) return done(null, StatusCodes.BadIndexRangeInvalid);
      if (value.value.dataType !== now.dataType || value.value.arrayType !== now.arrayType)
        return done(null, StatusCodes.BadTypeMismatch);
      const put =
        dimensions && now.arrayType === VariantArrayType.Matrix
          ? range.set_values_matrix({ matrix: now.value as number[], dimensions }, value.value.value as number[])
          : range.set_values(now.value as number[], value.value.value as number[]);
      if (put.statusCode.isNotGood()) return done(null, put.statusCode);
      const all = 'matrix' in put ? put.matrix : put.array;
      return whole(
        context,
        new DataValue({
          value: new Variant({
            dataType: now.dataType,
            arrayType: now.arrayType,
            ...(dimensions ? { dimensions } : {}),
            value: all,
          }),
        }),
        done,
      );
    }) as typeof variable.writeValue;
  }

  private read(p: Place): DataValue {
    if (!p.isOld) return p.shown;
    p.isOld = false;
    const { first, count, node } = p,
      { as } = carriedAs(node.shape);
    if (this.values[first] === undefined) {
      p.shown = new DataValue({ statusCode: StatusCodes.BadWaitingForInitialData });
      return p.shown;
    }
    let changedMs = 0,
      isBad = false;
    for (let i = first; i < first + count; i++) {
      changedMs = Math.max(changedMs, this.changedMs[i] ?? 0);
      isBad ||= this.bad.has(i);
    }
    const all = node.kind === 'array' ? this.values.slice(first, first + count).map((v) => carry(node.shape, v)) : [];
    p.shown = new DataValue({
      statusCode: isBad && (this.state === 'run' || this.state === 'paused') ? STATUS.gone : STATUS[this.state],
      sourceTimestamp: new Date(changedMs),
      value: new Variant(
        node.kind === 'value'
          ? { dataType: as, arrayType: VariantArrayType.Scalar, value: carry(node.shape, this.values[first]!) }
          : node.bounds.length === 1
            ? { dataType: as, arrayType: VariantArrayType.Array, value: all }
            : {
                dataType: as,
                arrayType: VariantArrayType.Matrix,
                dimensions: node.bounds.map((b) => b.high - b.low + 1),
                value: all,
              },
      ),
    });
    return p.shown;
  }

  private async wrote(p: Place, { value }: DataValue): Promise<unknown> {
    const { node, first } = p;
    const came: readonly unknown[] =
      node.kind === 'value' ? [value.value as unknown] : Array.from(value.value as ArrayLike<unknown>);
    if (came.length !== p.count) return StatusCodes.BadOutOfRange;
    const values = came.map((v) => uncarry(node.shape, v));
    if (values.some((v) => v === undefined)) return StatusCodes.BadOutOfRange;
    const why = await this.write(
      values.flatMap((v, i) =>
        node.kind === 'value'
          ? [[node.path, v!] as const]
          : Object.is(v, this.values[first + i])
            ? []
            : [[`${node.path}[${indices(node.bounds, i).join()}]`, v!] as const],
      ),
    );
    if (why !== undefined) return StatusCodes.BadDeviceFailure;
    // Read back before the next scan has told, it is what was written.
    for (const [i, v] of values.entries()) {
      this.values[first + i] = v!;
      this.changedMs[first + i] = Date.now();
    }
    p.isOld = true;
    return StatusCodes.Good;
  }
}

/** Times are durations in milliseconds. */
const unitOf = (s: Shape): string | undefined => (['TIME', 'LTIME', 'TOD', 'LTOD'].includes(s.base) ? 'ms' : undefined);

/** The indices of the element that is number `at`, the last index fastest. */
function indices(bounds: readonly { readonly low: number; readonly high: number }[], at: number): number[] {
  let rest = at;
  return bounds
    .map((b) => ({ low: b.low, size: b.high - b.low + 1 }))
    .reduceRight<number[]>((found, { low, size }) => {
      found.unshift(low + (rest % size));
      rest = Math.floor(rest / size);
      return found;
    }, []);
}
