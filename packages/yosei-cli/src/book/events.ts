/** Journals as samples: each event that has kept its request can be judged again. */
import { type BrokenMessage, type Message, parseMessage } from 'yosei'
import { BookError } from './error.js'
import type { Sample } from './read.js'

/**
 * Reads the events of a journal (one line of JSON each). Events without a request are left out.
 *
 * @throws BookError where a line is no event.
 */
export function readEvents(text: string): Sample[] {
  return text.split('\n').flatMap((line, index) => {
    if (line.trim() === '') return []
    const event = readEvent(line, index + 1)
    if (event.input === undefined) return []
    const message: Message | BrokenMessage = parseMessage(event.input)
    if ('reason' in message) throw new BookError(index + 1, `the event's request cannot be read: ${message.reason}`)
    const place = { line: index + 1, column: 1 }
    const title = `${event.outcome} with ${event.status} at ${event.time}, ${event.id}`
    const headers = message.headers.map(([name]) => ({ name, place }))
    // Limits that count from now are judged as they were then.
    return [{ title, message, now: new Date(event.time), places: { requestLine: place, headers, body: [place] } }]
  })
}

interface Event {
  readonly time: string
  readonly id: string
  readonly outcome: string
  readonly status: number
  readonly input?: string
}

function readEvent(line: string, number: number): Event {
  try {
    const event = JSON.parse(line)
    if (
      typeof event === 'object' &&
      event !== null &&
      typeof event.id === 'string' &&
      !Number.isNaN(Date.parse(event.time))
    )
      return event
  } catch {
    // told below
  }
  throw new BookError(number, 'this line is no event of a journal; each is a JSON object with id and time')
}
