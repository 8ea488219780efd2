/** What the rules of a schema are made with. */
import type { Format } from '../grammar/formats.js'
import type { Located, Resource } from './documents.js'
import type { Discriminator, Place } from './place.js'
import type { Schema } from './positions.js'

/** A pattern as it is enforced. */
export interface Enforced {
  readonly source: string
  readonly regExp: RegExp
  /** The longest text that it is run on. */
  readonly most: number
  isMatched(text: string): boolean
}
/** What the schemas of named members are: by name, by pattern, and for the others. */
export interface Members {
  readonly named: ReadonlyMap<string, Place>
  readonly patterns: readonly (readonly [pattern: Enforced, place: Place])[]
  readonly others: Place | undefined
}
/** What the schemas of elements are: by their place, and for the others. */
export interface Elements {
  readonly leading: readonly Place[]
  readonly others: Place | undefined
}

export interface Making {
  /** The keyword that is read now. */
  keyword: string
  /** The keywords that are read. */
  readonly schema: { readonly [keyword: string]: unknown }
  /** What messages may show of it. */
  readonly shown: { readonly title?: string; readonly examples?: readonly unknown[] }
  /** The pattern and the format that texts must have, as far as they are enforced. */
  readonly text: { readonly pattern: Enforced | undefined; readonly format: Format | undefined }
  /** What names the branch of a union, if the description says so. */
  discriminator(): Discriminator | undefined
  /** What names the schema that takes over this one, if the description says so without a union. */
  heirs(): Discriminator | undefined
  readonly members: Members
  readonly elements: Elements
  /** The place of the schema itself. */
  self(): Place
  /** The place of a schema below a keyword. */
  place(steps: readonly string[], schema: unknown): Place | undefined
  /** The places of all schemas that the keyword holds. */
  places(): readonly Place[]
  /** Those that `allOf` holds. */
  parts(): readonly Place[]
  placesAt(keyword: string): readonly Place[]
  namedAt(keyword: string): readonly (readonly [name: string, place: Place])[]
  /** What a reference leads to. */
  target(reference: string): Place
  /** The place of a schema that stands elsewhere. */
  placeOf(located: Located): Place
  /** Reports that the keyword holds what it cannot hold. */
  odd(what: string): undefined
}

/** Something that a description says and that is not enforced as it stands there. */
export interface Note {
  /** The JSON Pointer of it (RFC 6901); behind the address of its document, if that is another. */
  readonly pointer: string
  /** What is said there. */
  readonly what: string
  /** What becomes of it. */
  readonly consequence: string
}

export type Keywords = { readonly [keyword: string]: unknown }

export interface ProgramOptions {
  readonly documents: { readonly [uri: string]: unknown }
  readonly formats: 'annotate' | 'assert'
  readonly note: (note: Note) => void
  /** Whether schemas say what a client may send to an API (OpenAPI 3.1), or in words of 3.0. */
  readonly dialect?: '3.0' | '3.1'
  /** What becomes of names that a schema neither lists nor forbids. */
  readonly unlisted?: 'refuse' | 'drop' | 'keep' | undefined
  /** What calls it, for errors. */
  readonly where: string
}

/** What is known around a schema. */
export interface Around {
  /** The place of a schema. */
  place(located: Located): Place
  below(above: Place, steps: readonly string[], schema: Schema): Place
  target(reference: string, from: Located): Place
  /** A schema of the components of a description. */
  component(name: string): Place | undefined
  /** What takes over a schema, by its name. */
  heirs(place: Place): ReadonlyMap<string, Place>
  takenOver(place: Place, by: Place): Place
  /** Whether a resource says itself that formats are checked. */
  assertsFormats(resource: Resource): boolean
  pointerTo(located: Located, keyword?: string): string
  mistake(located: Located, what: string, mend: string, keyword?: string): never
}
