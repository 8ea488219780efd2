/** Journals as samples: each event that has kept its request can be judged again. */
import { parseMessage } from 'yosei'
import { BookError } from './error.js'
import type { Sample } from './read.js'
import { readRequest } from './requests.js'

/**
 * A line of JSON: an event of a journal, or a request. An event without a request is none.
 *
 * @throws BookError if it is neither.
 */
export function readLine(text: string, line: number): Sample | undefined {
  if (text.trim() === '') return undefined
  let value: unknown
  try {
    value = JSON.parse(text)
  } catch {
    // told below
  }
  if (typeof value !== 'object' || value === null || Array.isArray(value))
    throw new BookError(line, 'this line is no event of a journal, and no request; each is a JSON object')
  return isEvent(value) ? readEvent(value, line) : 'method' in value ? readRequest(value, line) : noEvent(line)
}

interface Event {
  readonly time: string
  readonly id: string
  readonly outcome: string
  readonly status: number
  readonly input?: string
  readonly errors?: unknown
}
const isEvent = (value: object): value is Event => {
  const { id, time, input } = value as { [name: string]: unknown }
  const hasText = input === undefined || typeof input === 'string'
  return hasText && typeof id === 'string' && typeof time === 'string' && !Number.isNaN(Date.parse(time))
}
function noEvent(line: number): never {
  throw new BookError(line, 'this line is no event of a journal; each is a JSON object with id and time')
}

function readEvent(event: Event, line: number): Sample | undefined {
  if (event.input === undefined) return undefined
  const message = parseMessage(event.input)
  if ('reason' in message) throw new BookError(line, `the event's request cannot be read: ${message.reason}`)
  const place = { line, column: 1 }
  const title = `${event.outcome} with ${event.status} at ${event.time}, ${event.id}`
  const headers = message.headers.map(([name]) => ({ name, place }))
  // Limits that count from now are judged as they were then.
  return {
    title,
    message,
    now: new Date(event.time),
    // What was masked is wrong as it was then, or right.
    kept: errorsOf(event.errors),
    places: { requestLine: place, headers, body: [place], isOne: true },
  }
}

const errorsOf = (errors: unknown) =>
  (Array.isArray(errors) ? errors : []).flatMap((one) =>
    typeof one?.address === 'string' && typeof one.code === 'string' ? [{ address: one.address, code: one.code }] : [],
  )
