/** Requests that were recorded elsewhere, as samples: lines of JSON, and HAR recordings. */
import { findNodeAtLocation, parseTree } from 'jsonc-parser'
import type { Message } from 'yosei'
import { BookError } from './error.js'
import type { Sample } from './read.js'

/** The place of all that is in a line, or in an entry. */
const placesAt = (line: number, column: number) => {
  const place = { line, column }
  return { requestLine: place, headers: [], body: [place], isOne: true }
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
  if (!isText && !pairs.some(([name]) => name === 'content-type')) pairs.push(['content-type', 'application/json'])
  const message: Message<string | null> = {
    method,
    target,
    headers: pairs,
    body: isText ? ((body as string | null | undefined) ?? null) : nested(line, () => JSON.stringify(body)),
  }
  return { title: `${method} ${target.split('?')[0]}`, message, places: placesAt(line, 1) }
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
      places: placesAt(line, column),
    },
  ]
}
