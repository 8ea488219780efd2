/** An endpoint: what a request to one method and path may look like. */

import { readMediaRange } from '../grammar/media-range.js'
import { fieldNode, type Node } from '../kinds/kind.js'
import type { RecordNode } from '../kinds/record.js'
import type { AnyCondition, Condition } from '../rules/condition.js'
import { type ConditionMaker, conditionMaker } from '../rules/conditions.js'
import type { FilledBy } from '../rules/fill.js'
import type { AnyRule, Rule } from '../rules/rule.js'
import { type RuleMaker, ruleMaker } from '../rules/rules.js'
import { unfolded } from '../rules/while.js'
import type { Present } from '../terms/address.js'
import type { Endpoint, EndpointTypes } from '../terms/endpoint.js'
import { frozen } from '../terms/frozen.js'
import type { Attest, Attested } from '../terms/head.js'
import { mistake, placed, returned } from '../terms/mistake.js'
import { isPlain, shown } from '../terms/option-types.js'
import { given } from '../terms/own.js'
import type { Policy } from '../terms/policy.js'
import { fieldOf } from '../terms/standard.js'
import { parseTemplate, type Template } from '../terms/template.js'
import type { Field, Fields, Flat, In, InFields, Out, OutFields } from '../terms/types.js'
import { record } from './fields.js'
import {
  type After,
  type AskedBy,
  type Lookup,
  type LookupMaker,
  type LookupNode,
  type Lookups,
  lookupMaker,
  type Turn,
  type TurnNode,
} from './lookups.js'

export type Names<S extends string> = S extends `${string}{${infer N}}${infer Rest}` ? N | Names<Rest> : never
export type PathFields<S extends string> = { readonly [K in Names<S>]: Field }
type OutPart<P> = P extends Fields ? OutFields<P> : {}
type InPart<P> = P extends Fields ? InFields<P> : {}

/** One declaration for `application/json`, or one for each media type; `image/*` takes every image. */
export type Body = Field | { readonly [mediaType: `${string}/${string}`]: Field }
type OutBody<B> = B extends Field
  ? Out<B>
  : B extends { readonly [mediaType: string]: Field }
    ? Out<B[keyof B]>
    : undefined
type InBody<B> = B extends Field
  ? In<B>
  : B extends { readonly [mediaType: string]: Field }
    ? In<B[keyof B]>
    : undefined

/** Field names are addressed in lower case. */
type LowerCase<H> = { [K in keyof H as Lowercase<K & string>]: H[K] }

/** What a handler receives, before anything is filled. */
export type Input<P, Q, H, C, B> = Flat<{
  path: OutPart<P>
  query: OutPart<Q>
  header: OutPart<LowerCase<H>>
  cookie: OutPart<C>
  body: OutBody<B>
}>
/** What a client sends. */
type SentInput<P, Q, H, C, B> = Flat<{
  path: InPart<P>
  query?: InPart<Q>
  header?: InPart<LowerCase<H>>
  cookie?: InPart<C>
  body: InBody<B>
}>

/** What belongs to other code, and must not be changed. */
type Fixed<T> = T extends Date | string | number | bigint | boolean | null | undefined
  ? T
  : T extends readonly (infer E)[]
    ? readonly Fixed<E>[]
    : T extends object
      ? { readonly [K in keyof T]: Fixed<T[K]> }
      : T
/** The caller, as a declared field gives it. */
export type Who<W> = W extends Field ? Fixed<Out<W>> | (W['need'] extends 'required' ? never : undefined) : unknown
/** The input with the caller, if that is declared: what rules, lookups and turns can speak of. */
export type WithWho<I, W> = W extends Field ? Flat<I & { who: Who<W> }> : I
/** What is known before the body comes. */
export type HeadOf<I> = Omit<I, 'body'>

