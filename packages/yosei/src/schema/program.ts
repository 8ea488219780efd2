/** All schemas that a schema leads to, made ready: references followed, keywords read, each once. */
import type { Format } from '../grammar/formats.js'
import { isNamed } from '../kinds/run.js'
import { mistake } from '../terms/mistake.js'
import { applicators, never, placesOf, unevaluated } from './applicators.js'
import { assertions } from './assertions.js'
import { keywordsOfApi } from './dialect.js'
import { addressOf, type Document, Documents, type Located, pointerOf, type Resource } from './documents.js'
import { Heirs } from './heirs.js'
import type { Around, Elements, Enforced, Keywords, Members, Note, ProgramOptions } from './making.js'
import { metaschemas, vocabularies } from './metaschemas.js'
import { type Discriminator, isSamePlace, type Made, Place, type Rule, Scope } from './place.js'
import { PlaceMaking } from './place-making.js'
import type { Schema } from './positions.js'

export type { Keywords, Note, ProgramOptions } from './making.js'

/** Keywords that stand beside others and are read with them. */
const readWith: { readonly [keyword: string]: keyof typeof applicators } = {
  properties: 'members',
  patternProperties: 'members',
  additionalProperties: 'members',
  prefixItems: 'elements',
  items: 'elements',
}

/** Keywords that other dialects have, and 2020-12 has not. */
const older: ReadonlySet<string> = new Set(['additionalItems', '$recursiveRef'])

/** Keywords that name something. */
const texts: ReadonlySet<string> = new Set(['$id', '$schema', '$anchor', '$dynamicAnchor'])

const nothing: Made = {
  keywords: {},
  rules: [],
  always: [],
  applied: [],
  named: [],
  tags: undefined,
  members: () => [],
  elements: () => [],
}

/** Schemas that apply each other to the same value, at most. */
const deepestApplied = 200

export class Program implements Around {
  readonly #documents: Documents
  readonly #options: ProgramOptions
  readonly #places = new Map<Schema, Place[]>()
  readonly #dialects = new Map<string, ReadonlySet<string> | undefined>()
  readonly #making = new Map<Place, PlaceMaking>()
  /** The names under which secrets stand; and whether one stands where no name says so. */
  readonly secrets = { names: new Set<string>(), isAnywhere: false }
  /** Whether any reference depends on the way that led to it. */
  isDynamic = false

  constructor(options: ProgramOptions) {
    // A schema that is read in parts is noted once.
    const noted = new Set<string>()
    const note = (one: Note) => {
      const text = `${one.pointer} ${one.what}`
      if (noted.size < noted.add(text).size) options.note(one)
    }
    this.#options = { ...options, note }
    this.#documents = new Documents({ ...metaschemas, ...options.documents })
  }

