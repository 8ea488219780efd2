/** The builders of fields. Each makes one frozen node and judges nothing. */
import type { Bounds, Format, Moment, Node, Presence, RecordNode } from './node.js'
import type { Common, Field, Fields, Flat, In, InFields, Made, Out, OutFields, RecordField } from './types.js'

export interface TextOptions extends Common<string> {
  /** Least and greatest number of code points. */
  length?: Bounds
  pattern?: RegExp
  format?: Format
  /** White space at both ends is cut off before anything is checked. */
  trim?: boolean
  /** In text sources an empty value counts as not sent, unless this is set. */
  keepEmpty?: boolean
}
export interface NumberOptions<T = number> extends Common<T> {
  /** At least. */
  min?: T
  /** At most. */
  max?: T
  /** More than. */
  above?: T
  /** Less than. */
  below?: T
  /** A whole multiple of this (JSON Schema's `multipleOf`). */
  step?: T
}
export interface InstantOptions extends Common<Date> {
  /** The earliest instant that is taken. */
  from?: Moment
  /** The latest instant that is taken. */
  until?: Moment
}
export interface ChoiceOptions<V extends string | number> extends Common<V> {
  titles?: { readonly [K in V]?: string }
}
export interface ListOptions<T, K> extends Common<T> {
  /** Least and greatest number of elements. */
  length?: Bounds
  /** No element twice; or no two elements with the same value of this field. */
  distinct?: boolean | K
}
export interface RecordOptions<T> extends Common<T> {
  /** What happens to names that are not declared. `reject` by default. */
  undeclared?: 'reject' | 'drop' | 'keep'
}

interface Options {
  optional?: boolean
  default?: unknown
}

/** The one place where nodes are made. */
function make<F extends Field>(kind: Node['kind'], options: Options = {}, own: object = {}): F {
  const { optional, ...rest } = options
  const presence = 'default' in rest ? 'defaulted' : optional ? 'optional' : 'required'
  return Object.freeze({ kind, presence, ...own, ...rest }) as unknown as F
}

/** A text: in JSON a string; elsewhere the text as it stands after decoding. */
export function text<const O extends TextOptions = {}>(options?: O): Made<string, string, O> {
  if (!options?.pattern) return make('text', options)
  // Without `g` and `y`, whose lastIndex would carry over from one request to the next.
  const pattern = new RegExp(options.pattern.source, options.pattern.flags.replace(/[gy]/g, ''))
  return make('text', { ...options, pattern } as Options)
}

/** A whole number within ±(2^53−1); as text `-?(0|[1-9][0-9]*)`. */
export function integer<const O extends NumberOptions = {}>(options?: O): Made<number, number, O> {
  return make('integer', options)
}

/** A finite number; as text by the grammar of JSON numbers (RFC 8259, section 6). */
export function number<const O extends NumberOptions = {}>(options?: O): Made<number, number, O> {
  return make('number', options)
}

/** True or false; as text `true`, `false`, `1` or `0`, and a bare `?name` in a query is true. */
export function flag<const O extends Common<boolean> = {}>(options?: O): Made<boolean, boolean, O> {
  return make('flag', options)
}

/** A moment in time: an RFC 3339 date-time, read to a Date. */
export function instant<const O extends InstantOptions = {}>(options?: O): Made<Date, string, O> {
  return make('instant', options)
}

/** One of these values. */
export function choice<const C extends readonly (string | number)[], const O extends ChoiceOptions<C[number]> = {}>(
  values: C,
  options?: O,
): Made<C[number], C[number], O> {
  return make('choice', options, { values: Object.freeze([...values]) })
}

/** Values of one kind, in order. In a query the name is repeated. */
export function list<I extends Field, const O extends ListOptions<Out<I>[], keyof Out<I> & string> = {}>(
  item: I,
  options?: O,
): Made<Out<I>[], In<I>[], O> {
  return make('list', options, { item })
}

/**
 * Named fields, each with its own declaration.
 *
 * @example
 * const target = record({ name: text({ length: [1, 80] }), declination: number({ min: -90, max: 90 }) })
 */
export function record<F extends Fields, const O extends RecordOptions<OutFields<F>> = {}>(
  fields: F,
  options?: O,
): Made<OutFields<F>, InFields<F>, O> & { readonly fields: F } {
  return make('record', options, { fields: Object.freeze({ ...fields }) })
}

// Variants of a record, as new declarations.

type MadeRecord<F extends Fields> = Field<OutFields<F>, InFields<F>, 'required'> & { readonly fields: F }
type Optionally<F extends Fields> = {
  readonly [K in keyof F]: F[K] extends Field<infer O, infer I, Presence> ? Field<O, I, 'optional'> : never
}

/** The same record with other fields; its own options stay, but that it must be sent. */
function variant<F extends Fields>(of: RecordField<Fields>, fields: Fields): MadeRecord<F> {
  const { kind: _, presence: __, default: ___, ...options } = of as unknown as RecordNode
  return make('record', { ...options, fields: Object.freeze(fields) } as Options)
}

/** Every field optional, and without its default: what was not sent stays not sent. */
export function allOptional<F extends Fields>(of: RecordField<F>): MadeRecord<Optionally<F>> {
  const optionally = Object.entries(of.fields).map(([name, field]) => {
    const { default: _, ...rest } = field as unknown as Node
    return [name, Object.freeze({ ...rest, presence: 'optional' })]
  })
  return variant(of, Object.fromEntries(optionally))
}

/** The record with more fields, or other fields of the same names. */
export function adding<F extends Fields, G extends Fields>(to: RecordField<F>, fields: G): MadeRecord<Flat<Omit<F, keyof G> & G>> {
  return variant(to, { ...to.fields, ...fields })
}