/** The declaration of a body of one media type. */
export interface BodyNode {
  /** As declared: `application/json`, `image/*`. */
  readonly mediaType: string
  readonly node: Node
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
  readonly because?: { readonly [advice: string]: string }
  readonly tags: readonly string[]
  readonly success: number
  readonly path: RecordNode
  readonly query: RecordNode
  readonly header: RecordNode
  readonly cookie: RecordNode
  /** Whether the request goes on to another server as it was sent: then nothing of it may be dropped. */
  readonly asSent?: boolean
  /** Empty where no body is taken. */
  readonly bodies: readonly BodyNode[]
  /** The endpoint as it was declared, if this is that one with what it shares. */
  readonly origin?: EndpointNode
  /** The caller. */
  readonly who?: Node
  /** What must hold of the caller, before the body comes. */
  readonly may?: AnyCondition
  /** Whether a message is genuine. */
  readonly attest?: Attest<unknown, never>
  readonly keepBytes?: true
  /** What a success gives. */
  readonly gives?: Node
  readonly rules: readonly AnyRule[]
  readonly turn?: TurnNode
  readonly lookups: { readonly [name: string]: LookupNode }
}
/** The path of a template without parameters. */
interface NoPath {
  /** The parameters of the path template: one field for each. */
  path?: undefined
}

interface WithPath<P> {
  /** The parameters of the path template: one field for each. */
  path: P
}

/** An endpoint's own type holds only what TypeScript infers from it; what it is made of is here. */
export function endpointNode(endpoint: Endpoint): EndpointNode {
  if (!isEndpoint(endpoint))
    mistake('endpoint', `this is no endpoint, but ${shown(endpoint)}`, 'Give what endpoint() made')
  return endpoint
}

/** `I` is all that rules can speak of; `Far` are the lookups of the group. */
export interface Declaration<Q, H, C, B, W, I, R, L, Far = {}> extends Policy {
  /** A short title. */
  title?: string | undefined
  /** A description, in CommonMark. */
  description?: string | undefined
  /** Tags, for documentation. */
  tags?: readonly string[] | undefined
  /** Advice of `yosei advise` that is answered, with the reason. */
  because?: { readonly [advice: string]: string } | undefined
  /** The fields of the query. */
  query?: Q | undefined
  /** The header fields, by name in any case. Undeclared ones are ignored. */
  header?: H | undefined
  /** Read as secrets: no output shows them. The first of a name counts. */
  cookie?: C | undefined
  /** The body: a field for `application/json`, or a field for each media type. */
  body?: B | undefined
  /** Status of a handler's plain value; 200 by default. */
  success?: number | undefined
  /**
   * The caller: the type of what `identify` gives. It is checked and not copied; undeclared names stay. It is a secret
   * everywhere.
   */
  who?: W | undefined
  /**
   * A condition on the caller, the path, query and header. It is checked before the body arrives. Else 403
   * `not_allowed`.
   */
  may?: ((on: ConditionMaker<HeadOf<I>>) => Condition) | undefined
  /** Rules between fields: see docs/rules.md. */
  rules?: ((on: RuleMaker<I>) => R) | undefined
  /** Lets one request per key run its lookups and its handler at a time: see docs/turns.md. */
  turn?: Turn<I> | undefined
  /** Checks against services: see docs/lookups.md. */
  lookups?: ((on: LookupMaker<I>, group: Far) => L) | undefined
}
/** What an endpoint does with its messages as they came. `T` is what its function gives: never, if it has none. */
export interface AsItCame<W, A, T extends Attested, K> {
  /**
   * Says whether a message is genuine, such as by its signature. It gets the body as it was on the wire, within the
   * limits, before it is decoded and parsed. `false` is 403 `not_genuine`. If it throws or gives anything else but
   * `true` and refusals, the answer is 503. Not for multipart bodies. The nearest `attest` counts.
   */
  attest?: Attest<Who<W>, A, T> | undefined
  /** Gives handlers the body as it was on the wire: `context.bytes`. Not for multipart bodies. */
  keepBytes?: K | undefined
}
/** What an endpoint says of its answers besides. */
export interface Giving<G> {
  /** What a success gives, as JSON: described, and typed for clients; never judged. */
  gives?: G | undefined
}

