/** Requests as Node has them. */
import type { IncomingMessage, ServerResponse } from 'node:http'
import { Readable } from 'node:stream'
import { LateSignal } from '../judge/signal.js'
import { type AnyMessage, type BodySource, joinBytes, piecesOf, type Trouble } from '../read/message.js'
import { startDeadline } from './deadline.js'
import type { Incoming } from './serve.js'

/** A body that streams in from Node, and that a server can say is broken: its parser tells the server alone. */
export interface NodeBody extends BodySource {
  fail(trouble: Trouble): void
}

export interface NodeIncoming extends Incoming {
  readonly body: NodeBody | null
}

/** @param target The raw target, where it is not the request's own. */
export function incomingOf(request: IncomingMessage, response: ServerResponse, target = request.url ?? '/'): NodeIncoming {
  const signal = signalOf(response)
  const body = hasBody(request) ? bodyOf(request, response) : null
  const message: AnyMessage = piecesOf(request.method ?? 'GET', target, linesOf(request.rawHeaders), body)
  return { message, signal, body, request: () => requestOf(request, target, signal.signal, null) }
}

/** Fires when the client has gone before it had its answer. */
export const signalOf = (response: ServerResponse): LateSignal =>
  new LateSignal((abort) => {
    const gone = () => {
      if (!response.writableFinished) abort(new DOMException('The client has gone', 'AbortError'))
    }
    if (response.closed) gone()
    else response.once('close', gone)
  })

const hasBody = ({ headers }: IncomingMessage) =>
  headers['transfer-encoding'] !== undefined || (headers['content-length'] !== undefined && headers['content-length'] !== '0')

function linesOf(raw: readonly string[]): [string, string][] {
  const lines: [string, string][] = []
  for (let i = 0; i < raw.length; i += 2) lines.push([(raw[i] as string).toLowerCase(), raw[i + 1] as string])
  return lines
}

function bodyOf(request: IncomingMessage, response: ServerResponse): NodeBody {
  let failed: ((trouble: Trouble) => void) | undefined
  let trouble: Trouble | undefined
  /** A client that asked whether it may send is told so when its body is wanted (RFC 9110, section 10.1.1). */
  const start = () => {
    if (request.headers.expect !== undefined) response.writeContinue()
  }
  return {
    fail(why) {
      trouble = why
      failed?.(why)
    },
    collect(limit, milliseconds) {
      if (trouble) return Promise.resolve(trouble)
      start()
      return new Promise((resolve) => {
        const parts: Uint8Array[] = []
        let length = 0
        let isOver = false
        const end = (result: Uint8Array | Trouble) => {
          if (isOver) return
          isOver = true
          deadline.off()
          // What is still to come of a body that is not wanted is not taken from the network.
          if (typeof result === 'string') request.pause()
          resolve(result)
        }
        const deadline = startDeadline(milliseconds, () => end('late'))
        failed = end
        request.on('data', (chunk: Uint8Array) => {
          length += chunk.length
          if (length > limit) end('too_large')
          else parts.push(chunk)
        })
        request.on('end', () => end(joinBytes(parts, length)))
        request.on('error', () => end('broken'))
      })
    },
    async *chunks(milliseconds) {
      if (trouble) throw trouble
      start()
      const timer = setTimeout(() => request.destroy(late), milliseconds)
      failed = () => request.destroy()
      try {
        for await (const chunk of request) yield chunk as Uint8Array
      } catch (error) {
        throw error === late ? 'late' : 'broken'
      } finally {
        clearTimeout(timer)
      }
    },
  }
}

const late = new Error('late')

/** The request as fetch has it. `body` is what is left of it. */
export function requestOf(request: IncomingMessage, target: string, signal: AbortSignal, body: BodyInit | null): Request {
  const { host = 'localhost' } = request.headers
  const scheme = 'encrypted' in request.socket ? 'https' : 'http'
  const headers = new Headers()
  for (const [name, value] of linesOf(request.rawHeaders)) headers.append(name, value)
  return new Request(new URL(target, `${scheme}://${host}`), {
    method: request.method ?? 'GET',
    headers,
    signal,
    ...(body === null ? {} : ({ body, duplex: 'half' } as object)),
  })
}

/** The body as a web stream, for handlers that read it themselves. */
export const streamOf = (request: IncomingMessage): ReadableStream | null =>
  hasBody(request) ? (Readable.toWeb(request) as ReadableStream) : null
