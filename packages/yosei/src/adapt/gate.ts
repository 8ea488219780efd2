/** A gate before the handlers of a framework: lets through what is accepted, and answers the rest. */

import type { IncomingMessage, ServerResponse } from 'node:http'
import * as platform from '#platform'
import { type EndpointNode, endpointNode, isEndpoint } from '../declare/endpoint.js'
import { declareIntake, type IntakeNode, intakeNode, intakeOf, isIntake } from '../declare/intake.js'
import { type Entry, enter, nothingAsked } from '../judge/enter.js'
import { idOf, writeJournal } from '../judge/journal.js'
import { endpointFor, misspelled } from '../judge/open.js'
import { prepare } from '../judge/receive.js'
import { type AcceptedJudgement, destinationOf, type Judged, judgeStages } from '../judge/stages.js'
import { type Rejection, reject, verdictOf } from '../judge/verdict.js'
import { startDeadline } from '../read/deadline.js'
import { withoutSlashes } from '../read/match.js'
import { type AnyMessage, originForm } from '../read/message.js'
import { Unreadable } from '../read/unreadable.js'
import type { Endpoint, Intake } from '../terms/endpoint.js'
import { mistake } from '../terms/mistake.js'
import { anything, aText, checkOptions, type Options, oneOf, shown } from '../terms/option-types.js'
import type { Part } from '../terms/parts.js'
import type { RequestTelemetry } from '../terms/telemetry.js'
import { readSpan } from '../terms/units.js'
import { keptAt, NodeIncoming, type Parsed } from './incoming.js'
import { watch } from './observe.js'
import { type AskedOf, type Gate, type Passed, type Passing, passage } from './passed.js'
import { note, noteObserved, notePieces, type Progress, requestIdOf, told, varied } from './progress.js'
import { send } from './reply.js'

/** Options of a gate. */
export interface GateOptions<Services = unknown> {
  /** The services that lookups and `identify` use. */
  services?: Services | undefined
  /** What becomes of a request that no endpoint matches: it goes on to `next`, or is answered with 404 or 405. */
  unmatched?: 'next' | 'answer' | undefined
  /**
   * Whether OPTIONS of a declared path goes on to `next`, as a CORS preflight must, or is answered with its methods.
   */
  options?: 'answer' | 'pass' | undefined
  /**
   * How the gate chooses an endpoint. By default, it ignores case, doubled slashes and a slash at the end. `exact` is
   * for strict routers.
   */
  routing?: 'folded' | 'exact' | undefined
  /**
   * The property in which a parser before the gate keeps the body as it came, as bytes or text, for `attest` and
   * `keepBytes`: `'rawBody'` for `request.rawBody`.
   */
  bytesAt?: string | undefined
}
const gateOptions: Options<GateOptions> = {
  services: anything,
  unmatched: oneOf('next', 'answer'),
  options: oneOf('answer', 'pass'),
  routing: oneOf('folded', 'exact'),
  bytesAt: aText,
}
/** The services are required where a lookup or `identify` asks them. */
export type Gating<A> =
  unknown extends AskedOf<A> ? [options?: GateOptions] : [options: GateOptions<AskedOf<A>> & { services: AskedOf<A> }]
/** A request with what frameworks put on it. */
export interface FrameworkRequest extends IncomingMessage {
  readonly originalUrl?: string
  readonly body?: unknown
}

/**
 * Middleware that judges every request of an intake's endpoints, or of one endpoint on its route. What is accepted goes
 * on, its input with `inputOf`; the rest is answered. It reads the body itself, or takes what a parser before it made
 * of it: limits of bytes and the places of syntax errors are that parser's then.
 *
 * @example
 * server.use(gate(app, { services }))
 */
export function gate<A extends Intake | Endpoint>(of: A, ...[options]: Gating<A>): Gate {
  const pass = gateFor(of, options ?? {})
  return (request, response, next) => {
    pass(request, response, request as FrameworkRequest).then(
      (passage) => {
        if (!passage) return
        if (passage.telemetry) passage.telemetry.within(next)
        else next()
      },
      (error) => next(error),
    )
  }
}

