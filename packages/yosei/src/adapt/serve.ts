/** A service: every request through its stages, to its handler, to an answer. */

import * as platform from '#platform'
import { replyTo } from '../answer/problem.js'
import type { Reply } from '../answer/reply.js'
import { rootOf } from '../declare/endpoint.js'
import { challengeOf, type IntakeNode, intakeNode } from '../declare/intake.js'
import { type Entry, enter, nothingAsked } from '../judge/enter.js'
import { givenIn } from '../judge/give.js'
import { idOf, newId, requestIdIn, writeJournal } from '../judge/journal.js'
import type { Opened } from '../judge/open.js'
import { prepare, type Received, type Unreceived } from '../judge/receive.js'
import { type Refusing, refusalsIn, rejectRefused } from '../judge/refuse.js'
import { following, type LateSignal, withSignal } from '../judge/signal.js'
import { type AcceptedJudgement, destinationOf, type Judged, judgeStages } from '../judge/stages.js'
import { retryAfter } from '../judge/statuses.js'
import type { HeldTurn } from '../judge/turns.js'
import { noHeaders, type Rejection, reject, rejectFailed, roomFor } from '../judge/verdict.js'
import { declaredPath } from '../kinds/locate.js'
import { startDeadline } from '../read/deadline.js'
import type { Destination } from '../read/match.js'
import { type AnyMessage, fieldOf, messageOfRequest } from '../read/message.js'
import { formatAddress, type Path } from '../terms/address.js'
import type { Accepted, Endpoint, Endpoints, FoundBy, Intake, WhoOf } from '../terms/endpoint.js'
import type { JournalEvent } from '../terms/hooks.js'
import { late } from '../terms/late.js'
import { mistake } from '../terms/mistake.js'
import { nearestOf } from '../terms/nearest.js'
import { aFunction, anything, aText, checkOptions, isPlain, type Options, oneOf, shown } from '../terms/option-types.js'
import { statusFor } from '../terms/statuses.js'
import type { RejectionTelemetry, RequestTelemetry } from '../terms/telemetry.js'
import { languageFor } from '../words/languages.js'
import { describing } from './described.js'

/** What a handler gets in addition to the input. */
export interface Context<E, Services> {
  /** The request as fetch has it, made when it is first looked at; its body has been read. */
  readonly request: Request
  /** The services that you gave to `serve` or `gate`. */
  readonly services: Services
  /** The caller, as `identify` gave it and the endpoint declares it. */
  readonly who: WhoOf<E>
  /** Fires when the client has gone, or the handler is over its time. */
  readonly signal: AbortSignal
  /** The request's id, the same as in the journal and in the answer to a rejection. */
  readonly id: string
  /** What the request brought in the field `requestId` of the intake, or was given; `undefined` without that option. */
  readonly requestId: string | undefined
  /** The language that the client reads best (Accept-Language), of those in which answers are written: `en`. */
  readonly language: string
  /** What the lookups found, by their names. */
  readonly found: FoundBy<E>
  /**
   * The turn that the request has, if its endpoint takes one. The fence grows with every turn, for a store that checks
   * it. `holds()` says by the clock if you still hold the turn. Ask it before each step that only one request may do at
   * the same time. When it is `false`, the signal has fired.
   */
  readonly turn?: { readonly fence: bigint; holds(): boolean } | undefined
}

/** Every endpoint needs its handler, and every handler its endpoint: said at compile time and at start. */
export type Handlers<A extends Intake | Endpoints, Services = unknown> = HandlersOf<
  A extends Intake<infer E> ? E : A extends Endpoints ? A : never,
  Services
>
type HandlersOf<E extends Endpoints, Services> = {
  readonly [N in keyof E]: (input: Accepted<E[N]>, context: Context<E[N], Services>) => unknown
}

