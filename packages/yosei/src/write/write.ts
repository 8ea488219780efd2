/** Requests written from typed values: the inverse of reading. */

import { type EndpointNode, endpointNode } from '../declare/endpoint.js'
import { type IntakeNode, intakeOf } from '../declare/intake.js'
import { encode } from '../engine/interpret.js'
import { judgeMessage } from '../judge/judge.js'
import { endpointFor } from '../judge/open.js'
import { reject, verdictOf } from '../judge/verdict.js'
import type { Fault } from '../kinds/run.js'
import type { Message } from '../read/message.js'
import type { Endpoint, Sent, TypesOf } from '../terms/endpoint.js'
import type { Parts } from '../terms/parts.js'
import { settleLimits } from '../terms/policy.js'
import { statusFor } from '../terms/statuses.js'
import { namesOf, shapeOf } from '../terms/template.js'
import type { Rejected } from '../terms/verdict.js'
import { changedIn } from './changed.js'
import { receivedOf, wireOf } from './wire.js'

/** What a handler receives; an endpoint without cookies need not be given any. */
type WithoutCookies<I> = I extends { cookie: infer C } ? ({} extends C ? Omit<I, 'cookie'> & { cookie?: C } : I) : I

/** Values that their own endpoint would reject. The verdict says why. */
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
 * @throws UnacceptableError if the endpoint would reject the values, with the same error map.
 * @example
 * await fetch(write(listSessions, 'https://observatory.example', { path: {}, query: { limit: 5 }, body: undefined }))
 */
export function write<E extends Endpoint>(
  endpoint: E,
  base: string,
  sent: Sent<E> | WithoutCookies<TypesOf<E>['input']>,
): Request {
  const node = endpointNode(endpoint)
  const [declared] = node.bodies
  const wire = wireOf(node, declared, sent as Parts, (of, value) => encode(of, value))
  const { target, headers, body, parts } = wire
  const refuse = (faults: readonly Fault[]) =>
    new UnacceptableError(
      verdictOf(reject(undefined, faults, { status: statusFor('syntax', node.statuses), stage: 'read' })),
    )
  if (wire.faults.length > 0) throw refuse(wire.faults)
  const solo: IntakeNode = { endpoints: { endpoint: node }, base: '', limits: settleLimits(node.limits), statuses: {} }
  const now = new Date()
  // What is no text is judged by its values: of its bytes, only that there are some.
  const bytes = body ? new TextEncoder().encode(typeof body.body === 'string' ? body.body : ' ') : null
  const message = { method: node.method, target, headers, body: bytes }
  const verdict = judgeMessage(solo, message, { received: receivedOf(body), now })
  if (verdict.outcome === 'rejected') throw new UnacceptableError(verdictOf(verdict))
  const changed = [
    ...takenElsewhere(node, message),
    ...changedIn(node, declared, parts, verdict.input as Parts, now.getTime()),
  ]
  if (changed.length > 0) throw refuse(changed)
  return new Request(under(base, target), {
    method: node.method,
    headers: headers as [string, string][],
    ...(body ? { body: body.body } : {}),
  })
}

/** The parameter whose value makes a path that of another endpoint. */
function takenElsewhere(node: EndpointNode, { target, ...message }: Message): Fault[] {
  const app = intakeOf(node)
  const other = app && endpointFor(app, { ...message, target: app.base + target }, false)
  if (!other || other === node) return []
  const at = node.segments.findIndex((segment, index) => {
    const theirs = other.segments[index]
    return namesOf(segment).length > 0 && (theirs === undefined || shapeOf(segment) !== shapeOf(theirs))
  })
  const [name] = namesOf(node.segments[at] ?? '')
  const about = { endpoint: `${other.method} ${other.template}` }
  const path = name === undefined ? ['path'] : ['path', name]
  return [{ path, stage: 'read', code: 'bad_encoding', variant: 'elsewhere', about }]
}

/** What a template that is a slash alone means under a base is the base itself. */
function under(base: string, target: string): string {
  const at = base.replace(/\/$/, '')
  const hasPath = URL.canParse(at) && new URL(at).pathname !== '/'
  return at + (hasPath ? target.replace(/^\/(?=$|\?)/, '') : target)
}
