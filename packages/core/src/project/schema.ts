/** The shape of a project file and of API bodies, for class-validator; `parseProject` turns failures into sentences with their place. */
import 'reflect-metadata';
import { Type, plainToInstance } from 'class-transformer';
import {
  Equals,
  IsArray,
  IsBoolean,
  IsIn,
  IsInt,
  IsNotEmpty,
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
  type ValidationError,
  validateSync,
} from 'class-validator';
import { LINE, PART } from '../machine/device.js';
import { FORMATS, FORMAT, POINT_STATES, type Project, VERSION } from './document.js';

class Identified {
  @IsString() @Length(1, 60) id!: string;
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
  @IsOptional() @IsString() @Length(1, 200) standsFor?: string;
  @IsOptional() @IsIn(['read', 'write']) access?: string;
}
export class TypeShape extends Identified {
  @IsString() @MaxLength(100_000) text!: string;
}
export class RungShape extends Identified {
  @IsString() @MaxLength(20_000) line!: string;
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
  @IsArray()
  @ValidateNested({ each: true })
  @Type(() => RungShape)
  rungs?: RungShape[];
  @ValidateIf((p: PouShape) => p.language === 'ST') @IsString() @MaxLength(2_000_000) text?: string;
}
export class TaskShape extends Identified {
  @IsString() @IsNotEmpty() name!: string;
  @IsString() @IsNotEmpty() interval!: string;
  @IsOptional() @IsString() @MaxLength(2000) event?: string;
  @IsInt() priority!: number;
  @IsArray() @IsString({ each: true }) programs!: string[];
}
export class DeviceShape extends Identified {
  @IsString() @Length(1, 120) name!: string;
  @IsString() @IsNotEmpty() type!: string;
  @IsOptional() @IsString() label?: string;
  @IsOptional() @IsIn(['red', 'yellow', 'green', 'blue', 'white', 'black']) colour?: string;
  @IsOptional() @IsString() @Length(1, 1) key?: string;
  @IsOptional() @IsObject() parameters?: Record<string, string>;
  @IsOptional() @IsObject() wires?: Record<string, string>;
}
export class ModuleShape extends Identified {
  @IsString() @Length(1, 120) name!: string;
  @IsIn(['I', 'Q']) area!: string;
  @IsInt() @Min(0) @Max(65_535) start!: number;
  @IsInt() @Min(1) @Max(4096) bytes!: number;
}
const TERMINAL_TYPES = ['BOOL', 'REAL', 'UINT', 'INT', PART, LINE];
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
}
class ParameterShape extends PieceShape {
  @IsString() @Length(1, 200) type!: string;
  @IsString() @Length(1, 2000) initial!: string;
  @IsOptional() @IsString() @MaxLength(40) unit?: string;
  @IsOptional() @IsNumber() min?: number;
  @IsOptional() @IsNumber() max?: number;
}
class HandleShape extends PieceShape {
  @IsIn(['press', 'turn', 'way', 'latch', 'number']) type!: string;
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
}
export class KindShape extends Identified {
  @IsString() @Length(1, 120) @IsIdentifier() type!: string;
  @IsString() @MaxLength(5000) help!: string;
  @IsArray() @ValidateNested({ each: true }) @Type(() => TerminalShape) terminals!: TerminalShape[];
  @IsArray() @ValidateNested({ each: true }) @Type(() => ParameterShape) parameters!: ParameterShape[];
  @IsArray() @ValidateNested({ each: true }) @Type(() => PieceShape) upsets!: PieceShape[];
  @IsArray() @ValidateNested({ each: true }) @Type(() => HandleShape) handles!: HandleShape[];
  @IsString() @MaxLength(100_000) locals!: string;
  @IsString() @MaxLength(500_000) body!: string;
  @IsNumber() @Min(20) @Max(600) width!: number;
  @IsArray() @ValidateNested({ each: true }) @Type(() => DrawingShape) picture!: DrawingShape[];
}
class MachineShape {
  @IsArray() @ValidateNested({ each: true }) @Type(() => DeviceShape) devices!: DeviceShape[];
  @IsOptional() @IsArray() @ValidateNested({ each: true }) @Type(() => KindShape) kinds?: KindShape[];
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
  @IsOptional() @IsArray() @IsString({ each: true }) do?: string[];
  @IsOptional() @IsArray() @IsString({ each: true }) expect?: string[];
}
class TableShape {
  @IsArray() @IsString({ each: true }) columns!: string[];
  @IsArray() @AreTexts() rows!: string[][];
}
export class CheckShape extends Identified {
  @IsString() @Length(1, 200) name!: string;
  @IsOptional() @IsString() @MaxLength(5000) note?: string;
  @IsOptional() @IsString() @Length(1, 60) begins?: string;
  @IsOptional() @ValidateNested() @Type(() => TableShape) table?: TableShape;
  @IsArray() @ValidateNested({ each: true }) @Type(() => RowShape) rows!: RowShape[];
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
  @IsArray() @ValidateNested({ each: true }) @Type(() => WatchRowShape) rows!: WatchRowShape[];
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
export class BenchShape {
  @IsOptional() @IsArray() @ValidateNested({ each: true }) @Type(() => PointShape) points?: PointShape[];
  @IsOptional() @IsArray() @ValidateNested({ each: true }) @Type(() => WatchShape) watches?: WatchShape[];
  @IsOptional() @IsArray() @ValidateNested({ each: true }) @Type(() => KeyShape) keys?: KeyShape[];
  @IsOptional() @IsArray() @ValidateNested({ each: true }) @Type(() => RunShape) runs?: RunShape[];
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
  @IsArray() @ValidateNested({ each: true }) @Type(() => WayShape) ways!: WayShape[];
  @IsOptional() @IsString() @MaxLength(50) limit?: string;
  @IsOptional() @ValidateNested() @Type(() => PastShape) past?: PastShape;
  @IsOptional() @IsArray() @IsString({ each: true }) starts?: string[];
  @IsOptional() @IsString() @MaxLength(5000) note?: string;
  @IsOptional() @IsArray() @IsString({ each: true }) modes?: string[];
}
class ModeShape extends Identified {
  @IsString() @Length(0, 100) name!: string;
  @IsOptional() @IsString() @MaxLength(1000) when?: string;
}
class SequenceShape extends Identified {
  @IsString() @Length(0, 200) name!: string;
  @IsOptional() @IsArray() @IsString({ each: true }) modes?: string[];
  @IsOptional() @IsString() @MaxLength(1000) run?: string;
  @IsOptional() @IsString() @MaxLength(100) stepTag?: string;
  @IsArray() @ValidateNested({ each: true }) @Type(() => StepShape) steps!: StepShape[];
}
export class PlanShape {
  @IsOptional() @IsString() @MaxLength(20_000) description?: string;
  @IsOptional() @IsArray() @ValidateNested({ each: true }) @Type(() => ModeShape) modes?: ModeShape[];
  @IsArray() @ValidateNested({ each: true }) @Type(() => SequenceShape) sequences!: SequenceShape[];
  @IsOptional() @IsObject() made?: Record<string, string>;
}

export class ProjectShape {
  @Equals(FORMAT) format!: string;
  @Equals(VERSION) version!: number;
  @IsString() @Length(1, 200) name!: string;
  @IsOptional() @IsString() @MaxLength(20_000) description?: string;
  @IsOptional() @ValidateNested() @Type(() => PlanShape) @IsObject() plan?: PlanShape;
  @IsArray() @ValidateNested({ each: true }) @Type(() => TagShape) tags!: TagShape[];
  @IsArray() @ValidateNested({ each: true }) @Type(() => TypeShape) types!: TypeShape[];
  @IsArray() @ValidateNested({ each: true }) @Type(() => PouShape) pous!: PouShape[];
  @IsArray() @ValidateNested({ each: true }) @Type(() => TaskShape) tasks!: TaskShape[];
  @IsOptional() @IsArray() @ValidateNested({ each: true }) @Type(() => ModuleShape) modules?: ModuleShape[];
  @ValidateNested() @Type(() => MachineShape) @IsObject() machine!: MachineShape;
  @IsArray() @ValidateNested({ each: true }) @Type(() => CheckShape) checks!: CheckShape[];
  @IsArray() @ValidateNested({ each: true }) @Type(() => RuleShape) rules!: RuleShape[];
  @IsOptional() @IsObject() @AreLevels() checking?: Record<string, string>;
  @IsArray() @IsString({ each: true }) scope!: string[];
  @IsOptional() @ValidateNested() @Type(() => BenchShape) @IsObject() bench?: BenchShape;
}

/** `pous.1.rungs.3.line: must be a string` for every broken constraint, deepest place first reached. */
export function constraintLines(errors: readonly ValidationError[], path = ''): string[] {
  return errors.flatMap((e) => {
    const here = path ? `${path}.${e.property}` : e.property;
    const own = Object.values(e.constraints ?? {}).map(
      (m) => `${here}: ${m.replace(new RegExp(`^(each value in )?${e.property} `), '$1')}`,
    );
    return [...own, ...constraintLines(e.children ?? [], here)];
  });
}

/** Checks a plain value against a shape; the sentences are empty when it fits. */
export function shapeProblems<T extends object>(shape: new () => T, value: unknown): string[] {
  if (typeof value !== 'object' || value === null || Array.isArray(value)) return ['The value must be a JSON object.'];
  return constraintLines(
    validateSync(plainToInstance(shape, value) as object, {
      whitelist: true,
      forbidNonWhitelisted: true,
      forbidUnknownValues: true,
    }),
  );
}

export type ProjectOrProblems = { readonly project: Project } | { readonly problems: readonly string[] };

/** Text of a `.ferrule.json` to a project, or why it is none: not JSON (with line and column), a newer version, a broken shape, a dangling or repeated id. */
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
  const broken = shapeProblems(ProjectShape, value);
  if (broken.length) return { problems: broken };
  const project = value as Project;
  const dangling = referenceProblems(project);
  return dangling.length ? { problems: dangling } : { project };
}