/** Options of `serve`. */
export interface ServeOptions<Services> {
  /** What lookups, `identify` and handlers are given. */
  services?: Services | undefined
  /** The clock of relative limits. By default, that of the machine. */
  now?: (() => Date) | undefined
  /** `answer` (the default) answers OPTIONS of a declared path with its methods. `pass` treats it like any other method. */
  options?: 'answer' | 'pass' | undefined
  /** Whether what a handler threw is thrown on, after it was journalled: for what a service considers fatal. */
  letThrough?: ((error: unknown) => boolean) | undefined
  /** The path at which the service describes itself by OpenAPI: `/openapi.json`. By default it does not. */
  openapi?: `/${string}` | undefined
}

const serveOptions: Options<ServeOptions<unknown>> = {
  services: anything,
  now: aFunction('() => new Date()'),
  options: oneOf('answer', 'pass'),
  letThrough: aFunction('(error) => false'),
  openapi: aText,
}

/** The services are required where a lookup or `identify` asks them. */
type Serving<Asked, Services> = unknown extends Asked
  ? [options?: ServeOptions<Services>]
  : [options: ServeOptions<Services> & { services: Services }]

/** A request on its way in, from whatever platform. */
export interface Incoming {
  readonly message: AnyMessage
  readonly signal: LateSignal
  /** What other code has read of its body already. */
  readonly received?: Received | Unreceived | undefined
  /** The request as fetch has it. */
  request(): Request
}

/** A service behind `serve`: what a platform works with that has no fetch requests. */
export interface Service {
  readonly app: IntakeNode
  /** When it can take what it declares; it rejects where a package for that is not installed. */
  readonly ready: Promise<void>
  process(incoming: Incoming): Promise<Reply>
  /** The answer to what never became a request, or whose answer could not be sent. */
  refuse(verdict: Rejection): Reply
}
/** A function from a fetch `Request` to a `Response`. */
export type Handle = (request: Request) => Promise<Response>

const services = new WeakMap<Handle, Service>()
/** The service behind a handle; `undefined` if `serve` did not make it. */
export const serviceOf = (handle: Handle): Service | undefined => services.get(handle)

/**
 * Serves the endpoints of an intake: typed input in, a plain value out as JSON with the endpoint's `success` status, a
 * Response as it is. Needs no server: `await handle(new Request(…))` is a test.
 *
 * @throws DeclarationError if an endpoint has no handler, or a handler no endpoint.
 * @example
 * const handle = serve(app, { listSessions: ({ query }, { services }) => services.sessions.list(query) }, { services })
 */
export function serve<E extends Endpoints, Asked = unknown, Services extends Asked = Asked>(
  app: Intake<E, Asked>,
  handlers: HandlersOf<E, Services>,
  ...[options]: Serving<Asked, Services>
): Handle {
  const service = serviceFor(intakeNode(app), handlers as AnyHandlers, options ?? {})
  const handle = async (request: Request) => {
    const incoming = { message: messageOfRequest(request), signal: following(request.signal), request: () => request }
    return responseOf(await service.process(incoming))
  }
  services.set(handle, service)
  return handle
}

type AnyHandlers = { readonly [name: string]: (input: unknown, context: Context<Endpoint, unknown>) => unknown }

