/** Descriptions of APIs (OpenAPI 3.1 and 3.0) as intakes. */

import { endpointNode } from '../declare/endpoint.js'
import { anything, record, text } from '../declare/fields.js'
import { fieldNode } from '../kinds/kind.js'
import { isNamed } from '../kinds/run.js'
import { isJson } from '../read/media.js'
import { endpoint, intake } from '../sound/declarations.js'
import { parseAddress } from '../terms/address.js'
import type { Endpoint, Intake } from '../terms/endpoint.js'
import type { Head } from '../terms/head.js'
import { DeclarationError, mistake } from '../terms/mistake.js'
import { shown } from '../terms/option-types.js'
import { put } from '../terms/own.js'
import type { Policy } from '../terms/policy.js'
import { shapeOf } from '../terms/template.js'
import type { Field } from '../terms/types.js'
import { Bodies } from './bodies.js'
import { type At, Description } from './description.js'
import { nameless } from './documents.js'
import { Parameters, type Part } from './parameters.js'
import type { Note } from './program.js'
import { challengeBy, credentials, Security, type SecurityRequirements, type SecurityScheme } from './security.js'

export type { Note } from './program.js'

/** Options of `readOpenApi`. */
export interface ReadOpenApiOptions {
  /** Documents that references lead to, by their addresses. Nothing is fetched. */
  readonly documents?: { readonly [uri: string]: unknown }
  /** The address of the document itself, which relative references are resolved by. */
  readonly address?: string
  /** What becomes of names that are not described. By default, those of a body stay, and those of a query are dropped. */
  readonly unlisted?: Policy['unlisted']
  /** Says who the caller is. Without it, credentials must be there, and are not verified. */
  readonly identify?: (request: Head, services: never) => unknown
}
/** What a description became. */
export interface ReadOpenApi {
  /** The endpoints of the description. */
  readonly intake: Intake
  /** What is not enforced as it stands in the description. */
  readonly notes: readonly Note[]
}

const methods: ReadonlySet<string> = new Set(['get', 'put', 'post', 'delete', 'options', 'head', 'patch', 'trace'])
/**
 * An intake of what a description of an API says. What the description permits is accepted. Values stay JSON.
 *
 * @throws {DeclarationError} If it is no description, or a reference leads nowhere.
 * @example
 * const { intake, notes } = readOpenApi(JSON.parse(text))
 */
export function readOpenApi(document: object, options: ReadOpenApiOptions = {}): ReadOpenApi {
  const { intake, description } = readerOf(document, options, 'readOpenApi()').read()
  return { intake, notes: description.notes }
}
/** @param where What calls it, for errors. */
export function readerOf(document: object, options: ReadOpenApiOptions, where: string): Reader {
  const version = isNamed(document) ? String(document['openapi']) : ''
  if (!isNamed(document) || !/^3\.[01]\./.test(version) || !isNamed(document['info']))
    mistake(
      where,
      `this is no description of OpenAPI 3.1 or 3.0, but ${version === '' || version === 'undefined' ? shown(document) : `one of ${version}`}`,
      'Give it the document as an object, with openapi and info',
    )
  return new Reader(document, version.startsWith('3.0') ? '3.0' : '3.1', options)
}

/** What came of reading a description. */
export interface Read {
  readonly intake: Intake
  readonly description: Description
  readonly parameters: Parameters
  /** How callers can show who they are; and what each endpoint asks of them, by its name. */
  readonly schemes: ReadonlyMap<string, SecurityScheme>
  readonly security: ReadonlyMap<string, SecurityRequirements>
}

class Reader {
  readonly #description: Description
  readonly #parameters: Parameters
  readonly #bodies: Bodies
  readonly #security: Security
  readonly #options: ReadOpenApiOptions

