/** The stage that handles: what a handler gets, and the answer that is made of what it returns. */

import type { Reply } from '../answer/reply.js'
import { challengeOf } from '../declare/intake.js'
import type { Entry } from '../judge/enter.js'
import { givenIn } from '../judge/give.js'
import { type Refusing, refusalsIn, rejectRefused } from '../judge/refuse.js'
import { withSignal } from '../judge/signal.js'
import { type AcceptedJudgement, destinationOf, type Judged } from '../judge/stages.js'
import { retryAfter } from '../judge/statuses.js'
import type { HeldTurn } from '../judge/turns.js'
import { reject, rejectFailed, roomFor } from '../judge/verdict.js'
import { startDeadline } from '../read/deadline.js'
import type { Destination } from '../read/match.js'
import { fieldOf } from '../read/message.js'
import type { BytesOf, Endpoint, FoundBy, WhoOf } from '../terms/endpoint.js'
import { late } from '../terms/late.js'
import { statusFor } from '../terms/statuses.js'
import { languageFor } from '../words/languages.js'
import { noPieces, type PiecesAnswer, piecesOf } from './pieces.js'
import { checkHeaders, type Incoming, identified, type Progress, requestIdOf, told } from './progress.js'

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
  /**
   * Answers a list with `piecewise`: handles its accepted elements one after the other, and gives what became of each, in
   * their order: `{ pieces: [{ status, value }, { status, fields }] }`. The status is 207 (RFC 4918, section 11.1) unless
   * all went well. `answer` may refuse an element.
   *
   * @example
   * addParcels: ({ body }, { pieces, services }) => pieces(body.parcels, (parcel) => services.parcels.add(parcel))
   */
  readonly pieces: PiecesAnswer
  /** The body as it was on the wire, if the endpoint has `keepBytes`. */
  readonly bytes: BytesOf<E>
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
  judged: Judged,
  incoming: Incoming,
  progress: Progress,
  { found, turn }: Entry,
): Context<Endpoint, unknown> => {
  const { who, bytes } = judged
  const pieces = judged.opened?.run.pieces ? piecesOf(judged, progress) : noPieces
  const own = { services, who, bytes, found, turn, pieces }
  const known = withRequestId(withId(own, progress), progress)
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
  const call = () => handler(judged.verdict.input, contextFor(services, judged, incoming, progress, entry))
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
  const input = judged.verdict.outcome === 'accepted' ? judged.verdict.input : undefined
  const about = { place: '', scheme: challengeOf(app).scheme, input, most: destination.limits.errors, house: app, room }
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

/** Journals a failure of what was not the request's fault, and answers it. A refusal that was thrown is a refusal. */
export function failedReply(cause: unknown, progress: Progress, judged?: Judged): Reply {
  const refusals = refusalsIn(cause)
  const destination = judged && destinationOf(judged)
  if (refusals && destination) return refusedReply(refusals, destination, progress, judged)
  const { app } = progress
  const about = { stage: 'handle', house: app, statuses: destination?.endpoint.statuses ?? app.statuses } as const
  return told(progress, rejectFailed(judged?.verdict.endpoint, cause, about), judged)
}
