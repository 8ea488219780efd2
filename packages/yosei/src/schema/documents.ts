/**
 * Schemas by their addresses: documents, the resources in them, and what anchors and pointers lead to (JSON Schema 2020-12
 * Core, sections 8.2 and 9).
 */
import { isNamed } from '../kinds/run.js'
import { mistake } from '../terms/mistake.js'
import { isSchema, type Schema, schemasIn } from './positions.js'

/** A schema with an address of its own, and all in it that has none. */
export interface Resource {
  readonly uri: string
  readonly schema: Schema
  /** What `$anchor` and `$dynamicAnchor` name. */
  readonly anchors: Map<string, Located>
  readonly dynamicAnchors: Map<string, Located>
}
/** A schema where it stands. */
export interface Located {
  readonly schema: Schema
  readonly resource: Resource
  /** The document in which it stands, and the pointer there (RFC 6901). */
  readonly document: Document
  readonly pointer: string
}
export interface Document {
  readonly uri: string
  readonly schema: Schema
}

/** Schemas that stand in schemas, at most. */
const deepestSchema = 500

/** References that lead to references, at most. */
const mostReferences = 200

/** The address of a document that is given none. */
export const nameless = 'schema://document/'

/** An address without its fragment, resolved; `undefined` if it cannot be. */
function resolveUri(reference: string, base: string): { uri: string; fragment: string } | undefined {
  try {
    // Most lead into their own document, and an address is slow to read.
    if (reference.startsWith('#')) return { uri: base, fragment: decodeURIComponent(reference.slice(1)) }
    const url = new URL(reference, base)
    const fragment = decodeURIComponent(url.hash.slice(1))
    url.hash = ''
    return { uri: url.href, fragment }
  } catch {
    return reference.startsWith('#') ? { uri: base, fragment: reference.slice(1) } : undefined
  }
}

/** The address that a document gives itself, or that it was found at. */
export const addressOf = ({ uri, schema }: Document): string =>
  (isNamed(schema) && typeof schema['$id'] === 'string' && resolveUri(schema['$id'], uri)?.uri) || uri

const escaped = (step: string) => step.replaceAll('~', '~0').replaceAll('/', '~1')
const unescaped = (step: string) => step.replaceAll('~1', '/').replaceAll('~0', '~')
export const pointerOf = (steps: readonly string[]): string => steps.map((step) => `/${escaped(step)}`).join('')

/** The name under which something is referred to. */
export function componentName({ pointer, document }: Located): string | undefined {
  // Of a file of schemas, each has a name.
  const [, name] = /^(?:.*\/(?:components\/(?:schemas|parameters)|\$defs|definitions))?\/([^/]+)$/.exec(pointer) ?? []
  if (name !== undefined) return unescaped(name)
  const [, file] = pointer === '' ? (/([^/#]+?)(?:\.[a-z]+)?$/i.exec(document.uri) ?? []) : []
  return file
}

export class Documents {
  readonly #given: { readonly [uri: string]: unknown }
  readonly #resources = new Map<string, Resource>()
  readonly #located = new Map<object, Located>()
  readonly #looked = new Set<string>()

  /** @param given Documents by their addresses. One is looked into when a reference leads there. */
  constructor(given: { readonly [uri: string]: unknown }) {
    this.#given = Object.fromEntries(
      Object.entries(given).map(([uri, document]) => [resolveUri(uri, nameless)?.uri ?? uri, document]),
    )
  }

  /** Adds a document: all schemas in it that have an address can be found then. */
  add(document: Document): Located {
    return this.#index(document.schema, this.#resourceOf(document), { document, pointer: '' })
  }
  /** A document that is no schema itself. */
  open(document: Document): Located {
    const { uri, schema } = document
    const resource = this.#resourceOf(document)
    const known = this.#of(schema)
    const located: Located = known ?? { schema, resource: { ...resource, uri }, document, pointer: '' }
    return located
  }
  #resourceOf({ uri, schema }: Document): Resource {
    const known = this.#resources.get(uri)
    if (known) return known
    const made: Resource = { uri, schema, anchors: new Map(), dynamicAnchors: new Map() }
    this.#resources.set(uri, made)
    return made
  }

  #index(
    schema: Schema,
    around: Resource,
    { document, pointer }: Pick<Located, 'document' | 'pointer'>,
    depth = 0,
  ): Located {
    if (typeof schema === 'boolean') return { schema, resource: around, document, pointer }
    const { $id, $anchor, $dynamicAnchor } = schema
    const own = typeof $id === 'string' ? resolveUri($id, around.uri) : undefined
    const resource = own ? this.#resourceOf({ uri: own.uri, schema }) : around
    const located: Located = { schema, resource, document, pointer }
    this.#located.set(schema, located)
    for (const anchor of [$anchor, $dynamicAnchor])
      if (typeof anchor === 'string') resource.anchors.set(anchor, located)
    if (typeof $dynamicAnchor === 'string') resource.dynamicAnchors.set($dynamicAnchor, located)
    if (depth > deepestSchema)
      mistake('readJsonSchema()', `the schema nests deeper than ${deepestSchema} levels`, 'Use $ref for what repeats')
    for (const [steps, one] of schemasIn(schema))
      this.#index(one, resource, { document, pointer: pointer + pointerOf(steps) }, depth + 1)
    return located
  }

  /** A schema below a located one. */
  below({ pointer, ...above }: Located, steps: readonly string[], schema: Schema): Located {
    const known = typeof schema === 'boolean' ? undefined : this.#located.get(schema)
    return known ?? this.#index(schema, above.resource, { ...above, pointer: pointer + pointerOf(steps) })
  }

  #resource(uri: string): Resource | undefined {
    const known = this.#resources.get(uri)
    if (known || this.#looked.has(uri) || !Object.hasOwn(this.#given, uri)) return known
    this.#looked.add(uri)
    const schema = this.#given[uri]
    if (isSchema(schema)) this.add({ uri, schema })
    return this.#resources.get(uri)
  }

  /** What a reference leads to. */
  find(reference: string, from: Resource): Located | undefined {
    const target = resolveUri(reference, from.uri)
    const resource = target && (target.uri === from.uri ? from : this.#resource(target.uri))
    if (!target || !resource) return undefined
    const { fragment } = target
    if (fragment !== '' && !fragment.startsWith('/')) return resource.anchors.get(fragment)
    let at: unknown = resource.schema
    const { uri, schema } = resource
    let known: Located = this.#of(at) ?? { schema, resource, document: { uri, schema }, pointer: '' }
    const passed: string[] = []
    for (const step of fragment.split('/').slice(1).map(unescaped)) {
      const isElement = Array.isArray(at) && /^(?:0|[1-9]\d*)$/.test(step)
      if (!(isElement || isNamed(at)) || !Object.hasOwn(at as object, step)) return undefined
      at = (at as { readonly [step: string]: unknown })[step]
      const own = this.#of(at)
      if (own) passed.length = 0
      else passed.push(step)
      known = own ?? known
    }
    return isSchema(at) ? this.below(known, passed, at) : undefined
  }
  /** What a schema leads to that is a reference; itself, if it is none. */
  behind(located: Located): Located {
    let at = located
    for (let steps = 0; steps < mostReferences && isNamed(at.schema) && typeof at.schema['$ref'] === 'string'; steps++)
      at = this.find(at.schema['$ref'], at.resource) ?? located
    return at
  }
  #of = (value: unknown): Located | undefined => (isNamed(value) ? this.#located.get(value) : undefined)
}