/** How a request goes through; `undefined` if it does not, since it has been answered or its client has gone. */
export type Pass = (
  request: FrameworkRequest,
  response: ServerResponse,
  parsed: Parsed,
  begun?: Begun,
) => Promise<Passage | undefined>
/** A request that other code has begun with. */
export interface Begun {
  readonly incoming: NodeIncoming
  readonly progress: Progress
}
export interface Passage {
  /** Does what follows the gate, and ends the turn when that has settled. */
  hold<T>(work: () => Promise<T>): Promise<T>
  /** What came of the request; `undefined` if no endpoint matched. */
  readonly judged: Judged | undefined
  /** Whether a turn is held meanwhile. */
  readonly inTurn: boolean
  readonly telemetry: RequestTelemetry | undefined
}
/** No turn was taken. */
const freely = ({ telemetry }: Progress, judged?: Judged): Passage => ({
  hold: (work) => work(),
  judged,
  inTurn: false,
  telemetry,
})

export function gateFor(of: Intake | Endpoint, gating: GateOptions): Pass {
  if (!isIntake(of) && !isEndpoint(of))
    mistake('gate', `its first argument is ${shown(of)}`, 'Give it what intake() or endpoint() made')
  checkOptions(gating, gateOptions, 'gate', (what, mend, option) => mistake('gate', what, mend, { option }))
  const { services, unmatched, options = 'pass', routing = 'folded', bytesAt } = gating
  const folds = routing === 'folded'
  const letBy = passUnjudged(folds)
  const isApp = 'endpoints' in of
  const app = isApp ? intakeNode(of as Intake) : soloOf(endpointNode(of as Endpoint))
  prepare(app, platform).catch(() => undefined)
  const watches = Object.values(app.endpoints).some(({ mode }) => mode === 'observe')
  const targetFor = (target: string) => (isApp ? target : tailOf(target, of, folds))
  // A gate on one route that matches nothing must not let everything by.
  const goesOn = (unmatched ?? (isApp ? 'next' : 'answer')) === 'next'
  return async (request, response, parsed, begun) => {
    const whole = request.originalUrl ?? request.url ?? '/'
    const incoming =
      begun?.incoming ??
      new NodeIncoming(request, response, targetFor(whole), false, parsed.body, keptAt(parsed, bytesAt))
    const progress: Progress = begun?.progress ?? { app, message: incoming.message, since: Date.now(), id: undefined }
    const requestId = requestIdOf(progress)
    if (requestId !== undefined && app.requestId !== undefined) response.setHeader(app.requestId, requestId)
    progress.telemetry ??= app.telemetry?.begin(incoming.message.method, incoming.message.headers)
    const { telemetry } = progress
    if (!telemetry) return judgeAt(whole, incoming, progress)
    whenClosed(response, () => telemetry.end(response.headersSent ? response.statusCode : undefined))
    return telemetry.within(() => judgeAt(whole, incoming, progress))

    async function judgeAt(whole: string, incoming: NodeIncoming, progress: Progress): Promise<Passage | undefined> {
      const targets = [...new Set([whole, request.url ?? '/'])]
      // A router may take it for another endpoint than the gate does, or for one where the gate finds none.
      const odd = misspelled(app, incoming.message.method, targets, targetFor, folds)
      const mayRun = odd && (odd.meant.length > 0 ? odd.meant : Object.values(app.endpoints))
      if (odd && !mayRun?.every((one) => isObserved(one, odd.rejection))) return answer(odd.rejection)
      if (odd) {
        note(progress, odd.rejection, 'observed')
        return goOnWatched(odd.meant, { verdict: odd.rejection }, incoming)
      }
      for (const target of watches ? targets : []) {
        const endpoint = observedAt(target)
        if (endpoint) return observe(endpoint, target)
      }
      const judgedAt = async ({ message, signal, received }: NodeIncoming) =>
        judgeStages(app, message, {
          services,
          identity: 'asked',
          signal,
          platform,
          folds,
          received,
          telemetry: progress.telemetry,
        })
      let judged = await judgedAt(incoming)
      // Under a mount the templates may be those of the mounted part alone.
      if (isApp && isLost(judged) && request.originalUrl !== undefined && request.originalUrl !== request.url)
        judged = await judgedAt(
          new NodeIncoming(request, response, request.url, false, parsed.body, keptAt(parsed, bytesAt)),
        )
      const { verdict, opened, dispose } = judged
      const endpoint = destinationOf(judged)?.endpoint
      if (dispose) whenClosed(response, () => dispose().catch(() => undefined))
      leaveBody(request, judged)
      if (verdict.outcome === 'accepted') {
        const entry = (await enter(judged as AcceptedJudgement, services, incoming.signal, app)) ?? nothingAsked
        return 'outcome' in entry ? turnAway(entry) : letThrough(verdict, entry)
      }
      if (request.method === 'OPTIONS' && verdict.stage === 'match') {
        if (options === 'pass' && (goesOn || verdict.headers.allow !== undefined)) return freely(progress)
        if (verdict.headers.allow !== undefined) {
          await send({ status: 204, headers: { allow: verdict.headers.allow }, body: null }, response)
          return undefined
        }
      }
      if (verdict.stage === 'match' && goesOn && verdict.cause === undefined) return letBy(progress, request, response)
      return turnAway(verdict)

      function letThrough(verdict: Passed['verdict'], entry: Entry): Passage | undefined {
        const { turn } = entry
        noteObserved(progress, judged)
        if (verdict.outcome === 'accepted') notePieces(progress, judged, 'rejected')
        progress.telemetry?.stage('handle')
        const vary = opened?.destination.vary
        if (vary !== undefined && verdict.outcome === 'accepted') response.appendHeader('vary', vary)
        if (response.closed) {
          // The client has gone: no answer of a handler would reach it.
          turn?.release()
          return undefined
        }
        const passed: Passed = {
          endpoints: [endpoint as EndpointNode],
          verdict,
          judged,
          entry,
          incoming,
          progress,
          services,
          response,
          isHeld: false,
        }
        ;(request as Passing)[passage] = passed
        if (!turn) return freely(progress, judged)
        releaseWhenDone(passed, response)
        return {
          judged,
          inTurn: true,
          telemetry: progress.telemetry,
          async hold(work) {
            passed.isHeld = true
            try {
              return await work()
            } finally {
              await turn.release()
            }
          },
        }
      }

      /** The endpoint of a target, if requests of it are only watched. */
      function observedAt(target: string): EndpointNode | undefined {
        const found = endpointFor(app, { ...incoming.message, target: targetFor(originForm(target)) }, folds)
        return found?.mode === 'observe' ? found : undefined
      }

      /** Judges what goes on as it came: nothing that a client or a handler can see is changed by it. */
      async function observe(endpoint: EndpointNode, target: string): Promise<Passage> {
        const seen = begun?.incoming ?? new NodeIncoming(request, response, targetFor(target))
        const judged = await watch(
          app,
          endpoint,
          seen,
          parsed.body,
          keptAt(parsed, bytesAt),
          { services, folds, telemetry: progress.telemetry },
          (rejection, judged) => {
            noteObserved(progress, judged)
            if (rejection) note(progress, rejection, rejection.cause === undefined ? 'observed' : 'failed', judged)
            else notePieces(progress, judged, 'observed')
          },
        )
        const { dispose } = judged
        if (dispose) whenClosed(response, () => dispose().catch(() => undefined))
        return goOnWatched([endpoint], judged, seen)
      }

      function goOnWatched(endpoints: readonly EndpointNode[], judged: Judged, incoming: NodeIncoming): Passage {
        const verdict = judged.verdict.outcome === 'rejected' ? verdictOf(judged.verdict) : judged.verdict
        const about = { endpoints, verdict, judged, entry: nothingAsked, incoming, progress, services, response }
        ;(request as Passing)[passage] = { ...about, isHeld: false }
        progress.telemetry?.stage('handle')
        return freely(progress, judged)
      }

      /** Answers a rejection, unless it is only observed here. */
      async function turnAway(rejection: Rejection): Promise<Passage | undefined> {
        // Who was not asked who they are does not get by.
        const isKnown = opened !== undefined || app.identify === undefined
        if (endpoint && isKnown && isObserved(endpoint, rejection)) {
          note(progress, rejection, 'observed', judged)
          return letThrough(verdictOf(rejection), nothingAsked)
        }
        return answer(rejection, judged, opened?.destination.vary)
      }

      async function answer(rejection: Rejection, judged?: Judged, vary?: string): Promise<undefined> {
        const reply = varied(told(progress, rejection, judged), vary)
        await send(
          request.complete ? reply : { ...reply, headers: { ...reply.headers, connection: 'close' } },
          response,
        )
        return undefined
      }
    }
  }
}

