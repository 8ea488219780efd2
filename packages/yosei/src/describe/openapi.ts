/** An intake as an OpenAPI description: what is taken, and each status that can come back. */
import type { BodyNode, EndpointNode } from '../declare/endpoint.js'
import { rootOf } from '../declare/endpoint.js'
import { challengeOf, type IntakeNode, intakeNode } from '../declare/intake.js'
import { piecewiseAt } from '../declare/place.js'
import type { Node } from '../kinds/kind.js'
import { sentShape } from '../kinds/shape.js'
import { ruleWords } from '../outline/outline.js'
import { type Demanded, demandsOf } from '../probe/demanded.js'
import { isLines } from '../read/media.js'
import type { AnyRule } from '../rules/rule.js'
import type { Intake } from '../terms/endpoint.js'
import type { Field } from '../terms/types.js'
import { examplesOf } from './examples.js'
import { asOpenApi30 } from './openapi-30.js'
import { problemSchema, responsesOf } from './responses.js'
import type { OpenApi, Unsaid } from './schema.js'
import { type Around, type Dialect, isOfBody, SchemaWriter } from './writer.js'

export { type Adopted, type AdoptOptions, adoptOpenApi } from '../schema/adopt.js'
export { type Note, type ReadOpenApi, type ReadOpenApiOptions, readOpenApi } from '../schema/openapi.js'
export { type Parameter as ParameterDescription, readParameter } from '../schema/parameters.js'
export { credentials, type SecurityRequirements, type SecurityScheme } from '../schema/security.js'
export type { JsonSchema, OpenApi, Unsaid } from './schema.js'

/** Options of `writeOpenApi`. */
export interface OpenApiOptions {
  /** The version of the specification: `3.1` by default. */
  readonly version?: '3.1' | '3.0'
  /** Names of fields: each stands once among the components. A field that has `name` has that without it. */
  readonly names?: { readonly [name: string]: Field }
  /** The URLs or paths of the service. By default, the `base` of the intake. */
  readonly servers?: readonly string[]
}
/** A description, and what it does not say. */
export interface WrittenOpenApi {
  /** The description, as plain JSON. */
  readonly document: OpenApi
  /** Demands that OpenAPI cannot say. They stand in words in the description. */
  readonly unsaid: readonly (Unsaid & { readonly endpoint: string })[]
}
/**
 * Describes an intake by OpenAPI: parameters, bodies, security, and each status that an endpoint can answer with, with
 * its codes, its addresses, and an example that was made by judging a request.
 *
 * @example
 * const { document } = await writeOpenApi(app)
 */
export async function writeOpenApi(app: Intake, options: OpenApiOptions = {}): Promise<WrittenOpenApi> {
  const { version = '3.1', names = {}, servers } = options
  const node = intakeNode(app)
  const known = new Map(Object.entries(names).map(([name, field]) => [field as unknown, name]))
  const demands = new Map<string, Demanded[]>()
  for (const demand of demandsOf(app)) {
    const own = demands.get(demand.endpoint)
    if (own) own.push(demand)
    else demands.set(demand.endpoint, [demand])
  }
  const document = new Description(node, known, demands, version === '3.0' ? 'openapi-3.0' : '2020-12')
  for (const [name, endpoint] of Object.entries(node.endpoints))
    document.add(name, endpoint, await examplesOf(app, name, demands.get(name) ?? []))
  const whole = document.whole(servers)
  return { document: version === '3.0' ? asOpenApi30(whole) : whole, unsaid: document.unsaid }
}

const componentNames = /^[A-Za-z0-9._-]+$/

/** Methods that a path can have (OpenAPI, section 4.8.9). */
const operationMethods: ReadonlySet<string> = new Set([
  'get',
  'put',
  'post',
  'delete',
  'options',
  'head',
  'patch',
  'trace',
])

