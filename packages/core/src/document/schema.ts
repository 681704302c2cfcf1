/**
 * The shape of a project file and of API bodies, for class-validator; `parseProject` turns failures into sentences with
 * their place.
 */
import 'reflect-metadata';
import { Type, plainToInstance } from 'class-transformer';
import {
  Allow,
  ArrayMaxSize,
  Equals,
  getMetadataStorage,
  IsArray,
  IsBoolean,
  IsIn,
  IsInt,
  IsNumber,
  IsObject,
  IsOptional,
  IsString,
  Length,
  Matches,
  Max,
  MaxLength,
  Min,
  ValidateIf,
  ValidateBy,
  ValidateNested,
  ValidationTypes,
  type ValidationError,
  validateSync,
} from 'class-validator';
import { LINE, LOAD, PART } from '../machine/device.js';
import { FORMATS, FORMAT, POINT_STATES, type Project, type ProjectPou, VERSION } from './document.js';
import { type ThingName, projectInOrder } from './order.js';
import { LONGEST_ID } from './short.js';

/** Names to texts, neither of them long. */
const NamesTexts = (longest = 2000) =>
  ValidateBy({
    name: 'namesTexts',
    validator: {
      validate: (v: unknown) =>
        isObject(v) &&
        Object.entries(v as object).every(([k, x]) => k.length <= 200 && typeof x === 'string' && x.length <= longest),
      defaultMessage: () => `each value must be a text of at most ${longest} characters under a name of at most 200`,
    },
  });
const isObject = (v: unknown): boolean => typeof v === 'object' && v !== null && !Array.isArray(v);
/** A thing of a shape. A list in its place is not held against the shape by `ValidateNested`, only its elements are. */
const Thing =
  (of: () => new () => object): PropertyDecorator =>
  (target, field) => {
    IsObject()(target, field);
    ValidateNested()(target, field as string);
    Type(of)(target, field as string);
  };
/** A list of things of a shape; see `Thing`. */
const Things =
  (of: () => new () => object): PropertyDecorator =>
  (target, field) => {
    IsArray()(target, field);
    ValidateBy({
      name: 'areObjects',
      validator: {
        validate: (v: unknown) => Array.isArray(v) && v.every(isObject),
        defaultMessage: () => 'each value must be an object',
      },
    })(target, field);
    ValidateNested({ each: true })(target, field as string);
    Type(of)(target, field as string);
  };
