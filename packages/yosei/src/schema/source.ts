/** Fields that were read from a description, as the source that declares them. */
import { costOf } from '../grammar/pattern.js'
import { childrenOf } from '../kinds/brought.js'
import type { Kinds, Node } from '../kinds/kind.js'
import { fieldNode, nodeField } from '../kinds/kind.js'
import { sounds } from '../kinds/kinds.js'
import { leadsTo } from '../kinds/locate.js'
import { resolve } from '../kinds/resolve.js'
import { mistake } from '../terms/mistake.js'
import type { OptionType } from '../terms/option-types.js'
import type { Field } from '../terms/types.js'
import { bundle } from './bundle.js'
import type { Description } from './description.js'
import { componentName } from './documents.js'
import type { Parameters } from './parameters.js'
import type { Place } from './place.js'
import { sourceOfRules } from './source-of-rules.js'
import { variantOf } from './translate.js'
import { commentOf, type Identifiers, literal, member, members, object, typesBy } from './typescript.js'

/** A constant or a type of a module. */
export interface Declared {
  readonly name: string
  readonly source: string
  /** The names that it uses: of the library, and of others like it. */
  readonly uses: ReadonlySet<string>
}

const annotations = ['title', 'description', 'examples', 'deprecated', 'secret', 'readOnly', 'name'] as const
/** Of a declaration that is made later. */
const ofLater: ReadonlySet<string> = new Set(['optional', 'nullable', 'title', 'description', 'deprecated'])

/** A longer type has a name. */
const longestType = 3000

export class Sources {
  /** In the order in which they can be declared. */
  readonly declared: Declared[] = []
  readonly #description: Description
  readonly #parameters: Parameters
  readonly #identifiers: Identifiers
  readonly #names = new Map<Node, string>()
  /** What is declared already, or is about to be. */
  readonly #begun = new Set<Node>()
  /** What is held by itself: its type is written down. */
  readonly #held = new Map<Node, string>()
  readonly #due: Node[] = []
  /** What says everything itself: what is read from texts, such as a query, or does not do with what the intake says. */
  readonly #explicit = new Set<Node>()
  #uses = new Set<string>()
  readonly #typeOf = typesBy((node) => this.#held.get(node))

  constructor(description: Description, parameters: Parameters, identifiers: Identifiers) {
    this.#description = description
    this.#parameters = parameters
    this.#identifiers = identifiers
  }

  /** Looks at all that a field is made of, before anything is written. */
  survey(root: Node, isText: boolean): void {
    const due: (readonly [node: Node, parent: Node])[] = [[root, root]]
    const seen = new Set<Node>()
    for (let next = due.pop(); next; next = due.pop()) {
      const [node, parent] = next
      const stem = this.#stemOf(node)
      if (isText) this.#explicit.add(node).add(stem)
      for (const one of [...(node.examples ?? []), node.default]) this.#lookAt(node, one)
      const name = this.#componentOf(stem)
      // What stands in several places is declared once.
      const isShared = (this.#parents.get(stem) ?? parent) !== parent && isContainer(stem)
      if (name !== undefined || isShared) this.#name(stem, name ?? this.#placeNameOf(stem))
      if (seen.has(stem) || (this.#parents.has(stem) && !isText)) continue
      seen.add(stem)
      this.#parents.set(stem, parent)
      if (stem.kind === 'record') this.#kept += stem.unlisted === 'refuse' ? -1 : 1
      if (stem.kind === 'later') {
        const held = resolve(stem)
        const own = this.#name(held, this.#componentOf(held) ?? this.#placeNameOf(held))
        if (!this.#held.has(held)) this.#held.set(held, this.#identifiers.type(own))
        due.push([held, stem])
      } else for (const [, child] of childrenOf(stem)) due.push([child, stem])
    }
  }
  /** What was looked at, and from where. */
  readonly #parents = new Map<Node, Node>()
  /** An example is checked before the intake says what becomes of undeclared names. */
  #lookAt(node: Node, value: unknown): void {
    if (typeof value !== 'object' || value === null) return
    const names = Object.keys(value)
    if (node.kind === 'record' && names.some((name) => !Object.hasOwn(node.fields, name)))
      this.#explicit.add(node).add(this.#stemOf(node))
    for (const [step, child] of childrenOf(node))
      if (step === undefined) this.#lookAt(child, value)
      else
        for (const name of names)
          if (leadsTo(step, Array.isArray(value) ? Number(name) : name))
            this.#lookAt(child, (value as { readonly [name: string]: unknown })[name])
  }
  /** The first that has a name of those that a field is a variant of, or the last. */
  #stemOf(node: Node): Node {
    let at = node
    while (this.#componentOf(at) === undefined) {
      const of = this.#before(at)
      if (!of) break
      at = fieldNode(of)
    }
    return at
  }

  /** The field that another was made of. */
  #before(node: Node): Field | undefined {
    const field = nodeField(node)
    return (variantOf(field) ?? this.#description.translator.reduced.get(field))?.[0]
  }

  #name(node: Node, name: string): string {
    const known = this.#names.get(node) ?? this.#identifiers.take(name, 'Field')
    this.#names.set(node, known)
    return known
  }
  #componentOf(node: Node): string | undefined {
    const field = nodeField(node)
    const place = this.#description.translator.origins.get(field)
    return (place && componentName(place.located)) ?? this.#parameters.components.get(field)
  }

