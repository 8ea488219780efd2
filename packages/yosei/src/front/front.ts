/** A front: judges requests before a server that is not yours to change, and sends on what is accepted, as it came. */
import { randomBytes } from 'node:crypto'
import { type IncomingMessage, ServerResponse } from 'node:http'
import type { Duplex } from 'node:stream'
import * as platform from '#platform'
import { type GateOptions, gateFor, type Pass } from '../adapt/gate.js'
import { linesOf, NodeIncoming } from '../adapt/incoming.js'
import { type Front, listenables, type Unseen } from '../adapt/listenable.js'
import type { AskedOf } from '../adapt/passed.js'
import { note, type Progress, refused, told } from '../adapt/progress.js'
import { deliver } from '../adapt/reply.js'
import type { Reply } from '../answer/reply.js'
import { type IntakeNode, intakeNode } from '../declare/intake.js'
import { endpointFor, misspelled, refusedHere } from '../judge/open.js'
import { prepare } from '../judge/receive.js'
import { destinationOf } from '../judge/stages.js'
import { type Rejection, reject } from '../judge/verdict.js'
import { originForm, piecesOf } from '../read/message.js'
import type { Intake } from '../terms/endpoint.js'
import type { Journal } from '../terms/hooks.js'
import { mistake } from '../terms/mistake.js'
import {
  aCount,
  aFlag,
  aName,
  anObject,
  anything,
  aSpan,
  checkOptions,
  eitherOf,
  listOf,
  type Options,
  oneOf,
  required,
  shown,
} from '../terms/option-types.js'
import { type Part, partNames } from '../terms/parts.js'
import { type Stage, type StatusName, statusFor } from '../terms/statuses.js'
import { readSpan } from '../terms/units.js'
import { type Backend, connectTo, pairsOf } from './backend.js'
import { endToEnd, hasPassed, oddityOf, requestFields, type Telling } from './fields.js'
import { Exchange } from './forward.js'
import { KeptBody } from './kept.js'
import { suited, unseenIn } from './suited.js'

export type { Front, Unseen } from '../adapt/listenable.js'

/** Options of `front`. */
export interface FrontOptions<Services = unknown> extends Pick<GateOptions<Services>, 'services' | 'routing'> {
  /** The origin of the backend, such as `http://127.0.0.1:8080`: without a path, since targets go on as they came. */
  to: string
  /**
   * Sends on what would be rejected, too, and only logs it: everything, or what is wrong in these parts alone. The intake
   * can observe more, by `mode`.
   */
  observe?: boolean | readonly Part[] | undefined
  /** What becomes of a request that no endpoint matches: the answer is 404 or 405 (the default), or it goes on. */
  unmatched?: 'answer' | 'next' | undefined
  /** Gets the events, in place of the intake's own journal. */
  journal?: Journal | undefined
  /** The host that the backend sees: the one that the client named (`kept`, the default), or its own. */
  hostField?: 'kept' | 'backend' | undefined
  /** Whether `X-Forwarded-For`, `-Host` and `-Proto` are sent, and not only `Forwarded`. */
  xForwarded?: boolean | undefined
  /** The most connections to the backend: 256 by default. What comes beyond them waits. */
  connections?: number | undefined
  /** How long the backend may pause inside its answer: `5m` by default. */
  idle?: string | undefined
}

const frontOptions: Options<FrontOptions> = {
  to: required(aName),
  services: anything,
  observe: eitherOf(aFlag, listOf(oneOf(...partNames))),
  unmatched: oneOf('answer', 'next'),
  routing: oneOf('folded', 'exact'),
  journal: anObject('ndjsonJournal()'),
  hostField: oneOf('kept', 'backend'),
  xForwarded: aFlag,
  connections: aCount,
  idle: aSpan,
}

/** The services are required if a lookup or `identify` asks them. */
type FrontArguments<A> =
  unknown extends AskedOf<A> ? [options: FrontOptions] : [options: FrontOptions<AskedOf<A>> & { services: AskedOf<A> }]

/**
 * Judges every request before a backend that reads it itself. What is accepted goes on as it came; the rest is answered
 * here. Names that are sent twice and fields that only the server sets are errors, whatever they are elsewhere.
 *
 * @throws DeclarationError if the intake drops undeclared names, or `to` is no origin; Error if undici is not installed.
 * @example
 * const { url, close } = await listen(front(app, { to: 'http://127.0.0.1:8080' }), { port: 4220 })
 */
