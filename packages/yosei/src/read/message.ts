/** The pipeline's own request, and the ways to one. */
import { shown } from '../terms/option-types.js'
import { startDeadline } from './deadline.js'

/** A body that is still to come. */
export interface BodySource {
  /** All its bytes, up to a limit and within milliseconds; what is beyond is left unread. */
  collect(limit: number, milliseconds: number): Promise<Uint8Array | Trouble>
  /** Its bytes as they come, within milliseconds. Throws a `Trouble` where it breaks off. */
  chunks(milliseconds: number): AsyncIterable<Uint8Array>
}
/** Why a body could not be had. */
export type Trouble = 'late' | 'broken' | 'too_large'

/** A request in its pieces, as they came over the wire. */
export interface Message<B = string | Uint8Array | null> {
  /** The method. */
  readonly method: string
  /** Raw, as in the request line. */
  readonly target: string
  /** In the order sent; names in lower case. */
  readonly headers: readonly (readonly [name: string, value: string])[]
  /** The body, as bytes or text. */
  readonly body: B
}
export type AnyMessage = Message<string | Uint8Array | BodySource | null>

/** Whether a body is at hand. */
export const isNow = (body: AnyMessage['body'] | undefined): body is string | Uint8Array =>
  typeof body === 'string' || body instanceof Uint8Array

/** A request message (RFC 9112) that could not be taken apart. */
export interface BrokenMessage {
  /** From 1, in the message. */
  readonly line: number
  /** What is wrong there, and what should stand there. */
  readonly reason: string
}

/** A request in its pieces, as a program has them. */
interface Pieces {
  /** The method. */
  readonly method: string
  /** The target: path and query. */
  readonly target: string
  /** The header fields. */
  readonly headers?: Iterable<readonly [string, string]> | { readonly [name: string]: string | readonly string[] }
  /** The body, as bytes or text. */
  readonly body?: string | Uint8Array | ReadableStream<Uint8Array> | null
}

/** An HTTP/1.1 request message as text, or a fetch Request, or its pieces. */
export type RequestLike = Request | string | Pieces

const token = "[!#$%&'*+.^_`|~0-9A-Za-z-]+"
const requestLine = /* @__PURE__ */ new RegExp(`^(${token}) (\\S+) HTTP/1\\.[01]$`)
const fieldLine = /* @__PURE__ */ new RegExp(`^(${token}):(.*)$`)

/**
 * Parses an HTTP/1.1 request message (RFC 9112). Lines can end in LF alone. The blank line after the head can be left
 * out if there is no body.
 *
 * @example
 * parseMessage('GET /sessions?limit=5 HTTP/1.1\nX-Team: nebula')
 */
export function parseMessage(text: string): Message | BrokenMessage {
  const headers: [string, string][] = []
  let method = ''
  let target = ''
  let at = 0
  for (let line = 1; ; line++) {
    const end = text.indexOf('\n', at)
    const raw = (end < 0 ? text.slice(at) : text.slice(at, end)).replace(/\r$/, '')
    at = end < 0 ? text.length : end + 1
    if (line === 1) {
      const found = requestLine.exec(raw)
      if (!found) return { line, reason: `"${shorten(raw)}" is no request line; write one like: GET /path HTTP/1.1` }
      method = found[1] as string
      target = originForm(found[2] as string)
    } else if (raw === '') {
      return { method, target, headers, body: at < text.length ? text.slice(at) : null }
    } else {
      const found = fieldLine.exec(raw)
      if (!found)
        return {
          line,
          reason: `"${shorten(raw)}" is no header field; write Name: value, and leave a blank line before the body`,
        }
      headers.push([(found[1] as string).toLowerCase(), trimmed(found[2] as string)])
    }
    if (end < 0) return { method, target, headers, body: null }
  }
}

/**
 * Without the white space around a field's value (RFC 9110, section 5.5): in loops, as blanks inside it may be many.
 */
function trimmed(value: string): string {
  const isBlank = (at: number) => value.charCodeAt(at) === 32 || value.charCodeAt(at) === 9
  let start = 0
  let end = value.length
  while (start < end && isBlank(start)) start++
  while (end > start && isBlank(end - 1)) end--
  return value.slice(start, end)
}

const shorten = (text: string) => (text.length > 40 ? `${text.slice(0, 39)}…` : text)

