/** Requests as Node has them. */
import type { IncomingMessage, ServerResponse } from 'node:http'
import { Readable } from 'node:stream'
import { foreign, misplaced, type Received, type Unreceived } from '../judge/receive.js'
import { LateSignal } from '../judge/signal.js'
import { type Deadline, startDeadline } from '../read/deadline.js'
import {
  type AnyMessage,
  type BodySource,
  chunksUntil,
  joinBytes,
  lowerCase,
  piecesOf,
  type Trouble,
} from '../read/message.js'
import { soon } from './batch.js'
import type { Incoming } from './progress.js'

/** A request that Node is receiving. */
export class NodeIncoming implements Incoming {
  readonly message: AnyMessage
  readonly signal: LateSignal
  readonly body: NodeBody | null
  readonly received: Received | Unreceived | undefined

  /**
   * @param target The raw target, if it is not the request's own.
   * @param isAsking Whether the client asked if it may send, and has not been told.
   * @param parsed What a parser before it has made of the body.
   * @param Body How the body is received.
   */
  constructor(
    readonly node: IncomingMessage,
    response: ServerResponse,
    readonly target = node.url ?? '/',
    isAsking = false,
    parsed?: unknown,
    kept?: Uint8Array,
    Body = NodeBody,
  ) {
    this.signal = signalOf(response)
    this.body = hasBody(node) ? new Body(node, response, isAsking) : null
    // Parsers leave an empty object if there was no body, and the stream alone if they did not look at it.
    const isTaken = this.body !== null && node.readableEnded
    const raw = isTaken && isRaw(parsed) ? parsed : undefined
    this.received =
      !isTaken || raw !== undefined ? undefined : parsed === undefined ? misplaced() : foreign(parsed, kept)
    this.message = piecesOf(node.method ?? 'GET', target, linesOf(node.rawHeaders), raw ?? this.body)
  }

  request(): Request {
    const request = requestOf(this.node, this.target, this.signal.signal, null)
    return this.body ? withoutBody(request) : request
  }
}

/** What a parser leaves the body on: the request, or what a framework has in its place. */
export interface Parsed {
  readonly body?: unknown
}
/** The body as it came, if a parser has kept it: as bytes, or as text in UTF-8. */
export function keptAt(parsed: Parsed, name: string | undefined): Uint8Array | undefined {
  const kept = name === undefined ? undefined : (parsed as { readonly [name: string]: unknown })[name]
  return typeof kept === 'string' ? new TextEncoder().encode(kept) : kept instanceof Uint8Array ? kept : undefined
}

/** Whether a parser has left the body as it came. */
export const isRaw = (parsed: unknown): parsed is string | Uint8Array =>
  typeof parsed === 'string' || parsed instanceof Uint8Array

/** A request whose body has been read says so, and does not look like one without a body. */
function withoutBody(request: Request): Request {
  const refuse = (name: string) => () => {
    throw new TypeError(
      `request.${name} is not there: the body has been read and judged. Use input.body; declare the body as file() to get its bytes`,
    )
  }
  const readers = Object.fromEntries(
    ['text', 'json', 'bytes', 'blob', 'arrayBuffer', 'formData', 'clone'].map((name) => [
      name,
      { value: refuse(`${name}()`) },
    ]),
  )
  return Object.defineProperties(request, { ...readers, body: { get: refuse('body') }, bodyUsed: { value: true } })
}

/**
 * Starts on a request: at once where a body is to come, since its head may turn it away; or with others that have come.
 */
export function startOn({ body }: NodeIncoming, work: () => void): void {
  if (body) work()
  else soon(work)
}

/** Fires when the client has gone before it had its answer. */
export const signalOf = (response: ServerResponse): LateSignal => new LateSignal(listenFor, response) as LateSignal

function listenFor(abort: (reason: unknown) => void, response: ServerResponse): void {
  const gone = () => {
    if (!response.writableFinished) abort(new DOMException('The client has gone', 'AbortError'))
  }
  if (response.closed) gone()
  else response.once('close', gone)
}

/** HTTP/2 needs no field that says so (RFC 9113, section 8.1): its stream does. */
const hasBody = ({ headers, stream }: IncomingMessage & { readonly stream?: { readonly endAfterHeaders?: boolean } }) =>
  stream?.endAfterHeaders === false ||
  headers['transfer-encoding'] !== undefined ||
  (headers['content-length'] !== undefined && headers['content-length'] !== '0')

export function linesOf(raw: readonly string[]): [string, string][] {
  const lines: [string, string][] = []
  for (let i = 0; i < raw.length; i += 2) {
    const name = raw[i] as string
    // The request line of HTTP/2 comes as fields (RFC 9113, section 8.3).
    if (!name.startsWith(':')) lines.push([lowerCase(name), raw[i + 1] as string])
  }
  return lines
}