  /** A name for what has none: its title, or the name that its schema stands at. */
  #placeNameOf(node: Node): string {
    const pointer = this.#description.translator.origins.get(nodeField(node))?.located.pointer ?? ''
    return node.title ?? /\/properties\/([^/]+)(?:\/items)?$/.exec(pointer)?.[1] ?? node.kind
  }

  /** The expression of a field, and the names that it uses. */
  expression(node: Node): { readonly source: string; readonly uses: ReadonlySet<string> } {
    const before = this.#uses
    const uses = new Set<string>()
    this.#uses = uses
    const source = this.#field(node)
    this.#uses = before
    for (let one = this.#due.pop(); one; one = this.#due.pop()) this.#declare(one)
    return { source, uses }
  }

  #declare(node: Node): void {
    if (this.#begun.has(node)) return
    this.#begun.add(node)
    const name = this.#names.get(node) as string
    const before = this.#uses
    this.#uses = new Set()
    const own = this.#made(node)
    // What the compiler would have to write out is given a name.
    if (!this.#held.has(node) && this.#typeOf(node).length > longestType)
      this.#held.set(node, this.#identifiers.type(name))
    const type = this.#held.get(node)
    const comment = commentOf(node.title ?? node.description)
    if (type !== undefined) {
      this.#use('Field')
      this.#use(type)
      this.declared.push({
        name: type,
        source: `${comment}export type ${type} = ${this.#typeOf(node)}`,
        uses: new Set(),
      })
    }
    const annotated = type === undefined ? name : `${name}: Field<${type}>`
    this.declared.push({ name, source: `${comment}export const ${annotated} = ${own}`, uses: this.#uses })
    this.#uses = before
  }

  #use(name: string): string {
    this.#uses.add(name)
    return name
  }

  /** By its name, if it has one. */
  #field(node: Node): string {
    const name = this.#names.get(node)
    if (name === undefined) return this.#made(node)
    this.#declare(node)
    return this.#use(name)
  }

  #made(node: Node): string {
    const [of, more] = this.#variant(node)
    const carried = this.#parameters.carried.get(nodeField(of ?? node))
    if (carried) return this.#carried(carried)
    const [whole, tag] = this.#description.translator.reduced.get(nodeField(node)) ?? []
    const stem = whole && this.#stemOf(fieldNode(whole))
    // What has a type of its own is no record to the compiler.
    if (stem && this.#names.has(stem)) this.#declare(stem)
    if (whole && stem && this.#names.has(stem) && !this.#held.has(stem))
      return `${this.#use('without')}(${this.#field(fieldNode(whole))}, ${literal([tag])})`
    if (of) return `${this.#use('like')}(${this.#field(of)}, ${object(members(more))})`
    return node.kind === 'schema' ? this.#judged(node) : this.#built(node, this.#options(node))
  }

  /** What it is a variant of, if that has a name, or no builder. */
  #variant(node: Node): readonly [of: Node | undefined, more: object] {
    let more: object = {}
    for (let at = node; ; ) {
      if (at !== node && this.#names.has(at)) return [at, more]
      const found = variantOf(nodeField(at))
      if (!found) return at !== node && at.kind === 'schema' ? [at, more] : [undefined, {}]
      more = { ...found[1], ...more }
      // What only lists have, such as a style, is no variant.
      if (Object.keys(more).some((option) => !isCommon(option))) return [undefined, {}]
      at = fieldNode(found[0])
    }
  }

  #built(node: Node, options: readonly string[]): string {
    const all = options.length > 0 ? [object(options)] : []
    const builder = node.kind === 'list' && node.lines ? 'lines' : isInteger(node) ? 'integer' : node.kind
    return `${this.#use(builder)}(${[...this.#arguments(node), ...all].join(', ')})`
  }

  #arguments(node: Node): readonly string[] {
    const byName = (nodes: { readonly [name: string]: Node }) =>
      object(Object.entries(nodes).map(([name, one]) => member(name, this.#field(one))))
    const inOrder = (nodes: readonly Node[]) => `[${nodes.map((one) => this.#field(one)).join(', ')}]`
    switch (node.kind) {
      case 'choice':
        return [literal(node.values)]
      case 'constant':
        return [literal(node.value)]
      case 'list':
        return [this.#field(node.item)]
      case 'table':
        return [this.#field(node.value)]
      case 'tuple':
        return [inOrder(node.items)]
      case 'either':
        return [inOrder(node.branches)]
      case 'record':
        return [byName(node.fields)]
      case 'tagged':
        return [literal(node.tag), byName(node.branches)]
      case 'later': {
        const held = resolve(node)
        this.#due.push(held)
        return [`() => ${this.#use(this.#names.get(held) as string)}`]
      }
      case 'readAs':
      case 'schema':
        return mistake('adopt', `${node.kind} has a function, which no source says`, 'Write it by hand')
      case 'text':
      case 'integer':
      case 'number':
      case 'bigInteger':
      case 'decimal':
      case 'flag':
      case 'instant':
      case 'day':
      case 'timeOfDay':
      case 'duration':
      case 'anything':
      case 'file':
        return []
    }
    return node satisfies never
  }

  /** Its options, as they are written. */
  #options(node: Node): readonly string[] {
    // What is required is an argument of its own.
    const options: readonly (readonly [name: string, type: OptionType])[] = Object.entries(sounds[node.kind].options)
    const own = options.filter(([, type]) => !type.isRequired).map(([name]) => name)
    const { need, readOnly } = node
    const all: { readonly [option: string]: unknown } = {
      ...node,
      optional: need === 'optional' && !readOnly ? true : undefined,
      lines: undefined,
    }
    return [...own, 'optional', 'nullable', 'default', ...annotations].flatMap((name) => {
      const value = all[name]
      if (value === undefined || this.#isImplied(node, name)) return []
      return node.kind !== 'later' || ofLater.has(name) ? members({ [name]: value }) : []
    })
  }
  /** Whether an option changes nothing there. */
  #isImplied(node: Node, option: string): boolean {
    const isExplicit = this.#explicit.has(node)
    if (node.kind === 'text') {
      if (option === 'keepEmpty') return !isExplicit
      if (option === 'trusted') return isLinear(node.pattern)
    }
    if (node.kind === 'table') return option === 'trusted' && isLinear(node.names)
    if (node.kind === 'list') {
      const { style = 'form', explode } = node
      if (option === 'style') return style === 'form'
      if (option === 'explode') return explode === (style === 'form')
    }
    // The greatest limits are those of `integer()` itself.
    if (isInteger(node)) {
      if (option === 'min') return node.min === Number.MIN_SAFE_INTEGER
      if (option === 'max') return node.max === Number.MAX_SAFE_INTEGER
      return option === 'whole'
    }
    // The intake says so of all bodies.
    return node.kind === 'record' && option === 'unlisted' && node.unlisted === this.unlisted && !isExplicit
  }
  /** What becomes of undeclared names in most records of bodies. */
  get unlisted(): 'keep' | 'refuse' {
    return this.#kept < 0 ? 'refuse' : 'keep'
  }
  /** How many records keep undeclared names, without those that refuse them. */
  #kept = 0

  /** By a schema, for what no builder says. */
  #judged(node: Kinds['schema']): string {
    const field = nodeField(node)
    const { program, translator } = this.#description
    const rest = translator.rests.get(field)
    if (rest && node.base) {
      const rules = sourceOfRules(program.keywordsOf(rest), node.base)
      if (rules && node.base.kind === 'record' && !this.#names.has(node.base))
        return this.#built(node.base, [...this.#options(node.base), `rules: (on) => [${rules.join(', ')}]`])
      return this.#schema(rest, `field: ${this.#field(node.base)}`)
    }
    return this.#schema(translator.origins.get(field) as Place)
  }
  #schema(place: Place, ...options: readonly string[]): string {
    const schema = bundle(this.#description.program, place)
    const written = literal(schema)
    const all = [...(written.includes('format:') ? ["formats: 'assert'"] : []), ...options]
    return `${this.#use('readJsonSchema')}(${written}${all.length > 0 ? `, ${object(all)}` : ''})`
  }
  #carried({ at, place, media }: NonNullable<ReturnType<Parameters['carried']['get']>>): string {
    const { name, in: where, required, description, deprecated, style, explode } = at.value
    const whole = bundle(this.#description.program, place)
    const { $defs, ...own } = (typeof whole === 'boolean' ? {} : whole) as { readonly $defs?: object }
    const schema = typeof whole === 'boolean' ? whole : own
    const said = { name, in: where, required, description, deprecated, style, explode, $defs }
    const parameter = media === undefined ? { ...said, schema } : { ...said, content: { [media]: { schema } } }
    return `${this.#use('readParameter')}(${literal(parameter)})`
  }
}

const isCommon = (option: string): boolean =>
  ['optional', 'nullable', 'default', ...annotations].includes(option as (typeof annotations)[number])
const isContainer = (node: Node): boolean => node.kind !== 'later' && childrenOf(node).length > 0
const isLinear = (pattern: RegExp | undefined): boolean => pattern === undefined || costOf(pattern).kind === 'linear'
/** Whole numbers without limits go further than `integer()` does. */
const isInteger = (node: Node): node is Kinds['number'] =>
  node.kind === 'number' && node.whole === true && [node.min, node.max].every(Number.isSafeInteger)
