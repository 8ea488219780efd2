/** What a schema says of a value: its keywords, each a rule, and what is known of values that were looked at already. */
import type { Finding } from '../kinds/schema.js'
import type { Located, Resource } from './documents.js'

/** What one keyword demands. */
export interface Rule {
  /** Whether a value is as it demands; notes what it has looked at, if that is asked. */
  holds(value: unknown, scope: Scope, seen: Seen | undefined): boolean
  /** All that is wrong; nothing if it holds. */
  tell(value: unknown, scope: Scope): readonly Finding[]
  /** Whether nothing else of a value is looked at if this is wrong. */
  readonly isFirst?: boolean
}

/** Which names and elements of a value schemas have looked at: for `unevaluatedProperties` and `unevaluatedItems`. */
export class Seen {
  readonly names = new Set<string>()
  readonly elements = new Set<number>()
  hasAllNames = false
  /** So many from the start. */
  leading = 0
  add(other: Seen): void {
    for (const name of other.names) this.names.add(name)
    for (const index of other.elements) this.elements.add(index)
    this.hasAllNames ||= other.hasAllNames
    this.leading = Math.max(this.leading, other.leading)
  }
}

/**
 * The resources that were entered on the way, as far as they decide what `$dynamicRef` means; and what is known there.
 * One for each judgement.
 */
export class Scope {
  readonly #anchors: ReadonlyMap<string, Located> | undefined
  #inner: Map<Resource, Scope> | undefined
  // Made when they are needed: most judgements need none.
  #held: Known<boolean> | undefined
  #seen: Known<Seen | false> | undefined
  #told: Known<readonly Finding[]> | undefined

  /** @param anchors By its name, the outermost schema that it names; `undefined` if no reference is dynamic. */
  constructor(anchors?: ReadonlyMap<string, Located>) {
    this.#anchors = anchors
  }

