/** The journal: one structured event for each rejection and each failure. It never blocks or breaks a request. */

import type { EndpointNode } from '../declare/endpoint.js'
import type { IntakeNode } from '../declare/intake.js'
import { tellAddress } from '../terms/address.js'
import type { Journal, JournalEvent } from '../terms/hooks.js'
import type { Part } from '../terms/parts.js'
import { spelled } from '../words/messages.js'
import { absentIn, writeMasked } from './masked.js'
import type { Judged } from './stages.js'
import type { Rejection } from './verdict.js'

/** What an event is made of. */
export interface Happening {
  readonly id: string
  readonly requestId?: string | undefined
  readonly outcome: JournalEvent['outcome']
  readonly rejection: Rejection
  readonly judged?: Judged | undefined
  readonly route?: string
  /** When the request came, in milliseconds since 1970. */
  readonly since: number
}

/** Writes an event, unless its endpoint wants none of its kind. */
export function writeJournal(app: IntakeNode | undefined, happening: Happening): void {
  const { journal, endpoints = {} } = app ?? {}
  if (!journal && happening.outcome !== 'failed') return
  const endpoint = endpoints[happening.rejection.endpoint ?? '']
  const event = madeOf(happening, endpoint)
  if (!event) return
  // A journal that fails is no reason for a request to fail, nor for a failure to be lost.
  const lost = () => {
    if (journal && event.outcome === 'failed') errorOutput.write(event)
  }
  try {
    Promise.resolve((journal ?? errorOutput).write(event)).catch(lost)
  } catch {
    lost()
  }
}

/** The event; without what was sent, if a value there has no form that can be written. */
function madeOf(happening: Happening, endpoint: EndpointNode | undefined): JournalEvent | undefined {
  try {
    return eventOf(happening, endpoint)
  } catch {
    const { judged: _, rejection, ...rest } = happening
    return eventOf({ ...rest, rejection: { ...rejection, faults: [] } }, endpoint)
  }
}

const errorOutput: Journal = {
  write({ id, endpoint = '', status, cause }) {
    try {
      console.error(`${status} ${endpoint} ${id}`, cause)
    } catch {
      // Something was thrown that cannot even be shown.
      console.error(`${status} ${endpoint} ${id}`)
    }
  },
}

function eventOf(
  { id, requestId, outcome, rejection, judged, route, since }: Happening,
  endpoint: EndpointNode | undefined,
): JournalEvent | undefined {
  const { status, stage, faults, cause } = rejection
  const isFailure = outcome === 'failed'
  const wanted = endpoint?.journalled ?? true
  if (wanted === false && !isFailure) return undefined
  const told =
    typeof wanted === 'boolean' || isFailure ? faults : faults.filter(({ path }) => wanted[path[0] as Part] !== false)
  if (told.length === 0 && faults.length > 0) return undefined
  const now = Date.now()
  const known = judged?.opened && judged.sent ? { opened: judged.opened, sent: judged.sent } : undefined
  return {
    time: new Date(now).toISOString(),
    id,
    ...(requestId === undefined ? {} : { requestId }),
    ...(rejection.endpoint === undefined ? {} : { endpoint: rejection.endpoint }),
    outcome,
    ...(route === undefined ? {} : { route }),
    status,
    stage,
    errors: told.map(({ path, code, ...fault }) => {
      const sent = spelled(fault.sent)
      const isScalar = typeof sent === 'string' || typeof sent === 'number' || typeof sent === 'boolean'
      return { address: tellAddress(path), code, ...(isScalar ? { sent: String(sent).slice(0, 40) } : {}) }
    }),
    absent: known ? absentIn(known.opened, known.sent) : [],
    milliseconds: now - since,
    ...(cause === undefined ? {} : { cause }),
    ...(isFailure && known ? { input: writeMasked(known.opened, known.sent) } : {}),
  }
}

let source: Crypto | undefined
/** An id for a request that brings none. Node makes its `crypto` anew each time that it is named. */
export function newId(): string {
  source ??= crypto
  return source.randomUUID()
}

/** The request's id: the trace of W3C's Trace Context if it has one, or a new one; a UUID in either case. */
export function idOf(headers: readonly (readonly [name: string, value: string])[]): string {
  let parent: string | undefined
  for (const [name, value] of headers) if (name === 'traceparent') parent = value
  const trace =
    parent === undefined ? undefined : /^[0-9a-f]{2}-(?!0{32})([0-9a-f]{32})-[0-9a-f]{16}-[0-9a-f]{2}/.exec(parent)?.[1]
  return trace === undefined ? newId() : trace.replace(/^(.{8})(.{4})(.{4})(.{4})(.{12})$/, '$1-$2-$3-$4-$5')
}

/** The id in a request's own header field: visible characters, at most 200. `undefined` if it is no such text. */
export function requestIdIn(
  headers: readonly (readonly [name: string, value: string])[],
  field: string,
): string | undefined {
  const name = field.toLowerCase()
  const sent = headers.filter(([one]) => one === name)
  const [[, value = ''] = []] = sent
  return sent.length === 1 && /^[\x21-\x7e]{1,200}$/.test(value) ? value : undefined
}

/** Logs the failure of a judgement outside of `serve`. */
export function journalFailure(app: IntakeNode | undefined, rejection: Rejection, judged?: Judged): void {
  if (rejection.cause !== undefined)
    writeJournal(app, { id: newId(), outcome: 'failed', rejection, judged, since: Date.now() })
}
