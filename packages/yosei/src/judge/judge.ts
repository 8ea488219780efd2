/** Verdicts for those who ask for one: of a request, or of parts that are split already. */

import type { EndpointNode } from '../declare/endpoint.js'
import { type IntakeNode, intakeOf } from '../declare/intake.js'
import { startRun } from '../engine/interpret.js'
import { type BrokenMessage, type Message, messageOf, type RequestLike } from '../read/message.js'
import { valueAt } from '../terms/address.js'
import type { Endpoint, Endpoints, Intake } from '../terms/endpoint.js'
import type { Part } from '../terms/parts.js'
import { settleLimits } from '../terms/policy.js'
import type { AcceptedVerdict, EndpointVerdict, PendingVerdict, Rejected, Verdict } from '../terms/verdict.js'
import { check } from './check.js'
import { newId, writeJournal } from './journal.js'
import { askLookups } from './lookups.js'
import { open } from './open.js'
import { type Received, receiveNow, type Unreceived } from './receive.js'
import { following } from './signal.js'
import { type AcceptedJudgement, type AnyVerdict, conclude, type Judged, judgeStages, partsOf } from './stages.js'
import { type Rejection, reject, rejectFailed, roomFor, verdictOf } from './verdict.js'

export interface JudgeOptions {
  /** What lookups and `identify` are given. Without services none is asked, and a request with lookups is pending. */
  services?: unknown
  /** Who is asking, where that is known already. */
  who?: unknown
  /** The clock that relative limits count from. */
  now?: Date
  /** Whether the verdict says how each value was read, and how each stage and rule went. */
  trace?: boolean
  signal?: AbortSignal
}

/**
 * Judges a request: is it accepted, with which input; or rejected, with which status and errors.
 * Never throws because of what was sent. The body of a fetch Request is consumed. Files of an accepted request are there
 * as long as its input is held.
 *
 * @example
 * const verdict = await judge(app, 'GET /sessions?limit=5 HTTP/1.1')
 * if (verdict.outcome === 'rejected') console.log(verdict.status, verdict.errorsByField)
 */
export async function judge<E extends Endpoints>(app: Intake<E>, request: RequestLike, options: JudgeOptions = {}): Promise<Verdict<E>> {
  const message = messageOf(request)
  if ('reason' in message) return verdictOf(rejectBroken(message))
  const { services, who, now, trace, signal } = options
  const asks = services !== undefined && !('who' in options)
  const coming = judgeStages(app as unknown as IntakeNode, message, { services, asks, who, now, trace, signal: following(signal) })
  const judged = coming instanceof Promise ? await coming : coming
  const { verdict, dispose } = judged
  if (verdict.outcome === 'rejected') return told(app as unknown as IntakeNode, verdict, judged)
  if (dispose) unheld.register(verdict.input as object, dispose)
  for (const _ in judged.opened?.destination.endpoint.lookups)
    return (await settleLookups(judged as AcceptedJudgement, services, signal)) as Verdict<E>
  return verdict as Verdict<E>
}

/** The verdict after the lookups: pending where there are no services to ask. */
async function settleLookups(judged: AcceptedJudgement, services: unknown, signal = new AbortController().signal) {
  const unasked = Object.keys(judged.opened.destination.endpoint.lookups)
  if (services === undefined) return pending(judged.verdict, unasked)
  const about = { stage: 'lookups', words: judged.opened.app.languages } as const
  const { rejection } = await askLookups(judged, { services, who: judged.who, signal }).catch((cause) => ({
    rejection: rejectFailed(judged.verdict.endpoint, cause, about),
  }))
  return rejection ? told(judged.opened.app, rejection, judged) : judged.verdict
}

/** The verdict that a caller gets. Why it failed, where it did, is for the journal alone. */
function told(app: IntakeNode | undefined, rejection: Rejection, judged?: Judged): Rejected {
  if (rejection.cause !== undefined && (app?.journal || rejection.status === 500))
    writeJournal(app, { id: newId(), outcome: 'failed', rejection, judged, since: Date.now() })
  return verdictOf(rejection)
}

const pending = (verdict: AcceptedVerdict<string, unknown>, unasked: readonly string[]): PendingVerdict<string, unknown> => ({
  ...verdict,
  outcome: 'pending',
  unasked,
})

/** Removes the files of a request when nobody holds its input any more: who asks for a verdict alone never says that it is done. */
const unheld = new FinalizationRegistry<() => Promise<void>>((dispose) => void dispose().catch(() => undefined))

function rejectBroken(message: BrokenMessage): Rejection {
  const path = [message.line === 1 ? 'path' : 'header']
  return reject(undefined, [{ path, stage: 'read', code: 'bad_syntax', variant: 'message', about: { ...message } }], {
    status: 400,
    stage: 'read',
  })
}

/** The judgement of a request whose body is at hand. */
export function judgeMessage(app: IntakeNode, message: Message<string | null>, body?: Received): AnyVerdict {
  const run = startRun()
  const opened = open(app, message, run)
  if ('outcome' in opened) return opened
  const received = body ?? (receiveNow(opened) as Received | Unreceived)
  return conclude(opened, partsOf(opened, received, run), received, run)
}

export interface JudgePartsOptions {
  now?: Date
  trace?: boolean
  /** Whether the body is text as well, as a form gives it. */
  text?: boolean
  /** Judge these parts alone, and the rules that read nothing else. */
  only?: readonly Part[]
}

/**
 * Judges parts that are split already: path, query, header and cookie as text, the body as JSON values, by the first of
 * the endpoint's bodies. Synchronous.
 *
 * @example
 * judgeParts(listSessions, { query: { limit: '5' } })
 */
export function judgeParts<I, S, F>(
  endpoint: Endpoint<I, S, F>,
  parts: { readonly [P in Part]?: unknown },
  { text, only, now, trace }: JudgePartsOptions = {},
): EndpointVerdict<string, I, F> {
  const node = endpoint as unknown as EndpointNode
  const name = `${node.method} ${node.template}`
  const { errors, depth } = settleLimits(name, node.limits)
  const app = intakeOf(node)
  const run = startRun(now?.getTime(), trace)
  run.deepest = depth
  const matter = {
    name,
    endpoint: node,
    body: node.bodies[0],
    sent: parts,
    headers: [],
    only,
    form: text,
    parsed: false,
    accept: valueAt(parts, ['header', 'accept']) as string | undefined,
    errors,
    room: roomFor(0),
    words: app?.languages,
  }
  const verdict = check(matter, run)
  const unasked = Object.keys(node.lookups)
  if (verdict.outcome === 'rejected') return told(app, verdict)
  return (unasked.length === 0 ? verdict : pending(verdict, unasked)) as EndpointVerdict<string, I, F>
}
