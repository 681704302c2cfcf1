/** Shapes of request bodies, checked at the door. */
import { EDIT_KINDS, type Edit } from '@ferrule/core';
import {
  BenchShape,
  PlanShape,
  CheckShape,
  DeviceShape,
  KindShape,
  ModuleShape,
  PouShape,
  ProjectShape,
  RowShape,
  RuleShape,
  RungShape,
  TagShape,
  TaskShape,
  TypeShape,
  shapeProblems,
} from '@ferrule/core/schema';
import {
  IsArray,
  IsIn,
  IsInt,
  IsOptional,
  IsString,
  Length,
  Min,
  ArrayMaxSize,
  ArrayMinSize,
  Matches,
} from 'class-validator';
import { problem } from './problem.js';

export class NewProjectBody {
  @IsString() @Length(1, 200) name!: string;
}
export class EditsBody {
  @IsInt() @Min(1) base!: number;
  /** The client's own name for this batch. */
  @IsOptional() @IsString() @Length(1, 60) batch?: string;
  @IsArray() @ArrayMinSize(1) @ArrayMaxSize(5000) edits!: unknown[];
}
export class DownloadBody {
  @IsString() @Length(1, 60) projectId!: string;
  @IsIn(['restart', 'keep']) mode!: 'restart' | 'keep';
}
export class ExampleBody {
  @Matches(/^[a-z0-9-]+$/) example!: string;
}
export class NameBody {
  @IsString() @Length(0, 200) name!: string;
}
export class ModeBody {
  @IsIn(['run', 'stop']) mode!: 'run' | 'stop';
}
export class NetworkBody {
  @IsIn(['ok', 'slow', 'cut']) state!: 'ok' | 'slow' | 'cut';
}
export class ProveBody {
  @IsOptional() @IsString() @Length(1, 200) only?: string;
}

export class RulesBody {
  @IsOptional() @IsArray() @ArrayMaxSize(500) @IsString({ each: true }) only?: string[];
}

/** The body as its shape, or a 400 that names each field. */
export function body<T extends object>(shape: new () => T, value: unknown): T {
  const errors = shapeProblems(shape, value);
  if (errors.length)
    throw problem('INVALID_BODY', errors[0]!, {
      errors: errors.map((e) => ({ field: e.split(':')[0], message: e.slice(e.indexOf(':') + 1).trim() })),
    });
  return value as T;
}

type Fields = Record<
  string,
  | 'string'
  | 'name'
  | 'index'
  | 'paths'
  | 'level'
  | { readonly each: new () => object }
  | { readonly whole: new () => object }
  | { readonly orNothing: new () => object }
  | { readonly part: new () => object }
>;
const FIELDS: Record<Exclude<Edit['kind'], 'group'>, Fields> = {
  addTag: { tag: { whole: TagShape } },
  removeTag: { id: 'string' },
  changeTag: { id: 'string', to: { part: TagShape } },
  addRung: { pou: 'string', rung: { whole: RungShape }, at: 'index' },
  removeRung: { pou: 'string', id: 'string' },
  changeRung: { pou: 'string', id: 'string', to: { part: RungShape } },
  addPou: { pou: { whole: PouShape }, at: 'index' },
  removePou: { id: 'string' },
  changePou: { id: 'string', to: { part: PouShape } },
  addType: { type: { whole: TypeShape }, at: 'index' },
  removeType: { id: 'string' },
  changeType: { id: 'string', to: { part: TypeShape } },
  changeModules: { modules: { each: ModuleShape } },
  addTask: { task: { whole: TaskShape }, at: 'index' },
  removeTask: { id: 'string' },
  changeTask: { id: 'string', to: { part: TaskShape } },
  moveRung: { pou: 'string', id: 'string', to: 'index' },
  changeText: { pou: 'string', text: 'string' },
  changeDevice: { id: 'string', to: { part: DeviceShape } },
  addDevice: { device: { whole: DeviceShape }, at: 'index' },
  removeDevice: { id: 'string' },
  addKind: { of: { whole: KindShape }, at: 'index' },
  removeKind: { id: 'string' },
  changeKind: { id: 'string', to: { part: KindShape } },
  addCheck: { check: { whole: CheckShape }, at: 'index' },
  removeCheck: { id: 'string' },
  addRow: { check: 'string', row: { whole: RowShape }, at: 'index' },
  removeRow: { check: 'string', id: 'string' },
  addRule: { rule: { whole: RuleShape }, at: 'index' },
  removeRule: { id: 'string' },
  changeCheck: { id: 'string', to: { part: CheckShape } },
  changeRow: { check: 'string', id: 'string', to: { part: RowShape } },
  changeRule: { id: 'string', to: { part: RuleShape } },
  replace: { project: { whole: ProjectShape } },
  changeChecking: { code: 'name', to: 'level' },
  changeScope: { paths: 'paths' },
  changeBench: { to: { whole: BenchShape } },
  changePlan: { plan: { orNothing: PlanShape } },
  rename: { name: 'name' },
};