function jsonPlace(text: string, message: string): string {
  const at = /position (\d+)/.exec(message);
  if (!at) return `${message}.`;
  const before = text.slice(0, Number(at[1]));
  const line = before.split('\n').length;
  return `line ${line}, column ${before.length - before.lastIndexOf('\n')}: ${message.replace(/ in JSON at position.*/, '').replace(/ \(line.*/, '')}.`;
}

/** Ids used twice, and names of programs and devices that nothing answers to. */
export function referenceProblems(p: Project): string[] {
  const problems: string[] = [];
  const unique = (place: string, list: readonly { id: string }[]): void => {
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
  unique('rules', p.rules);
  unique('machine.devices', p.machine.devices);
  unique('machine.kinds', p.machine.kinds ?? []);
  unique(
    'rungs',
    p.pous.flatMap((x) => (x.language === 'LD' ? x.rungs : [])),
  );
  const programs = new Set(p.pous.filter((x) => x.kind === 'program').map((x) => x.name.toLowerCase()));
  p.tasks.forEach((t, i) =>
    t.programs.forEach((name, j) => {
      if (!programs.has(name.toLowerCase())) problems.push(`tasks.${i}.programs.${j}: there is no program '${name}'.`);
    }),
  );
  const devices = new Set(p.machine.devices.map((d) => d.name.toLowerCase()));
  const tags = new Set(p.tags.map((t) => t.name.toLowerCase()));
  p.machine.devices.forEach((d, i) =>
    Object.entries(d.wires ?? {}).forEach(([terminal, to]) => {
      const root = to.split(/[.[]/)[0]!.toLowerCase();
      if (!devices.has(root) && !tags.has(root))
        problems.push(`machine.devices.${i}.wires.${terminal}: there is no tag or device '${to}'.`);
    }),
  );
  return problems;
}
