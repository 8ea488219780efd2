/** Endpoints that share a path prefix, declarations, rules, lookups and policy. */

import type { RecordNode } from '../kinds/record.js'
import type { AnyRule, Rule } from '../rules/rule.js'
import { type RuleMaker, ruleMaker } from '../rules/rules.js'
import type { Endpoint, Endpoints } from '../terms/endpoint.js'
import { frozen } from '../terms/frozen.js'
import { nearest, type Policy } from '../terms/policy.js'
import { checkStatuses } from '../terms/statuses.js'
import { parseTemplate } from '../terms/template.js'
import type { Fields, Flat } from '../terms/types.js'
import {
  type Body,
  cookiePart,
  type Declaration,
  declareEndpoint,
  type EndpointNode,
  headerPart,
  type Input,
  type Lookups,
  type Names,
  type PathFields,
  part,
  type SentInput,
} from './endpoint.js'
import { type Lookup, type LookupMaker, type LookupNode, lookupMaker } from './lookups.js'

interface Shared<P, Q, H, C, L> extends Policy {
  /** Before the templates of all: `/teams/{team}`. */
  prefix?: string
  /** The parameters of the prefix. */
  path?: P
  query?: Q
  header?: H
  cookie?: C
  tags?: readonly string[]
  rules?: (on: RuleMaker<Input<P, Q, H, C, undefined>>) => readonly Rule[]
  lookups?: (on: LookupMaker<Input<P, Q, H, C, undefined>>) => L
}

type FoundIn<L> = { readonly [K in keyof L]: L[K] extends Lookup<unknown, infer F> ? F : never }
/** Two parts as one; what is nearer wins. */
type Both<Near, Far> = Flat<Omit<Far, keyof Near> & Near>
type Parts = 'path' | 'query' | 'header' | 'cookie'
type With<I, Far> = Flat<{ [K in keyof I]: K extends Parts & keyof Far ? Both<I[K], Far[K]> : I[K] }>
type Grouped<E, P, Q, H, C, L> =
  E extends Endpoint<infer I, infer S, infer F>
    ? Endpoint<With<I, Input<P, Q, H, C, undefined>>, With<S, SentInput<P, Q, H, C, undefined>>, Both<F, FoundIn<L>>>
    : never

/** Makes endpoints of a group: their rules, lookups and turns may speak of what the group declares. */
export interface SharedMaker<P, Q, H, C> {
  /** As `endpoint`; it is held to making sense when it is in its group. */
  endpoint<
    const S extends string,
    OP extends PathFields<S> = PathFields<S>,
    OQ extends Fields = {},
    OH extends Fields = {},
    OC extends Fields = {},
    OB extends Body | undefined = undefined,
    OL extends Lookups = {},
  >(
    signature: S,
    declaration: ([Names<S>] extends [never] ? { path?: undefined } : { path: OP }) &
      Declaration<OQ, OH, OC, OB, With<Input<OP, OQ, OH, OC, OB>, Input<P, Q, H, C, undefined>>, OL>,
  ): Endpoint<Input<OP, OQ, OH, OC, OB>, SentInput<OP, OQ, OH, OC, OB>, FoundIn<OL>>
}
const maker = { endpoint: declareEndpoint } as unknown as SharedMaker<never, never, never, never>

/**
 * Endpoints with what they share. Groups nest; what an endpoint or an inner group says itself wins. Where endpoints speak
 * of what they share, in rules, lookups or turns, they are made by a function: `(shared) => ({ name: shared.endpoint(…) })`.
 *
 * @throws DeclarationError where what is shared does not fit an endpoint.
 * @example
 * intake({ endpoints: { ...group({ prefix: '/v1', header: { 'x-team': slug } }, { bookSession, listSessions }) } })
 */
export function declareGroup<
  const E extends Endpoints,
  P extends Fields = {},
  Q extends Fields = {},
  H extends Fields = {},
  C extends Fields = {},
  L extends Lookups = {},
>(
  shared: Shared<P, Q, H, C, L>,
  endpoints: E | ((shared: SharedMaker<P, Q, H, C>) => E),
): { readonly [N in keyof E]: Grouped<E[N], P, Q, H, C, L> } {
  checkStatuses('group', shared.statuses)
  const made = typeof endpoints === 'function' ? endpoints(maker as never) : endpoints
  const grouped = Object.entries(made).map(([name, endpoint]) => [
    name,
    joined(shared as unknown as LooseShared, endpoint as EndpointNode),
  ])
  return Object.freeze(Object.fromEntries(grouped)) as { readonly [N in keyof E]: Grouped<E[N], P, Q, H, C, L> }
}

type LooseShared = Shared<Fields, Fields, Fields, Fields, Lookups>

function joined(shared: LooseShared, endpoint: EndpointNode): EndpointNode {
  const { prefix = '', path = {}, query = {}, header = {}, cookie = {}, tags = [], rules, lookups, ...policy } = shared
  const template = `${prefix.replace(/\/$/, '')}${endpoint.template === '/' ? '' : endpoint.template}` || '/'
  const signature = `${endpoint.method} ${template}`
  const both = (far: RecordNode, near: RecordNode) => ({ ...far.fields, ...near.fields }) as unknown as Fields
  const node: EndpointNode = frozen({
    ...endpoint,
    ...nearest(endpoint, policy),
    template,
    segments: parseTemplate(signature, template),
    tags: [...new Set([...tags, ...endpoint.tags])],
    path: part(both(part(path), endpoint.path)),
    query: part(both(part(query), endpoint.query)),
    header: headerPart(signature, both(headerPart(signature, header), endpoint.header)),
    cookie: cookiePart(both(cookiePart(cookie), endpoint.cookie)),
    rules: [...((rules?.(ruleMaker as never) ?? []) as readonly AnyRule[]), ...endpoint.rules],
    lookups: {
      ...((lookups?.(lookupMaker as never) ?? {}) as { readonly [name: string]: LookupNode }),
      ...endpoint.lookups,
    },
    origin: endpoint.origin ?? endpoint,
  })
  return node
}
