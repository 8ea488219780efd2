/** A gate before the handlers of a framework: lets through what is accepted, and answers the rest. */

import type { IncomingMessage, ServerResponse } from 'node:http'
import type { Accepted, Endpoint, EndpointNode, FoundBy, Part } from '../declare/endpoint.js'
import { type Endpoints, type Intake, type IntakeNode, intake } from '../declare/intake.js'
import { readSpan } from '../declare/units.js'
import type { AcceptedVerdict, Rejected } from '../declare/verdict.js'
import { type Entry, enter, nothingAsked } from '../judge/enter.js'
import { type AcceptedJudgement, type Judged, judgeStages } from '../judge/stages.js'
import type { HeldTurn } from '../judge/turns.js'
import { type Rejection, reject, verdictOf } from '../judge/verdict.js'
import { Unreadable } from '../read/body.js'
import { startDeadline } from './deadline.js'
import { NodeIncoming } from './incoming.js'
import { send } from './reply.js'
import { note, type Progress, told } from './serve.js'

export interface GateOptions {
  services?: unknown
  /** What becomes of a request that no endpoint matches: it goes on to `next`, or is answered with 404 or 405. */
  unmatched?: 'next' | 'answer'
  /** Whether OPTIONS of a declared path goes on to `next`, as a CORS preflight must, or is answered with its methods. */
  options?: 'answer' | 'pass'
}
/** Middleware of the shape that most frameworks on Node take. */
export type Gate = (request: IncomingMessage, response: ServerResponse, next: (error?: unknown) => void) => void

/** A request with what frameworks put on it. */
export interface FrameworkRequest extends IncomingMessage {
  readonly originalUrl?: string
  readonly body?: unknown
}

/** What came of a request at the gate. */
interface Passed {
  readonly endpoint: EndpointNode
  readonly verdict: AcceptedVerdict<string, unknown> | Rejected
  readonly entry: Entry
}
const passed = new WeakMap<IncomingMessage, Passed>()

function passedAt(endpoint: Endpoint, request: IncomingMessage): Passed {
  const found = passed.get(request)
  const node = endpoint as unknown as EndpointNode
  if (!found || (found.endpoint.origin ?? found.endpoint) !== (node.origin ?? node))
    throw new TypeError(
      `this request did not come through a gate of ${node.method} ${node.template}: put gate(app) or gate(endpoint) before the handler`,
    )
  return found
}

/**
 * The typed input of a request that came through a gate.
 *
 * @throws TypeError where the request came through no gate of that endpoint, or was only observed there and would have
 * been rejected: see `verdictAt`.
 * @example
 * app.post('/telescopes/:id/sessions', gate(bookSession), (request, response) => response.json(inputOf(bookSession, request).body))
 */
export function inputOf<E extends Endpoint>(endpoint: E, request: IncomingMessage): Accepted<E> {
  const { verdict } = passedAt(endpoint, request)
  if (verdict.outcome === 'rejected')
    throw new TypeError('this request would have been rejected, and was only observed: look at verdictAt(endpoint, request) first')
  return verdict.input as Accepted<E>
}

/** What the lookups of an endpoint found for a request that came through a gate. */
export function foundOf<E extends Endpoint>(endpoint: E, request: IncomingMessage): FoundBy<E> {
  return passedAt(endpoint, request).entry.found as FoundBy<E>
}

/** The verdict on a request that came through a gate; a rejection where it was only observed. */
export function verdictAt<E extends Endpoint>(endpoint: E, request: IncomingMessage): AcceptedVerdict<string, Accepted<E>> | Rejected {
  return passedAt(endpoint, request).verdict as AcceptedVerdict<string, Accepted<E>> | Rejected
}

/**
 * Middleware that judges every request of an intake's endpoints, or of one endpoint on its route. What is accepted goes
 * on, its input with `inputOf`; the rest is answered. It reads the body itself, or takes what a parser before it made of
 * it: limits of bytes and the places of syntax errors are that parser's then.
 *
 * @example
 * server.use(gate(app, { services }))
 */
export function gate<E extends Endpoints>(of: Intake<E> | Endpoint, options: GateOptions = {}): Gate {
  const pass = gateFor(of, options)
  return (request, response, next) => {
    pass(request, response, () => (request as FrameworkRequest).body).then(
      (isThrough) => {
        if (isThrough) next()
      },
      (error) => next(error),
    )
  }
}

/** Whether a request goes through; where it does not, it has been answered. */
export type Pass = (request: FrameworkRequest, response: ServerResponse, parsedBody: () => unknown) => Promise<boolean>

