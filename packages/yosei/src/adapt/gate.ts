/** A gate before the handlers of a framework: lets through what is accepted, and answers the rest. */
import type { IncomingMessage, ServerResponse } from 'node:http'
import type { Accepted, Endpoint, EndpointNode } from '../declare/endpoint.js'
import { type Endpoints, type Intake, type IntakeNode, intake } from '../declare/intake.js'
import { type Judged, judgeStages } from '../judge/stages.js'
import { reject } from '../judge/verdict.js'
import { incomingOf, type NodeIncoming } from './incoming.js'
import { send } from './reply.js'
import { type Progress, told } from './serve.js'

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
  readonly input: unknown
}
const passed = new WeakMap<IncomingMessage, Passed>()

/**
 * The typed input of a request that came through a gate.
 *
 * @throws TypeError where the request came through no gate of that endpoint.
 * @example
 * app.post('/telescopes/:id/sessions', gate(bookSession), (request, response) => response.json(inputOf(bookSession, request).body))
 */
export function inputOf<E extends Endpoint>(endpoint: E, request: IncomingMessage): Accepted<E> {
  const found = passed.get(request)
  const node = endpoint as unknown as EndpointNode
  const isSame = found && (found.endpoint.origin ?? found.endpoint) === (node.origin ?? node)
  if (!isSame)
    throw new TypeError(
      `this request did not come through a gate of ${node.method} ${node.template}: put gate(app) or gate(endpoint) before the handler`,
    )
  return found.input as Accepted<E>
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
    const incoming = incomingOf(request, response, isApp ? whole : tailOf(whole, of))
    const progress: Progress = { app, message: incoming.message, since: Date.now(), id: undefined }
    const judgedAt = (one: NodeIncoming) => judgeAt(app, one, request, parsedBody(), services)
    let judged: Judged | 'misplaced'
    try {
      judged = await judgedAt(incoming)
      // Under a mount the templates may be those of the mounted part alone.
      if (isApp && isLost(judged) && request.originalUrl !== undefined && request.originalUrl !== request.url)
        judged = await judgedAt(incomingOf(request, response, request.url))
    } catch (error) {
      await send(told(progress, reject(undefined, [], { status: 500, stage: 'handle', words: app.languages }), error), response)
      return false
    }
    if (judged === 'misplaced') {
      const cause = new Error(
        'the body was consumed before it came to the gate, and nothing of it is at request.body: put the gate before what reads the stream, or behind a parser that leaves request.body',
      )
      await send(told(progress, reject(undefined, [], { status: 500, stage: 'receive', words: app.languages }), cause), response)
      return false
    }
    const { verdict, opened, dispose } = judged
    if (verdict.outcome === 'accepted') {
      if (dispose) response.once('close', () => dispose().catch(() => undefined))
      passed.set(request, { endpoint: opened?.destination.endpoint as EndpointNode, input: verdict.input })
      return true
    }
    if (request.method === 'OPTIONS' && verdict.stage === 'match') {
      if (options === 'pass') return true
      if (verdict.headers.allow !== undefined) {
        await send({ status: 204, headers: { allow: verdict.headers.allow }, body: null }, response)
        return false
      }
    }
    if (verdict.stage === 'match' && goesOn) return true
    const reply = told(progress, verdict, judged.cause)
    await send(request.complete ? reply : { ...reply, headers: { ...reply.headers, connection: 'close' } }, response)
    return false
  }
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