class Identified {
  @IsString() @Length(1, LONGEST_ID) id!: string;
}
export class TagShape extends Identified {
  @IsString() @Length(1, 120) name!: string;
  @IsString() @Length(1, 200) type!: string;
  @IsOptional() @IsString() @MaxLength(40) address?: string;
  @IsOptional() @IsString() @MaxLength(2000) initial?: string;
  @IsOptional() @IsString() @MaxLength(2000) description?: string;
  @IsOptional() @IsString() @MaxLength(40) unit?: string;
  @IsOptional() @IsIn(['NO', 'NC']) wiring?: string;
  @IsOptional() @IsBoolean() retain?: boolean;
  @IsOptional() @IsBoolean() constant?: boolean;
  @IsOptional() @IsString() @MaxLength(200) range?: string;
  @IsOptional() @IsString() @Length(1, 5000) valueNames?: string;
  @IsOptional() @IsString() @Length(1, 200) stop?: string;
  @IsOptional() @IsString() @Length(1, 200) standsFor?: string;
  @IsOptional() @IsIn(['read', 'write']) access?: string;
  @IsOptional() @IsString() @Length(1, 40) modbus?: string;
}
export class TypeShape extends Identified {
  @IsString() @MaxLength(100_000) text!: string;
}
export class RungShape extends Identified {
  @IsString() @MaxLength(100_000) line!: string;
  @IsOptional() @IsString() @MaxLength(5000) comment?: string;
  @IsOptional() @IsString() @MaxLength(500) heading?: string;
}
export class PouShape extends Identified {
  @IsString() @Length(1, 120) name!: string;
  @IsIn(['LD', 'ST']) language!: 'LD' | 'ST';
  @IsIn(['program', 'functionBlock', 'function']) kind!: string;
  @IsOptional() @IsString() @MaxLength(5000) description?: string;
  @ValidateIf((p: PouShape) => p.language === 'LD' && p.variables !== undefined)
  @IsString()
  @MaxLength(500_000)
  variables?: string;
  @ValidateIf((p: PouShape) => p.language === 'LD')
  @Things(() => RungShape)
  rungs?: RungShape[];
  @ValidateIf((p: PouShape) => p.language === 'ST') @IsString() @MaxLength(2_000_000) text?: string;
}
export class TaskShape extends Identified {
  @IsString() @Length(1, 120) name!: string;
  @IsString() @Length(1, 200) interval!: string;
  @IsOptional() @IsString() @MaxLength(2000) event?: string;
  @IsInt() @Min(0) @Max(65_535) priority!: number;
  @IsArray() @IsString({ each: true }) @MaxLength(120, { each: true }) programs!: string[];
}
export class DeviceShape extends Identified {
  @IsString() @Length(1, 120) name!: string;
  @IsString() @Length(1, 120) type!: string;
  @IsOptional() @IsString() @MaxLength(200) label?: string;
  @IsOptional() @IsIn(['red', 'yellow', 'green', 'blue', 'white', 'black']) colour?: string;
  @IsOptional() @IsString() @Length(1, 1) key?: string;
  @IsOptional() @IsObject() @NamesTexts() parameters?: Record<string, string>;
  @IsOptional() @IsObject() @NamesTexts() wires?: Record<string, string>;
  @IsOptional() @IsArray() @ArrayMaxSize(200) @IsString({ each: true }) @Length(1, 120, { each: true }) nc?: string[];
  @IsOptional() @IsString() @Length(1, 250) sits?: string;
  @IsOptional() @IsIn([90, 180, 270]) turn?: number;
  @IsOptional() @IsIn([true]) mirrored?: true;
}
export class ModuleShape extends Identified {
  @IsString() @Length(1, 120) name!: string;
  @IsIn(['I', 'Q']) area!: string;
  @IsInt() @Min(0) @Max(65_535) start!: number;
  @IsInt() @Min(1) @Max(4096) bytes!: number;
}
const TERMINAL_TYPES = ['BOOL', 'REAL', 'UINT', 'INT', PART, LINE, LOAD];
const IsIdentifier = () =>
  Matches(/^[A-Za-z_][A-Za-z0-9_]*$/, { message: 'must be a name: letters, digits and underscores, a letter first' });