export function front<A extends Intake>(app: A, ...[options]: FrontArguments<A>): Front {
  const report = (what: string, mend: string, option?: string) => mistake('front', what, mend, { option })
  checkOptions(options, frontOptions, 'front', report)
  const origin = originOf(options.to, report)
  const {
    services,
    observe = false,
    unmatched = 'answer',
    routing = 'folded',
    connections = 256,
    idle = '5m',
    journal,
  } = options
  if (connections === 0) report('connections is 0', 'Write how many connections there may be: 256', 'connections')
  const backend = connectTo(origin, connections)
  const telling: Telling = {
    // A name of its own, so that a request that comes back is known.
    pseudonym: `yosei-${randomBytes(6).toString('hex')}`,
    origin: origin.host,
    host: options.hostField === 'backend' ? origin.host : undefined,
    xForwarded: options.xForwarded ?? false,
  }
  const gating = { services, unmatched, routing, options: 'pass' } as const
  const settle = (one: Intake): Settled => {
    const node = suited(journal ? { ...intakeNode(one), journal } : intakeNode(one), observe)
    const refuse = (rejection: Rejection) => refused(node, rejection)
    return { app: node, unseen: unseenIn(node), pass: gateFor(node as never, gating), refuse }
  }
  let current = settle(app)
  const made: Front = {
    to: origin.origin,
    get unseen() {
      return current.unseen
    },
    ready: () => backend.isThere(),
    replace(next) {
      current = settle(next)
    },
  }
  const about: About = { backend, telling, idle: readSpan(idle), folds: routing === 'folded', unmatched }
  listenables.set(made, {
    get app() {
      return current.app
    },
    get ready() {
      return prepare(current.app, platform)
    },
    streams: true,
    refuse: (rejection) => current.refuse(rejection),
    incoming: (request, response, isAsking) =>
      new NodeIncoming(request, response, request.url, isAsking, undefined, undefined, KeptBody),
    answer: (incoming, response) => answer(current, about, incoming, response),
    upgrade: (request, socket, head) => upgrade(current, about, request, socket, head),
    close: () => backend.close(),
  })
  return made
}

/** An intake as a front uses it. */
interface Settled {
  readonly app: IntakeNode
  readonly unseen: readonly Unseen[]
  readonly pass: Pass
  refuse(rejection: Rejection): Reply
}
interface About {
  readonly backend: Backend
  readonly telling: Telling
  readonly idle: number
  readonly folds: boolean
  readonly unmatched: 'answer' | 'next'
}

function originOf(to: string, report: (what: string, mend: string, option?: string) => never): URL {
  const mend = 'Write its scheme, host and port: http://127.0.0.1:8080'
  const url = URL.canParse(to) ? new URL(to) : report(`to is ${shown(to)}, which is no URL`, mend, 'to')
  if (!/^https?:$/.test(url.protocol)) report(`to is ${shown(to)}, and not of HTTP`, mend, 'to')
  const isBare = url.username === '' && url.password === '' && url.pathname === '/' && url.search + url.hash === ''
  // It may hold a password, so it is not shown.
  if (!isBare) report('to is more than an origin, and targets go on as they came', mend, 'to')
  return url
}

