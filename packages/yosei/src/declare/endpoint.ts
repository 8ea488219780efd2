/** An endpoint: what a request to one method and path may look like. An intake: the endpoints of a service. */
import { checkSound, checkTextPart } from '#checks'
import { parseAddress } from './address.js'
import { record } from './fields.js'
import { nodesAt } from './locate.js'
import { mistake } from './mistake.js'
import type { Node, RecordNode } from './node.js'
import { type AnyRule, type Rule, type RuleMaker, ruleMaker } from './rules.js'
import { parseTemplate, type Template } from './template.js'
import type { Field, Fields, Flat, In, InFields, Out, OutFields } from './types.js'

export const partNames = ['path', 'query', 'header', 'body'] as const
export type Part = (typeof partNames)[number]

type Names<S extends string> = S extends `${string}{${infer N}}${infer Rest}` ? N | Names<Rest> : never
type PathFields<S extends string> = { readonly [K in Names<S>]: Field }
type OutPart<P> = P extends Fields ? OutFields<P> : {}
type InPart<P> = P extends Fields ? InFields<P> : {}

/** What a handler receives. */
export type Input<P, Q, H, B> = Flat<{
  path: OutPart<P>
  query: OutPart<Q>
  header: OutPart<H>
  body: B extends Field ? Out<B> : undefined
}>
/** What a client sends. */
export type SentInput<P, Q, H, B> = Flat<{
  path: InPart<P>
  query?: InPart<Q>
  header?: InPart<H>
  body: B extends Field ? In<B> : undefined
}>

/** One request schema. `I` is the accepted input, `S` what a client sends. */
export interface Endpoint<I = unknown, S = unknown> {
  readonly method: string
  readonly template: string
  readonly '~input'?: I
  readonly '~sent'?: S
}
/** The typed input of an endpoint's accepted requests. */
export type Accepted<E> = E extends Endpoint<infer I, unknown> ? I : never
/** What a client sends to an endpoint. */
export type Sent<E> = E extends Endpoint<unknown, infer S> ? S : never

/** Settings that an endpoint may have, or share with its intake; the nearest wins. */
export interface Policy {
  /** Read text where the JSON body should carry another type. */
  coerce?: boolean
  /** What happens to names that are not declared. `reject` by default. */
  undeclared?: { readonly query?: 'reject' | 'drop'; readonly body?: 'reject' | 'drop' | 'keep' }
}

/** What an endpoint is to those who read it. */
export interface EndpointNode extends Readonly<Policy> {
  /** What its intake calls it. */
  readonly name?: string
  readonly engine?: 'compiled' | 'interpreted'
  readonly method: string
  readonly template: string
  readonly segments: Template
  readonly title?: string
  readonly description?: string
  readonly tags: readonly string[]
  readonly success: number
  readonly path: RecordNode
  readonly query: RecordNode
  readonly header: RecordNode
  /** By media type; empty where no body is taken. */
  readonly body: { readonly [mediaType: string]: Node }
  readonly rules: readonly AnyRule[]
}

interface Declaration<Q, H, B, I> extends Policy {
  title?: string
  description?: string
  tags?: readonly string[]
  query?: Q
  header?: H
  /** The body, as `application/json`. */
  body?: B
  /** Status of a handler's plain value; 200 by default. */
  success?: number
  rules?: (on: RuleMaker<I>) => readonly Rule[]
}

/**
 * Declares what a request to one method and path may look like.
 *
 * @param signature Method and path template (RFC 6570, level 1): `'POST /telescopes/{telescopeId}/sessions'`.
 * @throws DeclarationError where the declaration makes no sense.
 * @example
 * const listSessions = endpoint('GET /sessions', { query: { limit: integer({ min: 1, max: 100, default: 20 }) } })
 */
export function endpoint<
  const S extends string,
  P extends PathFields<S> = PathFields<S>,
  Q extends Fields = {},
  H extends Fields = {},
  B extends Field | undefined = undefined,
>(
  signature: S,
  declaration: ([Names<S>] extends [never] ? { path?: undefined } : { path: P }) & Declaration<Q, H, B, Input<P, Q, H, B>>,
): Endpoint<Input<P, Q, H, B>, SentInput<P, Q, H, B>> {
  return Object.freeze(nodeOf(signature, declaration as LooseDeclaration)) as Endpoint<Input<P, Q, H, B>, SentInput<P, Q, H, B>>
}

/** A declaration without its static types. */
type LooseDeclaration = Declaration<Fields, Fields, Field, unknown> & { path?: Fields }

function nodeOf(signature: string, declaration: LooseDeclaration): EndpointNode {
  const { path = {}, query = {}, header = {}, body, rules, tags = [], success = 200, ...annotations } = declaration
  const [, method = '', template = ''] = /^([A-Z]+) (\S*)$/.exec(signature) ?? []
  if (method === '') mistake(`"${signature}"`, 'this is no method and path template', "Write them as 'GET /path/{name}'")
  const node = {
    method,
    template,
    segments: parseTemplate(signature, template),
    ...annotations,
    tags,
    success,
    path: part(path),
    query: part(query),
    // Field names are case-insensitive and addressed in lower case (RFC 9110, section 5.1); others than the declared are let by.
    header: part(lowerCase(signature, header), { undeclared: 'drop' }),
    body: (body ? { 'application/json': body } : {}) as unknown as EndpointNode['body'],
    rules: (rules?.(ruleMaker as unknown as RuleMaker<unknown>) ?? []) as readonly AnyRule[],
  }
  checkParts(signature, node)
  const root = rootOf(node)
  for (const rule of node.rules) {
    for (const address of [...rule.reads, ...rule.blames]) {
      const path = parseAddress(address)
      if (!path || nodesAt(root, path).length === 0)
        mistake(`${signature}, rule ${rule.rule}`, `${address} is not declared`, 'Name a declared field')
    }
  }
  return node
}