/** A body that streams in from Node, and that a server can say is broken: its parser tells the server alone. */
export class NodeBody implements BodySource {
  protected readonly request: IncomingMessage
  /** What has been collected. */
  protected readonly parts: Uint8Array[] = []
  readonly #response: ServerResponse
  #isAsking: boolean
  #length = 0
  /** Listens no more, so that other code can take what is still to come. */
  #leave: (() => void) | undefined
  #trouble: Trouble | undefined
  #failed: ((trouble: Trouble) => void) | undefined
  #end: ((result: Uint8Array | Trouble) => void) | undefined
  #deadline: Deadline | undefined

  constructor(request: IncomingMessage, response: ServerResponse, isAsking: boolean) {
    this.request = request
    this.#response = response
    this.#isAsking = isAsking
  }

  fail(trouble: Trouble): void {
    this.#trouble = trouble
    this.#finish(trouble)
    this.#failed?.(trouble)
  }

  /** Tells other code, which takes the body itself, what breaks it off. */
  onFail(failed: (trouble: Trouble) => void): void {
    this.#failed = failed
    if (this.#trouble) failed(this.#trouble)
  }

  collect(limit: number, milliseconds: number): Promise<Uint8Array | Trouble> {
    if (this.#trouble) return Promise.resolve(this.#trouble)
    this.start()
    this.#deadline = startDeadline(milliseconds, () => this.#finish('late'))
    const { request, parts } = this
    const take = (chunk: Uint8Array) => {
      if (!this.#end) return
      this.#length += chunk.length
      parts.push(chunk)
      if (this.#length > limit) this.#finish('too_large')
    }
    // A function that is written as what a property is set to is made in V8's old space, as if it were to stay: until
    // the next full collection it would keep the request. So it has a name first, here and elsewhere.
    const leave = () => request.off('data', take)
    this.#leave = leave
    request.on('data', take)
    request.on('end', () => this.#finish(joinBytes(parts, this.#length)))
    request.on('error', () => this.#finish('broken'))
    return new Promise((resolve) => {
      this.#end = resolve
    })
  }

  /** The first end counts. */
  #finish(result: Uint8Array | Trouble): void {
    const end = this.#end
    this.#end = undefined
    if (!end) return
    this.#deadline?.off()
    // What is still to come of a body that is not wanted is not taken from the network.
    if (typeof result === 'string') {
      this.#leave?.()
      this.request.pause()
    }
    soon(() => end(result))
  }

  async *chunks(milliseconds: number): AsyncIterable<Uint8Array> {
    if (this.#trouble) throw this.#trouble
    this.start()
    const trouble = new Promise<Trouble>((resolve) => {
      const end = (result: Uint8Array | Trouble) => resolve(result as Trouble)
      this.#end = end
    })
    this.#deadline = startDeadline(milliseconds, () => this.#finish('late'))
    // The connection stays, for the answer.
    const pieces = this.request.iterator({ destroyOnReturn: false })
    try {
      yield* chunksUntil(trouble, () => pieces.next())
    } finally {
      this.#deadline.off()
    }
  }

  /** Whether the client still waits to hear that it may send. */
  get isAsking(): boolean {
    return this.#isAsking
  }

  /** A client that asked whether it may send gets its answer when its body is wanted (RFC 9110, section 10.1.1). */
  start(): void {
    if (this.#isAsking) this.#response.writeContinue()
    this.#isAsking = false
  }
}

/** The target as a URL. A path is one, also where it begins with two slashes; a host that is none is not believed. */
function urlOf(target: string, scheme: string, host: string): URL {
  const origin = `${scheme}://${host}`
  const base = URL.canParse(origin) ? origin : `${scheme}://localhost`
  return target.startsWith('/') ? new URL(base + target) : new URL(target, base)
}

/**
 * The request as fetch has it. `body` is what is left of it.
 *
 * @throws TypeError if fetch has no such request: a method that it forbids, a target that is no URL.
 */
export function requestOf(
  request: IncomingMessage,
  target: string,
  signal: AbortSignal,
  body: BodyInit | null,
): Request {
  const { ':authority': authority = 'localhost', host = authority } = request.headers as { [name: string]: string }
  const scheme = 'encrypted' in request.socket ? 'https' : 'http'
  const headers = new Headers()
  for (const [name, value] of linesOf(request.rawHeaders)) headers.append(name, value)
  return new Request(urlOf(target, scheme, host), {
    method: request.method ?? 'GET',
    headers,
    signal,
    ...(body === null ? {} : ({ body, duplex: 'half' } as object)),
  })
}

/** The body as a web stream, for handlers that read it themselves. */
export const streamOf = (request: IncomingMessage): ReadableStream | null =>
  hasBody(request) ? (Readable.toWeb(request) as ReadableStream) : null