class PieceShape {
  @IsString() @Length(1, 120) @IsIdentifier() name!: string;
  @IsString() @MaxLength(1000) help!: string;
}
class TerminalShape extends PieceShape {
  @IsIn(TERMINAL_TYPES) type!: string;
  @IsIn(['in', 'out']) direction!: string;
  @IsOptional() @IsBoolean() mechanical?: boolean;
  @IsOptional() @IsBoolean() back?: boolean;
  @IsOptional() @IsIn(['NO', 'NC']) wiring?: string;
  @IsOptional() @IsArray() @ArrayMaxSize(20) @IsString({ each: true }) @Length(1, 120, { each: true }) snaps?: string[];
}
class ParameterShape extends PieceShape {
  @IsString() @Length(1, 200) type!: string;
  @IsString() @Length(1, 2000) initial!: string;
  @IsOptional() @IsString() @MaxLength(40) unit?: string;
  @IsOptional() @IsNumber() min?: number;
  @IsOptional() @IsNumber() max?: number;
}
class HandleShape extends PieceShape {
  @IsIn(['press', 'turn', 'way', 'latch', 'number', 'place']) type!: string;
}
class DrawingShape extends Identified {
  @IsIn(['box', 'round', 'line', 'bar', 'lamp', 'text']) shape!: string;
  @IsString() @MaxLength(500) x!: string;
  @IsString() @MaxLength(500) y!: string;
  @IsOptional() @IsString() @MaxLength(500) w?: string;
  @IsOptional() @IsString() @MaxLength(500) h?: string;
  @IsOptional() @IsString() @MaxLength(500) turn?: string;
  @IsOptional() @IsString() @MaxLength(500) lit?: string;
  @IsOptional() @IsString() @MaxLength(500) show?: string;
  @IsOptional() @IsString() @MaxLength(500) fill?: string;
  @IsOptional() @IsString() @MaxLength(500) text?: string;
  @IsOptional() @IsString() @MaxLength(500) times?: string;
}
export class KindShape extends Identified {
  @IsString() @Length(1, 120) @IsIdentifier() type!: string;
  @IsString() @MaxLength(5000) help!: string;
  @Things(() => TerminalShape) terminals!: TerminalShape[];
  @Things(() => ParameterShape) parameters!: ParameterShape[];
  @Things(() => PieceShape) upsets!: PieceShape[];
  @Things(() => HandleShape) handles!: HandleShape[];
  @IsString() @MaxLength(100_000) locals!: string;
  @IsString() @MaxLength(500_000) body!: string;
  @IsNumber() @Min(20) @Max(600) width!: number;
  @Things(() => DrawingShape) picture!: DrawingShape[];
}
class MachineShape {
  @Things(() => DeviceShape) devices!: DeviceShape[];
  @IsOptional() @Things(() => KindShape) kinds?: KindShape[];
}
export class ItemShape {
  @IsString() @Length(1, 500) path!: string;
  @IsString() @Length(1, 500) item!: string;
  @IsOptional() @IsString() @Length(1, 200) fallback?: string;
}
export class OutsideShape {
  @IsBoolean() isOn!: boolean;
  @IsIn(['opcua', 'modbus']) protocol!: string;
  @IsString() @MaxLength(500) address!: string;
  @IsOptional() @IsIn(['signed', 'encrypted']) security?: string;
  @IsOptional() @IsString() @Length(1, 60) user?: string;
  @IsOptional() @IsInt() @Min(0) @Max(255) unit?: number;
  @IsOptional() @IsIn(['low first']) words?: string;
  @Things(() => ItemShape) items!: ItemShape[];
}
export class PinShape {
  @IsString() @Length(1, 500) point!: string;
  @IsString() @Length(1, 200) pin!: string;
  @IsOptional() @IsString() @Length(1, 200) how?: string;
}
export class BoardShape {
  @IsIn(['c', 'linux', 'avr', 'arm']) target!: string;
  @Things(() => PinShape) pins!: PinShape[];
}
const AreTexts = () =>
  ValidateBy({
    name: 'areTexts',
    validator: {
      validate: (v: unknown) =>
        Array.isArray(v) &&
        v.length <= 10_000 &&
        v.every((r) => Array.isArray(r) && r.every((x) => typeof x === 'string' && x.length <= 500)),
      defaultMessage: () => 'rows must be lists of texts',
    },
  });
export class RowShape extends Identified {
  @IsOptional() @IsString() @MaxLength(2000) when?: string;
  @IsOptional() @IsArray() @IsString({ each: true }) @MaxLength(5000, { each: true }) do?: string[];
  @IsOptional() @IsArray() @IsString({ each: true }) @MaxLength(5000, { each: true }) expect?: string[];
}
class TableShape {
  @IsArray() @IsString({ each: true }) columns!: string[];
  @IsArray() @AreTexts() rows!: string[][];
}
export class CheckShape extends Identified {
  @IsString() @Length(1, 200) name!: string;
  @IsOptional() @IsString() @MaxLength(5000) note?: string;
  @IsOptional() @IsString() @Length(1, 60) begins?: string;
  @IsOptional() @Thing(() => TableShape) table?: TableShape;
  @Things(() => RowShape) rows!: RowShape[];
}
export class RuleShape extends Identified {
  @IsString() @Length(1, 200) name!: string;
  @IsString() @MaxLength(5000) sentence!: string;
  @IsOptional() @IsBoolean() assumed?: boolean;
}
const AreLevels = () =>
  ValidateBy({
    name: 'areLevels',
    validator: {
      validate: (v: unknown) =>
        typeof v === 'object' &&
        v !== null &&
        Object.values(v).every((x) => ['error', 'warning', 'off'].includes(x as string)),
      defaultMessage: () => "checking each rule must be 'error', 'warning' or 'off'",
    },
  });

