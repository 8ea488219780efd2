/** The parameters of an operation as fields: by their place, their style, or a media type (OpenAPI 3.1, section 4.8.12). */
import { make, text } from '../declare/fields.js'
import { fieldNode, nodeField } from '../kinds/kind.js'
import { isNamed } from '../kinds/run.js'
import { schema as schemaKind } from '../kinds/schema.js'
import { mistake } from '../terms/mistake.js'
import { shown } from '../terms/option-types.js'
import type { Field } from '../terms/types.js'
import { type At, Description, type Json } from './description.js'
import { componentName, nameless } from './documents.js'
import { judgeBy } from './judge.js'
import type { Place } from './place.js'
import type { ReadSchemaOptions } from './read.js'
import { type Carries, carried, type Style } from './styles.js'
import { again, typesOf } from './translate.js'

export type Part = 'path' | 'query' | 'header' | 'cookie'
type Carrying = readonly [where: Part, name: string, field: Field]
/** Header fields that a description does not declare as parameters (OpenAPI 3.1, section 4.8.12). */
const ofHttp: ReadonlySet<string> = new Set(['accept', 'content-type', 'authorization'])

export class Parameters {
  readonly #description: Description
  constructor(description: Description) {
    this.#description = description
  }

  readonly #known = new Map<Json, readonly Carrying[]>()
  /** The fields that a parameter is carried by; one that many operations share is read once. */
  of(at: At): readonly Carrying[] {
    const known = this.#known.get(at.value) ?? this.#fieldsOf(at)
    this.#known.set(at.value, known)
    const [[, , field] = [], ...more] = known
    const name = componentName(at.located)
    if (field && more.length === 0 && name !== undefined) this.components.set(field, name)
    return known
  }
  /** The names of those that are described among the components. */
  readonly components = new Map<Field, string>()
  #fieldsOf(at: At): readonly Carrying[] {
    const found: Carrying[] = []
    const { name, in: where, required, content, description, deprecated } = at.value
    if (
      typeof name !== 'string' ||
      !(where === 'path' || where === 'query' || where === 'header' || where === 'cookie')
    ) {
      this.#description.note(at, `a parameter without a name, or in ${shown(where)}`, 'It is not checked')
      return []
    }
    if (where === 'header' && ofHttp.has(name.toLowerCase())) return []
    const own = {
      ...(typeof description === 'string' ? { description } : {}),
      ...(deprecated === true ? { deprecated } : {}),
    }
    const isNeeded = where === 'path' || required === true
    const [media] = isNamed(content) ? Object.keys(content) : []
    const place = this.#ofClient(
      media === undefined
        ? this.#description.place(at, 'schema')
        : this.#description.place(at, 'content', media, 'schema'),
    )
    const add = (key: string, field: Field, isKeyNeeded = isNeeded) => {
      const usual = place && key === name ? this.#description.program.keywordsOf(place)['default'] : undefined
      const isRight = usual !== undefined && place?.holds(usual, this.#description.program.scope())
      if (usual !== undefined && !isRight)
        this.#description.note(at, 'the default, which its own schema rejects', 'It is left out')
      const more = isKeyNeeded ? {} : isRight ? { default: usual } : { optional: true }
      found.push([where, where === 'header' ? key.toLowerCase() : key, again(field, { ...own, ...more })])
    }
    if (!place) add(name, text({ keepEmpty: true }))
    else if (media !== undefined) add(name, this.#carriedBy(place, parsed, at, media))
    else this.#styled(at, name, where, place, add)
    return found
  }

  /** Whatever its schema says, a parameter is sent by the client. */
  #ofClient(place: Place | undefined): Place | undefined {
    if (place?.shape['readOnly'] !== true) return place
    let at = place
    while ('$ref' in at.schema && at.always[0]) at = at.always[0]
    const { readOnly: _, ...rest } = at.schema
    return this.#description.program.part(at, rest)
  }

  /** A parameter as its style carries it. */
  #styled(
    at: At,
    name: string,
    where: Part,
    place: Place,
    add: (name: string, field: Field, isNeeded?: boolean) => void,
  ): void {
    const usual: Style = where === 'query' || where === 'cookie' ? 'form' : 'simple'
    const style = (at.value['style'] ?? usual) as Style
    const explode = typeof at.value['explode'] === 'boolean' ? at.value['explode'] : style === 'form'
    const field = this.#description.translator.field(place)
    const node = fieldNode(field)
    const types = typesOf(place.shape) ?? []
    const carries: Carries =
      node.kind === 'list' || node.kind === 'tuple' || types.includes('array')
        ? 'list'
        : node.kind === 'record' || node.kind === 'table' || types.includes('object')
          ? 'object'
          : 'value'
    const isPlain = style === usual || style === 'spaceDelimited' || style === 'pipeDelimited'
    if (carries === 'value' && isPlain) add(name, field)
    else if (node.kind === 'list' && where === 'query' && isPlain) add(name, again(field, { style, explode } as object))
    else if (node.kind === 'list' && style === 'simple') add(name, again(field, { explode: false } as object))
    else if (where === 'query' && carries === 'object' && style === 'deepObject') add(name, field)
    else if (where === 'query' && node.kind === 'record' && style === 'form' && explode) {
      for (const [key, one] of Object.entries(node.fields)) add(key, nodeField(one), false)
      const needed = Object.entries(node.fields).filter(([, one]) => one.need === 'required')
      if (needed.length > 0)
        this.#description.note(
          at,
          `the names ${needed.map(([key]) => key).join(', ')}, which are needed together`,
          'Each may be left out',
        )
    } else
      add(
        name,
        this.#carriedBy(place, (sent) => spread(sent, name, style, explode, carries, where), at),
      )
  }

  /** What is read from texts in a way that no field has. */
  #carriedBy(place: Place, read: (sent: unknown) => unknown, at: At, media?: string): Field {
    const made: Field = make(
      { schema: schemaKind },
      {},
      { judge: judgeBy(this.#description.program, place, place, read) },
    )
    this.carried.set(made, { at, place, media })
    return made
  }
  /** The parameters that no builder has, by their fields. */
  readonly carried = new Map<Field, { readonly at: At; readonly place: Place; readonly media: string | undefined }>()
}

