/** The gate for frameworks whose middleware takes a context and awaits the next. */
import type { ServerResponse } from 'node:http'
import type { Endpoint, Intake } from '../terms/endpoint.js'
import { type FrameworkRequest, type Gating, gateFor } from './gate.js'

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
    const passage = await pass(req, res, () => (request as { body?: unknown }).body)
    // The promise of all that follows is known here, so it ends the turn.
    if (passage) await passage.hold(next)
    // The gate has answered: koa has nothing to add.
    else context.respond = false
  }
}