/** The types of an endpoint, from those of its declaration. */
export interface Types<P, Q, H, C, B, W, R, L, G, A = unknown, T = never, K = undefined> extends EndpointTypes {
  readonly input: Present<Input<P, Q, H, C, B>, FilledBy<R>>
  readonly sent: SentInput<P, Q, H, C, B>
  // Written out, so that what is inferred names nothing of these.
  readonly found: {
    readonly [K in keyof L as L[K] extends After ? never : K]: L[K] extends Lookup<unknown, infer F> ? F : never
  }
  readonly filled: {
    [K in keyof L]: L[K] extends Lookup<unknown, unknown, infer A> ? (string extends A ? never : A) : never
  }[keyof L]
  readonly services: AskedBy<L> & A
  readonly who: Who<W>
  readonly gives: G extends Field ? In<G> : unknown
  readonly attested: [T] extends [never] ? false : true
  readonly bytes: [K] extends [true] ? Uint8Array : undefined
}

/**
 * Declares what a request to one method and path may look like.
 *
 * @param signature Method and path template (RFC 6570, level 1): `'POST /telescopes/{telescopeId}/sessions'`.
 * @throws DeclarationError if the declaration makes no sense.
 * @example
 * const listSessions = endpoint('GET /sessions', { query: { limit: integer({ min: 1, max: 100, default: 20 }) } })
 */
export function declareEndpoint<
  const S extends string,
  P extends PathFields<S> = PathFields<S>,
  Q extends Fields = {},
  H extends Fields = {},
  C extends Fields = {},
  B extends Body | undefined = undefined,
  W extends Field | undefined = undefined,
  const R extends readonly Rule[] = [],
  L extends Lookups = {},
  G extends Field | undefined = undefined,
  A = unknown,
  T extends Attested = never,
  const K extends true | undefined = undefined,
>(
  signature: S,
  declaration: ([Names<S>] extends [never] ? NoPath : WithPath<P>) &
    Declaration<Q, H, C, B, W, WithWho<Input<P, Q, H, C, B>, W>, R, L> &
    Giving<G> &
    AsItCame<W, A, T, K>,
): Endpoint<Flat<Types<P, Q, H, C, B, W, R, L, G, A, T, K>>> {
  return frozen(nodeOf(signature, declaration as LooseDeclaration, {})) as never
}

/** @throws DeclarationError if something among them is no endpoint. */
export function endpointsIn(where: string, given: unknown): [name: string, endpoint: EndpointNode][] {
  if (!isPlain(given)) mistake(where, `its endpoints are ${shown(given)}`, 'Write them as { name: endpoint(…) }')
  return Object.entries(given).map(([name, one]) => {
    if (!isEndpoint(one)) mistake(`${where}, ${name}`, `is no endpoint, but ${shown(one)}`, 'Make it with endpoint()')
    return [name, one]
  })
}
export const isEndpoint = (one: unknown): one is EndpointNode =>
  typeof one === 'object' && one !== null && Array.isArray((one as { segments?: unknown }).segments)

/** A declaration without its static types. */
type LooseDeclaration = Declaration<Fields, Fields, Fields, Body, Field, unknown, readonly Rule[], Lookups> &
  Giving<Field> &
  AsItCame<Field, never, Attested, true> & { path?: Fields }

/** The method and the path template; what is neither is found where a service is declared. */
export const signedBy = (signature: string): readonly [method: string, template: string] => {
  const [, method = '', template = ''] = /^([A-Z]+) (\S*)$/.exec(signature) ?? []
  return [method, template]
}

