/** One request on its way to the backend, and the answer on its way back. */
import type { IncomingMessage, ServerResponse } from 'node:http'
import type { NodeIncoming } from '../adapt/incoming.js'
import { linger, watch } from '../adapt/reply.js'
import type { IntakeNode } from '../declare/intake.js'
import { type Rejection, reject } from '../judge/verdict.js'
import { type Deadline, startDeadline } from '../read/deadline.js'
import type { Destination } from '../read/match.js'
import { chunksUntil, lowerCase, type Trouble } from '../read/message.js'
import { statusFor } from '../terms/statuses.js'
import { type Answering, type Backend, type Flow, type Outgoing, pairsOf } from './backend.js'
import { endToEnd, type RawFields } from './fields.js'
import type { KeptBody } from './kept.js'

/** What a forwarding needs to know. */
export interface Forwarding {
  readonly backend: Backend
  readonly incoming: NodeIncoming & { readonly body: KeptBody | null }
  readonly response: ServerResponse
  readonly fields: string[]
  /** How it is sent, if not as its body asks. */
  readonly send?: (outgoing: Outgoing, answering: Answering) => void
  readonly app: IntakeNode
  /** `undefined` if no endpoint matched. */
  readonly destination: Destination | undefined
  readonly inTurn: boolean
  /** How long a turn can last, and how long an answer may pause, in milliseconds. */
  readonly longest: number
  readonly idle: number
  /** Answers for the backend. */
  refuse(rejection: Rejection): void
  /** Logs what has no answer. */
  log(rejection: Rejection, outcome: 'failed' | 'gone'): void
}

const trailerField = new Set(['trailer'])

/** The head of an answer. */
interface Head {
  readonly status: number
  readonly reason: string
  readonly fields: string[]
  /** Whether it has a body whose length it does not say. */
  readonly isOpen: boolean
  readonly hasTrailers: boolean
}

/** Why the upload to the backend ended early. */
class Cut extends Error {
  constructor(readonly trouble: Trouble) {
    super(`the body was not sent to its end: ${trouble}`)
  }
}

/** A request and its answer. It is settled when the backend's answer has ended, however it has. */
export class Exchange implements Answering {
  readonly settled: Promise<void>
  readonly #about: Forwarding
  readonly #request: IncomingMessage
  readonly #response: ServerResponse
  #settle: () => void = () => undefined
  /** Ends what is being sent of a body that streams. */
  #stop: (trouble: Trouble) => void = () => undefined
  #deadline: Deadline | undefined
  #flow: Flow | undefined
  /** Whether the answer is none of the client's any more: it has another, or has gone. */
  #isOver = false
  #isDone = false
  /** Whether part of the body is still to come from the client. */
  #isSending = false
  #isPaused = false
  #hasTrailers = false
  #isWithoutBody = false
  /** Until it is sent. */
  #head: Head | undefined
  /** What came of the body before the head was sent. */
  #first: Uint8Array | undefined

  constructor(about: Forwarding) {
    this.#about = about
    this.#request = about.incoming.node
    this.#response = about.response
    this.settled = new Promise((resolve) => {
      this.#settle = resolve
    })
    this.#response.once('close', this.#closed)
    this.#send()
  }

  #send(): void {
    const { backend, incoming, fields, send = backend.send } = this.#about
    const { node, body, message } = incoming
    const outgoing = (part: Outgoing['body']): Outgoing => ({
      method: node.method ?? 'GET',
      target: message.target,
      fields,
      body: part,
    })
    this.#await('backend')
    if (!body) {
      // What may have a body and has none says so (RFC 9110, section 8.6).
      if (node.headers['content-length'] !== undefined) fields.push('Content-Length', '0')
      send(outgoing(null), this)
      return
    }
    if (body.whole) {
      fields.push('Content-Length', String(body.whole.length))
      send(outgoing(body.whole), this)
      return
    }
    const length = node.headers['content-length']
    if (length !== undefined) fields.push('Content-Length', length)
    const { isAsking } = body
    const hasTrailers = node.headers.trailer !== undefined
    const parts = outgoing(body.from(this.#rest()))
    if (!isAsking && !hasTrailers) {
      send(parts, this)
      return
    }
    if (length === undefined) fields.push('Transfer-Encoding', 'chunked')
    if (isAsking) fields.push('Expect', '100-continue')
    backend.sendAlone(parts, this, { goOn: () => body.start(), trailers: () => endToEnd(node.rawTrailers) })
  }

  /** What is still to come from the client, as fast as the backend takes it. */
  async *#rest(): AsyncIterable<Uint8Array> {
    const pieces = this.#request.iterator({ destroyOnReturn: false })
    const stopped = new Promise<Trouble>((resolve) => {
      this.#stop = resolve
    })
    this.#about.incoming.body?.onFail((trouble) => this.#stop(trouble))
    this.#isSending = true
    this.#await('client')
    try {
      for await (const chunk of chunksUntil(stopped, () => pieces.next())) {
        this.#await('backend')
        yield chunk
        this.#await('client')
      }
    } catch (trouble) {
      throw typeof trouble === 'string' ? new Cut(trouble as Trouble) : trouble
    } finally {
      this.#isSending = false
      this.#await('backend')
    }
  }