  /** Makes a document ready: each schema that its root leads to. */
  root(schema: Schema, uri: string): Place {
    this.#main = schema
    const place = this.place(this.#documents.add({ uri, schema }))
    this.#prepare(place)
    return place
  }
  /** Makes a schema of a document ready. */
  add(located: Located): Place {
    const place = this.place(located)
    this.#prepare(place)
    return place
  }
  /** A document that is no schema, in which schemas stand. */
  document(document: Document): Located {
    this.#main = document.schema
    const located = this.#documents.open(document)
    this.#heirs = new Heirs(this.#documents, located)
    return located
  }
  /** What a reference of a document leads to. */
  find(reference: string, from: Located): Located {
    return this.#documents.find(reference, from.resource) ?? this.#nowhere(reference, from)
  }
  /** What stands below, and is no schema. */
  step({ pointer, ...above }: Located, steps: readonly string[], value: Schema): Located {
    return { ...above, schema: value, pointer: pointer + pointerOf(steps) }
  }
  within(above: Located, steps: readonly string[], schema: Schema): Located {
    return this.#documents.below(above, steps, schema)
  }
  #main: Schema = true
  /** A place as it is shown: in another document behind its address. */
  pointerTo({ document, pointer }: Located, keyword?: string): string {
    const own = keyword === undefined ? pointer : `${pointer}/${keyword}`
    return document.schema === this.#main ? own : `${document.uri}#${own}`
  }
  /** Of one judgement. */
  scope(): Scope {
    return new Scope(this.isDynamic ? new Map() : undefined)
  }

  readonly #prepared = new Set<Place>()
  #prepare(root: Place): void {
    const due = [root]
    const seen = this.#prepared.add(root)
    for (let place = due.pop(); place; place = due.pop()) {
      this.#checkCircle(place)
      const anchored = [...place.located.resource.dynamicAnchors.values()].map((one) => this.place(one))
      const all = [...this.#makingOf(place).all(), ...anchored]
      const named = new Set(place.named.map(([, one]) => one))
      for (const [name, one] of place.named) if (one.isSecret) this.secrets.names.add(name)
      const isElsewhere = (one: Place) => one.isSecret && !named.has(one) && !place.applied.includes(one)
      this.secrets.isAnywhere ||= all.some(isElsewhere)
      for (const one of all)
        if (!seen.has(one)) {
          seen.add(one)
          due.push(one)
        }
    }
  }

  /** A schema that applies itself to the same value says nothing. */
  #checkCircle(start: Place): void {
    const seen = new Set<Place>()
    // What must not hold is asked of the same value too.
    const asked = (one: Place) => [...one.applied, ...this.#makingOf(one).placesAt('not')]
    const due = asked(start).map((one): readonly [place: Place, depth: number] => [one, 1])
    for (let next = due.pop(); next; next = due.pop()) {
      const [place, depth] = next
      if (depth > deepestApplied)
        this.mistake(
          start.located,
          `references lead through more than ${deepestApplied} schemas`,
          'Let them lead through fewer',
        )
      if (place === start)
        this.mistake(
          start.located,
          'this reference leads back to itself',
          'Let it lead to a schema that says something',
        )
      if (seen.has(place)) continue
      seen.add(place)
      for (const one of asked(place)) due.push([one, depth + 1])
    }
  }

  place(located: Located, isPart = false): Place {
    const known = this.#places.get(located.schema) ?? []
    const found = known.find((one) => one.located.resource === located.resource)
    if (found && typeof located.schema !== 'boolean') {
      found.isShared ||= !isPart
      return found
    }
    const place: Place = new Place(located, () => this.#made(place))
    this.#places.set(located.schema, [...known, place])
    return place
  }

  /** What some of its keywords say. */
  part(place: Place, keywords: Keywords): Place {
    const made = this.place({ ...place.located, schema: keywords })
    this.#parts.add(made)
    return made
  }
  readonly #parts = new WeakSet<Place>()

  #makingOf(place: Place): PlaceMaking {
    const made = this.#making.get(place) ?? new PlaceMaking(this, this.#options, place, this.#known(place))
    this.#making.set(place, made)
    return made
  }

  #made(place: Place): Made {
    const { schema } = place.located
    if (typeof schema === 'boolean') return { ...nothing, rules: schema ? [] : [never] }
    const making = this.#makingOf(place)
    const known = making.schema
    const made = new Map<string, Rule | undefined>()
    const add = (keyword: string, make: () => Rule | undefined) => {
      if (!made.has(keyword)) made.set(keyword, make())
    }
    for (const keyword of Object.keys(known)) {
      const own = Object.hasOwn(readWith, keyword) ? (readWith[keyword] as string) : keyword
      making.keyword = keyword
      if (Object.hasOwn(assertions, own))
        add(own, () => assertions[own as keyof typeof assertions](known[keyword], making))
      else if (Object.hasOwn(applicators, own))
        add(own, () => applicators[own as keyof typeof applicators](known[keyword], making))
      else if (texts.has(keyword) && typeof known[keyword] !== 'string') making.odd('a text')
      else if (older.has(keyword)) making.leave(`the keyword ${keyword}, which an older dialect has`)
    }
    this.isDynamic ||= '$dynamicRef' in known
    const rules = [...made.values()].filter((rule) => rule !== undefined)
    const ordered = [...rules.filter(({ isFirst }) => isFirst), ...rules.filter(({ isFirst }) => !isFirst)]
    const isLast = 'unevaluatedProperties' in known || 'unevaluatedItems' in known
    const at = (keyword: string) => making.placesAt(keyword)
    const always = [...at('$ref'), ...at('allOf')]
    return {
      keywords: known,
      rules: isLast ? [unevaluated(making, ordered)] : ordered,
      always,
      applied: [...always, ...['anyOf', 'oneOf', 'if', 'then', 'else', 'dependentSchemas', 'dependencies'].flatMap(at)],
      named: making.namedAt('properties'),
      tags: making.discriminator() ?? making.heirs(),
      members: (name) => placesOf(making.members, name),
      elements: (index) => [making.elements.leading[index] ?? making.elements.others ?? []].flat(),
    }
  }