/** A parameter as OpenAPI describes it (OpenAPI 3.1, section 4.8.12). */
export interface Parameter {
  /** Its name in the request. */
  readonly name: string
  /** The part that carries it. */
  readonly in: Part
  /** Whether it must be sent. */
  readonly required?: boolean
  /** How a text carries a list or an object, after RFC 6570. */
  readonly style?: Style
  /** Whether each element or name stands by itself. */
  readonly explode?: boolean
  /** The schema of its value. */
  readonly schema?: object | boolean
  /** A media type with its schema, in place of a style. */
  readonly content?: { readonly [mediaType: string]: { readonly schema?: object | boolean } }
  /** Other keywords, such as `description`. */
  readonly [keyword: string]: unknown
}
/**
 * A parameter that OpenAPI describes, as a field: for the styles `label` and `matrix`, and for JSON in a parameter.
 *
 * @throws {DeclarationError} If it is no parameter, or is carried by several names.
 * @example
 * endpoint('GET /loans', {
 *   query: { filter: readParameter({ name: 'filter', in: 'query', content: { 'application/json': { schema } } }) },
 * })
 */
export function readParameter<const P extends Parameter>(
  parameter: P,
  { documents = {}, notes = () => undefined }: Pick<ReadSchemaOptions, 'documents' | 'notes'> = {},
): Field<unknown, unknown, P extends { readonly required: true } | { readonly in: 'path' } ? 'required' : 'optional'> {
  if (!isNamed(parameter))
    mistake('readParameter()', `the parameter is ${shown(parameter)}`, 'Write it as { name, in, schema }')
  const where = 'readParameter()'
  const description = new Description({ uri: nameless, schema: parameter }, { documents, dialect: '3.1', where })
  const [[, key, field] = [], ...more] = new Parameters(description).of(description.root)
  for (const note of description.notes) notes(note)
  if (!field)
    mistake(where, 'it is no parameter that can be checked', 'Give it a name, and in: path, query, header or cookie')
  if (more.length > 0 || key !== (parameter.in === 'header' ? parameter.name.toLowerCase() : parameter.name))
    mistake(where, 'each of its properties is a name in the query', 'Declare them as fields of the query')
  return field as ReturnType<typeof readParameter<P>>
}

function parsed(sent: unknown): unknown {
  if (typeof sent !== 'string') return sent
  try {
    return JSON.parse(sent) as unknown
  } catch {
    return sent
  }
}

/** What a style carries in the texts that came. */
function spread(sent: unknown, name: string, style: Style, explode: boolean, carries: Carries, where: Part): unknown {
  if (carries === 'list' && where === 'query' && explode) return Array.isArray(sent) ? sent : [sent]
  if (Array.isArray(sent))
    return carries === 'list' ? sent.flatMap((one) => carried(String(one), name, style, explode, carries)) : sent
  return typeof sent === 'string' ? carried(sent, name, style, explode, carries) : sent
}