/** Judges a request, and answers it or sends it on. Ends when its answer has. */
async function answer(
  settled: Settled,
  { backend, telling, idle, folds }: About,
  incoming: NodeIncoming,
  response: ServerResponse,
): Promise<void> {
  const { app, pass } = settled
  const { node, message } = incoming
  const body = incoming.body as KeptBody | null
  const telemetry = app.telemetry?.begin(message.method, message.headers)
  if (telemetry) response.once('close', () => telemetry.end(response.headersSent ? response.statusCode : undefined))
  const progress: Progress = { app, message, since: Date.now(), id: undefined, telemetry }
  const refuse = (rejection: Rejection) => void deliver(settled, told(progress, rejection), response)
  const odd = oddityOf(node, message, app)
  if (odd) return refuse(refusedHere(app, undefined, odd, app.statuses, undefined))
  // It would come back as it was sent, with what the fields of others say (RFC 9110, section 9.3.8).
  if (node.method === 'TRACE') return refuse(failing(app, 'unknownMethod', 'match'))
  if (hasPassed(node.headers, telling.pseudonym)) return refuse(failing(app, 'backend', 'handle', circle))
  // The last recipient of OPTIONS is also the one at which its forwards end (RFC 9110, section 7.6.2).
  if (message.target === '*' || (node.method === 'OPTIONS' && node.headers['max-forwards'] === '0'))
    return void deliver(settled, { status: 204, headers: {}, body: null }, response)
  // Requests that are only observed are judged before they are received.
  if (body?.isAsking && endpointFor(app, message, folds)?.mode === 'observe') body.start()
  try {
    const passage = await pass(node, response, {}, { incoming, progress })
    const destination = passage?.judged && destinationOf(passage.judged)
    await passage?.hold(
      () =>
        new Exchange({
          backend,
          incoming: incoming as NodeIncoming & { readonly body: KeptBody | null },
          response,
          fields: requestFields(node, node.url ?? '/', telling),
          app,
          destination,
          inTurn: passage.inTurn,
          longest: readSpan(destination?.endpoint.turn?.longest ?? '5m'),
          idle,
          refuse: (rejection) => void deliver(settled, told(progress, rejection, passage.judged), response),
          log: (rejection, outcome) => note(progress, rejection, outcome, passage.judged),
        }).settled,
    )
  } finally {
    await body?.dispose()
  }
}

const circle = new Error('the backend has sent the request back to this front: to leads in a circle')

function failing(app: IntakeNode, failure: StatusName, stage: Stage, cause?: unknown): Rejection {
  return reject(undefined, [], { status: statusFor(failure, app.statuses), stage, failure, house: app, cause })
}

/**
 * Takes a connection over to the backend, if the client asks for another protocol where no endpoint matches.
 *
 * @returns Whether it did; otherwise it is a request like others (RFC 9110, section 7.8).
 */
function upgrade(
  settled: Settled,
  { backend, telling, folds, unmatched, idle }: About,
  request: IncomingMessage,
  socket: Duplex,
  head: Buffer,
): boolean {
  const { app } = settled
  const { method = 'GET', url = '/', rawHeaders } = request
  const message = piecesOf(method, url, linesOf(rawHeaders), null)
  const hasBody = request.headers['content-length'] !== undefined || request.headers['transfer-encoding'] !== undefined
  if (unmatched === 'answer' || hasBody || method === 'TRACE' || hasPassed(request.headers, telling.pseudonym))
    return false
  if (oddityOf(request, message, app) || misspelled(app, method, [message.target], (target) => target, folds))
    return false
  if (endpointFor(app, { ...message, target: originForm(message.target) }, folds)) return false
  const fields = requestFields(request, url, telling)
  fields.push('Connection', 'Upgrade', 'Upgrade', request.headers.upgrade ?? '')
  const response = new ServerResponse(request)
  response.shouldKeepAlive = false
  response.assignSocket(socket as never)
  response.once('finish', () => socket.end())
  const incoming = new NodeIncoming(request, response)
  const progress: Progress = { app, message, since: Date.now(), id: undefined }
  const exchange = new Exchange({
    backend,
    incoming: incoming as never,
    response,
    fields,
    send: (outgoing, answering) =>
      backend.upgrade(outgoing, answering, (agreed, far, farHead) => {
        response.detachSocket(socket as never)
        exchange.handOver()
        join(socket, head, agreed, far, farHead)
      }),
    app,
    destination: undefined,
    inTurn: false,
    longest: idle,
    idle,
    refuse: (rejection) => void deliver(settled, told(progress, rejection), response),
    log: (rejection, outcome) => note(progress, rejection, outcome),
  })
  return true
}

/** Two connections as one, of which either ends the other. */
function join(near: Duplex, nearHead: Buffer, agreed: IncomingMessage, far: Duplex, farHead: Buffer): void {
  const { statusCode, statusMessage, rawHeaders } = agreed
  const fields = [...endToEnd(rawHeaders), 'Connection', 'Upgrade', 'Upgrade', agreed.headers.upgrade ?? '']
  const lines = pairsOf(fields).map(([name, value]) => `${name}: ${value}\r\n`)
  near.write(`HTTP/1.1 ${statusCode} ${statusMessage}\r\n${lines.join('')}\r\n`, 'latin1')
  far.unshift(farHead)
  near.unshift(nearHead)
  const end = () => {
    near.destroy()
    far.destroy()
  }
  near.on('error', end).once('close', end).pipe(far)
  far.on('error', end).once('close', end).pipe(near)
}