/** An intake of one endpoint, with all that the endpoint's own intake shares. */
function soloOf(endpoint: EndpointNode): IntakeNode {
  const name = endpoint.name ?? `${endpoint.method} ${endpoint.template}`
  const whole = intakeOf(endpoint)
  if (whole) return { ...whole, base: '', endpoints: { [name]: endpoint } }
  return intakeNode(declareIntake({ endpoints: { [name]: endpoint } }))
}

/** Does what is due when a response has ended or its client has gone, also if that was before. */
function whenClosed(response: ServerResponse, work: () => void): void {
  if (response.closed) work()
  else response.once('close', work)
}

/** Whether all that is wrong lies in what is only observed. */
function isObserved({ mode = 'enforce' }: EndpointNode, { faults, stage }: Rejection): boolean {
  if (typeof mode === 'string') return mode === 'observe'
  // A forged message is not wrong in a part.
  if (stage === 'attest') return false
  return faults.length > 0 && faults.every(({ path }) => mode[path[0] as Part] === 'observe')
}

/** The gate has read the stream: who comes behind it finds the body where a parser would have left it. */
function leaveBody(request: FrameworkRequest, { sent }: Judged): void {
  if (request.body === undefined && sent?.body !== undefined && !(sent.body instanceof Unreadable))
    Object.assign(request, { body: sent.body })
}

