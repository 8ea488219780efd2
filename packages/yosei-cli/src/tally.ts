/** What callers get wrong most, counted from journals as they stream by. */
import { foldAddress, type JournalEvent } from 'yosei'
import { Failure } from './failure.js'
import { filesOf } from './files.js'
import { linesOf, nameOf } from './lines.js'

/** Errors are counted, or the requests that had them. */
export const groupings = ['error', 'endpoint', 'field', 'code', 'status', 'day'] as const
export type Grouping = (typeof groupings)[number]

export interface TallyOptions {
  readonly by: Grouping
  readonly since?: Date | undefined
  readonly until?: Date | undefined
}

/** What came again and again. */
export interface Row {
  /** What it is counted by: endpoint, address and code; or one of them. */
  readonly key: readonly string[]
  count: number
  first: string
  last: string
  /** What one of them sent there. */
  example: string | undefined
}
export interface Tally {
  readonly rows: readonly Row[]
  readonly requests: number
  readonly errors: number
  /** Errors that are counted in no row: there are too many kinds of them. */
  readonly others: number
  readonly failures: readonly Row[]
  /** Optional fields that none of so many requests sent. */
  readonly unsent: readonly {
    readonly endpoint: string
    readonly requests: number
    readonly fields: readonly string[]
  }[]
  /** Lines that are no events. */
  readonly broken: { readonly count: number; readonly first: string } | undefined
}

/** Kinds of errors beyond so many are counted together. */
const mostKeys = 10_000
const longestExample = 40
/** An event's request and cause are cut to size where it is written. */
const longestLine = 1_000_000

/** @throws Failure if a journal cannot be read. */
export async function tally(patterns: readonly string[], options: TallyOptions): Promise<Tally> {
  const counting = new Counting(options)
  for (const file of filesOf(patterns, noFolder)) await counting.read(file)
  return counting.result()
}

function noFolder(folder: string): never {
  throw new Failure(`${folder}: a folder; name the journals in it, such as ${folder}/*.ndjson`)
}

/** Whether an event of this stage knows which fields were left out. */
const knowsAbsent: { readonly [S in JournalEvent['stage']]: boolean } = {
  match: false,
  admit: false,
  identify: false,
  receive: false,
  attest: false,
  read: false,
  shape: true,
  rules: true,
  turn: true,
  lookups: true,
  handle: true,
}

interface Counted {
  readonly key: readonly string[]
  readonly sent?: string | undefined
}

/** What an event counts for: once, or once for each of its errors. */
const counted: { readonly [G in Grouping]: (event: JournalEvent, endpoint: string) => readonly Counted[] } = {
  error: ({ errors }, endpoint) =>
    errors.map(({ address, code, sent }) => ({ key: [endpoint, foldAddress(address), code], sent })),
  endpoint: (_, endpoint) => [{ key: [endpoint] }],
  field: ({ errors }, endpoint) => errors.map(({ address, sent }) => ({ key: [endpoint, foldAddress(address)], sent })),
  code: ({ errors }) => errors.map(({ code }) => ({ key: [code] })),
  status: ({ status }) => [{ key: [String(status)] }],
  day: ({ time }) => [{ key: [time.slice(0, 10)] }],
}

class Counting {
  readonly #options: TallyOptions
  readonly #rows = new Map<string, Row>()
  readonly #failures = new Map<string, Row>()
  readonly #absent = new Map<string, { requests: number; readonly fields: Map<string, number> }>()
  #requests = 0
  #errors = 0
  #others = 0
  #broken: { count: number; first: string } | undefined

  constructor(options: TallyOptions) {
    this.#options = options
  }

  async read(file: string): Promise<void> {
    let number = 0
    for await (const lines of linesOf(file, longestLine))
      for (const line of lines) {
        number++
        if (line.trim() !== '') this.#count(line, `${nameOf(file)}:${number}`)
      }
  }

