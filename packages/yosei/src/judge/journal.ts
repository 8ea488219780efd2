/** The journal: one structured event for each rejection and each failure. It never blocks or breaks a request. */
import type { Stage } from '../compile/run.js'
import { formatAddress } from '../declare/address.js'
import type { Rejection } from './verdict.js'

export interface JournalEvent {
  /** RFC 3339. */
  readonly time: string
  /** The request's, also in its answer. */
  readonly id: string
  readonly endpoint?: string
  readonly outcome: 'rejected' | 'observed' | 'failed'
  readonly status: number
  readonly stage: Stage
  readonly errors: readonly { readonly address: string; readonly code: string; readonly sent?: string }[]
  readonly milliseconds: number
  /** Of a failure: what was thrown. */
  readonly cause?: unknown
}

/** Where events go. */
export interface Journal {
  write(event: JournalEvent): void
}

/** What an event is made of. */
export interface Happening {
  readonly id: string
  readonly outcome: JournalEvent['outcome']
  readonly verdict: Rejection
  /** When the request came, in milliseconds since 1970. */
  readonly since: number
  readonly cause?: unknown
}

export function writeJournal(journal: Journal = errorOutput, happening: Happening): void {
  try {
    journal.write(eventOf(happening))
  } catch {
    // A journal that fails is no reason for a request to fail.
  }
}

const errorOutput: Journal = {
  write({ outcome, id, endpoint = '', status, cause }) {
    if (outcome === 'failed') console.error(`${status} ${endpoint} ${id}`, cause)
  },
}

function eventOf({ id, outcome, verdict, since, cause }: Happening): JournalEvent {
  const { endpoint, status, stage } = verdict
  const now = Date.now()
  return {
    time: new Date(now).toISOString(),
    id,
    ...(endpoint === undefined ? {} : { endpoint }),
    outcome,
    status,
    stage,
    errors: verdict.faults.map(({ path, code, sent }) => {
      return {
        address: formatAddress(path),
        code,
        ...(typeof sent === 'string' || typeof sent === 'number' ? { sent: String(sent).slice(0, 40) } : {}),
      }
    }),
    milliseconds: now - since,
    ...(cause === undefined ? {} : { cause }),
  }
}

/** The request's id: the trace of W3C's Trace Context where it has one, or a new one; a UUID in either case. */
export function idOf(headers: readonly (readonly [name: string, value: string])[]): string {
  const parent = headers.find(([name]) => name === 'traceparent')?.[1]
  const trace = parent === undefined ? undefined : /^[0-9a-f]{2}-(?!0{32})([0-9a-f]{32})-[0-9a-f]{16}-[0-9a-f]{2}/.exec(parent)?.[1]
  return trace === undefined ? crypto.randomUUID() : trace.replace(/^(.{8})(.{4})(.{4})(.{4})(.{12})$/, '$1-$2-$3-$4-$5')
}
