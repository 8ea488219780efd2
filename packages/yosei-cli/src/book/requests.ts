/** Requests that were recorded elsewhere, as samples: lines of JSON, and HAR recordings. */
import { findNodeAtLocation, parseTree } from 'jsonc-parser'
import type { Message } from 'yosei'
import { BookError } from './error.js'
import type { Sample } from './read.js'

/** The place of all that is in a line, or in an entry. */
const placesAt = (line: number, column: number, { headers }: Message) => {
  const place = { line, column }
  return { requestLine: place, headers: headers.map(([name]) => ({ name, place })), body: [place], isOne: true }
}

/**
 * A line `{ "method", "target", "headers", "body" }`: header fields by name, or as pairs; a body that is a text as it
 * is, any other as JSON.
 *
 * @throws BookError where it is none.
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
  const typed =
    isText || pairs.some(([name]) => name === 'content-type') ? [] : [['content-type', 'application/json'] as const]
  const message: Message<string | null> = {
    method,
    target,
    headers: [...pairs, ...typed],
    body: isText ? ((body as string | null | undefined) ?? null) : nested(line, () => JSON.stringify(body)),
  }
  return { title: `${method} ${target.split('?')[0]}`, message, places: placesAt(line, 1, message) }
}

/** @throws BookError where it is nested more deeply than the stack is. */
function nested<T>(line: number, work: () => T): T {
  try {
    return work()
  } catch (error) {
    if (error instanceof RangeError) throw new BookError(line, 'this is nested too deeply to be read')
    throw error
  }
}

function headersIn(headers: unknown, line: number): (readonly [string, string])[] {
  const pairs = Array.isArray(headers)
    ? headers
    : typeof headers === 'object' && headers !== null
      ? Object.entries(headers)
      : []
  return pairs.flatMap((pair): [string, string][] => {
    const [name, value] = Array.isArray(pair) ? pair : [undefined, undefined]
    if (typeof name !== 'string')
      throw new BookError(line, 'its headers are none; write {"Name": "value"} or [["Name", "value"]]')
    return (Array.isArray(value) ? value : [value]).map((one) => [name.toLowerCase(), String(one)])
  })
}

/**
 * A recording of a browser (HAR 1.2), with the clock of each request.
 *
 * @throws BookError where it is none.
 */
export function readHar(text: string): Sample[] {
  const root = nested(1, () => parseTree(text))
  const entries = root && findNodeAtLocation(root, ['log', 'entries'])
  let recorded: { log?: { entries?: HarEntry[] } }
  try {
    recorded = JSON.parse(text)
  } catch (error) {
    throw new BookError(1, `this is no JSON: ${(error as Error).message}`)
  }
  if (entries?.type !== 'array') throw new BookError(1, 'this is no HAR recording; it has no log.entries')
  let line = 1
  let at = 0
  return (recorded.log?.entries ?? []).flatMap((entry, index) => {
    const offset = entries.children?.[index]?.offset ?? 0
    for (; at < offset; at++) if (text[at] === '\n') line++
    return readEntry(entry, line, offset - text.lastIndexOf('\n', offset))
  })
}

interface HarEntry {
  readonly startedDateTime?: string
  readonly request?: {
    readonly method?: string
    readonly url?: string
    readonly headers?: readonly { readonly name: string; readonly value: string }[]
    readonly postData?: { readonly mimeType?: string; readonly text?: string }
  }
}
/** What only says how it came over the wire. */
const ofTheWire = /^(?::.*|content-length|content-encoding|transfer-encoding|connection|host)$/i

function readEntry({ request, startedDateTime = '' }: HarEntry, line: number, column: number): Sample[] {
  const { method, url, headers = [], postData } = request ?? {}
  if (!method || !url || !URL.canParse(url))
    throw new BookError(line, 'this entry has no request with a method and a url')
  const { pathname, search } = new URL(url)
  const own = headers
    .filter(({ name }) => !ofTheWire.test(name))
    .map(({ name, value }) => [name.toLowerCase(), value] as const)
  const isTyped = own.some(([name]) => name === 'content-type')
  const message: Message<string | null> = {
    method,
    target: pathname + search,
    headers: postData?.mimeType && !isTyped ? [...own, ['content-type', postData.mimeType]] : own,
    body: postData?.text ?? null,
  }
  const now = new Date(startedDateTime)
  return [
    {
      title: `${method} ${pathname}`,
      message,
      ...(Number.isNaN(now.getTime()) ? {} : { now }),
      places: placesAt(line, column, message),
    },
  ]
}
