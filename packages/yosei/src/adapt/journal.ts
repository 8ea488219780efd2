/** Journals through a logger: one line of JSON for each event. */

import { createRequire } from 'node:module'
import type { Logger } from 'pino'
import type { Journal, JournalEvent } from '../terms/hooks.js'

/**
 * A journal that writes newline-delimited JSON, to a file or a stream.
 *
 * @throws Error where pino is not installed.
 * @param to The path of a file, or a stream; standard output where nothing is said.
 * @example
 * const app = intake({ endpoints, journal: ndjsonJournal('journal.ndjson') })
 */
export function ndjsonJournal(to?: string | { write(line: string): unknown }): Journal {
  const { pino } = loadPino()
  // The event has its own time.
  const options = { base: null, timestamp: false, formatters: { level: (level: string) => ({ level }) } }
  if (typeof to === 'string')
    return loggerJournal(pino(options, pino.destination({ dest: to, mkdir: true, sync: true })))
  return loggerJournal(to ? pino(options, to) : pino(options))
}

/** Only here, so that a logger which there is already needs no pino. */
function loadPino(): typeof import('pino') {
  try {
    return createRequire(import.meta.url)('pino')
  } catch (cause) {
    if ((cause as { code?: string }).code !== 'MODULE_NOT_FOUND') throw cause
    throw new Error('ndjsonJournal writes through pino: it needs that package (npm install pino)')
  }
}

/** A journal that writes to a logger which there is already: failures as errors, the rest as information. */
export const loggerJournal = (logger: Pick<Logger, 'info' | 'error'>): Journal => ({
  write(event) {
    if (event.outcome === 'failed') logger.error(plain(event))
    else logger.info(plain(event))
  },
})

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
