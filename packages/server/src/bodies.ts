/** Shapes of request bodies, checked at the door. */
import type { Edit } from '@ferrule/core/document';
import type { Reach } from '@ferrule/core/verify';
import { readEdits, shapeProblems } from '@ferrule/core/schema';
import {
  IsArray,
  IsBoolean,
  IsIn,
  IsInt,
  IsObject,
  IsOptional,
  IsString,
  Length,
  Max,
  Min,
  ArrayMaxSize,
  ArrayMinSize,
  Matches,
  ValidateNested,
} from 'class-validator';
import { Type } from 'class-transformer';
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
  /** What the controller does then; as it was without it. */
  @IsOptional() @IsIn(['run', 'stop']) into?: 'run' | 'stop';
  @IsOptional() @IsString() @Length(0, 2000) note?: string;
}
export class PreviewBody {
  @IsString() @Length(1, 60) projectId!: string;
  @IsOptional() @IsArray() @ArrayMaxSize(20_000) @IsString({ each: true }) only?: string[];
}
export class TryBody {
  @IsString() @Length(1, 60) projectId!: string;
  /** Keys of the differences to try; all without it. */
  @IsOptional() @IsArray() @ArrayMaxSize(20_000) @IsString({ each: true }) only?: string[];
  /** The hash of the kept program that was looked at. */
  @IsString() @Length(64, 64) against!: string;
  /** Obeyed by the machine (with a grace), or beside the kept program with its outputs going nowhere. */
  @IsIn(['trial', 'run beside']) what!: 'trial' | 'run beside';
  @IsOptional() @IsInt() @Min(2000) @Max(3_600_000) graceMs?: number;
  @IsString() @Length(1, 60) by!: string;
  /** The page's own name for its trial. */
  @IsOptional() @IsString() @Length(1, 60) ticket?: string;
}
export class RecordingBody {
  @IsInt() @Min(1000) @Max(600_000) ms!: number;
}
export class OpenModbusBody {
  @IsBoolean() isOn!: boolean;
  @IsIn(['high first', 'low first']) words!: string;
}
export class OpcuaUserBody {
  @IsString() @Length(1, 60) name!: string;
  @IsOptional() @IsString() @Length(0, 200) password?: string;
}
export class OpenOpcuaBody {
  @IsBoolean() isOn!: boolean;
  @IsOptional() @IsBoolean() plain?: boolean;
  @IsOptional() @IsBoolean() anonymous?: boolean;
  /** Null: nobody by name. */
  @IsOptional() @ValidateNested() @Type(() => OpcuaUserBody) user?: OpcuaUserBody | null;
}
export class TrustBody {
  @IsBoolean() isTrusted!: boolean;
}
/** Where another program is, and how to join it. */
export class OutsideBody {
  @IsIn(['opcua', 'modbus']) protocol!: 'opcua' | 'modbus';
  @IsString() @Length(1, 500) address!: string;
  @IsOptional() @IsIn(['signed', 'encrypted']) security?: 'signed' | 'encrypted';
  @IsOptional() @IsString() @Length(1, 60) user?: string;
  @IsOptional() @IsInt() @Min(0) @Max(255) unit?: number;
}
export class LookBody extends OutsideBody {
  @IsOptional() @IsIn(['discrete', 'coil', 'input', 'holding']) table?: 'discrete' | 'coil' | 'input' | 'holding';
  @IsOptional() @IsInt() @Min(0) @Max(65_535) from?: number;
  @IsOptional() @IsInt() @Min(1) @Max(100) count?: number;
}
export class OutsidePasswordBody {
  @IsString() @Length(1, 500) address!: string;
  @IsString() @Length(1, 60) user!: string;
  @IsString() @Length(0, 200) password!: string;
}
export class PasswordBody {
  @IsString() @Length(0, 200) password!: string;
}
export class WhenBody {
  @IsString() @Length(0, 1000) when!: string;
}
export class ByBody {
  @IsOptional() @IsString() @Length(0, 60) by?: string;
  @IsOptional() @IsString() @Length(0, 60) ticket?: string;
}
export class ExampleBody {
  @Matches(/^[a-z0-9-]+$/) example!: string;
}
export class NameBody {
  @IsString() @Length(0, 200) name!: string;
  /** Left out, it stays as it is. */
  @IsOptional() @IsString() @Length(0, 4000) note?: string;
}
export class ModeBody {
  @IsIn(['run', 'stop']) mode!: 'run' | 'stop';
}
export class SwitchBody {
  @IsIn(['ok', 'slow', 'cut', 'run', 'stop', 'remote', 'on', 'off', 'flat', 'in', 'pulled']) state!: string;
  /** Which one, of cards. */ @IsOptional() @IsString() @Length(1, 20) card?: string;
}
export class ProveBody {
  @IsOptional() @IsString() @Length(1, 200) only?: string;
  /** The checks and rules of now are played on the logic of this revision. */
  @IsOptional() @IsInt() @Min(1) revision?: number;
}

export class CampaignBody {
  @IsIn(['search', 'find', 'mutate']) kind!: 'search' | 'find' | 'mutate';
  @IsInt() @Min(0) @Max(Number.MAX_SAFE_INTEGER) seed!: number;
  @IsBoolean() upsets!: boolean;
  /** Of all lanes together. */
  @IsInt() @Min(1) @Max(1e12) scans!: number;
  @IsOptional() @IsInt() @Min(1) @Max(604_800_000) withinMs?: number;
  /** What a search is to reach; it is looked through where it is used. */
  @IsOptional() @IsObject() missing?: Pick<Reach, 'rungs' | 'steps' | 'branches'>;
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

/** Edits as sent, or a 400 that names the field. */
export function editsOf(value: readonly unknown[]): readonly Edit[] {
  const many = countOf(value);
  if (many > MOST_EDITS)
    throw problem(
      'INVALID_BODY',
      `edits: ${many.toLocaleString('en')} changes are more than the ${MOST_EDITS.toLocaleString('en')} that go at once; send them in parts.`,
      { errors: [{ field: 'edits', message: `at most ${MOST_EDITS} with those in groups` }] },
    );
  const read = readEdits(value);
  if ('edits' in read) return read.edits;
  const { field, message } = read.problem;
  throw problem('INVALID_BODY', `${field}: ${message}`, { errors: [read.problem] });
}

/** Changes at once, those in groups counted; as many are read, applied and written in a few seconds. */
export const MOST_EDITS = 50_000;
/** How many there are, as far as it matters. */
function countOf(edits: readonly unknown[]): number {
  let count = 0;
  const open: unknown[][] = [[...edits]];
  while (open.length && count <= MOST_EDITS) {
    const list = open.pop()!;
    count += list.length;
    for (const e of list) {
      const inner = (e as { edits?: unknown } | null)?.edits;
      if (Array.isArray(inner)) open.push(inner);
    }
  }
  return count;
}