function serviceFor(app: IntakeNode, handlers: AnyHandlers, options: ServeOptions<unknown>): Service {
  const report = (what: string, mend: string, option?: string) => mistake('serve', what, mend, { option })
  if (!isPlain(handlers)) report(`the handlers are ${shown(handlers)}`, 'Write them as { name: (input, context) => … }')
  checkOptions(options, serveOptions, 'serve', report)
  checkPairs(app, handlers)
  const { openapi } = options
  if (openapi !== undefined && !/^\/[^?#\s]*$/.test(openapi))
    report(`openapi is ${shown(openapi)}`, 'Write a path: /openapi.json', 'openapi')
  const described = openapi === undefined ? undefined : describing(app, openapi)
  const ready = prepare(app, platform)
  // Who serves without waiting for it is reported by the first request that needs it.
  ready.catch(() => undefined)
  return {
    app,
    ready,
    refuse: (verdict) => refused(app, verdict),
    process(incoming) {
      const telemetry = app.telemetry?.begin(incoming.message.method, incoming.message.headers)
      if (!telemetry) return processed(incoming, undefined)
      return telemetry
        .within(() => processed(incoming, telemetry))
        .then((reply) => {
          telemetry.end(reply.status)
          return reply
        })
    },
  }

  function processed(incoming: Incoming, telemetry: RequestTelemetry | undefined): Promise<Reply> {
    const progress: Progress = { app, message: incoming.message, since: Date.now(), id: undefined, telemetry }
    const coming = replied(incoming, progress, telemetry)
    const { requestId } = app
    return requestId === undefined
      ? coming
      : coming.then((reply) => withField(reply, requestId.toLowerCase(), requestIdOf(progress) as string))
  }

  function replied(incoming: Incoming, progress: Progress, telemetry: RequestTelemetry | undefined): Promise<Reply> {
    const { message, signal, received } = incoming
    const description = described?.(message)
    if (description) return description.catch((error) => failed(error, progress))
    const fail = (error: unknown) => failed(error, progress)
    const go = (judged: Judged) => {
      try {
        const reply = settle(judged, incoming, progress)
        const vary = judged.opened?.destination.vary
        if (reply instanceof Promise) return reply.catch(fail).then((one) => varied(one, vary))
        return varied(reply, vary)
      } catch (error) {
        return fail(error)
      }
    }
    try {
      const { services, now } = options
      const judged = judgeStages(app, message, {
        services,
        identity: 'asked',
        now: now?.(),
        signal,
        platform,
        received,
        telemetry,
      })
      return judged instanceof Promise ? judged.then(go, fail) : Promise.resolve(go(judged))
    } catch (error) {
      return new Promise((resolve) => resolve(fail(error)))
    }
  }

  /** Whatever fails, before, after or inside the stages, comes out here. */
  function failed(error: unknown, progress: Progress, judged?: Judged): Reply {
    if (judged && refusalsIn(error)) return failedReply(error, progress, judged)
    // What is let through comes by here once more on its way out.
    if (progress.letThrough === error && error !== undefined) throw error
    const reply = failedReply(error, progress, judged)
    if (options.letThrough?.(error)) {
      progress.letThrough = error
      throw error
    }
    return reply
  }

  function settle(judged: Judged, incoming: Incoming, progress: Progress): Reply | Promise<Reply> {
    const { verdict, dispose } = judged
    if (verdict.outcome === 'accepted') {
      const handle = () => accepted(judged as AcceptedJudgement, incoming, progress)
      return dispose ? disposeAfter(handle, dispose) : handle()
    }
    if (progress.message.method === 'OPTIONS' && options.options !== 'pass' && isUnmatched(verdict, progress.message))
      return {
        status: 204,
        headers: verdict.headers.allow === undefined ? {} : { allow: verdict.headers.allow },
        body: null,
      }
    return told(progress, verdict, judged)
  }

  function accepted(judged: AcceptedJudgement, incoming: Incoming, progress: Progress): Reply | Promise<Reply> {
    const handler = handlers[judged.verdict.endpoint] as AnyHandlers[string]
    const fail = (error: unknown) => failed(error, progress, judged)
    const go = (entry: Entry) => runHandler(judged, handler, incoming, options.services, progress, entry, fail)
    const entering = enter(judged, options.services, incoming.signal, app)
    return entering
      ? entering.then((entry) => ('outcome' in entry ? told(progress, entry, judged) : go(entry)))
      : go(nothingAsked)
  }
}

/** An answer that also depends on a header field (RFC 9110, section 12.5.5). */
export function varied(reply: Reply, name: string | undefined): Reply {
  const { vary } = reply.headers
  return name === undefined ? reply : withField(reply, 'vary', name, vary === undefined ? name : `${vary}, ${name}`)
}

/** An answer with one more header field: a Response as it is gets it added, another has it as a whole. */
function withField(reply: Reply, name: string, added: string, whole = added): Reply {
  const { response, headers } = reply
  if (!response) return { ...reply, headers: { ...headers, [name]: whole } }
  const copy = new Response(response.body, response)
  copy.headers.append(name, added)
  return { ...reply, response: copy }
}

async function disposeAfter(handle: () => Reply | Promise<Reply>, dispose: () => Promise<void>): Promise<Reply> {
  try {
    return await handle()
  } finally {
    await dispose().catch(() => undefined)
  }
}

/** Journals a failure of what was not the request's fault, and answers it. A refusal that was thrown is a refusal. */
export function failedReply(cause: unknown, progress: Progress, judged?: Judged): Reply {
  const refusals = refusalsIn(cause)
  const destination = judged && destinationOf(judged)
  if (refusals && destination) return refusedReply(refusals, destination, progress, judged)
  const { app } = progress
  const about = { stage: 'handle', house: app, statuses: destination?.endpoint.statuses ?? app.statuses } as const
  return told(progress, rejectFailed(judged?.verdict.endpoint, cause, about), judged)
}

const isUnmatched = ({ stage, headers }: Rejection, { target }: AnyMessage) =>
  stage === 'match' && (headers.allow !== undefined || target === '*')

function checkPairs({ endpoints }: IntakeNode, handlers: AnyHandlers): void {
  for (const name of Object.keys(endpoints))
    if (typeof handlers[name] !== 'function' || !Object.hasOwn(handlers, name))
      mistake(
        `serve, ${name}`,
        Object.hasOwn(handlers, name) ? `its handler is ${shown(handlers[name])}` : 'the endpoint has no handler',
        `Add ${name}: (input, context) => … to the handlers`,
      )
  for (const name of Object.keys(handlers))
    if (!Object.hasOwn(endpoints, name))
      mistake(
        `serve, ${name}`,
        'the handler has no endpoint',
        `Name it ${nearestOf(name, Object.keys(endpoints)) ?? Object.keys(endpoints).join(' or ')}, or take it away`,
      )
}

/** What is known of a request while it is under way. */
export interface Progress {
  readonly app: IntakeNode
  readonly message: AnyMessage
  readonly since: number
  id: string | undefined
  requestId?: string | undefined
  letThrough?: unknown
  telemetry?: RequestTelemetry | undefined
  /** Whether it was answered by a rejection. */
  isRejected?: boolean
}
function identified(progress: Progress): string {
  progress.id ??= idOf(progress.message.headers)
  return progress.id
}

/** The id that a request has in its own field; `undefined` if the intake names none. */
export function requestIdOf(progress: Progress): string | undefined {
  const { app, message } = progress
  if (app.requestId === undefined) return undefined
  progress.requestId ??= requestIdIn(message.headers, app.requestId) ?? identified(progress)
  return progress.requestId
}

/** Journals what never became a request, or whose answer could not be sent, and answers it. */
export function refused(app: IntakeNode, verdict: Rejection): Reply {
  const id = newId()
  const outcome = verdict.cause === undefined ? 'rejected' : 'failed'
  const telemetry = app.telemetry?.begin('', [])
  telemetry?.rejected(measuredOf(verdict, outcome))
  telemetry?.end(verdict.status)
  writeJournal(app, { id, outcome, rejection: verdict, since: Date.now() })
  return reply(app, verdict, [], id)
}

/** Journals a rejection or a failure, and answers it. */
export function told(progress: Progress, rejection: Rejection, judged?: Judged): Reply {
  const { app, message } = progress
  const id = identified(progress)
  progress.isRejected = true
  note(progress, rejection, rejection.cause === undefined ? 'rejected' : 'failed', judged)
  return reply(app, rejection, message.headers, id)
}

export function note(
  progress: Progress,
  rejection: Rejection,
  outcome: JournalEvent['outcome'],
  judged?: Judged,
): void {
  const { app, since, telemetry } = progress
  telemetry?.rejected(measuredOf(rejection, outcome, judged))
  if (app.journal || outcome === 'failed')
    writeJournal(app, { id: identified(progress), requestId: requestIdOf(progress), outcome, rejection, judged, since })
}

/** A rejection as it is measured. */
const measuredOf = (
  { stage, status, faults, cause }: Rejection,
  outcome: JournalEvent['outcome'],
  judged?: Judged,
): RejectionTelemetry => ({
  outcome,
  stage,
  status,
  codes: faults.map(({ code }) => code),
  addresses: () => faults.map(({ path }) => declaredAddress(judged?.opened, path)),
  cause,
})

/** An address as it is declared, whatever clients send: what is not declared is `*`. */
function declaredAddress(opened: Opened | undefined, path: Path): string {
  const declared = opened ? declaredPath(rootOf(opened.destination.endpoint, opened.body), path) : path.slice(0, 1)
  return `${formatAddress(declared)}${declared.length < path.length ? '.*' : ''}`
}

function reply(app: IntakeNode, verdict: Rejection, headers: AnyMessage['headers'], id: string): Reply {
  const wishes = { accept: fieldOf(headers, 'accept'), language: fieldOf(headers, 'accept-language') }
  try {
    const made = replyTo(verdict, wishes, id)
    if (app.envelope || verdict.headers !== noHeaders) checkHeaders(made.headers)
    return made
  } catch (cause) {
    writeJournal(app, { id, outcome: 'failed', rejection: { ...verdict, cause }, since: Date.now() })
    return replyTo(
      { ...verdict, headers: noHeaders, house: { languages: app.languages, naming: app.naming } },
      wishes,
      id,
    )
  }
}

/** Header fields of a service's own may have been made of what a client sent. */
function checkHeaders(headers: Reply['headers']): void {
  for (const [name, value] of Object.entries(headers))
    if (!/^[!#$%&'*+.^_`|~0-9A-Za-z-]+$/.test(name) || !/^[\t\x20-\x7e\x80-\xff]*$/.test(value))
      throw new TypeError(`"${name}: ${value}" is no header field: write visible characters of Latin-1 alone`)
}

const withId = late('id', identified)
const withRequestId = late('requestId', requestIdOf)
const withLanguage = late('language', ({ app, message }: Progress) =>
  languageFor(fieldOf(message.headers, 'accept-language'), app.languages),
)
const withRequest = late('request', (incoming: Incoming) => incoming.request())

/** What most handlers never look at is made when they do. Of one type at run time, and of another for each endpoint. */
export const contextFor = (
  services: unknown,
  who: unknown,
  incoming: Incoming,
  progress: Progress,
  { found, turn }: Entry,
): Context<Endpoint, unknown> => {
  const known = withRequestId(withId({ services, who, found, turn }, progress), progress)
  const context = withSignal(withLanguage(known, progress), incoming.signal)
  return withRequest(context, incoming) as Context<Endpoint, unknown>
}

const overtime = /* @__PURE__ */ Symbol('over its time')

/** The stage that handles. The turn, if there is one, ends when the handler has settled, and only then. */
export function runHandler(
  judged: AcceptedJudgement,
  handler: (input: unknown, context: Context<Endpoint, unknown>) => unknown,
  incoming: Incoming,
  services: unknown,
  progress: Progress,
  entry: Entry,
  fail: (error: unknown) => Reply,
): Reply | Promise<Reply> {
  judged.opened.run.telemetry?.stage('handle')
  const call = () => handler(judged.verdict.input, contextFor(services, judged.who, incoming, progress, entry))
  const settle = (value: unknown) => replyOfHandler(value, judged, incoming, progress)
  const { turn } = entry
  if (turn) return runInTurn(call, turn, judged, settle, fail)
  try {
    const value = call()
    return isPromise(value)
      ? inTime(value, judged.opened.destination.limits.handle).then(settle).catch(fail)
      : settle(value)
  } catch (error) {
    return fail(error)
  }
}

/** The turn is let go of when the handler has settled, however long that takes; its answer waits for that. */
async function runInTurn(
  call: () => unknown,
  turn: HeldTurn,
  judged: AcceptedJudgement,
  settle: (value: unknown) => Reply,
  fail: (error: unknown) => Reply,
): Promise<Reply> {
  const handling = (async () => call())()
  const release = () => turn.release()
  const released = handling.then(release, release)
  try {
    const value = await inTime(handling, judged.opened.destination.limits.handle)
    if (value !== overtime) await released
    return settle(value)
  } catch (error) {
    await released
    return fail(error)
  }
}

/** What a handler came to, as an answer. */
export function replyOfHandler(value: unknown, judged: Judged, incoming: Incoming, progress: Progress): Reply {
  const { app, message } = progress
  // Handlers get only what an endpoint matched.
  const destination = destinationOf(judged) as Destination
  const { name, endpoint, limits } = destination
  if (value === overtime) {
    incoming.signal.abort(new DOMException('The handler is over its time', 'TimeoutError'))
    const status = statusFor('unavailable', endpoint.statuses)
    const cause = new Error(`The handler of ${name} took more than ${limits.handle} ms`)
    return told(
      progress,
      reject(name, [], { status, stage: 'handle', failure: 'unavailable', headers: retryAfter, house: app, cause }),
      judged,
    )
  }
  const refusals = refusalsIn(value)
  return refusals
    ? refusedReply(refusals, destination, progress, judged)
    : replyOf(value, endpoint.success, message.method)
}

function refusedReply(
  refusals: readonly Refusing[],
  destination: Destination,
  progress: Progress,
  judged: Judged,
): Reply {
  const { app } = progress
  const room = judged.opened?.room ?? roomFor(0)
  // Where a handler names no place, it is about the request as a whole.
  const about = { place: '', scheme: challengeOf(app).scheme, most: destination.limits.errors, house: app, room }
  return told(progress, rejectRefused(destination.name, refusals, 'handle', about), judged)
}

const isPromise = (value: unknown): value is Promise<unknown> =>
  typeof value === 'object' && value !== null && typeof (value as { then?: unknown }).then === 'function'

/** What a promise comes to, or that it takes too long. It is not given up: other code may still wait for it. */
function inTime(promise: Promise<unknown>, milliseconds: number): Promise<unknown> {
  return new Promise((resolve, reject) => {
    const deadline = startDeadline(milliseconds, () => resolve(overtime))
    promise.then(
      (value) => {
        deadline.off()
        resolve(value)
      },
      (error) => {
        deadline.off()
        reject(error)
      },
    )
  })
}

const jsonHeaders = { 'content-type': 'application/json' }

/** Most handlers return plain objects, and to name `Response` is slow: Node fetches it anew each time. */
const isResponse = (value: unknown): value is Response =>
  typeof value === 'object' &&
  value !== null &&
  Object.getPrototypeOf(value) !== Object.prototype &&
  value instanceof Response

/** What a handler returned, as an answer. */
function replyOf(value: unknown, success: number, method: string): Reply {
  const given = givenIn(value)
  if (!given) return replyOfValue(value, success, method)
  const reply = replyOfValue(given.value, given.status ?? success, method)
  const headers = { ...reply.headers, ...lowerCased(given.headers ?? {}) }
  checkHeaders(headers)
  return { ...reply, headers }
}

const lowerCased = (headers: Reply['headers']) =>
  Object.fromEntries(Object.entries(headers).map(([name, value]) => [name.toLowerCase(), String(value)]))

function replyOfValue(value: unknown, status: number, method: string): Reply {
  if (isResponse(value)) return { status: value.status, headers: {}, body: null, response: value }
  if (value === undefined) return { status: status === 200 ? 204 : status, headers: {}, body: null }
  const body = toJson(value)
  return { status, headers: jsonHeaders, body: method === 'HEAD' || status === 204 ? null : body }
}

/** Big integers go out as text, as they come in. */
function toJson(value: unknown): string {
  try {
    return JSON.stringify(value)
  } catch (error) {
    const written = JSON.stringify(value, (_, one) => (typeof one === 'bigint' ? String(one) : one))
    if (written === undefined) throw error
    return written
  }
}

const responseOf = ({ status, headers, body, response }: Reply): Response =>
  response ?? new Response(body, { status, headers })
