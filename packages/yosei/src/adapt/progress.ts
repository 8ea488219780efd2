/** A request under way: its id, what is journalled and measured of it, and its answer. */

import { replyTo } from '../answer/problem.js'
import type { Reply } from '../answer/reply.js'
import { rootOf } from '../declare/endpoint.js'
import type { IntakeNode } from '../declare/intake.js'
import { idOf, newId, requestIdIn, writeJournal } from '../judge/journal.js'
import type { Opened } from '../judge/open.js'
import type { Received, Unreceived } from '../judge/receive.js'
import type { LateSignal } from '../judge/signal.js'
import type { Judged } from '../judge/stages.js'
import { firstOf } from '../judge/statuses.js'
import { noHeaders, type Rejection, reject } from '../judge/verdict.js'
import { declaredPath } from '../kinds/locate.js'
import { type AnyMessage, fieldOf } from '../read/message.js'
import { formatAddress, type Path } from '../terms/address.js'
import type { JournalEvent } from '../terms/hooks.js'
import { statusFor } from '../terms/statuses.js'
import type { RejectionTelemetry, RequestTelemetry } from '../terms/telemetry.js'

/** A request on its way in, from whatever platform. */
export interface Incoming {
  readonly message: AnyMessage
  readonly signal: LateSignal
  /** What other code has read of its body already. */
  readonly received?: Received | Unreceived | undefined
  /** The request as fetch has it. */
  request(): Request
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
export function identified(progress: Progress): string {
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
  noteObserved(progress, judged)
  const { app, since, telemetry } = progress
  telemetry?.rejected(measuredOf(rejection, outcome, judged))
  if (app.journal || outcome === 'failed')
    writeJournal(app, { id: identified(progress), requestId: requestIdOf(progress), outcome, rejection, judged, since })
}

/** Journals what rules and lookups that only observe have found of a request: once. */
export function noteObserved(progress: Progress, judged: Judged | undefined): void {
  const run = judged?.opened?.run
  if (!run?.observed) return
  const { faults, causes } = run.observed
  run.observed = undefined
  const { name, endpoint, limits } = (judged as Required<Judged>).opened.destination
  for (const cause of causes) {
    const status = statusFor('unavailable', endpoint.statuses)
    note(progress, reject(name, [], { status, stage: 'lookups', failure: 'unavailable', cause }), 'failed', judged)
  }
  for (const stage of ['rules', 'lookups'] as const) {
    const found = faults.filter((fault) => fault.stage === stage)
    if (found.length === 0) continue
    const { status } = firstOf(found, endpoint.statuses)
    note(progress, reject(name, found, { status, stage, most: limits.errors }), 'observed', judged)
  }
}

/** Journals the elements of an accepted request that were rejected. */
export function notePieces(progress: Progress, judged: Judged, outcome: 'rejected' | 'observed'): void {
  const { destination, run } = (judged as Required<Judged>).opened
  const faults = run.pieces?.faults ?? []
  if (faults.length === 0) return
  const { status, stage } = firstOf(faults, destination.endpoint.statuses)
  const most = destination.limits.errors
  note(progress, reject(destination.name, faults, { status, stage, most }), outcome, judged)
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
export function checkHeaders(headers: Reply['headers']): void {
  for (const [name, value] of Object.entries(headers))
    if (!/^[!#$%&'*+.^_`|~0-9A-Za-z-]+$/.test(name) || !/^[\t\x20-\x7e\x80-\xff]*$/.test(value))
      throw new TypeError(`"${name}: ${value}" is no header field: write visible characters of Latin-1 alone`)
}

/** An answer that also depends on a header field (RFC 9110, section 12.5.5). */
export function varied(reply: Reply, name: string | undefined): Reply {
  if (name === undefined) return reply
  const vary = reply.response ? reply.response.headers.get('vary') : reply.headers.vary
  return withField(reply, 'vary', vary ? `${vary}, ${name}` : name)
}

/** An answer with a header field, in place of one of that name. */
export function withField(reply: Reply, name: string, value: string): Reply {
  const { response, headers } = reply
  if (!response) return { ...reply, headers: { ...headers, [name]: value } }
  const copy = new Response(response.body, response)
  copy.headers.set(name, value)
  return { ...reply, response: copy }
}
