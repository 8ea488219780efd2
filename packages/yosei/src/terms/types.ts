/** The static side of a declaration: what a field reads to, what a client sends, and what may be left out. */
import type { Messages, Need } from './declared.js'
import type { StandardProps } from './standard.js'

/**
 * A declared field: frozen data. `Out` is the value after reading, `In` the value that a client sends (as JSON). `Field`
 * alone is any field; `Field<Out>` one that must be sent: `Field<Out, In, 'optional'>` is one that need not.
 */
export interface Field<
  out Out = unknown,
  out In = unknown,
  out P extends Need = unknown extends Out ? Need : 'required',
> {
  /** The kind, such as `text`. */
  readonly kind: string
  /** Whether it must be sent. */
  readonly need: P
  /** For form libraries and others that take the interface Standard Schema, version 1. */
  readonly '~standard': StandardProps<In, Out>
}
/** A file that came in a form, or as the whole body. Held in a temporary place until the request is done. */
export interface Upload {
  /** The name of the file, as the client gave it: never a path to write to. It can be empty. */
  readonly name: string
  /** The media type as the client gave it. */
  readonly type: string
  /** Its size. */
  readonly bytes: number
  /** Reads the file as a stream. */
  stream(): ReadableStream<Uint8Array>
  /** Reads the whole file. */
  bytesNow(): Promise<Uint8Array>
}
/** Fields by name. */
export type Fields = { readonly [name: string]: Field }
/** A field whose own fields are known by name. */
export interface RecordField<F extends Fields = Fields, Out = unknown, In = unknown, P extends Need = Need>
  extends Field<Out, In, P> {
  /** Its fields, by name. */
  readonly fields: F
}

/** Options of every field. */
export interface Common<T> {
  /** The client can leave it out. */
  optional?: boolean | undefined
  /** `null` is a value. */
  nullable?: boolean | undefined
  /** Used when nothing was sent; the receiver always sees a value. Drops out of `allOptional`. */
  default?: T | (() => T) | undefined
  /** Annotations, with the meaning they have in JSON Schema. */
  title?: string | undefined
  /** A description, in CommonMark. */
  description?: string | undefined
  /** Example values. Probes use them. */
  examples?: readonly unknown[] | undefined
  /** Clients should stop using it. */
  deprecated?: boolean | undefined
  /** Advice of `yosei advise` that is answered, with the reason: `{ unbounded: 'cut by the proxy' }`. */
  because?: { readonly [advice: string]: string } | undefined
  /** Set by the server: sending it is an error, or it is dropped. */
  readOnly?: boolean | 'drop' | undefined
  /** Never echoed: in no message, answer, trace, journal or printed table. */
  secret?: boolean | undefined
  /** Your own words: one text for all errors, or by code, or a function of the limit and the sent value. */
  messages?: Messages | undefined
  /** Whether text is parsed inside JSON too. Path, query, header and form values are always text. */
  coerce?: boolean | undefined
  /** A name under which documents refer to this declaration (`$ref`). */
  name?: string | undefined
}

/** Shows an intersection as one object type. */
export type Flat<T> = { [K in keyof T]: T[K] } & {}
/** The value that a field reads to. */
export type Out<F> = F extends Field<infer T, unknown, Need> ? T : never
/** The JSON value that a client sends for a field. */
export type In<F> = F extends Field<unknown, infer T, Need> ? T : never

type May<O, Name extends string, Value> = Name extends keyof O ? (Value extends O[Name] ? true : false) : false
/** Whether a field that a builder makes of its options `O` must be sent: what may be left out is not taken for sent. */
export type NeedOf<O> = 'default' extends keyof O
  ? undefined extends O['default']
    ? 'optional'
    : 'defaulted'
  : true extends May<O, 'optional', true> | May<O, 'readOnly', true> | May<O, 'readOnly', 'drop'>
    ? 'optional'
    : 'required'
/** `null` if the options `O` let it be. */
export type Null<O> = true extends May<O, 'nullable', true> ? null : never

export type OutTuple<I extends readonly Field[]> = { -readonly [K in keyof I]: Out<I[K]> }
export type InTuple<I extends readonly Field[]> = { -readonly [K in keyof I]: In<I[K]> }
/** What a handler gets for fields. */
export type OutFields<F extends Fields> = Flat<
  { -readonly [K in keyof F as F[K]['need'] extends 'optional' ? never : K]: Out<F[K]> } & {
    -readonly [K in keyof F as F[K]['need'] extends 'optional' ? K : never]?: Out<F[K]>
  }
>
/** What a client sends for fields. */
export type InFields<F extends Fields> = Flat<
  { -readonly [K in keyof F as F[K]['need'] extends 'required' ? K : never]: In<F[K]> } & {
    -readonly [K in keyof F as F[K]['need'] extends 'required' ? never : K]?: In<F[K]>
  }
>
