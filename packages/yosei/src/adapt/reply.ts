/** Answers as Node sends them. */
import type { ServerResponse } from 'node:http'
import { Readable } from 'node:stream'
import { pipeline } from 'node:stream/promises'
import type { ReadableStream as NodeReadableStream } from 'node:stream/web'
import type { Reply } from '../answer/reply.js'
import { reject } from '../judge/verdict.js'
import type { Service } from './serve.js'

export function send(reply: Reply, response: ServerResponse): Promise<void> | undefined {
  const { status, headers, body } = reply
  if (reply.response) return sendResponse(reply.response, response)
  const lines: string[] = []
  for (const name in headers) lines.push(name, headers[name] as string)
  if (body === null) {
    response.writeHead(status, lines).end()
    return undefined
  }
  const length = Buffer.byteLength(body)
  lines.push('content-length', String(length))
  // What has a byte a character is ASCII, which Node writes faster when it is told.
  response.writeHead(status, lines).end(body, length === body.length ? 'latin1' : 'utf8')
  return undefined
}

/** Sends what a service answers. What cannot be sent, such as a header field of odd characters, is a failure like others. */
export function deliver(service: Service, reply: Reply, response: ServerResponse): Promise<void> | undefined {
  const broken = (cause: unknown) => {
    if (response.headersSent) response.destroy()
    else send(service.refuse(reject(undefined, [], { status: 500, stage: 'handle', words: service.app.languages }), cause), response)
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