class WatchRowShape {
  @IsString() @Length(1, 500) path!: string;
  @IsOptional() @IsIn([...FORMATS]) format?: string;
}
class WatchShape extends Identified {
  @IsString() @Length(1, 200) name!: string;
  @Things(() => WatchRowShape) rows!: WatchRowShape[];
}
class KeyShape {
  @IsString() @Length(1, 500) path!: string;
  @IsString() @Length(1, 20) key!: string;
}
class RunShape extends Identified {
  @IsString() @Length(1, 200) name!: string;
  @IsString() @MaxLength(2_000_000) recording!: string;
}
class PointShape {
  @IsString() @Length(1, 200) tag!: string;
  @IsIn([...POINT_STATES]) found!: string;
  @IsOptional() @IsString() @MaxLength(2000) note?: string;
  @IsString() @MaxLength(200) by!: string;
  @IsString() @Length(10, 40) at!: string;
  @IsIn(['bench', 'controller']) where!: string;
}
class StepTimeShape {
  @IsString() @Length(0, 200) name!: string;
  @IsNumber() smallest!: number;
  @IsNumber() median!: number;
  @IsNumber() largest!: number;
  @IsNumber() share!: number;
  @IsOptional() @IsNumber() expected?: number;
}
class TimingShape extends Identified {
  @IsString() @Length(1, 200) name!: string;
  @IsString() @Length(1, 200) of!: string;
  @IsString() @MaxLength(40) at!: string;
  @IsOptional() @IsInt() @Min(0) revision?: number;
  @IsInt() @Min(0) cycles!: number;
  @IsNumber() smallest!: number;
  @IsNumber() median!: number;
  @IsNumber() largest!: number;
  @Things(() => StepTimeShape) steps!: StepTimeShape[];
}
class FactShape {
  @IsString() @Length(1, 60) name!: string;
  @IsString() @MaxLength(300) text!: string;
}
export class BenchShape {
  @IsOptional() @Things(() => PointShape) points?: PointShape[];
  @IsOptional() @Things(() => WatchShape) watches?: WatchShape[];
  @IsOptional() @Things(() => KeyShape) keys?: KeyShape[];
  @IsOptional() @Things(() => RunShape) runs?: RunShape[];
  @IsOptional() @Things(() => FactShape) facts?: FactShape[];
  @IsOptional() @Things(() => TimingShape) timings?: TimingShape[];
}

class WayShape extends Identified {
  @IsOptional() @IsString() @MaxLength(1000) when?: string;
  @IsOptional() @IsString() @MaxLength(50) for?: string;
  @IsString() @MaxLength(100) to!: string;
}
class PastShape {
  @IsOptional() @IsInt() @Min(0) @Max(32_767) fault?: number;
  @IsOptional() @IsString() @MaxLength(100) to?: string;
}
class StepShape extends Identified {
  @IsString() @Length(0, 200) name!: string;
  @IsOptional() @IsArray() @IsString({ each: true }) on?: string[];
  @Things(() => WayShape) ways!: WayShape[];
  @IsOptional() @IsString() @MaxLength(50) expected?: string;
  @IsOptional() @IsString() @MaxLength(50) limit?: string;
  @IsOptional() @Thing(() => PastShape) past?: PastShape;
  @IsOptional() @IsArray() @IsString({ each: true }) starts?: string[];
  @IsOptional() @IsString() @MaxLength(5000) note?: string;
  @IsOptional() @IsArray() @IsString({ each: true }) modes?: string[];
}
class ModeShape extends Identified {
  @IsString() @Length(0, 100) name!: string;
  @IsOptional() @IsString() @MaxLength(1000) when?: string;
}
class OptionShape extends Identified {
  @IsString() @Length(0, 100) name!: string;
  @IsOptional() @IsString() @MaxLength(1000) when?: string;
}
class ChoiceShape extends Identified {
  @IsString() @Length(0, 100) name!: string;
  @Things(() => OptionShape) options!: OptionShape[];
  @IsOptional() @IsString() @MaxLength(1000) reset?: string;
  @IsOptional() @IsString() @MaxLength(1000) locked?: string;
}
class MemoryShape extends Identified {
  @IsString() @Length(0, 100) name!: string;
  @IsOptional() @IsString() @MaxLength(100) type?: string;
}
class SequenceShape extends Identified {
  @IsString() @Length(0, 200) name!: string;
  @IsOptional() @IsArray() @IsString({ each: true }) modes?: string[];
  @IsOptional() @IsString() @MaxLength(1000) run?: string;
  @IsOptional() @IsString() @MaxLength(100) stepTag?: string;
  @Things(() => StepShape) steps!: StepShape[];
}
export class PlanShape {
  @IsOptional() @IsString() @MaxLength(20_000) description?: string;
  @IsOptional() @Things(() => ModeShape) modes?: ModeShape[];
  @IsOptional() @Things(() => ChoiceShape) choices?: ChoiceShape[];
  @IsOptional() @Things(() => MemoryShape) memory?: MemoryShape[];
  @Things(() => SequenceShape) sequences!: SequenceShape[];
  @IsOptional() @IsObject() @NamesTexts(2_000_000) made?: Record<string, string>;
}

