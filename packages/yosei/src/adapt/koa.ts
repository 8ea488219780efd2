/** The gate for frameworks whose middleware takes a context and awaits the next. */
import type { ServerResponse } from 'node:http'
import type { Accepted, Endpoint, Intake } from '../terms/endpoint.js'
import { type FrameworkRequest, type Gating, gateFor } from './gate.js'
import type { Context } from './handle.js'
import { type AskedOf, handling } from './passed.js'

/** What the gate needs of the context. */
export interface GateContext {
  /** The request of Node. */
  readonly req: FrameworkRequest
  /** The response of Node. */
  readonly res: ServerResponse
  /** The request of koa. */
  readonly request: object
  /** `false` if the response was sent without koa. */
  respond?: boolean | undefined
}

/**
 * Middleware for koa. Behind it, `inputOf(endpoint, context.req)` gives the typed input.
 *
 * @example
 * koa.use(koaGate(app, { services }))
 */
export function koaGate<A extends Intake | Endpoint>(of: A, ...[options]: Gating<A>) {
  const pass = gateFor(of, options ?? {})
  return async (context: GateContext, next: () => Promise<unknown>): Promise<void> => {
    const { req, res, request } = context
    const passage = await pass(req, res, request)
    // The promise of all that follows is known here, so it ends the turn.
    if (passage) await passage.hold(next)
    // The gate has answered: koa has nothing to add.
    else context.respond = false
  }
}

/**
 * A handler behind `koaGate` as behind `serve`: what it returns is the answer, refusals among it.
 *
 * @example
 * router.post('/slots/:slot', koaHandled(bookSlot, ({ path }, { who }) => ({ booked: path.slot, who })))
 */
export function koaHandled<E extends Endpoint, C extends GateContext = GateContext>(
  endpoint: E,
  handler: (input: Accepted<E>, context: Context<E, AskedOf<E>>, koa: C) => unknown,
) {
  return async (context: C): Promise<void> => {
    const run = handling<E, AskedOf<E>>(endpoint, (input, own) => handler(input, own, context))
    context.respond = false
    await run(context.req, context.res)
  }
}