/**
 * The turn of a plain handler ends with its answer: nothing else says when it is done. A client that goes before does
 * not end it, since the handler is still at work then.
 */
function releaseWhenDone(passage: Passed, response: ServerResponse): void {
  const until = Date.now() + readSpan(passage.endpoints[0]?.turn?.longest ?? '5m')
  const look = () => {
    if (passage.isHeld) return
    if (response.writableEnded || Date.now() > until) passage.entry.turn?.release()
    else startDeadline(100, look)
  }
  whenClosed(response, look)
}

/** The end of a path that a template can match: a route says itself where it stands, whatever is before it. */
function tailOf(target: string, endpoint: Endpoint, folds: boolean): string {
  const [path = '', ...query] = target.split('?')
  const { length } = endpointNode(endpoint).segments
  const segments = (folds ? withoutSlashes(path) : path).split('/')
  const tail = `/${length === 0 ? '' : segments.slice(-length).join('/')}`
  return query.length > 0 ? `${tail}?${query.join('?')}` : tail
}

/** The most routes whose names are kept. */
const mostRoutes = 1000

/**
 * Lets by what no endpoint takes. If a handler behind the gate answers it, the journal gets one event for each route;
 * without a journal, standard error gets one line if the endpoints seem to lie under a base that the gate does not know.
 */
function passUnjudged(folds: boolean) {
  const told = new Set<string>()
  return (progress: Progress, request: FrameworkRequest, response: ServerResponse): Passage => {
    const { app, since, message } = progress
    if (request.method === 'OPTIONS' || (!app.journal && told.size > 0)) return freely(progress)
    response.once('finish', () => {
      const { statusCode: status } = response
      const target = request.originalUrl ?? request.url ?? '/'
      const [, first = ''] = target.split(/[/?#]+/)
      const route = `${request.method} /${first.slice(0, 64)}`
      const isOurs = progress.isRejected || status === 404 || status === 405
      if (isOurs || told.has(route) || told.size === mostRoutes) return
      if (app.journal) {
        told.add(route)
        const rejection = reject(undefined, [], { status, stage: 'match' })
        writeJournal(app, {
          id: idOf(message.headers),
          requestId: requestIdOf(progress),
          outcome: 'unjudged',
          rejection,
          route,
          since,
        })
        return
      }
      const base = baseOf(app, message, target, folds)
      if (base === undefined || told.size > 0) return
      told.add(route)
      console.error(
        `yosei: a gate let ${shown(`${request.method} ${target.slice(0, 200)}`)} by, and a handler behind it answered. If its endpoints lie under ${base}, declare intake({ base: '${base}' }).`,
      )
    })
    return freely(progress)
  }
}

/** What stands before a path that an endpoint would take without it. */
function baseOf(app: IntakeNode, message: AnyMessage, target: string, folds: boolean): string | undefined {
  const [path = ''] = target.split('?')
  for (let at = path.indexOf('/', 1), most = 8; at > 0 && most > 0; at = path.indexOf('/', at + 1), most--)
    if (endpointFor(app, { ...message, target: path.slice(at) }, folds)) return path.slice(0, at)
  return undefined
}

const isLost = ({ verdict }: Judged) => verdict.outcome === 'rejected' && verdict.stage === 'match'