class ConflictShape extends Identified {
  @IsString() @Length(1, 500) what!: string;
  @IsArray() @IsString({ each: true }) @MaxLength(200, { each: true }) path!: string[];
  @Allow() base?: unknown;
  @Allow() ours?: unknown;
  @Allow() theirs?: unknown;
  @IsOptional() @IsString() @MaxLength(200) behind?: string;
}

export class ProjectShape {
  @Equals(FORMAT) format!: string;
  @Equals(VERSION) version!: number;
  @IsString() @Length(1, 200) name!: string;
  @IsOptional() @IsString() @MaxLength(20_000) description?: string;
  @IsOptional() @Thing(() => PlanShape) plan?: PlanShape;
  @Things(() => TagShape) tags!: TagShape[];
  @Things(() => TypeShape) types!: TypeShape[];
  @Things(() => PouShape) pous!: PouShape[];
  @Things(() => TaskShape) tasks!: TaskShape[];
  @IsOptional() @Things(() => ModuleShape) modules?: ModuleShape[];
  @Thing(() => MachineShape) machine!: MachineShape;
  @IsOptional() @Thing(() => OutsideShape) outside?: OutsideShape;
  @IsOptional() @Thing(() => BoardShape) board?: BoardShape;
  @Things(() => CheckShape) checks!: CheckShape[];
  @Things(() => RuleShape) rules!: RuleShape[];
  @IsOptional() @IsObject() @AreLevels() checking?: Record<string, string>;
  @IsArray() @IsString({ each: true }) @MaxLength(500, { each: true }) scope!: string[];
  @IsOptional() @Thing(() => BenchShape) bench?: BenchShape;
  @IsOptional() @Things(() => ConflictShape) conflicts?: ConflictShape[];
}

/** The shape of each thing that edits speak of. */
const SHAPES: Readonly<Record<ThingName, new () => object>> = {
  tag: TagShape,
  type: TypeShape,
  rung: RungShape,
  pou: PouShape,
  task: TaskShape,
  module: ModuleShape,
  device: DeviceShape,
  kind: KindShape,
  outside: OutsideShape,
  item: ItemShape,
  board: BoardShape,
  pin: PinShape,
  check: CheckShape,
  row: RowShape,
  rule: RuleShape,
  plan: PlanShape,
  bench: BenchShape,
  project: ProjectShape,
};

/** `pous.1.rungs.3.line: must be a string` for every broken constraint, deepest place first reached. */
export function constraintLines(errors: readonly ValidationError[], path = ''): string[] {
  return errors.flatMap((e) => {
    const here = path ? `${path}.${e.property}` : e.property;
    const own = Object.values(e.constraints ?? {}).map((m) => `${here}: ${sentenceOf(m, e.property)}`);
    return [...own, ...constraintLines(e.children ?? [], here)];
  });
}

/** A constraint's message without the name of its field, which stands in front of it already. */
function sentenceOf(message: string, field: string): string {
  const each = 'each value in ';
  if (message.startsWith(`${field} `)) return message.slice(field.length + 1);
  return message.startsWith(`${each}${field} `) ? each + message.slice(each.length + field.length + 1) : message;
}

/**
 * Values that lie deeper than this in each other are no part of anything here, and would only exhaust whoever walks
 * them.
 */
