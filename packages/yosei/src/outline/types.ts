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
  | 'schema'
  | 'file'

/**
 * A field: its kind, its options under their names, and what it holds. Patterns, dates and big integers are texts. Of a
 * secret there are no values: no `default`, `examples`, `value`, `values`, `titles` and `branches`.
 */
export interface FieldOutline extends Omit<Declared, 'default' | 'examples' | 'messages'> {
  /** The kind, such as `text`. */
  readonly kind: KindName
  /** Example values. */
  readonly examples?: readonly Json[]
  /** In the form that is sent. A function makes it if `computed` stands there instead. */
  readonly default?: Json
  /** Of a time, the limits that count from now, in words: `36 hours from now`. */
  readonly relative?: { readonly from?: string; readonly until?: string }
  /** Whether a function makes the default. */
  readonly computed?: true
  /** Of a record. */
  readonly fields?: { readonly [name: string]: FieldOutline }
  /** Rules of a record. */
  readonly rules?: readonly RuleOutline[]
  /** Of a list. */
  readonly item?: FieldOutline
  /** Of a tuple. */
  readonly items?: readonly FieldOutline[]
  /** Of a table, the field of all its values; of a constant, the constant. */
  readonly value?: FieldOutline | string | number | boolean | null
  /** Of a union: by the values of its `tag`, or in order. */
  readonly branches?: { readonly [value: string]: FieldOutline } | readonly FieldOutline[]
  /** The name of the tag of a tagged union. */
  readonly tag?: string
  /** Of a choice. */
  readonly values?: readonly (string | number)[]
  /** Of what `readJsonSchema` has made: the schema. */
  readonly schema?: Json
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
  /** The code of its error. */
  readonly code: string
  /** The addresses that it reads. */
  readonly reads: readonly string[]
  /** The addresses of its error. */
  readonly blames: readonly string[]
  /** The addresses that must be present before it is judged. */
  readonly waits: readonly string[]
  /** Its own status. */
  readonly status?: number
  /** `observe`: it is only logged. */
  readonly mode?: string
  /** The rule as a sentence. */
  readonly words: string
  readonly [option: string]: unknown
}

/** A lookup as plain JSON. */
export interface LookupOutline {
  /** The addresses that it reads. */
  readonly reads: readonly string[]
  /** The lookups that run before it. */
  readonly follows?: readonly string[]
  /** Whether it gives rules, made of what those have found. */
  readonly givesRules?: true
  /** `observe`: it is only logged. */
  readonly mode?: string
  /** Its rejection. */
  readonly refusal?: { readonly status?: number; readonly code?: string; readonly [option: string]: unknown }
  readonly [option: string]: unknown
}

type FieldOutlines = { readonly [name: string]: FieldOutline }
/** An endpoint as plain JSON. */
export interface EndpointOutline {
  /** Its name in an intake. */
  readonly name: string
  /** The method. */
  readonly method: string
  /** The path template. */
  readonly template: string
  /** A short title. */
  readonly title?: string
  /** A description, in CommonMark. */
  readonly description?: string
  /** Whether clients should stop using it. */
  readonly deprecated?: boolean
  /** Tags. */
  readonly tags: readonly string[]
  /** The status of a success. */
  readonly success: number
  /** Parameters of the path, by name. */
  readonly path: FieldOutlines
  /** Fields of the query, by name. */
  readonly query: FieldOutlines
  /** Header fields, by name in lower case. */
  readonly header: FieldOutlines
  /** Cookies, by name. */
  readonly cookie: FieldOutlines
  /** By media types. */
  readonly body: FieldOutlines
  /** What it must know about the caller. */
  readonly who?: FieldOutline
  /** Whether a function says if its messages are genuine. */
  readonly attested?: true
  /** Whether handlers get the body as it came. */
  readonly keepBytes?: true
  /** What a success gives. */
  readonly gives?: FieldOutline
  /** Rules between fields. */
  readonly rules: readonly RuleOutline[]
  /** Lookups, by name. */
  readonly lookups: { readonly [name: string]: LookupOutline }
  /** Reasons that silence advice, by its name. */
  readonly because?: { readonly [advice: string]: string }
  /** The scope and the key of its turn. */
  readonly turn?: { readonly of: string; readonly by: readonly string[]; readonly [option: string]: unknown }
  /** Its own statuses. */
  readonly statuses?: { readonly [name: string]: unknown }
  /** Its own limits. */
  readonly limits?: { readonly [name: string]: unknown }
  /** What holds itself, by the names to which `of` refers. */
  readonly definitions?: FieldOutlines
  readonly [option: string]: unknown
}

/** An intake as plain JSON. */
export interface IntakeOutline {
  /** The title of the service. */
  readonly title?: string
  /** The version of the service. */
  readonly version?: string
  /** The path at which it is mounted. */
  readonly base?: string
  /** Limits of all endpoints. */
  readonly limits?: { readonly [name: string]: unknown }
  /** Statuses of all endpoints. */
  readonly statuses?: { readonly [name: string]: unknown }
  /** The tags of the languages in which answers are written. */
  readonly languages: readonly string[]
  /** Endpoints, by name. */
  readonly endpoints: { readonly [name: string]: EndpointOutline }
}
