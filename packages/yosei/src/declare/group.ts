/** Endpoints that share a path prefix, declarations, rules, lookups and policy. */

import { fieldNode } from '../kinds/kind.js'
import type { RecordNode } from '../kinds/record.js'
import type { AnyCondition, Condition } from '../rules/condition.js'
import { type ConditionMaker, conditionMaker } from '../rules/conditions.js'
import type { Rule } from '../rules/rule.js'
import { type RuleMaker, ruleMaker } from '../rules/rules.js'
import { unfolded } from '../rules/while.js'
import type { Endpoint, Endpoints, EndpointTypes } from '../terms/endpoint.js'
import { frozen } from '../terms/frozen.js'
import type { Attested } from '../terms/head.js'
import { placed, returned } from '../terms/mistake.js'
import { nearest, type Policy } from '../terms/policy.js'
import { checkStatuses } from '../terms/statuses.js'
import { parseTemplate } from '../terms/template.js'
import type { Field, Fields, Flat } from '../terms/types.js'
import {
  type AsItCame,
  asSecret,
  type Body,
  cookiePart,
  type Declaration,
  type EndpointNode,
  endpointsIn,
  type Giving,
  type HeadOf,
  headerPart,
  type Input,
  type Names,
  nodeOf,
  type PathFields,
  part,
  type Types,
  type WithWho,
} from './endpoint.js'
import { type LookupMaker, type Lookups, lookupMaker } from './lookups.js'

interface Shared<S, P, Q, H, C, W, I, L, A, T extends Attested, K> extends Policy, AsItCame<W, A, T, K> {
  /** Before the templates of all: `/teams/{team}`. */
  prefix?: S | undefined
  /** The parameters of the prefix. */
  path?: (P & { readonly [N in Exclude<keyof P, Names<S & string>>]: never }) | undefined
  /** Query fields that all endpoints of the group have. */
  query?: Q | undefined
  /** Header fields that all endpoints of the group have. */
  header?: H | undefined
  /** Cookies that all endpoints of the group have. */
  cookie?: C | undefined
  /** Tags that all endpoints of the group have. */
  tags?: readonly string[] | undefined
  /** As an endpoint's. */
  who?: W | undefined
  /** It must hold in addition to the `may` of an endpoint. */
  may?: ((on: ConditionMaker<HeadOf<I>>) => Condition) | undefined
  /** Rules that hold for all endpoints of the group. */
  rules?: ((on: RuleMaker<I>) => readonly Rule[]) | undefined
  /** Lookups that run before those of the endpoints. */
  lookups?: ((on: LookupMaker<I>) => L) | undefined
}

/** Two parts as one; what is nearer wins. */
type Both<Near, Far> = Flat<Omit<Far, keyof Near> & Near>
type Parts = 'path' | 'query' | 'header' | 'cookie'
type With<I, Far> = Flat<{ [K in keyof I]: K extends Parts & keyof Far ? Both<I[K], Far[K]> : I[K] }>
/** The types of an endpoint in a group whose own are `Far`. */
interface GroupedTypes<T extends EndpointTypes, Far extends EndpointTypes> extends EndpointTypes {
  readonly input: With<T['input'], Far['input']>
  readonly sent: With<T['sent'], Far['sent']>
  readonly found: Both<T['found'], Far['found']>
  readonly filled: T['filled'] | Far['filled']
  readonly services: T['services'] & Far['services']
  readonly who: unknown extends T['who'] ? Far['who'] : T['who']
  readonly gives: T['gives']
  readonly attested: T['attested'] extends true ? true : Far['attested']
  readonly bytes: T['bytes'] extends undefined ? Far['bytes'] : T['bytes']
}
type Grouped<E, Far extends EndpointTypes> = E extends Endpoint<infer T> ? Endpoint<Flat<GroupedTypes<T, Far>>> : never

/** Makes endpoints of a group: their rules, lookups and turns may speak of what the group declares. */
export interface SharedMaker<P, Q, H, C, W, L> {
  /** As `endpoint`; it is held to making sense when it is in its group. */
  endpoint<
    const S extends string,
    OP extends PathFields<S> = PathFields<S>,
    OQ extends Fields = {},
    OH extends Fields = {},
    OC extends Fields = {},
    OB extends Body | undefined = undefined,
    OW extends Field | undefined = undefined,
    const R extends readonly Rule[] = [],
    OL extends Lookups = {},
    G extends Field | undefined = undefined,
    A = unknown,
    T extends Attested = never,
    const K extends true | undefined = undefined,
  >(
    signature: S,
    declaration: ([Names<S>] extends [never] ? { path?: undefined } : { path: OP }) &
      Declaration<
        OQ,
        OH,
        OC,
        OB,
        OW,
        WithWho<With<Input<OP, OQ, OH, OC, OB>, Input<P, Q, H, C, undefined>>, OW extends Field ? OW : W>,
        R,
        OL,
        L
      > &
      Giving<G> &
      AsItCame<OW extends Field ? OW : W, A, T, K>,
  ): Endpoint<Flat<Types<OP, OQ, OH, OC, OB, OW, R, OL, G, A, T, K>>>
}