const DEEPEST = 40;
/** Keys that name something of every object; whoever reads a value by its keys would find that instead. */
const RESERVED = ['__proto__', 'constructor', 'prototype'];
/** What no shape can be held against, or undefined. */
function unfit(value: unknown): string | undefined {
  let level: unknown[] = [value];
  for (let depth = 0; level.length; depth++) {
    if (depth > DEEPEST) return `The value holds parts that lie more than ${DEEPEST} deep in each other.`;
    const next: unknown[] = [];
    for (const v of level) {
      if (!Array.isArray(v))
        for (const key of RESERVED)
          if (Object.hasOwn(v as object, key)) return `The value has a part named '${key}', which cannot be a name.`;
      for (const x of Object.values(v as object)) if (typeof x === 'object' && x !== null) next.push(x);
    }
    level = next;
  }
  return undefined;
}

/** Checks a plain value against a shape; the sentences are empty when it fits. */
export function shapeProblems<T extends object>(shape: new () => T, value: unknown): string[] {
  if (typeof value !== 'object' || value === null || Array.isArray(value)) return ['The value must be a JSON object.'];
  const reason = unfit(value);
  if (reason) return [reason];
  return constraintLines(
    validateSync(plainToInstance(shape, value) as object, {
      whitelist: true,
      forbidNonWhitelisted: true,
      forbidUnknownValues: true,
    }),
  );
}
export const thingProblems = (thing: ThingName, value: unknown): string[] => shapeProblems(SHAPES[thing], value);

/** Fields of a shape, and those of them that may be missing. */
const knownFields = new Map<ThingName, { readonly all: ReadonlySet<string>; readonly optional: ReadonlySet<string> }>();
function fieldsOf(thing: ThingName) {
  let fields = knownFields.get(thing);
  if (!fields) {
    const rules = getMetadataStorage().getTargetValidationMetadatas(SHAPES[thing], '', false, false);
    fields = {
      all: new Set(rules.map((r) => r.propertyName)),
      optional: new Set(
        rules.filter((r) => r.type === ValidationTypes.CONDITIONAL_VALIDATION).map((r) => r.propertyName),
      ),
    };
    knownFields.set(thing, fields);
  }
  return fields;
}

/**
 * Checks some fields of a thing, for an edit that changes it: each must be a field of its shape and fit, the id stays,
 * and null takes away only what may be missing. `only`: the fields that this edit may change.
 */
export function changeProblems(thing: ThingName, value: unknown, only?: readonly string[]): string[] {
  if (typeof value !== 'object' || value === null || Array.isArray(value)) return ['must be an object'];
  const { all, optional } = fieldsOf(thing),
    allowed = only ?? [...all].filter((f) => f !== 'id');
  const wrong = Object.entries(value).flatMap(([field, v]) =>
    !allowed.includes(field)
      ? [`${field}: cannot be changed; a change names ${allowed.join(', ')}.`]
      : v === null && !optional.has(field)
        ? [`${field}: cannot be taken away.`]
        : [],
  );
  if (wrong.length) return wrong;
  const given = Object.fromEntries(Object.entries(value).filter(([, v]) => v !== null));
  // What is not named is as it was: the shape misses it here, the document has it.
  return thingProblems(thing, given).filter((line) => line.split(/[:.]/)[0]! in given || !line.includes(':'));
}

export type ProjectOrProblems = { readonly project: Project } | { readonly problems: readonly string[] };

/**
 * Text of a `.ferrule.json` to a project, or why it is none: not JSON (with line and column), a newer version, a broken
 * shape, a repeated id.
 */
export function parseProject(text: string): ProjectOrProblems {
  let value: unknown;
  try {
    value = JSON.parse(text.replace(/^\ufeff/, ''));
  } catch (e) {
    return { problems: [`This is not JSON: ${jsonPlace(text, (e as Error).message)}`] };
  }
  const head = value as Partial<Project> | null;
  if (typeof head !== 'object' || head === null || head.format !== FORMAT)
    return { problems: [`format: this is not a Ferrule project; its first key must be "format": "${FORMAT}".`] };
  if (typeof head.version === 'number' && head.version > VERSION)
    return {
      problems: [
        `version: the project is of version ${head.version}, this Ferrule reads up to ${VERSION}; open it with a newer Ferrule.`,
      ],
    };
  const problems = documentProblems(value as Project);
  return problems.length ? { problems } : { project: projectInOrder(value as Project) };
}

