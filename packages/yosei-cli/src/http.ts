/** Requests to a running server, and what it answers. */
import { performance } from 'node:perf_hooks'
import { Agent, type Dispatcher, request } from 'undici'
import type { Intake, Message } from 'yosei'
import { errorsIn } from 'yosei/client'
import { type Expectation, errorFaults } from './book/index.js'
import { Failure } from './failure.js'

/** What a server answered. */
export interface Arrived {
  readonly status: number
  /** How long it took, in milliseconds. */
  readonly took: number
  /** The errors in its body; `undefined` if none can be read. */
  readonly errors: readonly { readonly address: string; readonly code: string }[] | undefined
}

export interface ServerOptions {
  /** Header fields that every request has, if it has none of the name. */
  readonly headers: readonly (readonly [name: string, value: string])[]
  /** Milliseconds. */
  readonly timeout: number
  /** The intake that the server serves: its envelope says how errors are read. */
  readonly app?: Intake | undefined
}

/** What the connection says itself. */
const ofTheWire = new Set([
  'host',
  'content-length',
  'transfer-encoding',
  'connection',
  'expect',
  'keep-alive',
  'upgrade',
])
/** More of an answer is not read. */
const longest = 1_000_000

/** A server at an address. */
export class Server {
  readonly #base: URL
  readonly #agent: Dispatcher
  readonly #options: ServerOptions

  /** @throws Failure if the address is none. */
  constructor(base: string, options: ServerOptions, connections: number) {
    if (!URL.canParse(base) || !/^https?:$/.test(new URL(base).protocol))
      throw new Failure(`${base}: this is no address of a server; write it as http://127.0.0.1:8080`)
    this.#base = new URL(base)
    this.#options = options
    const { timeout } = options
    this.#agent = new Agent({ connections, connect: { timeout }, headersTimeout: timeout, bodyTimeout: timeout })
  }

  /**
   * Sends a message; what comes back, or why nothing did.
   *
   * @throws Failure if no server answers.
   */
  async send({ method, target, headers, body }: Message): Promise<Arrived | string> {
    const own = headers.filter(([name]) => !ofTheWire.has(name))
    const more = this.#options.headers.filter(([name]) => !own.some(([known]) => known === name))
    const since = performance.now()
    try {
      const answer = await request(this.#base.origin + this.#base.pathname.replace(/\/$/, '') + target, {
        method: method as Dispatcher.HttpMethod,
        headers: [...own, ...more].flat() as string[],
        body,
        dispatcher: this.#agent,
        signal: AbortSignal.timeout(this.#options.timeout),
      })
      const text = await textOf(answer.body)
      return { status: answer.statusCode, took: performance.now() - since, errors: this.#errorsIn(text) }
    } catch (error) {
      return this.#trouble(error as NodeJS.ErrnoException)
    }
  }

  #errorsIn(text: string): Arrived['errors'] {
    try {
      return errorsIn(this.#options.app)(JSON.parse(text))
    } catch {
      return undefined
    }
  }

  #trouble(error: NodeJS.ErrnoException & { readonly cause?: unknown }): string {
    const { code = '', name, message } = error
    if (/^(?:ECONNREFUSED|ENOTFOUND|EAI_AGAIN|EHOSTUNREACH|ENETUNREACH)$/.test(code))
      throw new Failure(`${this.#base.origin}: no server answers (${code}); start it, or correct the address`)
    if (/TIMEOUT/.test(code) || name === 'TimeoutError') return `no answer within ${this.#options.timeout} ms`
    if (/CERT|SSL|TLS/.test(code)) throw new Failure(`${this.#base.origin}: its certificate is not trusted (${code})`)
    if (code === 'UND_ERR_INVALID_ARG') return `it cannot be sent: ${message}`
    return `the connection broke off: ${code || message}`
  }

  close(): Promise<void> {
    return this.#agent.destroy()
  }
}

async function textOf(body: Dispatcher.ResponseData['body']): Promise<string> {
  const chunks: Buffer[] = []
  let size = 0
  for await (const chunk of body as AsyncIterable<Buffer>) {
    size += chunk.length
    // What is left of the loop ends the answer.
    if (size > longest) break
    chunks.push(chunk)
  }
  return Buffer.concat(chunks).toString('utf8')
}

/** What an answer lacks of what a book expects of the verdict, in lines. */
export function lacking(expectation: Expectation, arrived: Arrived | string): string[] {
  if (typeof arrived === 'string') return [arrived]
  const { status, errors } = arrived
  if (expectation.outcome !== 'rejected') return status < 400 ? [] : [`wanted accepted, but it came ${status}`]
  if (status !== expectation.status) return [`wanted ${expectation.status}, but it came ${status}`]
  if (errors) return errorFaults(expectation, errors)
  return expectation.errors
    ? ['its errors cannot be read: name the intake with --intake, and give its envelope a read']
    : []
}

/** @throws Failure if a header field is none. */
export function headerOf(text: string): readonly [name: string, value: string] {
  const [, name, value = ''] = /^([!#$%&'*+.^_`|~0-9A-Za-z-]+):\s*(.*)$/.exec(text) ?? []
  if (name === undefined) throw new Failure(`"${text}" is no header field; write Name: value`)
  return [name.toLowerCase(), value]
}
