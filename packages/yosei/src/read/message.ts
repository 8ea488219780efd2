/** The pipeline's own request, and the ways to one. */

/** A request in its pieces, as they came over the wire. */
export interface Message {
  readonly method: string
  /** Raw, as in the request line. */
  readonly target: string
  /** In the order sent; names in lower case. */
  readonly headers: readonly (readonly [name: string, value: string])[]
  readonly body: string | Uint8Array | null
}

/** A request message (RFC 9112) that could not be taken apart. */
export interface BrokenMessage {
  /** From 1, in the message. */
  readonly line: number
  /** What is wrong there, and what should stand there. */
  readonly reason: string
}

/** An HTTP/1.1 request message as text, or a fetch Request, or its pieces. */
export type RequestLike =
  | Request
  | string
  | {
      readonly method: string
      readonly target: string
      readonly headers?: Iterable<readonly [string, string]> | { readonly [name: string]: string | readonly string[] }
      readonly body?: string | Uint8Array | null
    }

const token = "[!#$%&'*+.^_`|~0-9A-Za-z-]+"
const requestLine = new RegExp(`^(${token}) (\\S+) HTTP/1\\.[01]$`)
const fieldLine = new RegExp(`^(${token}):[ \\t]*(.*?)[ \\t]*$`)

/**
 * Takes an HTTP/1.1 request message apart (RFC 9112). Lines may end in LF alone; the blank line after the head may be
 * left out where there is no body; an absolute target is cut to its path and query.
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
      if (!found) return { line, reason: `"${shorten(raw)}" is no header field; write Name: value, and leave a blank line before the body` }
      headers.push([(found[1] as string).toLowerCase(), found[2] as string])
    }
    if (end < 0) return { method, target, headers, body: null }
  }
}

const shorten = (text: string) => (text.length > 40 ? `${text.slice(0, 39)}…` : text)

/** The path and query of a request target, also of one in absolute form (RFC 9112, section 3.2.2). */
function originForm(target: string): string {
  const rest = target.replace(/^[a-z][a-z0-9+.-]*:\/\/[^/?#]*/i, '')
  return rest === target || rest.startsWith('/') ? rest : `/${rest}`
}

/** Takes a request apart, whatever form it has; the body of a fetch Request is consumed. */
export async function toMessage(request: RequestLike): Promise<Message | BrokenMessage> {
  if (typeof request === 'string') return parseMessage(request)
  if (request instanceof Request) {
    const { pathname, search } = new URL(request.url)
    const body = request.body === null ? null : new Uint8Array(await request.arrayBuffer())
    return { method: request.method, target: pathname + search, headers: [...request.headers], body }
  }
  const { headers = [] } = request
  const pairs: Iterable<readonly [string, string | readonly string[]]> = Symbol.iterator in headers ? headers : Object.entries(headers)
  const lines = [...pairs].flatMap(([name, value]) =>
    (typeof value === 'string' ? [value] : value).map((one): [string, string] => [name.toLowerCase(), one]),
  )
  return { method: request.method, target: originForm(request.target), headers: lines, body: request.body ?? null }
}