/** Edits as sent; each field of each kind is checked, with its place in the message. */
export function editsOf(value: readonly unknown[], place = 'edits'): Edit[] {
  return value.map((e, i) => oneEdit(e, `${place}.${i}`));
}

function oneEdit(value: unknown, place: string): Edit {
  const fail = (field: string, message: string): never => {
    throw problem('INVALID_BODY', `${field}: ${message}`, { errors: [{ field, message }] });
  };
  const e = value as Record<string, unknown> | null;
  if (typeof e !== 'object' || e === null || !EDIT_KINDS.includes(e['kind'] as Edit['kind']))
    return fail(`${place}.kind`, `must be one of ${EDIT_KINDS.join(', ')}`);
  if (e['kind'] === 'group') {
    if (!Array.isArray(e['edits'])) return fail(`${place}.edits`, 'must be an array');
    return { kind: 'group', label: String(e['label'] ?? ''), edits: editsOf(e['edits'], `${place}.edits`) };
  }
  for (const [name, kind] of Object.entries(FIELDS[e['kind'] as keyof typeof FIELDS])) {
    const v = e[name];
    const at = `${place}.${name}`;
    if (kind === 'string') {
      if (typeof v !== 'string') fail(at, 'must be a string');
    } else if (kind === 'name') {
      if (typeof v !== 'string' || v.length < 1 || v.length > 200) fail(at, 'must be a string of 1 to 200 characters');
    } else if (kind === 'index') {
      if (!Number.isInteger(v) || (v as number) < 0) fail(at, 'must be a whole number from 0');
    } else if (kind === 'level') {
      if (!['error', 'warning', 'off'].includes(v as string)) fail(at, 'must be one of error, warning, off');
    } else if (kind === 'paths') {
      if (!Array.isArray(v) || !v.every((x) => typeof x === 'string')) fail(at, 'must be an array of strings');
    } else if ('each' in kind) {
      if (!Array.isArray(v)) fail(at, 'must be an array');
      (v as unknown[]).forEach((x, i) => checkShape(kind.each, x, `${at}.${i}`, false, fail));
    } else if ('orNothing' in kind) {
      if (v !== null) checkShape(kind.orNothing, v, at, false, fail);
    } else checkShape('whole' in kind ? kind.whole : kind.part, v, at, 'part' in kind, fail);
  }
  return e as unknown as Edit;
}

function checkShape(
  shape: new () => object,
  value: unknown,
  place: string,
  partial: boolean,
  fail: (field: string, message: string) => never,
): void {
  if (typeof value !== 'object' || value === null) return fail(place, 'must be an object');
  // A change names some fields; null takes one away.
  const given = partial ? Object.fromEntries(Object.entries(value).filter(([, v]) => v !== null)) : value;
  for (const line of shapeProblems(shape, given)) {
    const field = line.split(':')[0]!;
    if (partial && !(field.split('.')[0]! in given)) continue;
    fail(`${place}.${field}`, line.slice(line.indexOf(':') + 1).trim());
  }
}
