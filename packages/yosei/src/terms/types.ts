/** The static side of a declaration: what a field reads to, what a client sends, and what may be left out. */
import type { Messages, Need } from './declared.js'

/** A declared field: frozen data. `Out` is the value after reading, `In` the value that a client sends (as JSON). */
export interface Field<Out = unknown, In = unknown, P extends Need = Need> {
  readonly kind: string
  readonly need: P
  readonly '~out'?: Out
  readonly '~in'?: In
}
/** A file that came in a form, or as the whole body. Held in a temporary place until the request is done. */
export interface Upload {
  /** The file's name as the client gave it: never a path to write to. Empty where there is none. */
  readonly name: string
  /** The media type as the client gave it. */
  readonly type: string
  /** Its size. */
  readonly bytes: number
  stream(): ReadableStream<Uint8Array>
  bytesNow(): Promise<Uint8Array>
}
export type Fields = { readonly [name: string]: Field }
/** A field whose own fields are known by name. */
export type RecordField<F extends Fields> = Field & { readonly fields: F }

/** Options of every field. */
export interface Common<T> {
  optional?: boolean
  nullable?: boolean
  /** Used when nothing was sent; the receiver always sees a value. Drops out of `allOptional`. */
  default?: T | (() => T)
  /** Annotations, with the meaning they have in JSON Schema. */
  title?: string
  description?: string
  examples?: readonly unknown[]
  deprecated?: boolean
  /** Set by the server: sending it is an error, or it is dropped. */
  readOnly?: boolean | 'drop'
  /** Never echoed: in no message, answer, trace, journal or printed table. */
  secret?: boolean
  /** Own words: one text whatever is wrong, or by code, or a function of the limit and what was sent. */
  messages?: Messages
  /**
   * Read text where a typed value is expected (JSON). Path, query, header and form values are always read from text.
   */
  coerce?: boolean
  /** A name under which documents refer to this declaration (`$ref`). */
  name?: string
}

/** Shows an intersection as one object type. */
export type Flat<T> = { [K in keyof T]: T[K] } & {}
/** The value that a field reads to. */
export type Out<F> = F extends Field<infer T, unknown, Need> ? T : never
/** The JSON value that a client sends for a field. */
export type In<F> = F extends Field<unknown, infer T, Need> ? T : never

type NeedOf<O> = O extends { default: unknown }
  ? 'defaulted'
  : O extends { optional: true } | { readOnly: true | 'drop' }
    ? 'optional'
    : 'required'
type Null<O> = O extends { nullable: true } ? null : never
/** The field that a builder makes of its options `O`. */
export type Made<Out, In, O> = Field<Out | Null<O>, In | Null<O>, NeedOf<O>>

export type OutTuple<I extends readonly Field[]> = { -readonly [K in keyof I]: Out<I[K]> }
export type InTuple<I extends readonly Field[]> = { -readonly [K in keyof I]: In<I[K]> }
export type OutFields<F extends Fields> = Flat<
  { [K in keyof F as F[K]['need'] extends 'optional' ? never : K]: Out<F[K]> } & {
    [K in keyof F as F[K]['need'] extends 'optional' ? K : never]?: Out<F[K]>
  }
>
export type InFields<F extends Fields> = Flat<
  { [K in keyof F as F[K]['need'] extends 'required' ? K : never]: In<F[K]> } & {
    [K in keyof F as F[K]['need'] extends 'required' ? never : K]?: In<F[K]>
  }
>
