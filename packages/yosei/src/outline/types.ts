/** What an outline is, for all that read one. */
import type { Declared } from '../terms/declared.js'

export type Json = string | number | boolean | null | readonly Json[] | { readonly [name: string]: Json }

/** What made it: `text` for `text()`. */
export type KindName =
  | 'text'
  | 'integer'
  | 'number'
  | 'bigInteger'
  | 'decimal'
  | 'flag'
  | 'instant'
  | 'day'
  | 'timeOfDay'
  | 'duration'
  | 'choice'
  | 'constant'
  | 'list'
  | 'tuple'
  | 'record'
  | 'table'
  | 'tagged'
  | 'either'
  | 'later'
  | 'readAs'
  | 'anything'
  | 'file'

/**
 * A field: its kind, its options under their names, and what it holds. Patterns, dates and big integers are texts. Of a
 * secret there are no values: no `default`, `examples`, `value`, `values`, `titles` and `branches`.
 */
export interface FieldOutline extends Omit<Declared, 'default' | 'examples' | 'messages'> {
  readonly kind: KindName
  readonly examples?: readonly Json[]
  /** A function makes it if `computed` stands there instead. */
  readonly default?: Json
  readonly computed?: true
  /** Of a record. */
  readonly fields?: { readonly [name: string]: FieldOutline }
  readonly rules?: readonly RuleOutline[]
  /** Of a list. */
  readonly item?: FieldOutline
  /** Of a tuple. */
  readonly items?: readonly FieldOutline[]
  /** Of a table, the field of all its values; of a constant, the constant. */
  readonly value?: FieldOutline | string | number | boolean | null
  /** Of a union: by the values of its `tag`, or in order. */
  readonly branches?: { readonly [value: string]: FieldOutline } | readonly FieldOutline[]
  readonly tag?: string
  /** Of a choice. */
  readonly values?: readonly (string | number)[]
  /** Of a reader: what it reads. */
  readonly base?: FieldOutline
  /** Of a declaration that holds itself: its name among `definitions`. */
  readonly of?: string
  /** `min`, `length`, `pattern`, … as they were declared. */
  readonly [option: string]: unknown
}

/** A rule: its options, and the sentence that its error would be. */
export interface RuleOutline {
  /** Its name: `ascending` for `on.ascending()`. */
  readonly rule: string
  readonly code: string
  readonly reads: readonly string[]
  readonly blames: readonly string[]
  /** The addresses that must be present before it is judged. */
  readonly waits: readonly string[]
  readonly status?: number
  readonly words: string
  readonly [option: string]: unknown
}

export interface LookupOutline {
  readonly reads: readonly string[]
  readonly follows?: readonly string[]
  readonly refusal?: { readonly status?: number; readonly code?: string; readonly [option: string]: unknown }
  readonly [option: string]: unknown
}

type FieldOutlines = { readonly [name: string]: FieldOutline }
export interface EndpointOutline {
  /** Its name in an intake. */
  readonly name: string
  readonly method: string
  readonly template: string
  readonly title?: string
  readonly description?: string
  readonly deprecated?: boolean
  readonly tags: readonly string[]
  /** The status of a success. */
  readonly success: number
  readonly path: FieldOutlines
  readonly query: FieldOutlines
  readonly header: FieldOutlines
  readonly cookie: FieldOutlines
  /** By media types. */
  readonly body: FieldOutlines
  readonly who?: FieldOutline
  readonly gives?: FieldOutline
  readonly rules: readonly RuleOutline[]
  readonly lookups: { readonly [name: string]: LookupOutline }
  readonly because?: { readonly [advice: string]: string }
  readonly turn?: { readonly of: string; readonly by: readonly string[]; readonly [option: string]: unknown }
  readonly statuses?: { readonly [name: string]: unknown }
  readonly limits?: { readonly [name: string]: unknown }
  /** What holds itself, by the names to which `of` refers. */
  readonly definitions?: FieldOutlines
  readonly [option: string]: unknown
}

export interface IntakeOutline {
  readonly title?: string
  readonly version?: string
  readonly base?: string
  readonly limits?: { readonly [name: string]: unknown }
  readonly statuses?: { readonly [name: string]: unknown }
  /** The tags of the languages in which answers are written. */
  readonly languages: readonly string[]
  readonly endpoints: { readonly [name: string]: EndpointOutline }
}
