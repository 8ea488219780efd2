/** Requests that were recorded elsewhere, as samples: lines of JSON, and HAR recordings. */
import { type JSONVisitor, visit } from 'jsonc-parser'
import type { Message } from 'yosei'
import { BookError } from './error.js'
import type { Place, Sample } from './read.js'

/** The place of all that is in a line, or in an entry. */
const placesAt = (line: number, column: number) => {
  const place = { line, column }
  return { requestLine: place, headers: [], body: [place], isOne: true }
}

/**
 * A line `{ "method", "target", "headers", "body" }`: header fields by name, or as pairs; a body that is a text as it
 * is, any other as JSON.
 *
 * @throws BookError if it is none.
 */
export function readRequest(value: object, line: number): Sample {
  const { method, target, headers = {}, body } = value as { [name: string]: unknown }
  if (typeof method !== 'string' || typeof target !== 'string' || !target.startsWith('/'))
    throw new BookError(
      line,
      'this line is no request; write {"method": "GET", "target": "/path", "headers": {}, "body": …}',
    )
  const pairs = headersIn(headers, line)
  const isText = body === undefined || body === null || typeof body === 'string'
  if (!isText && !pairs.some(([name]) => name === 'content-type')) pairs.push(['content-type', 'application/json'])
  const message: Message<string | null> = {
    method,
    target,
    headers: pairs,
    body: isText ? ((body as string | null | undefined) ?? null) : nested(line, () => JSON.stringify(body)),
  }
  return { title: `${method} ${target.split('?')[0]}`, message, places: placesAt(line, 1) }
}

/** @throws BookError if it is nested more deeply than the stack is. */
function nested<T>(line: number, work: () => T): T {
  try {
    return work()
  } catch (error) {
    if (error instanceof RangeError) throw new BookError(line, 'this is nested too deeply to be read')
    throw error
  }
}

/** By name, a value or several; or pairs. Spelt out, since long files of requests go by here. */
function headersIn(headers: unknown, line: number): (readonly [string, string])[] {
  const found: (readonly [string, string])[] = []
  const add = (name: string, value: unknown) => {
    if (Array.isArray(value)) for (const one of value) found.push([name.toLowerCase(), String(one)])
    else found.push([name.toLowerCase(), String(value)])
  }
  if (Array.isArray(headers))
    for (const pair of headers) {
      if (!Array.isArray(pair) || typeof pair[0] !== 'string')
        throw new BookError(line, 'its headers are none; write {"Name": "value"} or [["Name", "value"]]')
      add(pair[0], pair[1])
    }
  else if (typeof headers === 'object' && headers !== null)
    for (const name of Object.keys(headers)) add(name, (headers as { [name: string]: unknown })[name])
  return found
}

/**
 * A recording of a browser (HAR 1.2), with the clock of each request.
 *
 * @throws BookError if it is none.
 */
export function readHar(text: string): Sample[] {
  let recorded: { log?: { entries?: unknown } } | null
  try {
    recorded = JSON.parse(text)
  } catch (error) {
    throw new BookError(1, `this is no JSON: ${(error as Error).message}`)
  }
  const entries = recorded?.log?.entries
  if (!Array.isArray(entries)) throw new BookError(1, 'this is no HAR recording; it has no log.entries')
  const places = entryPlaces(text)
  return entries.map((entry, index) => readEntry(entry, places[index] ?? { line: 1, column: 1 }))
}

/** Where each entry begins. */
function entryPlaces(text: string): readonly Place[] {
  const places: Place[] = []
  const onObjectBegin: JSONVisitor['onObjectBegin'] = (_offset, _length, line, column, pathTo) => {
    const [log, entries, index, ...rest] = pathTo()
    if (log !== 'log' || entries !== 'entries' || typeof index !== 'number' || rest.length > 0) return true
    places[index] = { line: line + 1, column: column + 1 }
    return false
  }
  nested(1, () => visit(text, { onObjectBegin }))
  return places
}

/** As anybody may have written it: each part is looked at before it is believed. */
interface HarEntry {
  readonly startedDateTime?: unknown
  readonly request?: {
    readonly method?: unknown
    readonly url?: unknown
    readonly headers?: unknown
    readonly postData?: { readonly mimeType?: unknown; readonly text?: unknown } | null
  } | null
}
/** What only says how it came over the wire. */
const ofTheWire = /^(?::.*|content-length|content-encoding|transfer-encoding|connection|host)$/i

function readEntry(entry: HarEntry | null, { line, column }: Place): Sample {
  const { method, url, headers, postData } = entry?.request ?? {}
  if (typeof method !== 'string' || typeof url !== 'string' || !URL.canParse(url))
    throw new BookError(line, 'this entry has no request with a method and a url')
  const { pathname, search } = new URL(url)
  const fields = (Array.isArray(headers) ? headers : []).map((header: { name?: unknown; value?: unknown } | null) => {
    if (typeof header?.name !== 'string' || typeof header.value !== 'string')
      throw new BookError(line, 'a header field of this entry has no name, or no value')
    return [header.name.toLowerCase(), header.value] as const
  })
  const own = fields.filter(([name]) => !ofTheWire.test(name))
  const { mimeType, text } = postData ?? {}
  const isTyped = typeof mimeType !== 'string' || own.some(([name]) => name === 'content-type')
  const now = new Date(String(entry?.startedDateTime))
  return {
    title: `${method} ${pathname}`,
    message: {
      method,
      target: pathname + search,
      headers: isTyped ? own : [...own, ['content-type', mimeType]],
      body: typeof text === 'string' ? text : null,
    },
    ...(Number.isNaN(now.getTime()) ? {} : { now }),
    places: placesAt(line, column),
  }
}
