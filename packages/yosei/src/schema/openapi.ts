/** Descriptions of APIs (OpenAPI 3.1 and 3.0) as intakes. */
import { anything, file, list, make, record, text } from '../declare/fields.js'
import type { Head } from '../declare/intake.js'
import { readMediaRange } from '../grammar/media-range.js'
import { fieldNode } from '../kinds/kind.js'
import { isNamed } from '../kinds/run.js'
import { schema as schemaKind } from '../kinds/schema.js'
import { isJson, isLines } from '../read/media.js'
import { endpoint, intake } from '../sound/declarations.js'
import { formatAddress, parseAddress } from '../terms/address.js'
import type { Endpoint, Intake } from '../terms/endpoint.js'
import { DeclarationError, mistake } from '../terms/mistake.js'
import { shown } from '../terms/option-types.js'
import { put } from '../terms/own.js'
import type { Policy } from '../terms/policy.js'
import { parseTemplate, shapeOf } from '../terms/template.js'
import type { Field, Fields } from '../terms/types.js'
import { type Located, nameless } from './documents.js'
import { judgeBy } from './judge.js'
import type { Place } from './place.js'
import { isSchema } from './positions.js'
import { type Note, Program } from './program.js'

export type { Note } from './program.js'

import { type Asked, askedBy, challengeBy, type Scheme } from './security.js'
import { type Carries, carried, type Style } from './styles.js'
import { again, Translator, typesOf } from './translate.js'

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

type Json = { readonly [name: string]: unknown }
const methods = ['get', 'put', 'post', 'delete', 'options', 'head', 'patch', 'trace'] as const
/** Header fields that a description does not declare as parameters (OpenAPI 3.1, section 4.8.12). */
const ofHttp: ReadonlySet<string> = new Set(['accept', 'content-type', 'authorization'])

/**
 * An intake of what a description of an API says. What the description permits is accepted. Values stay JSON.
 *
 * @throws {DeclarationError} If it is no description, or a reference leads nowhere.
 * @example
 * const { intake, notes } = readOpenApi(JSON.parse(text))
 */
export function readOpenApi(document: object, options: ReadOpenApiOptions = {}): ReadOpenApi {
  const version = isNamed(document) ? String(document['openapi']) : ''
  if (!isNamed(document) || !/^3\.[01]\./.test(version) || !isNamed(document['info']))
    mistake(
      'readOpenApi()',
      `this is no description of OpenAPI 3.1 or 3.0, but ${version === '' || version === 'undefined' ? shown(document) : `one of ${version}`}`,
      'Give it the document as an object, with openapi and info',
    )
  return new Reader(document, version.startsWith('3.0') ? '3.0' : '3.1', options).read()
}

/** Something that stands in a document, with its place. */
interface At {
  readonly value: Json
  readonly located: Located
  /** What stood beside the reference that led here, and where. */
  readonly beside?: { readonly value: Json; readonly located: Located }
}
/** Where a name of it stands. */
const homeOf = ({ located, beside }: At, name: string | undefined): Located =>
  beside && name !== undefined && Object.hasOwn(beside.value, name) ? beside.located : located

type Part = 'path' | 'query' | 'header' | 'cookie'
type Carrying = readonly [where: Part, name: string, field: Field]

class Reader {
  readonly #notes: Note[] = []
  readonly #program: Program
  readonly #translator: Translator
  readonly #root: At
  readonly #options: ReadOpenApiOptions