interface Parameter {
  readonly name: string
  readonly in: string
  readonly required: boolean
}
interface Operation {
  readonly operationId: string
  readonly description?: string
  readonly parameters?: readonly Parameter[]
  readonly requestBody?: { readonly required: boolean; readonly content: object }
  readonly responses: object
}
/** Two endpoints of one method and path, which a header field, a query or a media type distinguishes. */
function together(one: Operation, two: Operation): Operation {
  const keyOf = ({ name, in: place }: Parameter) => `${place} ${name}`
  const [a, b] = [one.parameters ?? [], two.parameters ?? []]
  const both = [...a, ...b.filter((each) => !a.some((known) => keyOf(known) === keyOf(each)))]
  // What only one of them asks for can be left out.
  const isInBoth = (each: Parameter) =>
    [a, b].every((all) => all.some((known) => keyOf(known) === keyOf(each) && known.required))
  const words = `Also the endpoint ${two.operationId}, which ${one.operationId} does not describe in full.`
  return {
    ...one,
    description: [one.description, words].filter((each) => each !== undefined).join('\n\n'),
    ...(both.length > 0 ? { parameters: both.map((each) => ({ ...each, required: isInBoth(each) })) } : {}),
    ...(one.requestBody || two.requestBody
      ? {
          requestBody: {
            required: Boolean(one.requestBody?.required && two.requestBody?.required),
            content: { ...two.requestBody?.content, ...one.requestBody?.content },
          },
        }
      : {}),
    responses: { ...two.responses, ...one.responses },
  }
}

class Description {
  readonly unsaid: (Unsaid & { readonly endpoint: string })[] = []
  readonly #paths: { [path: string]: { [method: string]: object } } = {}
  readonly #writers = new Map<string, SchemaWriter>()
  readonly #shared = new Map<string, object>()

  constructor(
    readonly app: IntakeNode,
    readonly names: ReadonlyMap<unknown, string>,
    readonly demands: ReadonlyMap<string, readonly Demanded[]>,
    readonly dialect: Dialect,
  ) {}

