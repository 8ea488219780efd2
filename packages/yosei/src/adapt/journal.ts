/** Journals through a logger: one line of JSON for each event. */

import type { Logger } from 'pino'
import type { Journal, JournalEvent } from '../terms/hooks.js'
import { loadOptional } from './optional.js'

/** What takes lines: a stream, or your own object. */
export interface LineSink {
  /** Gets each line of JSON. */
  write(line: string): unknown
}
/** Limits of a journal. */
export interface JournalLimits {
  /** The most events a second for each endpoint and code. */
  readonly aSecond: number
}

/**
 * A journal that writes newline-delimited JSON, to a file or a stream.
 *
 * @throws Error if pino is not installed.
 * @param to The path of a file, or a stream; standard output by default.
 * @example
 * const app = intake({ endpoints, journal: ndjsonJournal('journal.ndjson') })
 */
export function ndjsonJournal(to?: string | LineSink): Journal {
  const { pino } = loadOptional('pino', 'ndjsonJournal writes through pino') as typeof import('pino')
  // The event has its own time.
  const options = { base: null, timestamp: false, formatters: { level: (level: string) => ({ level }) } }
  if (typeof to === 'string')
    return loggerJournal(pino(options, pino.destination({ dest: to, mkdir: true, sync: true })))
  return loggerJournal(to ? pino(options, to) : pino(options))
}

/** A journal that writes to a logger which there is already: failures as errors, the rest as information. */
export const loggerJournal = (logger: Pick<Logger, 'info' | 'error'>): Journal => ({
  write(event) {
    if (event.outcome === 'failed') logger.error(plain(event))
    else logger.info(plain(event))
  },
})

/** Endpoints and codes are declared, but for the codes of refusals, which a service may make up. */
const mostCounted = 10_000

/**
 * A journal that writes at most so many events a second for each endpoint and code: of its first error, or of its status
 * if it has none. The next event that is written has the number of those left out as `more`.
 *
 * @example
 * const app = intake({ endpoints, journal: limitedJournal(ndjsonJournal('journal.ndjson'), { aSecond: 10 }) })
 */
export function limitedJournal(journal: Journal, { aSecond }: JournalLimits): Journal {
  const known = new Map<string, { since: number; written: number; more: number }>()
  return {
    write(event) {
      const key = `${event.endpoint ?? event.route ?? ''} ${event.outcome} ${event.errors[0]?.code ?? event.status}`
      const now = performance.now()
      const one = known.get(key) ?? { since: now, written: 0, more: 0 }
      if (known.size < mostCounted) known.set(key, one)
      if (now - one.since >= 1000) Object.assign(one, { since: now, written: 0 })
      if (one.written >= aSecond) {
        one.more++
        return undefined
      }
      one.written++
      const { more } = one
      one.more = 0
      return journal.write(more > 0 ? { ...event, more } : event)
    },
  }
}

/** Errors in words: their name, message and stack, and what caused them. */
const plain = ({ cause, ...event }: JournalEvent): object =>
  cause === undefined ? event : { ...event, cause: plainError(cause) }

function plainError(cause: unknown, depth = 0): unknown {
  if (!(cause instanceof Error)) return typeof cause === 'object' ? String(cause) : cause
  const { name, message, stack, cause: deeper } = cause
  return {
    name,
    message,
    stack,
    ...(deeper === undefined || depth > 4 ? {} : { cause: plainError(deeper, depth + 1) }),
  }
}
