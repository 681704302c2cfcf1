/** Types of the program as types of C, each before what needs it. */
import type { CheckedPou } from '../../checked/tree.js';
import { C_TYPES } from '../../ir/ops.js';
import { machineOf } from '../../ir/machine.js';
import {
  type ArrayType,
  type BlockType,
  CLASS_NUMBER,
  type StringType,
  type Struct,
  type Type,
  elementCount,
  typeText,
} from '../../types/type.js';
import { Names } from './names.js';

/** What the C target has no way to write, with where it stands. */
export class NotInC extends Error {}

/** A member as C reaches it from what it belongs to: `base.base.count`. */
export interface CMember {
  readonly path: string;
  readonly type: Type;
}

export class CTypes {
  /** Definitions so far, in an order in which each comes before what needs it. */
  readonly definitions: string[] = [];
  private readonly defined = new Set<string>();
  private readonly members = new Map<string, Names>();

  constructor(
    private readonly globals: Names,
    private readonly pouOf: (name: string) => CheckedPou,
  ) {}

  /** `int16_t Speed`, `struct TON Delay`, `uint8_t Lamp[4]`: a declaration of something of this type. */
  declare(t: Type, declarator: string): string {
    switch (t.kind) {
      case 'array':
        return this.declare(t.element, `${declarator}[${Math.max(elementCount(t), 1)}]`);
      case 'struct':
      case 'block':
      case 'string':
        return `${this.tagOf(t)} ${declarator}`;
      case 'ref':
        return this.pointer(t.target, declarator);
      case 'interface':
        return `void *${declarator}`;
      default:
        return `${C_TYPES[machineOf(t)]} ${declarator}`;
    }
  }
  /**
   * Something that holds the address of a thing of this type. A text is handed on by its address alone, whatever its
   * size.
   */
  pointer(to: Type, declarator: string): string {
    if (to.kind === 'string' || to.kind === 'interface' || to.kind === 'unknown') return `void *${declarator}`;
    if (to.kind === 'array' && to.open) return this.declare(to.element, `*${declarator}`);
    return to.kind === 'array' ? this.declare(to, `(*${declarator})`) : this.declare(to, `*${declarator}`);
  }
  /** The same as a cast. */
  castTo(to: Type): string {
    return `(${this.pointer(to, '').trimEnd()})`;
  }

  /** `struct TON`, defined before what is printed next. */
  tagOf(t: Struct | BlockType | StringType): string {
    const key = t.kind === 'string' ? `${t.wide ? 'wide_' : ''}text_${t.max}` : `${t.kind} ${t.name}`.toLowerCase();
    const name = t.kind === 'string' ? key : this.globals.of(key, t.name, true);
    if (!this.defined.has(key)) {
      this.defined.add(key);
      this.definitions.push(this.define(t, name));
    }
    return `struct ${name}`;
  }
  private define(t: Struct | BlockType | StringType, name: string): string {
    if (t.kind === 'string')
      return `struct ${name} {\n  uint16_t length;\n  ${t.wide ? 'uint16_t' : 'uint8_t'} characters[${t.max}];\n};`;
    if (t.kind === 'struct' && t.overlap)
      return `/* Members lie over each other: read and written byte by byte. */\nstruct ${name} {\n  uint8_t bytes[${t.size}];\n};`;
    const lines: string[] = [];
    const base = t.kind === 'block' ? this.pouOf(t.name).base : undefined;
    if (base) lines.push(`${this.tagOf(blockType(base))} base;`);
    for (const m of this.own(t)) {
      const member = this.nameIn(t, m.offset, m.name);
      const isReference = 'section' in m && m.section === 'inout';
      lines.push(`${isReference ? this.pointer(m.type, member) : this.declare(m.type, member)};`);
    }
    if (!lines.length) lines.push('uint8_t nothing;');
    return `struct ${name} {\n${lines.map((l) => `  ${l}\n`).join('')}};`;
  }

  /** Members of its own, without those of what it extends. */
  private own(t: Struct | BlockType) {
    if (t.kind === 'struct') return t.members;
    const base = this.pouOf(t.name).base;
    return base ? t.layout.members.slice(base.layout.members.length) : t.layout.members;
  }
  private nameIn(t: Struct | BlockType, offset: number, name: string): string {
    const key = t.name.toLowerCase();
    let names = this.members.get(key);
    if (!names) {
      this.members.set(key, (names = new Names()));
      if (t.kind === 'block' && this.pouOf(t.name).base) names.of('base', 'base of it');
    }
    return names.of(offset, name === CLASS_NUMBER ? 'class_number' : name);
  }

  /** The member of a structure or instance that lies at an offset. */
  member(of: Struct | BlockType, offset: number, type: Type): CMember {
    if (of.kind === 'block') {
      const base = this.pouOf(of.name).base;
      if (base && base.layout.members.some((m) => m.offset === offset)) {
        const inner = this.member(blockType(base), offset, type);
        return { ...inner, path: `base.${inner.path}` };
      }
    }
    this.tagOf(of);
    const found = this.own(of).find((m) => m.offset === offset);
    if (!found) throw new NotInC(`${typeText(of)} has nothing at ${offset}`);
    return { path: this.nameIn(of, offset, found.name), type: found.type };
  }
}

export const blockType = (pou: CheckedPou): BlockType => ({ kind: 'block', name: pou.name, layout: pou.layout });
export const isOpen = (t: Type): t is ArrayType => t.kind === 'array' && t.open === true;
