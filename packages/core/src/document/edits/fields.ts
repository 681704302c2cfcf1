/**
 * What edits carry. A field is data for the reader that checks what comes from outside (`read-edits`), and a type for
 * the compiler, so that an edit is defined once.
 */
import type { ThingName, Things } from '../order.js';

/** Fields to change: never the id, and null, which takes a field away, only where one may be missing. */
export type Changes<T> = {
  readonly [K in keyof T as K extends 'id' ? never : K]?: object extends Pick<T, K> ? T[K] | null : T[K];
};

/** `T` is only told to the compiler. */
export type Field<T> = (
  | { readonly is: 'text' | 'name' | 'index' | 'level' | 'texts' | 'edits' }
  | { readonly is: 'whole' | 'list' | 'wholeOrNothing' | 'parts'; readonly thing: ThingName }
  | { readonly is: 'changes'; readonly thing: ThingName; readonly fields: readonly string[] | undefined }
) & { readonly isOptional?: boolean; readonly type?: T };

export const text: Field<string> = { is: 'text' };
/** 1 to 200 characters. */
export const name: Field<string> = { is: 'name' };
/** A place in a list, from 0; past its end is its end. */
export const index: Field<number> = { is: 'index' };
export const level: Field<'error' | 'warning' | 'off'> = { is: 'level' };
export const texts: Field<readonly string[]> = { is: 'texts' };
export const whole = <N extends ThingName>(thing: N): Field<Things[N]> => ({ is: 'whole', thing });
export const list = <N extends ThingName>(thing: N): Field<readonly Things[N][]> => ({ is: 'list', thing });
export const wholeOrNothing = <N extends ThingName>(thing: N): Field<Things[N] | null> => ({
  is: 'wholeOrNothing',
  thing,
});
/** Parts of a thing all of whose fields may be left out. */
export const parts = <N extends ThingName>(thing: N): Field<Things[N]> => ({ is: 'parts', thing });
/** Some fields of a thing; all but its id, or only those that are named. */
export const changes = <N extends ThingName>(thing: N): Field<Changes<Things[N]>> => ({
  is: 'changes',
  thing,
  fields: undefined,
});
export const changesOf = <T>(thing: ThingName, fields: readonly (keyof T & string)[]): Field<Changes<T>> => ({
  is: 'changes',
  thing,
  fields,
});
export const optional = <T>(field: Field<T>): Field<T> & { readonly isOptional: true } => ({
  ...field,
  isOptional: true,
});

export type Fields = Readonly<Record<string, Field<unknown>>>;
type TypeOf<F> = F extends { readonly type?: infer T } ? Exclude<T, undefined> : never;
type OptionalKeys<F> = { [K in keyof F]: F[K] extends { readonly isOptional: true } ? K : never }[keyof F];
/** An edit of a kind with its fields. */
export type EditWith<K, F> = { readonly kind: K } & {
  readonly [P in Exclude<keyof F, OptionalKeys<F>>]: TypeOf<F[P]>;
} & { readonly [P in OptionalKeys<F>]?: TypeOf<F[P]> };