/** The path and query of a request target, also of one in absolute form (RFC 9112, section 3.2.2). */
export function originForm(target: string): string {
  if (target.startsWith('/')) return target
  const rest = target.replace(/^[a-z][a-z0-9+.-]*:\/\/[^/?#]*/i, '')
  return rest === target || rest.startsWith('/') ? rest : `/${rest}`
}

/** The request in its pieces, whatever form it has. */
export function messageOf(request: RequestLike): AnyMessage | BrokenMessage {
  if (typeof request === 'string') return parseMessage(request)
  if (!('target' in request)) return messageOfRequest(request)
  const { method, target, headers, body = null } = request
  if (!isBody(body))
    throw new TypeError(
      `the body is ${shown(body)}; give judge a text, bytes, a stream or null, such as JSON.stringify(values) beside its content-type`,
    )
  return piecesOf(method, target, linesOf(headers), body instanceof ReadableStream ? sourceOf(body) : body)
}

const isBody = (body: unknown) =>
  body === null || typeof body === 'string' || ArrayBuffer.isView(body) || body instanceof ReadableStream

/** The pieces of a fetch Request; its body is consumed when it is needed. */
export function messageOfRequest(request: Request): AnyMessage {
  const { method, url, headers, body } = request
  const fragment = url.indexOf('#')
  return piecesOf(
    method,
    fragment < 0 ? url : url.slice(0, fragment),
    [...headers],
    // What a router puts in its place may have none in place of null.
    body ? sourceOf(body) : null,
  )
}

/** The pieces of a request whose header names are in lower case already. */
export const piecesOf = <B>(
  method: string,
  target: string,
  headers: readonly (readonly [string, string])[],
  body: B,
): Message<B> => ({ method, target: originForm(target), headers, body })

function linesOf(headers: Pieces['headers'] = {}): [string, string][] {
  const lines: [string, string][] = []
  const add = (name: string, value: string | readonly string[]) => {
    const field = lowerCase(name)
    if (typeof value === 'string') lines.push([field, value])
    else for (const one of value) lines.push([field, one])
  }
  if (Symbol.iterator in headers) for (const [name, value] of headers) add(name, value)
  else for (const name of Object.keys(headers)) add(name, headers[name] as string | readonly string[])
  return lines
}

/** Names mostly come in lower case already. */
export function lowerCase(name: string): string {
  for (let i = 0; i < name.length; i++) {
    const code = name.charCodeAt(i)
    if ((code >= 65 && code <= 90) || code > 127) return name.toLowerCase()
  }
  return name
}

/** The value of a field, lines of its name joined (RFC 9110, section 5.3; RFC 9113, section 8.2.3). */
export function fieldOf(headers: AnyMessage['headers'], name: string): string | undefined {
  let found: string | undefined
  for (const [field, value] of headers)
    if (field === name) found = found === undefined ? value : `${found}${name === 'cookie' ? '; ' : ', '}${value}`
  return found
}

/** A web stream as a body that is to come. */
function sourceOf(stream: ReadableStream<Uint8Array>): BodySource {
  async function* chunks(milliseconds: number): AsyncIterable<Uint8Array> {
    const reader = stream.getReader()
    let timer: ReturnType<typeof setTimeout> | undefined
    const late = new Promise<'late'>((resolve) => {
      timer = setTimeout(() => resolve('late'), milliseconds)
    })
    try {
      yield* chunksUntil(late, () => reader.read())
    } finally {
      clearTimeout(timer)
      // What is left is not waited for.
      reader.cancel().catch(() => undefined)
    }
  }
  return { chunks, collect: (limit, milliseconds) => collectFrom(stream, limit, milliseconds) }
}

/** All bytes of a web stream: without a promise more than its chunks take. */
function collectFrom(
  stream: ReadableStream<Uint8Array>,
  limit: number,
  milliseconds: number,
): Promise<Uint8Array | Trouble> {
  return new Promise((resolve) => {
    const reader = stream.getReader()
    const parts: Uint8Array[] = []
    let length = 0
    let hasEnded = false
    const end = (result: Uint8Array | Trouble) => {
      if (hasEnded) return
      hasEnded = true
      deadline.off()
      // What is left is not waited for.
      if (typeof result === 'string') reader.cancel().catch(() => undefined)
      resolve(result)
    }
    const deadline = startDeadline(milliseconds, () => end('late'))
    const broken = () => end('broken')
    const take = ({ done, value }: Next) => {
      if (hasEnded) return
      if (done) {
        end(joinBytes(parts, length))
        return
      }
      const part = value as Uint8Array
      length += part.length
      parts.push(part)
      if (length > limit) end('too_large')
      else reader.read().then(take, broken)
    }
    reader.read().then(take, broken)
  })
}

interface Next {
  readonly done?: boolean | undefined
  readonly value?: Uint8Array | undefined
}
/**
 * Chunks as they come, until there are no more, or trouble comes: that is thrown. A race of promises would keep each chunk
 * for as long as there is no trouble.
 */
export async function* chunksUntil(trouble: Promise<Trouble>, next: () => Promise<Next>): AsyncIterable<Uint8Array> {
  let stopped: Trouble | undefined
  let wake: (trouble: Trouble) => void = () => undefined
  trouble.then((came) => {
    stopped = came
    wake(came)
  })
  for (;;) {
    const one = await new Promise<Next | Trouble>((resolve) => {
      wake = resolve
      if (stopped) resolve(stopped)
      else next().then(resolve, () => resolve('broken'))
    })
    if (typeof one === 'string') throw one
    if (one.done) return
    yield one.value as Uint8Array
  }
}

/** All bytes of the chunks, up to a limit. */
export async function collect(chunks: AsyncIterable<Uint8Array>, limit: number): Promise<Uint8Array | Trouble> {
  const parts: Uint8Array[] = []
  let length = 0
  try {
    for await (const chunk of chunks) {
      length += chunk.length
      if (length > limit) return 'too_large'
      parts.push(chunk)
    }
  } catch (trouble) {
    return trouble === 'late' ? 'late' : 'broken'
  }
  return joinBytes(parts, length)
}

export function joinBytes(
  parts: readonly Uint8Array[],
  length = parts.reduce((sum, part) => sum + part.length, 0),
): Uint8Array {
  if (parts.length === 1) return parts[0] as Uint8Array
  const whole = new Uint8Array(length)
  let at = 0
  for (const part of parts) {
    whole.set(part, at)
    at += part.length
  }
  return whole
}