  /** Fields that are written alike share their definitions. */
  #writer(around: Around): SchemaWriter {
    const key = JSON.stringify(around)
    const known = this.#writers.get(key)
    if (known) return known
    const mark = this.#writers.size === 0 ? '' : `.${this.#writers.size + 1}`
    const named = (node: Node) => this.names.get(node) ?? node.name
    const writer = new SchemaWriter(
      'both',
      around,
      (name) => `#/components/schemas/${name}`,
      (node) => {
        const name = named(node)
        return name !== undefined && componentNames.test(name) ? `${name}${mark}` : undefined
      },
      new Set(['Problem']),
      this.dialect,
    )
    this.#writers.set(key, writer)
    return writer
  }

  add(name: string, endpoint: EndpointNode, examples: ReadonlyMap<number, unknown>): void {
    const { method, template, title, description, tags, rules, gives, success, open } = endpoint
    const around = { unlisted: endpoint.unlisted?.body ?? 'refuse', coerce: Boolean(endpoint.coerce) } as const
    const writer = this.#writer(around)
    const before = writer.unsaid.length
    const parameters = this.#parameters(endpoint, writer)
    const said = new Set<AnyRule>()
    const bodies = endpoint.bodies.map((body) => this.#body(endpoint, body, writer, said))
    const others = rules.filter((rule) => rule.rule !== 'fill' && !said.has(rule))
    const words = others.map((rule) => ruleWords(rule, rootOf(endpoint)))
    this.unsaid.push(
      ...writer.unsaid.slice(before).map((one) => ({ ...one, endpoint: name })),
      ...words.map((one) => ({ endpoint: name, address: '', words: `${one}.` })),
    )
    const about = [
      ...(description === undefined ? [] : [description]),
      ...(words.length === 0 ? [] : [`Rules:\n\n${words.map((one) => `- ${one}`).join('\n')}`]),
    ]
    const given = gives && writer.schema(gives, [])
    const operation: Operation = {
      operationId: name,
      ...(title === undefined ? {} : { summary: title }),
      ...(about.length === 0 ? {} : { description: about.join('\n\n') }),
      ...(tags.length === 0 ? {} : { tags: [...tags] }),
      ...(parameters.length === 0 ? {} : { parameters }),
      ...(bodies.length === 0
        ? {}
        : {
            requestBody: {
              required: endpoint.bodies.some(({ node }) => node.need === 'required'),
              content: Object.fromEntries(bodies),
            },
          }),
      responses: {
        [success]: {
          description: 'Accepted.',
          ...(given ? { content: { 'application/json': { schema: given } } } : {}),
        },
        ...(endpoint.bodies.some((body) => piecewiseAt(endpoint, body).path)
          ? { 207: { description: 'Some of the elements were rejected, each with its errors.' } }
          : {}),
        ...responsesOf(this.app, endpoint, this.demands.get(name) ?? [], examples, this.#shared),
      },
      ...(this.app.identify ? { security: open ? [{}, { caller: [] }] : [{ caller: [] }] } : {}),
    }
    const path = template === '' ? '/' : template
    const own = method.toLowerCase()
    const other = this.#paths[path]?.[own] as Operation | undefined
    if (!operationMethods.has(own)) this.#leave(name, `OpenAPI has no method ${method}.`)
    else if (other === undefined) this.#paths[path] = { ...this.#paths[path], [own]: operation }
    else {
      this.#leave(name, `It shares method and path with ${other.operationId}: OpenAPI has one operation for both.`)
      this.#paths[path] = { ...this.#paths[path], [own]: together(other, operation) }
    }
  }
  #leave(endpoint: string, words: string): void {
    this.unsaid.push({ endpoint, address: '', words })
  }

  #parameters({ path, query, header, cookie }: EndpointNode, writer: SchemaWriter): Parameter[] {
    const all = [
      ...Object.entries(path.fields).map(([name, field]) => ({ place: 'path', name, field }) as const),
      ...Object.entries(query.fields).map(([name, field]) => ({ place: 'query', name, field }) as const),
      ...Object.entries(header.fields).map(([name, field]) => ({ place: 'header', name, field }) as const),
      ...Object.entries(cookie.fields).map(([name, field]) => ({ place: 'cookie', name, field }) as const),
    ]
    return all.flatMap(({ place, name, field }) => {
      // These are said elsewhere: by the bodies, and by the security (OpenAPI, section 4.8.12.2).
      if (place === 'header' && ['accept', 'content-type', 'authorization'].includes(name)) return []
      // A client has no reason to send them.
      if (field.readOnly) return []
      const schema = writer.schema(field, [place, name])
      const { title: _, description, deprecated, ...rest } = schema
      return [
        {
          name,
          in: place,
          ...(field.title === undefined && description === undefined
            ? {}
            : { description: [field.title, description].filter((one) => one !== undefined).join('. ') }),
          required: place === 'path' || field.need === 'required',
          ...(deprecated ? { deprecated } : {}),
          ...styleOf(place, field),
          schema: rest,
        },
      ]
    })
  }

  #body({ rules }: EndpointNode, body: BodyNode, writer: SchemaWriter, said: Set<AnyRule>): readonly [string, object] {
    const { mediaType, node } = body
    for (const rule of rules.filter(isOfBody)) said.add(rule)
    const whole = writer.body(node, rules)
    return [
      mediaType,
      {
        schema: isLines(mediaType) ? { ...whole, description: 'One element a line.' } : whole,
        ...encodingOf(mediaType, sentShape(node)),
      },
    ]
  }

  whole(servers: readonly string[] | undefined): OpenApi {
    const { app } = this
    const urls = servers ?? [app.base === '' ? '/' : app.base]
    const schemas = Object.assign({}, ...[...this.#writers.values()].map((writer) => writer.definitions()))
    const { header, scheme } = challengeOf(app)
    return {
      openapi: '3.1.0',
      info: { title: app.title ?? 'Service', version: app.version ?? '1' },
      servers: urls.map((url) => ({ url })),
      paths: this.#paths,
      components: {
        schemas: { ...schemas, Problem: problemSchema(app) },
        responses: Object.fromEntries(this.#shared),
        ...(app.identify
          ? {
              securitySchemes: {
                caller:
                  header === 'authorization'
                    ? { type: 'http', scheme: scheme.toLowerCase() }
                    : { type: 'apiKey', in: 'header', name: header },
              },
            }
          : {}),
      },
    }
  }
}

/** How a parameter is written (OpenAPI, section 4.8.12.3). */
function styleOf(place: 'path' | 'query' | 'header' | 'cookie', field: Node): object {
  const shape = sentShape(field)
  if (place !== 'query') return {}
  if (shape.kind === 'record' || shape.kind === 'table') return { style: 'deepObject', explode: true }
  if (shape.kind !== 'list' && shape.kind !== 'tuple') return {}
  const { style = 'form', explode = style === 'form' } = shape
  return { style, explode }
}

function encodingOf(mediaType: string, shape: Node): object {
  if (shape.kind !== 'record') return {}
  const files = Object.entries(shape.fields).flatMap(([name, field]): [string, object][] => {
    const own = sentShape(field)
    const inner = own.kind === 'list' ? sentShape(own.item) : own
    return inner.kind === 'file' && inner.types ? [[name, { contentType: inner.types.join(', ') }]] : []
  })
  return mediaType === 'multipart/form-data' && files.length > 0 ? { encoding: Object.fromEntries(files) } : {}
}