  /** Begins to wait for one of the two. */
  #await(whom: 'client' | 'backend' | 'answer'): void {
    if (this.#isDone || ((this.#head || this.#response.headersSent) && whom !== 'answer')) return
    this.#deadline?.off()
    const { app, destination, idle } = this.#about
    const limits = destination?.limits ?? app.limits
    const milliseconds = { client: limits.receive, backend: limits.handle, answer: idle }[whom]
    this.#deadline = startDeadline(milliseconds, () => {
      if (whom === 'client') this.#stop('late')
      else this.#late(new Error(`the backend was silent for ${milliseconds} ms`))
    })
  }

  /** In a turn, a backend that has begun is waited for nonetheless: it may still be at work. */
  get #isAtWork(): boolean {
    return this.#about.inTurn && this.#flow !== undefined
  }

  /** The client has its answer; the backend has not given one. */
  #late(cause: Error): void {
    const { longest } = this.#about
    this.#fault('backendLate', cause)
    if (this.#isAtWork) this.#deadline = startDeadline(longest, () => this.#abort(cause))
    else this.#abort(cause)
  }

  #abort(reason: Error): void {
    this.#stop('broken')
    if (this.#flow) this.#flow.abort(reason)
    else this.#finish()
  }

  readonly #closed = () => {
    if (this.#isDone || this.#response.writableFinished) return
    if (!this.#isOver) this.#about.log(this.#rejection('broken', undefined), 'gone')
    this.#isOver = true
    if (this.#isAtWork) {
      if (this.#isPaused) this.#flow?.resume()
      return
    }
    this.#abort(new Error('the client has gone'))
  }

  start(flow: Flow): void {
    this.#flow = flow
    // It waited for a connection, and its client does not wait any more.
    if (this.#isOver) flow.abort(new Error('the client has gone'))
  }

  interim(status: number, fields: RawFields): void {
    const { socket, req, headersSent } = this.#response
    // Not to a client of HTTP/1.0, nor before an earlier answer has ended (RFC 9110, section 15.2).
    if (this.#isOver || headersSent || !socket || req.httpVersion === '1.0') return
    const lines = pairsOf(endToEnd(fields)).map(([name, value]) => `${name}: ${value}\r\n`)
    socket.write(`HTTP/1.1 ${status} ${status}\r\n${lines.join('')}\r\n`, 'latin1')
  }

  begin(status: number, reason: string, raw: RawFields): void {
    if (this.#isOver) return
    const { method, httpVersion, complete } = this.#request
    const hasLength = raw.some((name, at) => at % 2 === 0 && name.length === 14 && lowerCase(name) === 'content-length')
    const isOpen = !hasLength && method !== 'HEAD' && status !== 204 && status !== 304
    // Only chunks can have trailers, and they are no part of HTTP/1.0 (RFC 9112, section 7.1.2).
    const hasTrailers = isOpen && httpVersion !== '1.0'
    const fields = endToEnd(raw, hasTrailers ? undefined : trailerField)
    if (!complete) fields.push('Connection', 'close')
    this.#isWithoutBody = status === 304
    this.#head = { status, reason: /^[\t\x20-\x7e]*$/.test(reason) ? reason : '', fields, isOpen, hasTrailers }
    process.nextTick(this.#flush)
    this.#await('answer')
  }

  /** Sends the head, with what has come of the body: most answers have come as a whole by then, and are sent as one. */
  readonly #flush = () => {
    const head = this.#head
    if (!head || this.#isOver) return
    this.#sendHead(head)
    if (this.#first) this.#pass(this.#first)
    else this.#response.flushHeaders()
  }

  #sendHead({ status, reason, fields, hasTrailers }: Head): void {
    this.#head = undefined
    this.#hasTrailers = hasTrailers
    // What was set before is the gate's: the backend says itself by what its answer varies.
    this.#response.removeHeader('vary')
    this.#response.writeHead(status, reason, fields)
  }

  data(chunk: Uint8Array): void {
    if (this.#head && !this.#first) {
      this.#first = chunk
      return
    }
    this.#flush()
    this.#pass(chunk)
  }

  #pass(chunk: Uint8Array): void {
    this.#await('answer')
    if (this.#isOver || this.#response.write(chunk)) return
    this.#flow?.pause()
    this.#deadline?.off()
    if (!this.#isPaused) watch(this.#response)
    this.#isPaused = true
    this.#response.once('drain', () => {
      this.#await('answer')
      this.#flow?.resume()
    })
  }

  end(trailers: RawFields): void {
    const isWhole = this.#request.complete || !this.#about.incoming.body
    this.#stop('broken')
    if (this.#head && !this.#isOver && isWhole && trailers.length === 0) this.#sendWhole(this.#head)
    else if (!this.#isOver) {
      this.#flush()
      if (this.#hasTrailers && trailers.length > 0) this.#response.addTrailers(pairsOf(endToEnd(trailers)))
      if (isWhole) this.#response.end()
      else linger(this.#response)
    }
    this.#finish()
  }

  #sendWhole(head: Head): void {
    const body = this.#first
    if (head.isOpen) head.fields.push('Content-Length', String(body?.length ?? 0))
    this.#sendHead(head)
    // A text of bytes goes out in one piece with the head.
    if (body && body.length < 8192) this.#response.end(Buffer.from(body).toString('latin1'), 'latin1')
    else this.#response.end(body)
  }

  fail(error: Error): void {
    if (this.#isDone) return
    // It has a length and no body (RFC 9110, section 8.6), which the pool takes for a body that is missing.
    if (this.#isWithoutBody) {
      this.end([])
      return
    }
    if (error instanceof Cut || this.#isCut) this.#cut(error)
    else if (!this.#isOver) this.#fault('backend', error)
    this.#finish()
  }

  /** Whether the client's own connection has broken, before its request was whole. */
  get #isCut(): boolean {
    return this.#isSending && this.#request.destroyed && !this.#request.complete
  }

  #cut(error: Error): void {
    if (this.#isOver) return
    const failure = error instanceof Cut && error.trouble === 'late' ? 'late' : 'broken'
    this.#answer(this.#rejection(failure, undefined))
  }

  #fault(failure: 'backend' | 'backendLate', cause: Error): void {
    if (!this.#isOver) this.#answer(this.#rejection(failure, cause))
  }

  #answer(rejection: Rejection): void {
    this.#isOver = true
    const { refuse, log } = this.#about
    if (this.#response.headersSent) {
      // Half an answer: that it breaks off is all that can be said.
      log(rejection, 'failed')
      this.#response.destroy()
    } else refuse(rejection)
  }

  #rejection(failure: 'backend' | 'backendLate' | 'late' | 'broken', cause: unknown): Rejection {
    const { app, destination } = this.#about
    const isBackend = failure === 'backend' || failure === 'backendLate'
    const status = statusFor(failure, destination?.endpoint.statuses ?? app.statuses)
    const variant = failure === 'late' ? 'late' : 'broken'
    const faults = isBackend ? [] : [{ path: ['body'], code: 'bad_syntax', variant, stage: 'receive' } as const]
    return reject(destination?.name, faults, {
      status,
      stage: isBackend ? 'handle' : 'receive',
      failure,
      house: app,
      cause,
      ...(this.#request.complete ? {} : { headers: { connection: 'close' } }),
    })
  }

  /** Leaves the connection to other code. */
  handOver(): void {
    this.#finish()
  }

  #finish(): void {
    if (this.#isDone) return
    this.#isDone = true
    this.#deadline?.off()
    this.#stop('broken')
    this.#response.off('close', this.#closed)
    this.#settle()
  }
}
