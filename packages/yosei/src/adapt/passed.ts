/** A request that went through a gate: its input, and what a handler behind the gate gets. */

import type { IncomingMessage, ServerResponse } from 'node:http'
import { type EndpointNode, endpointNode } from '../declare/endpoint.js'
import type { Entry } from '../judge/enter.js'
import type { AcceptedJudgement, Judged } from '../judge/stages.js'
import type { Accepted, Endpoint, Endpoints, FoundBy, Intake, TypesOf } from '../terms/endpoint.js'
import type { AcceptedVerdict, Rejected } from '../terms/verdict.js'
import { type Context, contextFor, failedReply, replyOfHandler, runHandler } from './handle.js'
import type { NodeIncoming } from './incoming.js'
import type { Progress } from './progress.js'
import { send } from './reply.js'

/** What the lookups and `identify` of an intake or an endpoint ask. */
export type AskedOf<A> = A extends Intake<Endpoints, infer S> ? S : TypesOf<A>['services']
/** Middleware of the shape that most frameworks on Node take. */
export type Gate = (request: IncomingMessage, response: ServerResponse, next: (error?: unknown) => void) => void

/** What came of a request that goes through. */
export interface Passed {
  /** Several if it is only watched, and routers may take its target for one or another. */
  readonly endpoints: readonly EndpointNode[]
  readonly verdict: AcceptedVerdict<string, unknown> | Rejected
  readonly judged: Judged
  readonly entry: Entry
  readonly incoming: NodeIncoming
  readonly progress: Progress
  readonly services: unknown
  readonly response: ServerResponse
  /** Whether the turn ends when whoever knows the handler's promise says so, and not with the response. */
  isHeld: boolean
}
/**
 * On the request itself: what a WeakMap holds by it would be kept until the next full collection, and the request with
 * it.
 */
export const passage = Symbol('passage')
export type Passing = IncomingMessage & { [passage]?: Passed }

function passedAt(endpoint: Endpoint, request: IncomingMessage): Passed {
  const found = (request as Passing)[passage]
  const node = endpointNode(endpoint)
  if (!found?.endpoints.some((one) => (one.origin ?? one) === (node.origin ?? node)))
    throw new TypeError(
      `this request did not come through a gate of ${node.method} ${node.template}: put gate(app) or gate(endpoint) before the handler`,
    )
  return found
}

/**
 * The typed input of a request that came through a gate.
 *
 * @throws TypeError if the request came through no gate of that endpoint, or was only observed there and would have
 * been rejected: see `verdictAt`.
 * @example
 * app.post('/telescopes/:id/sessions', gate(bookSession), (request, response) => response.json(inputOf(bookSession,
 * request).body))
 */
export function inputOf<E extends Endpoint>(endpoint: E, request: IncomingMessage): Accepted<E> {
  return acceptedAt(passedAt(endpoint, request)).input as Accepted<E>
}

function acceptedAt({ verdict }: Passed): AcceptedVerdict<string, unknown> {
  if (verdict.outcome === 'rejected')
    throw new TypeError(
      'this request would have been rejected, and was only observed: look at verdictAt(endpoint, request) first',
    )
  return verdict
}

/** What the lookups of an endpoint found for a request that came through a gate. */
export function foundOf<E extends Endpoint>(endpoint: E, request: IncomingMessage): FoundBy<E> {
  return passedAt(endpoint, request).entry.found as FoundBy<E>
}

/** The verdict on a request that passed a gate. It can be a rejection if the gate only observes. */
export function verdictAt<E extends Endpoint>(
  endpoint: E,
  request: IncomingMessage,
): AcceptedVerdict<string, Accepted<E>> | Rejected {
  return passedAt(endpoint, request).verdict as AcceptedVerdict<string, Accepted<E>> | Rejected
}

/** What a handler behind a gate may know of its request: as behind `serve`, and a way to end its turn. */
export interface PassedContext<E, Services = unknown> extends Context<E, Services> {
  /** Ends the turn before the response has ended. */
  release(): Promise<void>
  /**
   * Answers as if a handler behind `serve` had returned this: a value, what `give` or `refuse` make, or a Response.
   * Refusals are journalled.
   */
  send(value: unknown): Promise<void>
}

/**
 * The caller, signal, id, turn and finds of a request that passed a gate.
 *
 * @throws TypeError if the request came through no gate of that endpoint.
 * @example
 * app.post('/slots/:slot', gate(bookSlot), async (request, response) => {
 *   const { who, release } = contextOf(bookSlot, request)
 * })
 */
export function contextOf<E extends Endpoint>(endpoint: E, request: IncomingMessage): PassedContext<E, AskedOf<E>> {
  const { judged, entry, incoming, progress, services, response } = passedAt(endpoint, request)
  const context = contextFor(services, judged, incoming, progress, entry)
  const own = {
    release: async () => entry.turn?.release(),
    send: (value: unknown) => send(replyOfHandler(value, judged, incoming, progress), response),
  }
  return Object.assign(context, own) as PassedContext<E, AskedOf<E>>
}

/** A handler behind a gate, with Node's request and response. */
type PassedHandler<E, Services> = (
  input: Accepted<E>,
  context: Context<E, Services>,
  raw: { readonly request: IncomingMessage; readonly response: ServerResponse },
) => unknown

/**
 * A handler behind a gate whose promise ends the turn, as behind `serve`: what it returns is the answer, unless it has
 * answered already. A plain handler's turn ends when its response has ended.
 *
 * @example
 * app.post('/slots/:slot', gate(app), handled(bookSlot, async ({ path }, { who }) => ({ booked: path.slot, who })))
 */
export function handled<E extends Endpoint, Services = unknown>(
  endpoint: E,
  handler: PassedHandler<E, Services>,
): Gate {
  const run = handling(endpoint, handler)
  return (request, response, next) => void run(request, response).catch(next)
}

/** The same as a function whose promise settles when it has answered. */
export function handling<E extends Endpoint, Services>(
  endpoint: E,
  handler: PassedHandler<E, Services>,
): (request: IncomingMessage, response: ServerResponse) => Promise<void> {
  return async (request, response) => {
    const found = passedAt(endpoint, request)
    acceptedAt(found)
    found.isHeld = true
    const { judged, entry, incoming, progress, services } = found
    const call = (input: unknown, context: unknown) =>
      handler(input as Accepted<E>, context as Context<E, Services>, { request, response })
    const reply = await runHandler(judged as AcceptedJudgement, call, incoming, services, progress, entry, (error) =>
      failedReply(error, progress, judged),
    )
    if (!response.headersSent && !response.destroyed) await send(reply, response)
  }
}