  /** What is entered later changes nothing for a name that is known. */
  within(resource: Resource): Scope {
    if (!this.#anchors) return this
    this.#inner ??= new Map()
    const known = this.#inner.get(resource)
    if (known) return known
    const added = [...resource.dynamicAnchors].filter(([name]) => !this.#anchors?.has(name))
    const inner = added.length === 0 ? this : new Scope(new Map([...this.#anchors, ...added]))
    this.#inner.set(resource, inner)
    return inner
  }
  outermost(anchor: string): Located | undefined {
    return this.#anchors?.get(anchor)
  }

  /** A value that is asked about while it is looked at leads around in a circle: the rest decides. */
  holds(place: Place, value: unknown, look: () => boolean): boolean {
    this.#held ??= new Map()
    return recalled(this.#held, place, value, true, look)
  }
  seen(place: Place, value: unknown, look: (own: Seen) => boolean): Seen | false {
    this.#seen ??= new Map()
    return recalled(this.#seen, place, value, new Seen(), () => {
      const own = new Seen()
      return look(own) && own
    })
  }
  told(place: Place, value: unknown, tell: () => readonly Finding[]): readonly Finding[] {
    this.#told ??= new Map()
    return recalled(this.#told, place, value, [], tell)
  }
}

/** What is known of a value, by each schema. */
type Known<R> = Map<Place, Map<unknown, R>>

function recalled<R>(known: Known<R>, place: Place, value: unknown, meanwhile: R, make: () => R): R {
  let values = known.get(place)
  if (!values) {
    values = new Map()
    known.set(place, values)
  }
  const found = values.get(value)
  if (found !== undefined) return found
  values.set(value, meanwhile)
  const made = make()
  values.set(value, made)
  return made
}

/** What becomes of a schema. */
export interface Made {
  readonly keywords: { readonly [keyword: string]: unknown }
  readonly rules: readonly Rule[]
  readonly always: readonly Place[]
  readonly applied: readonly Place[]
  readonly named: readonly (readonly [name: string, place: Place])[]
  /** The schemas that an object names one of. */
  readonly tags: Discriminator | undefined
  members(name: string): readonly Place[]
  elements(index: number): readonly Place[]
}
/** A member whose text names the schema of an object. */
export interface Discriminator {
  readonly name: string
  readonly places: ReadonlyMap<string, Place>
}

/** So many findings of one value are kept. */
export const mostFindings = 1000

/** A schema at work. */
export class Place {
  readonly located: Located
  /** Whether it is come to in several ways: then what it says of a value is kept. */
  isShared = false
  readonly #make: (place: Place) => Made
  #made: Made | undefined

  constructor(located: Located, make: (place: Place) => Made) {
    this.located = located
    this.#make = make
  }
  get #all(): Made {
    this.#made ??= this.#make(this)
    return this.#made
  }
  /** Makes its rules, if that was not done. */
  make(): void {
    void this.#all
  }
  get #rules(): readonly Rule[] {
    return this.#all.rules
  }
  /** Its keywords, as far as they are read. */
  get schema(): { readonly [keyword: string]: unknown } {
    return this.#all.keywords
  }
  /** The schemas that it applies to the same value, whatever the value is. */
  get always(): readonly Place[] {
    return this.#all.always
  }
  /** And those that it applies to the same value if something holds. */
  get applied(): readonly Place[] {
    return this.#all.applied
  }
  /** Whether no output may show its values: they are only written, or are a password (OpenAPI 3.1, section 4.4.2). */
  get isSecret(): boolean {
    if (this.#isSecret === undefined) {
      const { writeOnly, format } = this.schema
      // While it is looked at, a circle is none.
      this.#isSecret = writeOnly === true || format === 'password'
      this.#isSecret ||= this.applied.some(({ isSecret }) => isSecret)
    }
    return this.#isSecret
  }
  #isSecret: boolean | undefined
  /** What it says of a member, and of an element. */
  members(name: string): readonly Place[] {
    return this.#all.members(name)
  }
  /** What it says of a member, but that any may be there. */
  declared(name: string): readonly Place[] {
    const isNamed = this.named.some(([own]) => own === name)
    return this.members(name).filter(({ located }) => isNamed || located.schema !== true)
  }
  elements(index: number): readonly Place[] {
    return this.#all.elements(index)
  }
  /** Its `properties`. */
  get named(): readonly (readonly [name: string, place: Place])[] {
    return this.#all.named
  }
  get tags(): Discriminator | undefined {
    return this.#all.tags
  }
  /** Its own keywords; of one that only refers to another, those of the other. */
  get shape(): { readonly [keyword: string]: unknown } {
    const [only, ...more] = this.always
    return only && more.length === 0 && '$ref' in this.schema ? { ...only.shape, ...this.schema } : this.schema
  }

  holds(value: unknown, outer: Scope, seen?: Seen): boolean {
    const scope = outer.within(this.located.resource)
    // What is said of a scalar at once is not worth being kept.
    if (!this.isShared || (this.#all.applied.length === 0 && (typeof value !== 'object' || value === null)))
      return this.#holds(value, scope, seen)
    if (!seen) return scope.holds(this, value, () => this.#holds(value, scope, undefined))
    const own = scope.seen(this, value, (all) => this.#holds(value, scope, all))
    if (own) seen.add(own)
    return own !== false
  }
  #holds(value: unknown, scope: Scope, seen: Seen | undefined): boolean {
    const { rules } = this.#all
    for (let i = 0; i < rules.length; i++) if (!(rules[i] as Rule).holds(value, scope, seen)) return false
    return true
  }

  tell(value: unknown, outer: Scope): readonly Finding[] {
    const scope = outer.within(this.located.resource)
    return this.isShared ? scope.told(this, value, () => this.#tell(value, scope)) : this.#tell(value, scope)
  }
  #tell(value: unknown, scope: Scope): readonly Finding[] {
    const findings: Finding[] = []
    for (const rule of this.#rules) {
      const own = rule.tell(value, scope)
      findings.push(...own.slice(0, mostFindings - findings.length))
      if (rule.isFirst && own.length > 0) break
    }
    return findings
  }
}

/** What a schema is that only refers to another. */
export function led(place: Place): Place {
  const [only] = place.always
  return only && Object.keys(place.schema).every((keyword) => keyword === '$ref') ? led(only) : place
}
/** Whether two stand at the same place, even if one is a part. */
export const isSamePlace = (a: Located, b: Located): boolean =>
  a.document.uri === b.document.uri && a.pointer === b.pointer

/** What is wrong below a value, seen from the value. */
export const below = (step: string | number, findings: readonly Finding[]): readonly Finding[] =>
  findings.map(({ path, other, ...finding }) => ({
    ...finding,
    path: [step, ...path],
    ...(other ? { other: [step, ...other] } : {}),
  }))
