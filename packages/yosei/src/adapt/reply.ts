/** Answers as Node sends them. */
import type { ServerResponse } from 'node:http'
import { Readable } from 'node:stream'
import { pipeline } from 'node:stream/promises'
import type { ReadableStream as NodeReadableStream } from 'node:stream/web'
import type { Reply } from '../answer/reply.js'
import { rejectFailed } from '../judge/verdict.js'
import { startDeadline } from '../read/deadline.js'
import type { Service } from './serve.js'

export function send(reply: Reply, response: ServerResponse): Promise<void> | undefined {
  const { status, headers, body } = reply
  if (reply.response) return sendResponse(reply.response, response)
  const lines: string[] = []
  // HTTP/2 ends no connection by a field (RFC 9113, section 8.2.2).
  const endsByField = response.req.httpVersionMajor < 2
  for (const name in headers) if (endsByField || name !== 'connection') lines.push(name, headers[name] as string)
  if (body === null) {
    response.writeHead(status, lines).end()
    return undefined
  }
  const length = Buffer.byteLength(body)
  lines.push('content-length', String(length))
  // What has a byte a character is ASCII, which Node writes faster if it knows.
  const encoding = length === body.length ? 'latin1' : 'utf8'
  response.writeHead(status, lines)
  if (headers.connection === 'close' && !response.req.complete) {
    response.write(body, encoding)
    linger(response)
  } else response.end(body, encoding)
  if (response.writableLength > 0) watch(response)
  return undefined
}

/** How long, and for how many bytes, a client that is still sending is listened to after its answer. */
const lingering = { milliseconds: 500, bytes: 1_000_000 }

/**
 * Ends the answer to a client that is still sending, and then closes: at once, what it had sent and was not read would
 * reset the answer.
 */
export function linger(response: ServerResponse): void {
  const { req: request } = response
  let bytes = 0
  const take = (chunk: Uint8Array) => {
    bytes += chunk.length
    if (bytes > lingering.bytes) end()
  }
  const deadline = startDeadline(lingering.milliseconds, () => end())
  const end = () => {
    deadline.off()
    request.off('data', take)
    if (!response.writableEnded) response.end()
  }
  request.on('data', take).on('error', end).once('end', end).once('close', end).resume()
}

/** How long a client may take nothing of its answer, which is kept for it meanwhile. */
const patience = 60_000

/** Lets go of a client that does not read. */
export function watch(response: ServerResponse): void {
  const { socket } = response
  if (!socket) return
  let taken = socket.bytesWritten
  const look = () => {
    if (socket.bytesWritten === taken && response.writableLength > 0) socket.destroy()
    taken = socket.bytesWritten
    deadline = startDeadline(patience, look)
  }
  let deadline = startDeadline(patience, look)
  response.once('close', () => deadline.off())
}

/**
 * Sends what a service answers. What cannot be sent, such as a header field of odd characters, is a failure like
 * others.
 */
export function deliver(
  service: Pick<Service, 'app' | 'refuse'>,
  reply: Reply,
  response: ServerResponse,
): Promise<void> | undefined {
  const broken = (cause: unknown) => {
    if (response.headersSent) response.destroy()
    else
      send(
        service.refuse(
          rejectFailed(undefined, cause, { stage: 'handle', house: service.app, statuses: service.app.statuses }),
        ),
        response,
      )
  }
  try {
    return send(reply, response)?.catch(broken)
  } catch (cause) {
    broken(cause)
    return undefined
  }
}

/** Streams a Response's body as fast as the client takes it. */
export async function sendResponse({ status, headers, body }: Response, response: ServerResponse): Promise<void> {
  const lines: { [name: string]: string | string[] } = Object.fromEntries(headers)
  const cookies = headers.getSetCookie()
  if (cookies.length > 0) lines['set-cookie'] = cookies
  response.writeHead(status, lines)
  if (body === null) response.end()
  // A client that goes while it is answered is no failure of the service.
  else await pipeline(Readable.fromWeb(body as NodeReadableStream), response).catch(() => response.destroy())
}

/** What a service lets through is thrown where the process sees it, once the client has its answer. */
export function fail(error: unknown, response: ServerResponse): void {
  if (!response.headersSent) response.writeHead(500, { connection: 'close' })
  response.end()
  process.nextTick(() => {
    throw error
  })
}