  constructor(document: Json, dialect: '3.0' | '3.1', options: ReadOpenApiOptions) {
    this.#options = options
    this.#program = new Program({
      documents: options.documents ?? {},
      formats: 'assert',
      note: (note) => this.#notes.push(note),
      where: 'readOpenApi()',
      dialect,
      unlisted: options.unlisted?.body,
    })
    this.#translator = new Translator(this.#program)
    const located = this.#program.document({ uri: options.address ?? nameless, schema: document })
    this.#root = { value: document, located }
  }

  read(): ReadOpenApi {
    const { info, paths, servers } = this.#root.value
    const { title, version } = info as Json
    const endpoints: { [name: string]: Endpoint } = {}
    const asked = new Map<string, Asked>()
    const shapes = new Map<string, string>()
    for (const [path, item] of this.#entries(this.#root, paths, 'paths'))
      for (const method of methods) {
        const operation = this.#at(item, [method])
        if (!operation) continue
        const made = this.#operation(path, item, method, operation)
        if (!made) continue
        const shape = `${method} ${parseTemplate('readOpenApi()', path).map(shapeOf).join('/')}`
        const known = shapes.get(shape)
        if (known !== undefined) {
          this.#note(operation, `the same requests as ${known}`, 'It is left out')
          continue
        }
        shapes.set(shape, `${method.toUpperCase()} ${path}`)
        const { operationId } = operation.value
        const own = typeof operationId === 'string' && operationId !== '' ? operationId : `${method} ${path}`
        const name = Object.hasOwn(endpoints, own) ? `${own} ${method} ${path}` : own
        put(endpoints, name, made)
        asked.set(name, this.#asked(operation))
      }
    const { identify } = this.#options
    const isAsked = [...asked.values()].some((one) => one.alternatives.length > 0)
    const made = intake({
      endpoints,
      base: this.#base(servers),
      ...(typeof title === 'string' ? { title } : {}),
      ...(typeof version === 'string' ? { version } : {}),
      unlisted: { query: 'drop', ...this.#options.unlisted },
      ...(identify
        ? { identify: identify as never }
        : isAsked
          ? { identify: ((head: Head) => askedBy(asked.get(head.endpoint), head)) as never }
          : {}),
      ...(isAsked ? { challenge: challengeBy([...asked.values()]) } : {}),
    })
    return { intake: made as unknown as Intake, notes: this.#notes }
  }

  #note({ located }: At, what: string, consequence: string): undefined {
    this.#notes.push({ pointer: this.#program.pointerTo(located), what, consequence })
    return undefined
  }

  /** What stands below, wherever references lead. */
  #at(above: At, steps: readonly string[]): At | undefined {
    const value = steps.reduce<unknown>(
      (at, step) => (isNamed(at) && Object.hasOwn(at, step) ? at[step] : undefined),
      above.value,
    )
    if (value === undefined) return undefined
    const located = this.#program.step(homeOf(above, steps[0]), steps, isNamed(value) ? value : {})
    if (!isNamed(value))
      return this.#program.mistake(
        located,
        `an object must stand here, and not ${shown(value)}`,
        'Write it as an object',
      )
    return this.#led({ value, located })
  }
  /** Follows references. */
  #led(at: At): At {
    let { value, located } = at
    let beside: At['beside']
    for (let steps = 0; typeof value['$ref'] === 'string'; steps++) {
      if (steps > 100)
        this.#program.mistake(located, 'this reference leads back to itself', 'Let it lead to what it means')
      const { $ref, ...siblings } = value
      beside ??= { value: siblings, located }
      located = this.#program.find($ref, located)
      value = { ...(isNamed(located.schema) ? located.schema : {}), ...siblings }
    }
    return beside ? { value, located, beside } : { value, located }
  }
  #entries(above: At, held: unknown, ...steps: readonly string[]): readonly (readonly [name: string, at: At])[] {
    if (held === undefined) return []
    if (!isNamed(held))
      return this.#program.mistake(above.located, `${steps.join('/')} is ${shown(held)}`, 'Write it as an object')
    return Object.keys(held).flatMap((name) => {
      const at = name.startsWith('x-') ? undefined : this.#at(above, [...steps, name])
      return at ? [[name, at] as const] : []
    })
  }
  #list(above: At, name: string): readonly At[] {
    const held = above.value[name] ?? []
    if (!Array.isArray(held))
      return this.#program.mistake(above.located, `${name} is ${shown(held)}`, 'Write it as a list')
    return held.flatMap((one: unknown, index) => {
      if (!isNamed(one))
        return this.#program.mistake(above.located, `${name}/${index} is ${shown(one)}`, 'Write it as an object')
      const located = this.#program.step(homeOf(above, name), [name, String(index)], one)
      return [this.#led({ value: one, located })]
    })
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
      return this.#note(this.#root, `the server ${url}, which is no address`, 'Paths begin at the root') ?? ''
    }
  }

  #operation(path: string, item: At, method: string, operation: At): Endpoint | undefined {
    if (/[#?]/.test(path)) return this.#note(operation, `the path ${path}, which no request can have`, 'It is left out')
    const { title, summary, description, tags, deprecated: _, requestBody, responses } = operation.value
    const parameters = new Map<string, At>()
    for (const at of [...this.#list(item, 'parameters'), ...this.#list(operation, 'parameters')])
      parameters.set(`${at.value['in']} ${at.value['name']}`, at)
    const parts: { [P in Part]: { [name: string]: Field } } = { path: {}, query: {}, header: {}, cookie: {} }
    for (const at of parameters.values())
      for (const [where, name, field] of this.#parameter(at)) put(parts[where], name, field)
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
      ...(this.#isOpen(operation) ? { open: true } : {}),
    }
    const body = requestBody === undefined ? undefined : this.#at(operation, ['requestBody'])
    const bodies = body && method !== 'get' && method !== 'head' ? this.#bodies(body) : undefined
    if (body && !bodies && (method === 'get' || method === 'head'))
      this.#note(body, `a body of ${method.toUpperCase()}, which has no meaning`, 'It is not accepted')
    const signature = `${method.toUpperCase()} ${path}`
    for (;;) {
      try {
        const whole = { ...declaration, ...(bodies ? { body: bodies } : {}) }
        return endpoint(signature as 'GET /', whole as never) as unknown as Endpoint
      } catch (error) {
        if (!(error instanceof DeclarationError)) throw error
        // What no request can carry as it is described is taken as it comes.
        const [part, name] = parseAddress(error.address ?? '') ?? []
        const fields = part === 'query' || part === 'header' || part === 'cookie' ? parts[part] : undefined
        const form = Object.keys(bodies ?? {}).find((type) => !isJson(type) && !isFree(bodies?.[type]))
        if (fields && typeof name === 'string' && Object.hasOwn(fields, name) && !isFree(fields[name])) {
          this.#note(operation, `the parameter ${error.address}: ${error.what}`, 'It is not checked')
          put(fields, name, anything({ optional: true }))
        } else if (bodies && form !== undefined && part === 'body') {
          this.#note(operation, `the body ${form}: ${error.what}`, 'It is not checked')
          bodies[form] = record({}, { unlisted: 'keep' })
        } else return this.#note(operation, `the operation ${signature}: ${error.what}`, 'It is left out')
      }
    }
  }

  #place(at: At, ...steps: readonly string[]): Place | undefined {
    const value = steps.reduce<unknown>((one, step) => (isNamed(one) ? one[step] : undefined), at.value)
    if (value === undefined) return undefined
    if (!isSchema(value))
      return this.#program.mistake(at.located, `${steps.join('/')} is ${shown(value)}`, 'Write it as a schema')
    return this.#program.add(this.#program.within(at.located, steps, value))
  }

  readonly #parameters = new Map<Json, readonly Carrying[]>()
  /** The fields that a parameter is carried by; one that many operations share is read once. */
  #parameter(at: At): readonly Carrying[] {
    const known = this.#parameters.get(at.value) ?? this.#fieldsOf(at)
    this.#parameters.set(at.value, known)
    return known
  }
  #fieldsOf(at: At): readonly Carrying[] {
    const found: Carrying[] = []
    const { name, in: where, required, content, description, deprecated } = at.value
    if (
      typeof name !== 'string' ||
      !(where === 'path' || where === 'query' || where === 'header' || where === 'cookie')
    ) {
      this.#note(at, `a parameter without a name, or in ${shown(where)}`, 'It is not checked')
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
      media === undefined ? this.#place(at, 'schema') : this.#place(at, 'content', media, 'schema'),
    )
    const add = (key: string, field: Field, isKeyNeeded = isNeeded) => {
      const usual = place && key === name ? this.#program.keywordsOf(place)['default'] : undefined
      const isRight = usual !== undefined && place?.holds(usual, this.#program.scope())
      if (usual !== undefined && !isRight) this.#note(at, 'the default, which its own schema rejects', 'It is left out')
      const more = isKeyNeeded ? {} : isRight ? { default: usual } : { optional: true }
      found.push([where, where === 'header' ? key.toLowerCase() : key, again(field, { ...own, ...more })])
    }
    if (!place) add(name, text({ keepEmpty: true }))
    else if (media !== undefined) add(name, this.#carriedBy(place, parsed))
    else this.#styled(at, name, where, place, add)
    return found
  }

  /** Whatever its schema says, a parameter is sent by the client. */
  #ofClient(place: Place | undefined): Place | undefined {
    if (place?.shape['readOnly'] !== true) return place
    let at = place
    while ('$ref' in at.schema && at.always[0]) at = at.always[0]
    const { readOnly: _, ...rest } = at.schema
    return this.#program.part(at, rest)
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
    const field = this.#translator.field(place)
    const node = fieldNode(field)
    const types = typesOf(place.shape) ?? []
    const carries: Carries =
      node.kind === 'list' || node.kind === 'tuple' || types.includes('array')
        ? 'list'
        : node.kind === 'record' || node.kind === 'table' || types.includes('object')
          ? 'object'
          : 'value'
    const isPlain = style === usual || style === 'spaceDelimited' || style === 'pipeDelimited'
    if (carries === 'value' && isPlain)
      add(name, node.kind === 'schema' ? this.#carriedBy(place, (sent) => sent) : field)
    else if (node.kind === 'list' && where === 'query' && isPlain) add(name, again(field, { style, explode } as object))
    else if (node.kind === 'list' && style === 'simple') add(name, again(field, { explode: false } as object))
    else if (where === 'query' && carries === 'object' && style === 'deepObject') add(name, field)
    else if (where === 'query' && node.kind === 'record' && style === 'form' && explode) {
      for (const [key, one] of Object.entries(node.fields)) add(key, one as unknown as Field, false)
      const needed = Object.entries(node.fields).filter(([, one]) => one.need === 'required')
      if (needed.length > 0)
        this.#note(
          at,
          `the names ${needed.map(([key]) => key).join(', ')}, which are needed together`,
          'Each may be left out',
        )
    } else
      add(
        name,
        this.#carriedBy(place, (sent) => spread(sent, name, style, explode, carries, where)),
      )
  }

  /** What is read from texts in a way that no field has. */
  #carriedBy(place: Place, read: (sent: unknown) => unknown): Field {
    return make({ schema: schemaKind }, {}, { judge: judgeBy(this.#program, place, place, read) })
  }

  /** The bodies by their media types. */
  #bodies(body: At): { [mediaType: string]: Field } | undefined {
    const made: { [mediaType: string]: Field } = {}
    for (const [type, media] of this.#entries(body, body.value['content'], 'content')) {
      // Parameters of a media type, such as a charset, are negotiated and not matched.
      const range = readMediaRange(type.replace(/\s*;.*$/s, ''))
      if (!range || range.type === '*/*') {
        this.#note(media, `the media type ${type}`, 'Bodies of any other type are rejected')
        continue
      }
      const place = this.#place(media, 'schema')
      const field = again(
        this.#body(range.type, place, media),
        isJson(range.type) && place ? this.#examples(media, place) : {},
      )
      made[range.type] = body.value['required'] === true ? field : again(field, { optional: true })
    }
    return Object.keys(made).length > 0 ? made : undefined
  }
  /** Examples of a body, without those that its own schema rejects. */
  #examples(media: At, place: Place): { readonly examples?: readonly unknown[] } {
    const named = this.#entries(media, media.value['examples'], 'examples')
    const all = [
      ...('example' in media.value ? [['example', media.value['example']] as const] : []),
      ...named.flatMap(([name, { value }]) =>
        'value' in value ? [[`examples/${name}`, value['value']] as const] : [],
      ),
    ]
    if (this.#program.unlisted === 'refuse') return {}
    const right = all.filter(([name, example]) => {
      if (place.holds(example, this.#program.scope())) return true
      const [{ path, code } = { path: [], code: 'no_branch' }] = place.tell(example, this.#program.scope())
      const address = formatAddress(['body', ...path])
      return this.#note(media, `${name}, which its own schema rejects: ${address} ${code}`, 'It is left out')
    })
    return right.length > 0 ? { examples: right.map(([, example]) => example) } : {}
  }
  #body(type: string, place: Place | undefined, media: At): Field {
    const translated = place && this.#translator.field(place)
    if (isJson(type)) return translated ?? this.#translator.field(this.#program.add(anyValue(media)))
    if (isLines(type) && translated && fieldNode(translated).kind === 'list')
      return again(translated, { lines: true } as object)
    if (type === 'multipart/form-data') return this.#form(place, media, true)
    if (type === 'application/x-www-form-urlencoded') return this.#form(place, media, false)
    if (type.startsWith('text/'))
      return translated && fieldNode(translated).kind === 'text' ? translated : text({ keepEmpty: true })
    if (place && !isBinary(place))
      this.#note(media, `the schema of ${type}`, 'The body is taken as a file, and not checked')
    return file()
  }
  /** A form: what is binary comes as a file, if files can come. */
  #form(place: Place | undefined, media: At, hasFiles: boolean): Field {
    const translated = place && this.#translator.field(place)
    const node = translated && fieldNode(translated)
    const whole = node?.kind === 'schema' ? node.base : node
    if (place && whole !== node)
      this.#note(media, 'what the schema of a form says besides its properties', 'It is not checked')
    if (!place || whole?.kind !== 'record') {
      if (place) this.#note(media, 'the schema of a form, which has no properties', 'Its parts are not checked')
      return record({}, { unlisted: 'keep' })
    }
    const encodings = isNamed(media.value['encoding']) ? media.value['encoding'] : {}
    const fields: { [name: string]: Field } = {}
    for (const [name, member] of Object.entries(whole.fields)) {
      const [own] = [place, ...place.applied].flatMap((one) => one.members(name))
      const encoding = Object.hasOwn(encodings, name) && isNamed(encodings[name]) ? encodings[name] : {}
      const types = typeof encoding['contentType'] === 'string' ? encoding['contentType'].split(/\s*,\s*/) : undefined
      const binary = file(types ? { types: types as readonly `${string}/${string}`[] } : {})
      const isList = own?.elements(0).some(isBinary)
      const made = !hasFiles ? undefined : own && isBinary(own) ? binary : isList ? list(binary) : undefined
      put(fields, name, made ? again(made, member.need === 'required' ? {} : { optional: true }) : member)
    }
    return record(fields as Fields, { unlisted: whole.unlisted ?? 'keep' })
  }

  #required(operation: At): { readonly at: At; readonly all: readonly Json[] } {
    const at = operation.value['security'] === undefined ? this.#root : operation
    const { security } = at.value
    return { at, all: (Array.isArray(security) ? security : []).filter(isNamed) }
  }
  #isOpen(operation: At): boolean {
    const { all } = this.#required(operation)
    return all.length === 0 || all.some((one) => Object.keys(one).length === 0)
  }
  readonly #schemes = new Map<string, Scheme>()
  /** What an operation asks of its caller. */
  #asked(operation: At): Asked {
    const { at, all } = this.#required(operation)
    const alternatives = all.map((one) =>
      Object.keys(one).flatMap((name): Scheme[] => {
        const known = this.#schemes.get(name)
        if (known) return [known]
        const scheme = this.#at(this.#root, ['components', 'securitySchemes', name])
        if (!scheme) {
          this.#note(at, `the security scheme ${name}, which is not described`, 'Nothing is asked of the caller for it')
          return []
        }
        const { type, in: where, name: key, scheme: http } = scheme.value
        const made: Scheme = {
          type: String(type),
          where: where === 'query' || where === 'cookie' ? where : 'header',
          name: type === 'apiKey' && typeof key === 'string' ? key : 'authorization',
          scheme: type === 'http' ? String(http) : type === 'apiKey' ? undefined : 'Bearer',
        }
        this.#schemes.set(name, made)
        if (!this.#options.identify)
          this.#note(
            scheme,
            `the security scheme ${name}`,
            'It must be there, and is not verified. Give readOpenApi identify',
          )
        return [made]
      }),
    )
    return { alternatives: this.#isOpen(operation) ? [] : alternatives.filter((one) => one.length > 0) }
  }
}

/** Whether a field takes what comes. */
const isFree = (field: Field | undefined): boolean =>
  field === undefined ||
  field.kind === 'anything' ||
  (field.kind === 'record' && Object.keys((field as unknown as { readonly fields: object }).fields).length === 0)
const anyValue = ({ located }: At): Located => ({ ...located, schema: {} })

const isBinary = (place: Place): boolean => {
  const { schema } = place.located
  const { type, format, contentMediaType, contentEncoding } = isNamed(schema) ? schema : {}
  return format === 'binary' || (contentMediaType !== undefined && contentEncoding === undefined && type === undefined)
}

/** The status of a success: the least that is described; 200, if none is. */
function successOf(responses: unknown): number {
  const described = Object.keys(isNamed(responses) ? responses : {}).filter((status) => /^2\d\d$/.test(status))
  return described.length === 0 ? 200 : Math.min(...described.map(Number))
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