function checkParts(signature: string, node: EndpointNode): void {
  const named = node.segments.flatMap((segment) => (typeof segment === 'string' ? [] : [segment.name]))
  const undeclared = named.find((name) => !Object.hasOwn(node.path.fields, name))
  const unnamed = Object.keys(node.path.fields).find((name) => !named.includes(name))
  if (undeclared !== undefined)
    mistake(
      `${signature}, path.${undeclared}`,
      'the template has this parameter, the path does not declare it',
      `Add ${undeclared} to path`,
    )
  if (unnamed !== undefined)
    mistake(`${signature}, path.${unnamed}`, 'this is no parameter of the template', `Write {${unnamed}} into the template`)
  for (const name of ['path', 'query', 'header'] as const) {
    checkSound(signature, node[name], [name])
    checkTextPart(signature, name, node[name])
  }
  for (const body of Object.values(node.body)) {
    checkSound(signature, body, ['body'])
    if (node.method === 'GET' || node.method === 'HEAD')
      mistake(`${signature}, body`, `${node.method} has no body (RFC 9110, section 9.3)`, 'Declare a query, or use POST')
  }
}

/** The body's declaration, where no media type says which. */
export function soleBody({ body }: EndpointNode): Node | undefined {
  for (const mediaType in body) return body[mediaType]
  return undefined
}

const roots = new WeakMap<EndpointNode, Map<Node | undefined, RecordNode>>()

/** The parts of an endpoint as the fields of one record: where addresses start. */
export function rootOf(endpoint: EndpointNode, chosen = soleBody(endpoint)): RecordNode {
  const { path, query, header } = endpoint
  const known = roots.get(endpoint) ?? new Map<Node | undefined, RecordNode>()
  roots.set(endpoint, known)
  const root = known.get(chosen) ?? {
    kind: 'record',
    presence: 'required',
    fields: { path, query, header, ...(chosen ? { body: chosen } : {}) },
  }
  known.set(chosen, root)
  return root
}

const part = (fields: Fields, options = {}) => record(fields, options) as unknown as RecordNode
const secretAlways = new Set(['authorization', 'cookie', 'set-cookie'])

function lowerCase(signature: string, header: Fields): Fields {
  const lower: { [name: string]: Field } = {}
  for (const [name, field] of Object.entries(header)) {
    const key = name.toLowerCase()
    if (Object.hasOwn(lower, key)) mistake(`${signature}, header.${key}`, 'two names differ only in case', 'Declare the header field once')
    lower[key] = secretAlways.has(key) ? Object.freeze({ ...field, secret: true }) : field
  }
  return lower
}

export type Endpoints = { readonly [name: string]: Endpoint }
/** The endpoints of a service with what they share; the default export of an intake module. */
export interface Intake<E extends Endpoints = Endpoints> {
  readonly endpoints: E
}
/** What an intake is to those who read it. */
export interface IntakeNode {
  readonly endpoints: { readonly [name: string]: EndpointNode }
  readonly base: string
  readonly title?: string
  readonly version?: string
}

/**
 * Gathers the endpoints of a service.
 *
 * @example
 * export default intake({ endpoints: { bookSession, listSessions }, base: '/api/v1' })
 */
export function intake<const E extends Endpoints>(
  declaration: Policy & {
    endpoints: E
    /** Where it is mounted: `/api/v1`. */
    base?: string
    title?: string
    version?: string
    /** Whether code is made for each endpoint, where that is allowed, or its declaration is interpreted. */
    engine?: 'compiled' | 'interpreted'
  },
): Intake<E> {
  const { endpoints, base = '', coerce, undeclared, engine, ...annotations } = declaration
  const settled = Object.entries(endpoints).map(([name, endpoint]) => {
    return [name, settle(name, endpoint as EndpointNode, { coerce, undeclared, engine })] as const
  })
  const shapes = new Map<string, string>()
  for (const [name, { method, segments }] of settled) {
    const shape = `${method} /${segments.map((segment) => (typeof segment === 'string' ? segment : '{}')).join('/')}`
    const other = shapes.get(shape)
    if (other !== undefined) mistake(`intake, ${name}`, `${other} matches the same requests`, 'Give one of them another method or path')
    shapes.set(shape, name)
  }
  return Object.freeze({
    ...annotations,
    endpoints: Object.freeze(Object.fromEntries(settled)) as unknown as E,
    base: base.replace(/\/$/, ''),
  })
}

interface Shared {
  readonly coerce: boolean | undefined
  readonly undeclared: Policy['undeclared']
  readonly engine: EndpointNode['engine'] | undefined
}

/** The endpoint with its name and the settings that it shares; its own win. */
function settle(name: string, endpoint: EndpointNode, { coerce, undeclared, engine }: Shared): EndpointNode {
  return Object.freeze({
    ...endpoint,
    name,
    ...(coerce === undefined || endpoint.coerce !== undefined ? {} : { coerce }),
    ...(undeclared === undefined ? {} : { undeclared: { ...undeclared, ...endpoint.undeclared } }),
    ...(engine === undefined ? {} : { engine }),
  })
}