export function gateFor(of: Intake | Endpoint, { services, unmatched, options = 'pass' }: GateOptions): Pass {
  const isApp = 'endpoints' in of
  const app = (isApp ? of : intake({ endpoints: { [nameOf(of)]: of } })) as unknown as IntakeNode
  // A gate on one route that matches nothing must not let everything by.
  const goesOn = (unmatched ?? (isApp ? 'next' : 'answer')) === 'next'
  return async (request, response, parsedBody) => {
    const whole = request.originalUrl ?? request.url ?? '/'
    const incoming = new NodeIncoming(request, response, isApp ? whole : tailOf(whole, of))
    const progress: Progress = { app, message: incoming.message, since: Date.now(), id: undefined }
    const judgedAt = (one: NodeIncoming) => judgeAt(app, one, request, parsedBody(), services)
    let judged: Judged | 'misplaced'
    try {
      judged = await judgedAt(incoming)
      // Under a mount the templates may be those of the mounted part alone.
      if (isApp && isLost(judged) && request.originalUrl !== undefined && request.originalUrl !== request.url)
        judged = await judgedAt(new NodeIncoming(request, response, request.url))
    } catch (error) {
      await send(told(progress, reject(undefined, [], { status: 500, stage: 'handle', words: app.languages }), undefined, error), response)
      return false
    }
    if (judged === 'misplaced') {
      const cause = new Error(
        'the body was consumed before it came to the gate, and nothing of it is at request.body: put the gate before what reads the stream, or behind a parser that leaves request.body',
      )
      await send(told(progress, reject(undefined, [], { status: 500, stage: 'receive', words: app.languages }), undefined, cause), response)
      return false
    }
    const { verdict, opened, dispose } = judged
    const endpoint = opened?.destination.endpoint
    if (dispose) response.once('close', () => dispose().catch(() => undefined))
    leaveBody(request, judged)
    if (verdict.outcome === 'accepted') {
      const entry = (await enter(judged as AcceptedJudgement, services, incoming.signal, app)) ?? nothingAsked
      if (!('rejection' in entry)) {
        if (entry.turn) releaseWhenDone(entry.turn, response, endpoint as EndpointNode)
        passed.set(request, { endpoint: endpoint as EndpointNode, verdict, entry })
        return true
      }
      return turnAway(entry.rejection, entry.cause, judged)
    }
    if (request.method === 'OPTIONS' && verdict.stage === 'match') {
      if (options === 'pass') return true
      if (verdict.headers.allow !== undefined) {
        await send({ status: 204, headers: { allow: verdict.headers.allow }, body: null }, response)
        return false
      }
    }
    if (verdict.stage === 'match' && goesOn) return true
    return turnAway(verdict, judged.cause, judged)

    /** Answers a rejection, unless it is only observed here: whether the request goes on. */
    async function turnAway(rejection: Rejection, cause: unknown, judged: Judged): Promise<boolean> {
      if (endpoint && isObserved(endpoint, rejection)) {
        note(progress, rejection, 'observed', judged, cause)
        passed.set(request, { endpoint, verdict: verdictOf(rejection), entry: nothingAsked })
        return true
      }
      const reply = told(progress, rejection, judged, cause)
      await send(request.complete ? reply : { ...reply, headers: { ...reply.headers, connection: 'close' } }, response)
      return false
    }
  }
}

/** Whether all that is wrong lies in what is only observed. */
function isObserved({ mode = 'enforce' }: EndpointNode, { faults }: Rejection): boolean {
  if (typeof mode === 'string') return mode === 'observe'
  return faults.length > 0 && faults.every(({ path }) => mode[path[0] as Part] === 'observe')
}

/** The gate has read the stream: who comes behind it finds the body where a parser would have left it. */
function leaveBody(request: FrameworkRequest & { body?: unknown; _body?: boolean }, { sent }: Judged): void {
  if (request.body !== undefined || sent?.body === undefined || sent.body instanceof Unreadable) return
  Object.assign(request, { body: sent.body, _body: true })
}

/** The turn ends with the answer. A client that goes before does not end it: the handler is still at work then. */
function releaseWhenDone(turn: HeldTurn, response: ServerResponse, endpoint: EndpointNode): void {
  const until = Date.now() + readSpan(endpoint.turn?.longest ?? '5m')
  const look = () => {
    if (response.writableEnded || Date.now() > until) turn.release()
    else startDeadline(100, look)
  }
  response.once('close', look)
}

/** The end of a path that a template can match: a route says itself where it stands, whatever is before it. */
function tailOf(target: string, endpoint: Endpoint): string {
  const [path = '', ...query] = target.split('?')
  const { length } = (endpoint as unknown as EndpointNode).segments
  const tail = `/${length === 0 ? '' : path.split('/').slice(-length).join('/')}`
  return query.length > 0 ? `${tail}?${query.join('?')}` : tail
}

const nameOf = (endpoint: Endpoint) => (endpoint as unknown as EndpointNode).name ?? `${endpoint.method} ${endpoint.template}`
const isLost = (judged: Judged | 'misplaced') =>
  judged !== 'misplaced' && judged.verdict.outcome === 'rejected' && judged.verdict.stage === 'match'

async function judgeAt(
  app: IntakeNode,
  incoming: NodeIncoming,
  request: FrameworkRequest,
  parsed: unknown,
  services: unknown,
): Promise<Judged | 'misplaced'> {
  const { message, signal, body } = incoming
  const options = { services, asks: true, signal }
  // Parsers leave an empty object where there was no body, and the stream alone where they did not look at it.
  if (body === null || !request.readableEnded) return judgeStages(app, message, options)
  if (parsed === undefined) return 'misplaced'
  if (typeof parsed === 'string' || parsed instanceof Uint8Array) return judgeStages(app, { ...message, body: parsed }, options)
  return judgeStages(app, message, { ...options, received: { value: parsed, isForeign: true } })
}
