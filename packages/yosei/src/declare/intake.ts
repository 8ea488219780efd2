/** An intake: the endpoints of a service, and what they share. */

import type { All, Endpoints, Intake, ServicesOf, WhoOf } from '../terms/endpoint.js'
import { frozen } from '../terms/frozen.js'
import type { Head } from '../terms/head.js'
import type { Catalogues, Envelope, Journal, Naming, Refused, TurnStore, WriteEnvelope } from '../terms/hooks.js'
import { mistake } from '../terms/mistake.js'
import { shown } from '../terms/option-types.js'
import { given } from '../terms/own.js'
import { nearest, type Policy, type SettledLimits, settleLimits } from '../terms/policy.js'
import { checkStatuses, type Statuses } from '../terms/statuses.js'
import type { Telemetry } from '../terms/telemetry.js'
import { type EndpointNode, endpointsIn } from './endpoint.js'

interface Shared<Who, Services> {
  /**
   * Says who the caller is, before the body arrives: the `who` of the handler, or a refusal. If it is `undefined`,
   * `null` or `false`, the answer is 401, unless the endpoint is `open`.
   */
  identify?: ((request: Head, services: Services) => Known<Who> | Promise<Known<Who>>) | undefined
  /**
   * How a client says who it is, for the 401 of one that does not: by default `{ header: 'authorization', scheme:
   * 'Bearer' }`. The scheme is what `WWW-Authenticate` names (RFC 9110, section 11.6.1).
   */
  challenge?: { readonly header?: string; readonly scheme?: string } | undefined
  /**
   * Own words by language and code: for all, or with `wrong_type.flag` for one kind. They come before the catalogue's.
   */
  languages?: Catalogues | undefined
  /**
   * What addresses are called towards clients: in `fields`, in `detail`, and inside messages. Pointers, verdicts, the journal
   * and sample books keep the address.
   *
   * @example
   * naming: ([part, ...names]) => (part === 'body' ? ['shipment', ...names].join('.') : `${names[0]}`)
   */
  naming?: Naming | undefined
  /**
   * Your own shape around a rejection. It is given all errors up to `limits.errors`, in the language of the answer, and
   * in `problem.more` how many more there are. With `read`, clients get its errors back.
   */
  envelope?: WriteEnvelope | Envelope | undefined
  /** Gets rejections and failures. Without a journal, failures go to standard error. */
  journal?: Journal | undefined
  /** Metrics and traces: `telemetry()` of `yosei/telemetry`. */
  telemetry?: Telemetry | undefined
  /**
   * The header field in which a request brings its id: `x-request-id`. The id is in the answer, the journal and the
   * context. A request without a well-formed one gets one.
   */
  requestId?: string | undefined
  /** The store of turns. By default, it is the memory of the process. */
  turns?: TurnStore | undefined
}

/** What `identify` may give, if the endpoints declare `Who`. */
type Known<Who> = unknown extends Who ? unknown : Who | Refused | undefined | null | false
/** What has to be known for all endpoints. */
type WhoFor<E extends Endpoints> =
  All<
    { [N in keyof E]: unknown extends WhoOf<E[N]> ? never : { all: Exclude<WhoOf<E[N]>, undefined> } }[keyof E]
  > extends { all: infer Who }
    ? Who
    : unknown

/** What `intake()` takes. With this type you can write a part of it in another file. */
export interface IntakeDeclaration<E extends Endpoints, Services = unknown>
  extends Policy,
    Shared<WhoFor<E>, Services> {
  /** The endpoints, by name. */
  endpoints: E
  /** The path at which it is mounted: `/api/v1`. */
  base?: string | undefined
  /** The title of the service. */
  title?: string | undefined
  /** The version of the service. */
  version?: string | undefined
  /** `interpreted` makes no code for endpoints. By default, code is made if that is allowed. */
  engine?: 'compiled' | 'interpreted' | undefined
}

/** What an intake is to those who read it. */
export interface IntakeNode extends Readonly<Shared<unknown, never>> {
  readonly endpoints: { readonly [name: string]: EndpointNode }
  readonly base: string
  readonly title?: string | undefined
  readonly version?: string | undefined
  /** What holds before an endpoint is known. */
  readonly limits: SettledLimits
  readonly statuses: Statuses
}
/** @throws DeclarationError if no path can begin with it. */
function checkedBase(base: string): string {
  if (typeof base !== 'string' || !/^(?:\/[^/?#{}\s]+)*\/?$/.test(base))
    mistake('intake, base', `no path begins with "${base}"`, 'Write it as /api/v1')
  return base.replace(/\/$/, '')
}

/** How a client is asked to say who it is. */
export const challengeOf = ({ challenge }: IntakeNode) => ({ header: 'authorization', scheme: 'Bearer', ...challenge })

export const isIntake = (one: unknown): one is IntakeNode =>
  typeof one === 'object' && one !== null && typeof (one as { base?: unknown }).base === 'string'

/** As `endpointNode`. */
export function intakeNode(intake: Intake): IntakeNode {
  if (!isIntake(intake)) mistake('intake', `this is no intake, but ${shown(intake)}`, 'Give what intake() made')
  return intake
}

/**
 * Gathers the endpoints of a service.
 *
 * @throws DeclarationError if two endpoints match the same requests, and nothing distinguishes them.
 * @example
 * export default intake({ endpoints: { bookSession, listSessions }, base: '/api/v1', limits: { body: '64kB' } })
 */
export function declareIntake<const E extends Endpoints, Services = unknown>(
  declaration: IntakeDeclaration<E, Services>,
): Intake<E, ServicesOf<E> & Services> {
  const {
    endpoints,
    base = '',
    engine,
    limits,
    statuses,
    coerce,
    unlisted,
    uniqueNames,
    mode,
    journalled,
    open,
    ...own
  } = declaration
  checkStatuses('intake', statuses)
  const all = endpointsIn('intake', endpoints)
  const unknown = all.find(([, endpoint]) => endpoint.who)
  if (unknown && !own.identify)
    mistake(
      `intake, ${unknown[0]}`,
      'it declares the caller, and the intake has no identify',
      'Give the intake identify, or remove who',
    )
  const policy: Policy = given({
    limits: frozen(limits),
    statuses: frozen(statuses),
    coerce,
    unlisted: frozen(unlisted),
    uniqueNames,
    mode,
    journalled,
    open,
  })
  const settled = all.map(([name, endpoint]) => [name, settle(name, endpoint, policy, engine)] as const)
  const node: IntakeNode = {
    ...own,
    endpoints: Object.freeze(Object.fromEntries(settled)),
    base: checkedBase(base),
    limits: settleLimits(limits),
    statuses: frozen(statuses ?? {}),
  }
  for (const [, endpoint] of settled) intakes.set(endpoint, node)
  return Object.freeze(node) as never
}

const intakes = new WeakMap<EndpointNode, IntakeNode>()
/** The intake that an endpoint was taken from; `undefined` for one that was only declared. */
export const intakeOf = (endpoint: EndpointNode): IntakeNode | undefined => intakes.get(endpoint)

/** The endpoint with its name and the settings that it shares; its own win. */
function settle(name: string, endpoint: EndpointNode, shared: Policy, engine: EndpointNode['engine']): EndpointNode {
  return frozen({
    ...endpoint,
    ...nearest(endpoint, shared),
    origin: endpoint.origin ?? endpoint,
    name,
    ...(engine === undefined ? {} : { engine }),
  }) as EndpointNode
}
