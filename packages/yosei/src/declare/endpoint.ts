/** An endpoint: what a request to one method and path may look like. An intake: the endpoints of a service. */
import { parseAddress } from './address.js'
import { record } from './fields.js'
import { mistake } from './mistake.js'
import type { Node, RecordNode } from './node.js'
import { type AnyRule, type Rule, type RuleMaker, ruleMaker } from './rules.js'
import { parseTemplate, type Template } from './template.js'
import type { Field, Fields, Flat, In, InFields, Out, OutFields } from './types.js'

const partNames = ['path', 'query', 'header', 'body'] as const
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

/** What an endpoint is to those who read it. */
export interface EndpointNode {
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

interface Declaration<Q, H, B, I> {
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
  const [method = '', template = ''] = signature.split(' ')
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
    header: part(lowerCase(header), { undeclared: 'drop' }),
    body: (body ? { 'application/json': body } : {}) as unknown as EndpointNode['body'],
    rules: (rules?.(ruleMaker as unknown as RuleMaker<unknown>) ?? []) as readonly AnyRule[],
  }
  for (const rule of node.rules) {
    for (const address of [...rule.reads, ...rule.blames]) {
      if (!exists(node, address)) mistake(`${signature}, rule ${rule.rule}`, `${address} is not declared`, 'Name a declared field')
    }
  }
  return node
}

const part = (fields: Fields, options = {}) => record(fields, options) as unknown as RecordNode
const secretAlways = new Set(['authorization', 'cookie', 'set-cookie'])
const lowerCase = (header: Fields): Fields =>
  Object.fromEntries(
    Object.entries(header).map(([name, field]) => {
      const lower = name.toLowerCase()
      return [lower, secretAlways.has(lower) ? Object.freeze({ ...field, secret: true }) : field]
    }),
  )

/** Whether a rule's address names something that is declared. */
function exists(node: EndpointNode, address: string): boolean {
  const [first, ...steps] = parseAddress(address) ?? []
  if (!partNames.includes(first as Part)) return false
  let here: readonly Node[] = first === 'body' ? Object.values(node.body) : [node[first as 'path' | 'query' | 'header']]
  for (const step of steps) {
    here = here.flatMap((at): readonly Node[] => {
      if (at.kind === 'list') return typeof step === 'number' ? [at.item] : []
      if (at.kind === 'record') return Object.hasOwn(at.fields, step) ? [at.fields[step] as Node] : []
      return []
    })
  }
  return here.length > 0
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
export function intake<const E extends Endpoints>(declaration: {
  endpoints: E
  /** Where it is mounted: `/api/v1`. */
  base?: string
  title?: string
  version?: string
}): Intake<E> {
  const { endpoints, base = '', ...annotations } = declaration
  return Object.freeze({ ...annotations, endpoints: Object.freeze({ ...endpoints }), base: base.replace(/\/$/, '') })
}