  constructor(document: { readonly [name: string]: unknown }, dialect: '3.0' | '3.1', options: ReadOpenApiOptions) {
    const { documents = {}, address = nameless, unlisted, identify } = options
    this.#options = options
    this.#description = new Description(
      { uri: address, schema: document },
      { documents, dialect, unlisted: unlisted?.body },
    )
    this.#parameters = new Parameters(this.#description)
    this.#bodies = new Bodies(this.#description)
    this.#security = new Security(this.#description, identify !== undefined)
  }

  read(): Read {
    const { info, paths, servers } = this.#description.root.value
    const { title, version } = info as { readonly [name: string]: unknown }
    const endpoints: { [name: string]: Endpoint } = {}
    const security = new Map<string, SecurityRequirements>()
    const shapes = new Map<string, string>()
    for (const [path, item] of this.#description.entries(this.#description.root, paths, 'paths'))
      for (const method of Object.keys(item.value)) {
        const operation = methods.has(method) ? this.#description.at(item, [method]) : undefined
        if (!operation) continue
        const made = this.#operation(path, item, method, operation)
        if (!made) continue
        const shape = `${method} ${endpointNode(made).segments.map(shapeOf).join('/')}`
        const known = shapes.get(shape)
        if (known !== undefined) {
          this.#description.note(operation, `the same requests as ${known}`, 'It is left out')
          continue
        }
        shapes.set(shape, `${method.toUpperCase()} ${path}`)
        const { operationId } = operation.value
        const own = typeof operationId === 'string' && operationId !== '' ? operationId : `${method} ${path}`
        const name = Object.hasOwn(endpoints, own) ? `${own} ${method} ${path}` : own
        put(endpoints, name, made)
        security.set(name, this.#security.of(operation))
      }
    const { identify } = this.#options
    const { schemes } = this.#security
    const isAsked = [...security.values()].some((one) => one.length > 0)
    const made = intake({
      endpoints,
      base: this.#base(servers),
      ...(typeof title === 'string' ? { title } : {}),
      ...(typeof version === 'string' ? { version } : {}),
      unlisted: { query: 'drop', ...this.#options.unlisted },
      ...(identify
        ? { identify: identify as never }
        : isAsked
          ? { identify: credentials(Object.fromEntries(schemes), Object.fromEntries(security)) as never }
          : {}),
      ...(isAsked ? { challenge: challengeBy(schemes.values()) } : {}),
    })
    return { intake: made as Intake, description: this.#description, parameters: this.#parameters, schemes, security }
  }

  /** The path of the first server. */
  #base(servers: unknown): string {
    const [first] = Array.isArray(servers) ? servers : []
    if (!isNamed(first) || typeof first['url'] !== 'string') return ''
    const variables = isNamed(first['variables']) ? first['variables'] : {}
    const url = first['url'].replace(/\{([^{}]+)\}/g, (whole, name: string) => {
      const variable = variables[name]
      return isNamed(variable) && typeof variable['default'] === 'string' ? variable['default'] : whole
    })
    try {
      return new URL(url, 'http://localhost/').pathname.replace(/\/+$/, '')
    } catch {
      return (
        this.#description.note(
          this.#description.root,
          `the server ${url}, which is no address`,
          'Paths begin at the root',
        ) ?? ''
      )
    }
  }

  #operation(path: string, item: At, method: string, operation: At): Endpoint | undefined {
    if (/[#?]/.test(path))
      return this.#description.note(operation, `the path ${path}, which no request can have`, 'It is left out')
    const { title, summary, description, tags, deprecated: _, requestBody, responses } = operation.value
    const parameters = new Map<string, At>()
    for (const at of [
      ...this.#description.list(item, 'parameters'),
      ...this.#description.list(operation, 'parameters'),
    ])
      parameters.set(`${at.value['in']} ${at.value['name']}`, at)
    const parts: { [P in Part]: { [name: string]: Field } } = { path: {}, query: {}, header: {}, cookie: {} }
    for (const at of parameters.values())
      for (const [where, name, field] of this.#parameters.of(at)) put(parts[where], name, field)
    // A parameter of the path that is not described takes any text.
    const declared = [...path.matchAll(/\{([^{}]+)\}/g)].map(([, name = '']) => name)
    for (const name of declared) if (!Object.hasOwn(parts.path, name)) put(parts.path, name, text())
    const named = title ?? summary
    const declaration = {
      ...(typeof named === 'string' ? { title: named } : {}),
      ...(typeof description === 'string' ? { description } : {}),
      ...(Array.isArray(tags) ? { tags: tags.filter((tag) => typeof tag === 'string') } : {}),
      success: successOf(responses),
      path: Object.fromEntries(declared.map((name) => [name, parts.path[name] as Field])),
      query: parts.query,
      header: parts.header,
      cookie: parts.cookie,
      ...(this.#security.isOpen(operation) ? { open: true } : {}),
    }
    const body = requestBody === undefined ? undefined : this.#description.at(operation, ['requestBody'])
    const bodies = body && method !== 'get' && method !== 'head' ? this.#bodies.of(body) : undefined
    if (body && !bodies && (method === 'get' || method === 'head'))
      this.#description.note(body, `a body of ${method.toUpperCase()}, which has no meaning`, 'It is not accepted')
    const signature = `${method.toUpperCase()} ${path}`
    for (;;) {
      try {
        const whole = { ...declaration, ...(bodies ? { body: bodies } : {}) }
        return endpoint(signature as 'GET /', whole as never) as Endpoint
      } catch (error) {
        if (!(error instanceof DeclarationError)) throw error
        // What no request can carry as it is described is taken as it comes.
        const [part, name] = parseAddress(error.address ?? '') ?? []
        const fields = part === 'query' || part === 'header' || part === 'cookie' ? parts[part] : undefined
        const form = Object.keys(bodies ?? {}).find((type) => !isJson(type) && !isFree(bodies?.[type]))
        if (fields && typeof name === 'string' && Object.hasOwn(fields, name) && !isFree(fields[name])) {
          this.#description.note(operation, `the parameter ${error.address}: ${error.what}`, 'It is not checked')
          put(fields, name, anything({ optional: true }))
        } else if (bodies && form !== undefined && part === 'body') {
          this.#description.note(operation, `the body ${form}: ${error.what}`, 'It is not checked')
          bodies[form] = record({}, { unlisted: 'keep' })
        } else return this.#description.note(operation, `the operation ${signature}: ${error.what}`, 'It is left out')
      }
    }
  }
}

/** Whether a field takes what comes. */
function isFree(field: Field | undefined): boolean {
  const node = field && fieldNode(field)
  return !node || node.kind === 'anything' || (node.kind === 'record' && Object.keys(node.fields).length === 0)
}

/** The status of a success: the least that is described; 200, if none is. */
function successOf(responses: unknown): number {
  const described = Object.keys(isNamed(responses) ? responses : {}).filter((status) => /^2\d\d$/.test(status))
  return described.length === 0 ? 200 : Math.min(...described.map(Number))
}
