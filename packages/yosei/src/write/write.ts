/** Requests written from typed values: the inverse of reading. */

import { endpointNode } from '../declare/endpoint.js'
import type { IntakeNode } from '../declare/intake.js'
import { encode } from '../engine/interpret.js'
import { judgeMessage } from '../judge/judge.js'
import { reject, verdictOf } from '../judge/verdict.js'
import type { Endpoint, Sent, TypesOf } from '../terms/endpoint.js'
import type { Parts } from '../terms/parts.js'
import { settleLimits } from '../terms/policy.js'
import { statusFor } from '../terms/statuses.js'
import type { Rejected } from '../terms/verdict.js'
import { receivedOf, type Wire, wireOf } from './wire.js'

/** What a handler receives; an endpoint without cookies need not be given any. */
type WithoutCookies<I> = I extends { cookie: infer C } ? ({} extends C ? Omit<I, 'cookie'> & { cookie?: C } : I) : I

/** Values that their own endpoint would reject; the verdict says where and why. */
export class UnacceptableError extends Error {
  override readonly name = 'UnacceptableError'
  constructor(readonly verdict: Rejected) {
    const [first] = verdict.errors
    super(first ? `${first.address} ${first.message}` : `the request would be answered with ${verdict.status}`)
  }
}

/**
 * A fetch Request that the endpoint accepts, from what a client sends or from what a handler receives: path and query
 * encoded, dates as RFC 3339, the body in the first media type that is declared.
 *
 * @param base Where the service is: `https://observatory.example/api`.
 * @throws UnacceptableError where the endpoint would reject the values, with the same error map.
 * @example
 * await fetch(write(listSessions, 'https://observatory.example', { path: {}, query: { limit: 5 }, body: undefined }))
 */
export function write<E extends Endpoint>(
  endpoint: E,
  base: string,
  sent: Sent<E> | WithoutCookies<TypesOf<E>['input']>,
): Request {
  const node = endpointNode(endpoint)
  const {
    target,
    headers,
    body: written,
    faults,
  } = wireOf(node, node.bodies[0], sent as Parts, (of, value) => encode(of, value))
  if (faults.length > 0)
    throw new UnacceptableError(
      verdictOf(reject(undefined, faults, { status: statusFor('syntax', node.statuses), stage: 'read' })),
    )
  // What is no text is judged by its values; that there is something, and of what type, is looked at first.
  const body = typeof written?.body === 'string' ? written.body : written ? ' ' : null
  const typed: Wire['headers'] =
    written?.body instanceof FormData ? [...headers, ['content-type', 'multipart/form-data; boundary=x']] : headers
  const solo: IntakeNode = {
    endpoints: { endpoint: node },
    base: '',
    limits: settleLimits(node.template, node.limits),
    statuses: {},
  }
  const verdict = judgeMessage(
    solo,
    { method: node.method, target, headers: typed, body },
    { received: receivedOf(written) },
  )
  if (verdict.outcome === 'rejected') throw new UnacceptableError(verdictOf(verdict))
  return new Request(under(base, target), {
    method: node.method,
    headers: headers as [string, string][],
    ...(written ? { body: written.body } : {}),
  })
}

/** What a template that is a slash alone means under a base is the base itself. */
function under(base: string, target: string): string {
  const at = base.replace(/\/$/, '')
  const hasPath = URL.canParse(at) && new URL(at).pathname !== '/'
  return at + (hasPath ? target.replace(/^\/(?=$|\?)/, '') : target)
}
