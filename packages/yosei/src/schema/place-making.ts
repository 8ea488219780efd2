/** What the rules of a schema are made with, as far as its documents and its options say. */
import { type Format, formats } from '../grammar/formats.js'
import { costOf, isSoonDone } from '../grammar/pattern.js'
import { isNamed } from '../kinds/run.js'
import { shown } from '../terms/option-types.js'
import { enforced } from './assertions.js'
import { componentName, type Located, pointerOf } from './documents.js'
import type { Around, Elements, Enforced, Keywords, Making, Members, ProgramOptions } from './making.js'
import type { Discriminator, Place } from './place.js'
import { isSchema } from './positions.js'

/** What patterns cost: descriptions repeat theirs. */
const costs = new Map<string, ReturnType<typeof costOf>>()
const mostCosts = 1000

/** On texts of these lengths a pattern that slows down is tried. */
const lengths = [10_000, 3000, 1000, 300, 100, 50, 30]

/** What the rules of one place are made with. */
export class PlaceMaking implements Making {
  keyword = ''
  readonly #made = new Map<string, Place>()
  readonly #around: Around
  readonly #options: ProgramOptions
  readonly #place: Place
  constructor(
    around: Around,
    options: ProgramOptions,
    place: Place,
    readonly schema: { readonly [keyword: string]: unknown },
  ) {
    this.#around = around
    this.#options = options
    this.#place = place
  }
  get #located(): Located {
    return this.#place.located
  }
  /** All places that it leads to: its rules ask for each when they are made. */
  all(): readonly Place[] {
    this.#place.make()
    return [...this.#made.values()]
  }

  get shown(): Making['shown'] {
    const { title, examples } = this.schema
    return { ...(typeof title === 'string' ? { title } : {}), ...(Array.isArray(examples) ? { examples } : {}) }
  }
  #members: Members | undefined
  get members(): Members {
    this.#members ??= {
      named: new Map(this.namedAt('properties')),
      patterns: this.namedAt('patternProperties').flatMap(([source, place]) => {
        const pattern = this.pattern(source, 'patternProperties')
        return pattern ? [[pattern, place] as const] : []
      }),
      others: this.place(['additionalProperties'], this.schema['additionalProperties']),
    }
    return this.#members
  }
  #elements: Elements | undefined
  get elements(): Elements {
    this.#elements ??= { leading: this.placesAt('prefixItems'), others: this.place(['items'], this.schema['items']) }
    return this.#elements
  }
  #text: { readonly pattern: Enforced | undefined; readonly format: Format | undefined } | undefined
  get text() {
    const { pattern, format } = this.schema
    this.#text ??= {
      pattern: pattern === undefined ? undefined : this.pattern(pattern, 'pattern'),
      format: format === undefined ? undefined : this.format(format),
    }
    return this.#text
  }
  /** The member that names a schema, and what its texts stand for besides names. */
  get #named(): { readonly name: string; readonly mapping: Keywords } | undefined {
    const { discriminator } = this.schema
    if (!this.#options.dialect || !isNamed(discriminator)) return undefined
    const { propertyName: name, mapping = {} } = discriminator
    return typeof name === 'string' && isNamed(mapping) ? { name, mapping } : undefined
  }
  get #isUnion(): boolean {
    return 'oneOf' in this.schema || 'anyOf' in this.schema
  }
  discriminator(): Discriminator | undefined {
    const { name, mapping } = this.#named ?? {}
    if (name === undefined || !this.#isUnion) return undefined
    const places = new Map<string, Place>()
    for (const place of [...this.placesAt('oneOf'), ...this.placesAt('anyOf')]) {
      const own = '$ref' in place.schema && place.always[0] ? componentName(place.always[0].located) : undefined
      if (own !== undefined) places.set(own, place)
    }
    for (const [value, place] of this.#mapped(mapping)) places.set(value, place)
    return places.size > 0 ? { name, places } : undefined
  }
  #heirs: { readonly found: Discriminator | undefined } | undefined
  heirs(): Discriminator | undefined {
    this.#heirs ??= { found: this.#heirsOf() }
    return this.#heirs.found
  }
  #heirsOf(): Discriminator | undefined {
    const { name, mapping } = this.#named ?? {}
    if (name === undefined || this.#isUnion) return undefined
    const places = new Map([...this.#around.heirs(this.#place), ...this.#mapped(mapping)])
    if (places.size === 0) return undefined
    // It may be no heir, but itself.
    const own = componentName(this.#located)
    if (own !== undefined) places.set(own, this.#place)
    for (const [value, place] of places) if (place !== this.#place) this.#made.set(`heir ${value}`, place)
    return { name, places }
  }
  /** A value of a mapping is the name of a component, or else a reference (OpenAPI 3.1.1, section 4.8.25). */
  #mapped(mapping: Keywords = {}): readonly (readonly [value: string, place: Place])[] {
    return Object.entries(mapping).map(([value, to]) => [
      value,
      this.#around.component(String(to)) ?? this.target(String(to)),
    ])
  }
  parts(): readonly Place[] {
    return this.placesAt('allOf').map((place, index) => {
      const taken = this.#around.takenOver(place, this.#place)
      if (taken !== place) this.#made.set(`taken over ${index}`, taken)
      return taken
    })
  }
  self(): Place {
    return this.#place
  }
  place(steps: readonly string[], schema: unknown): Place | undefined {
    if (schema === undefined) return undefined
    const name = pointerOf(steps)
    const known = this.#made.get(name)
    if (known) return known
    if (!isSchema(schema)) return this.odd('a schema: an object, true or false')
    const place = this.#around.below(this.#place, steps, schema)
    this.#made.set(name, place)
    return place
  }
  placesAt(keyword: string): readonly Place[] {
    const held = this.schema[keyword]
    if (held === undefined) return []
    if (keyword === '$ref') return typeof held === 'string' ? [this.target(held)] : []
    if (!Array.isArray(held)) return this.namedAt(keyword).map(([, place]) => place)
    return held.flatMap((one, index) => this.place([keyword, String(index)], one) ?? [])
  }
  places(): readonly Place[] {
    const held = this.schema[this.keyword]
    if (!Array.isArray(held) || held.length === 0) this.odd('a list of schemas')
    return this.placesAt(this.keyword)
  }
  namedAt(keyword: string): readonly (readonly [name: string, place: Place])[] {
    const held = this.schema[keyword]
    if (isSchema(held) && ['if', 'then', 'else', 'not'].includes(keyword)) {
      const place = this.place([keyword], held)
      return place ? [[keyword, place]] : []
    }
    if (held === undefined) return []
    if (!isNamed(held)) return this.odd('schemas by names') ?? []
    return Object.entries(held).flatMap(([name, one]): (readonly [string, Place])[] => {
      if (keyword === 'dependencies' && Array.isArray(one)) return []
      const place = this.place([keyword, name], one)
      return place ? [[name, place]] : []
    })
  }
  target(reference: string): Place {
    const known = this.#made.get(reference) ?? this.#around.target(reference, this.#located)
    this.#made.set(reference, known)
    return known
  }
  placeOf(located: Located): Place {
    return this.#around.place(located)
  }

  pattern(source: unknown, keyword = this.keyword): Enforced | undefined {
    this.keyword = keyword
    if (typeof source !== 'string') return this.odd('a regular expression as text')
    let pattern: RegExp
    try {
      pattern = new RegExp(source, 'u')
    } catch {
      return this.leave(`the pattern ${source}, which is no regular expression (ECMA-262, with the flag u)`)
    }
    const cost = costs.get(source) ?? costOf(pattern)
    if (costs.size < mostCosts) costs.set(source, cost)
    if (cost.kind === 'linear') return enforced(pattern)
    if (cost.kind === 'exponential') return this.leave(`the pattern ${source}, which can take exponential time`)
    if (cost.kind === 'undecided')
      return this.leave(`the pattern ${source}, whose time cannot be analysed: ${cost.why}`)
    const { maxLength } = this.schema
    const most = typeof maxLength === 'number' && this.keyword === 'pattern' ? maxLength : Number.POSITIVE_INFINITY
    const length = [most, ...lengths].find((one) => one < 1e6 && isSoonDone(cost.automaton, one * 2))
    if (length === undefined) return this.leave(`the pattern ${source}, which slows down with the length of the text`)
    if (length < most)
      this.#note(
        `the pattern ${source}, which slows down with the length of the text`,
        `It is checked for texts of up to ${length} characters. Give the text a maxLength, and all are checked`,
      )
    return enforced(pattern, length * 2)
  }
  format(name: unknown): Format | undefined {
    if (typeof name !== 'string') return this.odd('the name of a format')
    if (this.#options.formats !== 'assert' && !this.#around.assertsFormats(this.#located.resource)) return undefined
    if (Object.hasOwn(formats, name)) return name as Format
    return this.leave(`the format ${name}, which is not known here`)
  }

  leave(what: string): undefined {
    return this.#note(what, 'It is not checked')
  }
  #note(what: string, consequence: string): undefined {
    this.#options.note({ pointer: this.#around.pointerTo(this.#located, this.keyword), what, consequence })
    return undefined
  }
  odd(what: string): undefined {
    return this.#around.mistake(
      this.#located,
      `${this.keyword} is ${shown(this.schema[this.keyword])}`,
      `Give it ${what}`,
      this.keyword,
    )
  }
}