/**
 * What is wrong with a value as a project document: its shape, ids that are there twice. Names that lead nowhere (a
 * wire to a tag that is gone) are no fault of the document; the checker tells them. `before` is a document known to be
 * right: what both share is not looked at again.
 */
export function documentProblems(p: Project, before?: Project): string[] {
  const broken = thingProblems('project', before ? newParts(p, before) : p);
  // Places are those of the whole document.
  if (broken.length) return before ? thingProblems('project', p) : broken;
  return [...ladderProblems(p), ...repeatedIds(p)];
}

/** The document with only those things in its lists that the other does not have as they are. */
function newParts(p: Project, before: Project): Project {
  if ([p.tags, p.types, p.pous, p.tasks, p.checks, p.rules, p.machine?.devices].some((x) => !Array.isArray(x)))
    return p;
  const fresh = <T>(now: readonly T[], then: readonly T[]): readonly T[] => {
    if (now === then) return [];
    const known = new Set(then);
    return now.filter((x) => !known.has(x));
  };
  const rungsBefore = before.pous.flatMap((x) => (x.language === 'LD' ? x.rungs : []));
  const { plan, bench, ...rest } = p;
  return {
    ...rest,
    ...(plan && plan !== before.plan ? { plan } : {}),
    ...(bench && bench !== before.bench ? { bench } : {}),
    tags: fresh(p.tags, before.tags),
    types: fresh(p.types, before.types),
    pous: fresh(p.pous, before.pous).map((x): ProjectPou =>
      x.language === 'LD' && Array.isArray(x.rungs) ? { ...x, rungs: fresh(x.rungs, rungsBefore) } : x,
    ),
    machine: { ...p.machine, devices: fresh(p.machine.devices, before.machine.devices) },
    checks: fresh(p.checks, before.checks),
  };
}

/** A ladder is a program or a block, and a text holds its own variables. */
function ladderProblems(p: Project): string[] {
  return p.pous.flatMap((x, i) => {
    const place = `pous.${i}`;
    if (x.language === 'LD')
      return [
        ...((x.kind as string) === 'function' ? [`${place}.kind: a ladder is a program or a function block.`] : []),
        ...('text' in x ? [`${place}.text: a ladder has rungs, no text.`] : []),
      ];
    return (['variables', 'rungs'] as const).flatMap((k) =>
      k in x ? [`${place}.${k}: a text declares its variables itself and has no rungs.`] : [],
    );
  });
}

function jsonPlace(text: string, message: string): string {
  const at = /position (\d+)/.exec(message);
  if (!at) return `${message}.`;
  const before = text.slice(0, Number(at[1]));
  const line = before.split('\n').length;
  return `line ${line}, column ${before.length - before.lastIndexOf('\n')}: ${message.replace(/ in JSON at position.*/, '').replace(/ \(line.*/, '')}.`;
}

/** Ids that are there twice. */
function repeatedIds(p: Project): string[] {
  const problems: string[] = [];
  const unique = (place: string, list: readonly { readonly id: string }[]): void => {
    const seen = new Set<string>();
    list.forEach((x, i) => {
      if (seen.has(x.id)) problems.push(`${place}.${i}.id: '${x.id}' is used twice; every id must be its own.`);
      seen.add(x.id);
    });
  };
  unique('tags', p.tags);
  unique('types', p.types);
  unique('tasks', p.tasks);
  unique('pous', p.pous);
  unique('modules', p.modules ?? []);
  unique('checks', p.checks);
  p.checks.forEach((c, i) => unique(`checks.${i}.rows`, c.rows));
  unique('rules', p.rules);
  unique('machine.devices', p.machine.devices);
  unique('machine.kinds', p.machine.kinds ?? []);
  unique(
    'rungs',
    p.pous.flatMap((x) => (x.language === 'LD' ? x.rungs : [])),
  );
  return problems;
}