/**
 * Endpoints with what they share. Groups nest; the setting nearest to the endpoint wins. If the rules, lookups or turns
 * of an endpoint read fields of the group, pass a function.
 *
 * @throws DeclarationError if what is shared does not fit an endpoint.
 * @example
 * intake({ endpoints: { ...group({ prefix: '/v1', header: { 'x-team': slug } }, { bookSession, listSessions }) } })
 */
export function declareGroup<
  const E extends Endpoints,
  const S extends string = '',
  P extends Fields = {},
  Q extends Fields = {},
  H extends Fields = {},
  C extends Fields = {},
  W extends Field | undefined = undefined,
  L extends Lookups = {},
  A = unknown,
  T extends Attested = never,
  const K extends true | undefined = undefined,
>(
  shared: Shared<S, P, Q, H, C, W, WithWho<Input<P, Q, H, C, undefined>, W>, L, A, T, K>,
  endpoints: E | ((shared: SharedMaker<P, Q, H, C, W, L>) => E),
  /** Holds a declaration to making sense, before it is read. */
  check: (signature: string, declaration: never) => void = () => undefined,
): { readonly [N in keyof E]: Grouped<E[N], Types<P, Q, H, C, undefined, W, [], L, undefined, A, T, K>> } {
  const loose = shared as LooseShared
  checkStatuses('group', loose.statuses)
  const far = placed('group', () =>
    loose.lookups ? returned('group', 'lookups', loose.lookups(lookupMaker as never)) : {},
  ) as EndpointNode['lookups']
  const endpoint = (signature: string, declaration: never) => {
    check(signature, declaration)
    return frozen(nodeOf(signature, declaration, far))
  }
  const made = typeof endpoints === 'function' ? endpoints({ endpoint } as never) : endpoints
  const grouped = endpointsIn('group', made).map(([name, one]) => [name, joined(loose, far, one)])
  return Object.freeze(Object.fromEntries(grouped)) as never
}

type LooseShared = Shared<string, Fields, Fields, Fields, Fields, Field, unknown, Lookups, never, Attested, true>

function joined(shared: LooseShared, far: EndpointNode['lookups'], endpoint: EndpointNode): EndpointNode {
  const {
    prefix = '',
    query = {},
    header = {},
    cookie = {},
    tags = [],
    who,
    may,
    rules,
    lookups: _,
    ...policy
  } = shared
  const { path = {}, ...rest } = policy as typeof policy & { path?: Fields }
  const template = `${prefix.replace(/\/$/, '')}${endpoint.template === '/' ? '' : endpoint.template}` || '/'
  const signature = `${endpoint.method} ${template}`
  const both = (outer: RecordNode, near: RecordNode) => ({ ...outer.fields, ...near.fields }) as Fields
  const node: EndpointNode = frozen({
    ...endpoint,
    ...nearest(endpoint, rest),
    ...(endpoint.who || who === undefined ? {} : { who: fieldNode(asSecret(who)) }),
    ...(may === undefined
      ? {}
      : { may: bothHold(returned(signature, 'may', may(conditionMaker as never)) as AnyCondition, endpoint.may) }),
    template,
    segments: parseTemplate(template),
    tags: [...new Set([...tags, ...endpoint.tags])],
    path: part(both(part(path), endpoint.path)),
    query: part(both(part(query), endpoint.query)),
    header: headerPart(both(headerPart(header), endpoint.header)),
    cookie: cookiePart(both(cookiePart(cookie), endpoint.cookie)),
    rules: [
      ...placed(signature, () => unfolded(rules ? returned(signature, 'rules', rules(ruleMaker as never)) : [])),
      ...endpoint.rules,
    ],
    lookups: { ...far, ...endpoint.lookups },
    origin: endpoint.origin ?? endpoint,
  })
  return node
}

const bothHold = (far: AnyCondition, near: AnyCondition | undefined): AnyCondition =>
  near ? (conditionMaker.all(far, near) as AnyCondition) : far
