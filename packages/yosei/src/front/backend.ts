/** The server behind a front: a pool of connections, and connections of their own for what a pool cannot carry. */
import { type ClientRequest, type IncomingMessage, request as requestHttp } from 'node:http'
import { request as requestHttps } from 'node:https'
import { connect } from 'node:net'
import type { Duplex } from 'node:stream'
import type { Dispatcher, Pool } from 'undici'
import { loadOptional } from '../adapt/optional.js'
import type { RawFields } from './fields.js'

/** A request on its way to the backend. */
export interface Outgoing {
  readonly method: string
  readonly target: string
  readonly fields: string[]
  /** What streams is taken as fast as the backend takes it. */
  readonly body: Uint8Array | AsyncIterable<Uint8Array> | null
}

/** Holds an answer back that comes faster than it is taken; or gives it up. */
export interface Flow {
  pause(): void
  resume(): void
  abort(reason: Error): void
}

/** Hears an answer as it comes. After `end` or `fail` it hears nothing more. */
export interface Answering {
  /** The request is on its way. */
  start(flow: Flow): void
  /** An interim answer (RFC 9110, section 15.2). */
  interim(status: number, fields: RawFields): void
  begin(status: number, reason: string, fields: RawFields): void
  data(chunk: Uint8Array): void
  end(trailers: RawFields): void
  fail(error: Error): void
}

export interface Backend {
  /** By the pool. */
  send(outgoing: Outgoing, answering: Answering): void
  /** By a connection of its own: the client waits to hear that it may send, or what it sends has trailers. */
  sendAlone(outgoing: Outgoing, answering: Answering, extra: Alone): void
  /** Asks for another protocol; `upgraded` gets the connection, if the backend agrees. */
  upgrade(outgoing: Outgoing, answering: Answering, upgraded: Upgraded): void
  /** Whether it can be reached. */
  isThere(): Promise<boolean>
  close(): Promise<void>
}
/** What the connections of a pool cannot do. */
export interface Alone {
  /** Lets the client send its body. */
  readonly goOn: () => void
  /** The trailers, when the body has ended. */
  readonly trailers: () => RawFields
}
export type Upgraded = (answer: IncomingMessage, socket: Duplex, head: Buffer) => void

/** @throws Error if undici is not installed. */
export function connectTo(origin: URL, connections: number): Backend {
  const { Pool } = loadOptional('undici', 'front sends requests on through undici') as typeof import('undici')
  const isSecure = origin.protocol === 'https:'
  const host = origin.hostname.replace(/^\[|\]$/g, '')
  const port = Number(origin.port || (isSecure ? 443 : 80))
  // The front has its own limits of time, which know whether the client or the backend is late.
  const pool: Pool = new Pool(origin.origin, {
    connections,
    pipelining: 1,
    allowH2: false,
    headersTimeout: 0,
    bodyTimeout: 0,
    connect: { timeout: 5000 },
  })
  const begin = ({ method, target: path, fields }: Outgoing, more: RawFields) =>
    (isSecure ? requestHttps : requestHttp)({
      host,
      port,
      method,
      path,
      headers: [...fields, ...more],
      agent: false,
      setHost: false,
    })
  return {
    send(outgoing, answering) {
      const { method, target: path, fields: headers, body } = outgoing
      pool.dispatch(
        { path, method: method as Dispatcher.HttpMethod, headers, body: body as never },
        handlerOf(answering),
      )
    },
    sendAlone(outgoing, answering, { goOn, trailers }) {
      const isAsking = outgoing.fields.includes('Expect')
      const request = begin(outgoing, ['Connection', 'close'])
      const send = () => sendBody(outgoing.body, request, trailers).catch((error: Error) => request.destroy(error))
      if (isAsking)
        request.once('continue', () => {
          goOn()
          send()
        })
      else send()
      hear(request, answering)
    },
    upgrade(outgoing, answering, upgraded) {
      const request = begin(outgoing, [])
      request.once('upgrade', upgraded)
      hear(request, answering)
      request.end()
    },
    isThere: () =>
      new Promise((resolve) => {
        const socket = connect({ host, port, timeout: 1000 })
        const end = (is: boolean) => {
          socket.destroy()
          resolve(is)
        }
        socket
          .once('connect', () => end(true))
          .once('timeout', () => end(false))
          .once('error', () => end(false))
      }),
    // A request in a turn goes on without its client: to break it off would let another in beside it.
    close: () => Promise.race([pool.close(), new Promise<void>((resolve) => setTimeout(resolve, 1000).unref())]),
  }
}

function handlerOf(answering: Answering): Dispatcher.DispatchHandler {
  return {
    onRequestStart: (controller) => answering.start(controller),
    onResponseStart({ rawHeaders }, status, _, reason = '') {
      const fields = textsOf(rawHeaders as Buffer[] | null)
      if (status < 200) answering.interim(status, fields)
      else answering.begin(status, reason, fields)
    },
    onResponseData: (_, chunk) => answering.data(chunk),
    onResponseEnd: ({ rawTrailers }) => answering.end(textsOf(rawTrailers as Buffer[] | null)),
    onResponseError: (_, error) => answering.fail(error),
  }
}

/** Fields are bytes, of which each is a character of Latin-1 (RFC 9110, section 5.5). */
const textsOf = (raw: readonly (Buffer | string)[] | null | undefined): string[] => {
  const texts: string[] = []
  for (const one of raw ?? []) texts.push(typeof one === 'string' ? one : one.toString('latin1'))
  return texts
}

async function sendBody(body: Outgoing['body'], request: ClientRequest, trailers: Alone['trailers']): Promise<void> {
  if (body instanceof Uint8Array) request.write(body)
  else if (body)
    for await (const chunk of body)
      if (!request.write(chunk) && !request.destroyed)
        await new Promise<void>((resolve) => request.once('drain', resolve).once('close', resolve))
  const last = trailers()
  if (last.length > 0) request.addTrailers(pairsOf(last))
  request.end()
}

export const pairsOf = (fields: RawFields): [string, string][] =>
  fields.flatMap((name, at) => (at % 2 === 0 ? [[name, fields[at + 1] as string] as [string, string]] : []))

function hear(request: ClientRequest, answering: Answering): void {
  let answer: IncomingMessage | undefined
  answering.start({
    pause: () => answer?.pause(),
    resume: () => answer?.resume(),
    abort: (reason) => request.destroy(reason),
  })
  request.on('information', ({ statusCode, rawHeaders }) => {
    if (statusCode !== 100) answering.interim(statusCode, rawHeaders)
  })
  request.once('response', (response) => {
    answer = response
    answering.begin(response.statusCode as number, response.statusMessage ?? '', response.rawHeaders)
    response.on('data', (chunk) => answering.data(chunk))
    response.once('end', () => {
      answering.end(response.rawTrailers)
      // The backend may have answered before it had the whole request.
      request.destroy()
    })
    response.once('error', (error) => answering.fail(error))
  })
  request.on('error', (error) => answering.fail(error))
}