/** @param far The lookups of the group that the endpoint is made in. */
export function nodeOf(signature: string, declaration: LooseDeclaration, far: EndpointNode['lookups']): EndpointNode {
  const {
    path = {},
    query = {},
    header = {},
    cookie = {},
    body,
    who,
    may,
    rules,
    lookups,
    gives,
    tags = [],
    success = 200,
    ...annotations
  } = declaration
  const [method, template] = signedBy(signature)
  const node = {
    method,
    template,
    segments: parseTemplate(template),
    ...given(annotations),
    tags,
    success,
    path: part(path),
    query: part(query),
    header: headerPart(header),
    cookie: cookiePart(cookie),
    bodies: bodiesOf(body),
    ...(who === undefined ? {} : { who: fieldNode(asSecret(who)) }),
    ...(gives === undefined ? {} : { gives: fieldNode(gives) }),
    ...(may === undefined
      ? {}
      : { may: placed(signature, () => returned(signature, 'may', may(conditionMaker as never))) as AnyCondition }),
    rules: placed(signature, () => unfolded(rules ? returned(signature, 'rules', rules(ruleMaker)) : [])),
    lookups: placed(signature, () =>
      lookups ? returned(signature, 'lookups', lookups(lookupMaker as never, far)) : {},
    ) as EndpointNode['lookups'],
  }
  return node as EndpointNode
}

const isLines = (field: Field) => {
  const node = fieldNode(field)
  return node.kind === 'list' && node.lines === true
}

function bodiesOf(body: Body | undefined): readonly BodyNode[] {
  if (!body) return []
  // A field has a kind; what has media types has a slash in every name.
  const byType = !('kind' in body)
    ? body
    : isLines(body as Field)
      ? { 'application/x-ndjson': body, 'application/jsonl': body }
      : { 'application/json': body }
  return Object.entries(byType).map(([mediaType, node]) => {
    // What is no media type is found where a service is declared.
    return frozen({ mediaType: readMediaRange(mediaType)?.type ?? mediaType, node: fieldNode(node) })
  })
}

/** What is worked out of an endpoint with a body of one media type: once, when it is first asked for. */
/* @__NO_SIDE_EFFECTS__ */
export function oncePerBody<T extends object>(work: (endpoint: EndpointNode, body: BodyNode | undefined) => T) {
  interface Worked {
    readonly body: BodyNode | undefined
    readonly value: T
    /** Of another body of the endpoint: most have one. */
    readonly next: Worked | undefined
  }
  const known = new WeakMap<EndpointNode, Worked>()
  return (endpoint: EndpointNode, body: BodyNode | undefined): T => {
    for (let worked = known.get(endpoint); worked; worked = worked.next) if (worked.body === body) return worked.value
    const value = work(endpoint, body)
    known.set(endpoint, { body, value, next: known.get(endpoint) })
    return value
  }
}

const rootWith = oncePerBody(({ path, query, header, cookie, who }, body): RecordNode => {
  return {
    kind: 'record',
    need: 'required',
    fields: { path, query, header, cookie, ...(body ? { body: body.node } : {}), ...(who ? { who } : {}) },
  }
})
/** The parts of an endpoint as the fields of one record: where addresses start. */
export const rootOf = (endpoint: EndpointNode, chosen = endpoint.bodies[0]): RecordNode => rootWith(endpoint, chosen)

export const part = (fields: Fields, options = {}) => fieldNode(record(fields, options)) as RecordNode
/**
 * Field names are case-insensitive and addressed in lower case (RFC 9110, section 5.1); others than the declared are
 * let by.
 */
export const headerPart = (fields: Fields) => part(lowerCase(fields), { unlisted: 'drop' })
export const cookiePart = (fields: Fields) => part(mapFields(fields, asSecret), { unlisted: 'drop' })
const secretAlways = /* @__PURE__ */ new Set(['authorization', 'cookie', 'set-cookie'])

export const asSecret = (field: Field): Field => fieldOf({ ...field, secret: true })
const mapFields = (fields: Fields, map: (field: Field) => Field): Fields =>
  Object.fromEntries(Object.entries(fields).map(([name, field]) => [name, map(field)]))

/** That two names differ only in case is found where a service is declared. */
const lowerCase = (header: Fields): Fields =>
  Object.fromEntries(
    Object.entries(header).map(([name, field]) => {
      const key = name.toLowerCase()
      return [key, secretAlways.has(key) ? asSecret(field) : field]
    }),
  )