  /** Whether what only the server sets is dropped. */
  get drops(): boolean {
    return this.#options.dialect !== undefined
  }
  get unlisted(): 'refuse' | 'drop' | 'keep' {
    return this.#options.unlisted ?? 'keep'
  }
  /** The keywords of a schema that are read. */
  keywordsOf(place: Place): Keywords {
    return typeof place.located.schema === 'boolean' ? {} : this.#makingOf(place).schema
  }
  membersOf(place: Place): Members {
    return this.#makingOf(place).members
  }
  elementsOf(place: Place): Elements {
    return this.#makingOf(place).elements
  }
  /** The schemas that a keyword holds. */
  placesAt(place: Place, keyword: 'anyOf' | 'oneOf'): readonly Place[] {
    return this.#makingOf(place).placesAt(keyword)
  }
  /** The schema of the names of an object. */
  namesOf(place: Place): Place | undefined {
    return this.#makingOf(place).place(['propertyNames'], this.keywordsOf(place)['propertyNames'])
  }
  /** What names the schema that takes over another, if the description says so without a union. */
  heirsOf(place: Place): Discriminator | undefined {
    return typeof place.located.schema === 'boolean' ? undefined : this.#makingOf(place).heirs()
  }
  #heirs: Heirs | undefined
  component(name: string): Place | undefined {
    const located = this.#heirs?.component(name)
    return located && this.place(located)
  }
  /** The schemas that take over one, and those that take over them, by their names. */
  heirs({ located }: Place): ReadonlyMap<string, Place> {
    const found = this.#heirs?.of(located) ?? []
    return new Map([...found].map(([name, heir]) => [name, this.place(heir)]))
  }
  /** What a schema takes over of another: without the choice between its heirs, if it is one of them. */
  takenOver(place: Place, by: Place): Place {
    if (!this.#heirs) return place
    const parent = this.place(this.#documents.behind(place.located))
    const heirs = this.heirsOf(parent)
    if (!heirs || ![...heirs.places.values()].some((one) => isSamePlace(one.located, by.located))) return place
    const { discriminator: _, ...others } = this.keywordsOf(parent)
    return this.part(parent, others)
  }

  /** What names the branch of a union, if the description says so. */
  discriminatorOf(place: Place): Discriminator | undefined {
    return this.#makingOf(place).discriminator()
  }
  /** The pattern and the format that texts must have. */
  textOf(place: Place): { readonly pattern: Enforced | undefined; readonly format: Format | undefined } {
    return this.#makingOf(place).text
  }

  /** The keywords of a schema that its dialect knows. */
  #known({ located }: Place): Keywords {
    const schema = typeof located.schema === 'boolean' ? {} : located.schema
    if (this.#options.dialect) return keywordsOfApi(schema, this.#options.dialect)
    const dialect = this.#dialect(located.resource)
    if (!dialect) return schema
    return Object.fromEntries(
      Object.entries(schema).filter(([keyword]) => vocabularies[keyword]?.some((one) => dialect.has(one)) ?? true),
    )
  }
  /** The vocabularies of a resource; `undefined` if they are those of 2020-12. */
  #dialect({ schema, uri }: Resource): ReadonlySet<string> | undefined {
    const named = typeof schema === 'boolean' ? undefined : schema['$schema']
    if (typeof named !== 'string' || Object.hasOwn(metaschemas, named)) return undefined
    if (this.#dialects.has(named)) return this.#dialects.get(named)
    const found = this.#documents.find(named, { uri, schema, anchors: new Map(), dynamicAnchors: new Map() })?.schema
    const vocabulary = isNamed(found) ? found['$vocabulary'] : undefined
    const dialect = isNamed(vocabulary) ? new Set(Object.keys(vocabulary)) : undefined
    this.#dialects.set(named, dialect)
    if (!found)
      this.#options.note({
        pointer: '/$schema',
        what: `the dialect ${named}, which is not among the documents`,
        consequence: 'The schema is read as JSON Schema 2020-12',
      })
    return dialect
  }
  /** Whether a resource says itself that formats are checked. */
  assertsFormats(resource: Resource): boolean {
    return this.#dialect(resource)?.has('https://json-schema.org/draft/2020-12/vocab/format-assertion') ?? false
  }

  /** A schema as a document of its own, with all documents that its references lead to. */
  documentOf(place: Place): unknown {
    const { schema, document, pointer } = place.located
    const reached = new Set([place])
    for (const one of reached) for (const next of this.#makingOf(one).all()) reached.add(next)
    const documents = new Set(
      [...reached].map((one) => one.located.document).filter(({ uri }) => !(uri in metaschemas)),
    )
    documents.add(document)
    if (pointer === '' && documents.size === 1) return schema
    if (![...reached].some((one) => '$ref' in one.schema || '$dynamicRef' in one.schema)) return schema
    return {
      $ref: `${addressOf(document)}#${encodeURI(pointer)}`,
      $defs: Object.fromEntries(
        [...documents].map((one) => [
          addressOf(one),
          { ...(isNamed(one.schema) ? one.schema : { allOf: [one.schema] }), $id: addressOf(one) },
        ]),
      ),
    }
  }

  target(reference: string, from: Located): Place {
    return this.place(this.find(reference, from))
  }
  #nowhere(reference: string, from: Located): never {
    return this.mistake(
      from,
      `the reference ${reference} leads nowhere`,
      'Correct it; or give the document that it leads to in options.documents, by its address. Nothing is fetched',
    )
  }
  below(above: Place, steps: readonly string[], schema: Schema): Place {
    // A part of a schema leads nowhere that the schema does not.
    return this.place(this.#documents.below(above.located, steps, schema), this.#parts.has(above))
  }
  /** Notes what is left out. */
  leave(place: Place, keyword: string, what: string, consequence: string): undefined {
    this.#options.note({ pointer: this.pointerTo(place.located, keyword), what, consequence })
    return undefined
  }
  mistake(located: Located, what: string, mend: string, keyword?: string): never {
    return mistake(`${this.#options.where}, ${this.pointerTo(located, keyword) || 'the root'}`, what, mend)
  }
}