  #count(line: string, place: string): void {
    const event = eventIn(line)
    if (!event) {
      this.#broken ??= { count: 0, first: place }
      this.#broken.count++
      return
    }
    const { since, until, by } = this.#options
    const time = Date.parse(event.time)
    if ((since && time < since.getTime()) || (until && time >= until.getTime())) return
    // What a limited journal has left out was of the same kind.
    const times = 1 + (typeof event.more === 'number' && event.more > 0 ? Math.floor(event.more) : 0)
    this.#requests += times
    const endpoint = event.endpoint ?? event.route ?? '(none)'
    if (knowsAbsent[event.stage] === true) this.#note(endpoint, event.absent)
    const { errors } = event
    this.#errors += errors.length * times
    if (event.outcome === 'failed')
      add(this.#failures, [endpoint, String(event.status), firstLine(event.cause)], event.time, undefined, times)
    for (const { key, sent } of counted[by](event, endpoint))
      if (!add(this.#rows, key, event.time, sent, times)) this.#others += times
  }

  #note(endpoint: string, absent: readonly string[]): void {
    const known = this.#absent.get(endpoint) ?? { requests: 0, fields: new Map<string, number>() }
    if (known.requests === 0 && this.#absent.size >= mostKeys) return
    this.#absent.set(endpoint, known)
    known.requests++
    for (const field of absent) known.fields.set(field, (known.fields.get(field) ?? 0) + 1)
  }

  result(): Tally {
    const sorted = (rows: Iterable<Row>) =>
      [...rows].sort((a, b) => b.count - a.count || a.key.join().localeCompare(b.key.join()))
    const byDay = this.#options.by === 'day'
    const rows = byDay
      ? [...this.#rows.values()].sort((a, b) => a.first.localeCompare(b.first))
      : sorted(this.#rows.values())
    const unsent = [...this.#absent].flatMap(([endpoint, { requests, fields }]) => {
      const never = [...fields].filter(([, count]) => count === requests).map(([field]) => field)
      return never.length > 0 ? [{ endpoint, requests, fields: never }] : []
    })
    return {
      rows,
      requests: this.#requests,
      errors: this.#errors,
      others: this.#others,
      failures: sorted(this.#failures.values()),
      unsent,
      broken: this.#broken,
    }
  }
}

/** Counts one more of its kind; `false` if there are too many kinds. */
function add(
  rows: Map<string, Row>,
  key: readonly string[],
  time: string,
  sent: string | undefined,
  times: number,
): boolean {
  const name = JSON.stringify(key)
  const row = rows.get(name)
  if (!row) {
    if (rows.size >= mostKeys) return false
    rows.set(name, { key, count: times, first: time, last: time, example: shortened(sent) })
    return true
  }
  row.count += times
  if (time < row.first) row.first = time
  if (time > row.last) row.last = time
  row.example ??= shortened(sent)
  return true
}

const shortened = (text: string | undefined) =>
  text !== undefined && text.length > longestExample ? `${text.slice(0, longestExample - 1)}…` : text

function firstLine(cause: unknown): string {
  const told =
    typeof cause === 'object' && cause !== null
      ? String((cause as { message?: unknown }).message ?? '')
      : String(cause ?? '')
  return told.split('\n')[0]?.slice(0, 80) ?? ''
}

function eventIn(line: string): JournalEvent | undefined {
  try {
    const event: unknown = JSON.parse(line)
    return isEvent(event) ? event : undefined
  } catch {
    return undefined
  }
}

/** What anybody may have written there is looked at before it is believed: what is counted of it, and no more. */
function isEvent(value: unknown): value is JournalEvent {
  if (value === null || typeof value !== 'object') return false
  const { time, outcome, status, stage, endpoint, route, errors, absent } = value as { [name: string]: unknown }
  return (
    isText(time) &&
    !Number.isNaN(Date.parse(time)) &&
    isText(outcome) &&
    typeof status === 'number' &&
    isText(stage) &&
    (endpoint === undefined || isText(endpoint)) &&
    (route === undefined || isText(route)) &&
    Array.isArray(errors) &&
    errors.every(
      (error) => isText(error?.address) && isText(error.code) && (error.sent === undefined || isText(error.sent)),
    ) &&
    Array.isArray(absent) &&
    absent.every(isText)
  )
}

const isText = (value: unknown): value is string => typeof value === 'string'
