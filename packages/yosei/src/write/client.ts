/** A typed call for each endpoint of an intake: written from the declaration, and answered as a verdict. */

import { bringWords } from '../catalogue/spoken.js'
import type { EndpointNode } from '../declare/endpoint.js'
import { intakeNode } from '../declare/intake.js'
import { byAddress } from '../judge/verdict.js'
import type { Node } from '../kinds/kind.js'
import { nodesBelow } from '../kinds/locate.js'
import { formatAddress, formatPointer, type Path, parseAddress } from '../terms/address.js'
import type { Size } from '../terms/declared.js'
import type { Endpoint, Endpoints, Gives, Intake, Sent } from '../terms/endpoint.js'
import type { Sign } from '../terms/head.js'
import type { Envelope, EnvelopedError, Naming } from '../terms/hooks.js'
import { mistake } from '../terms/mistake.js'
import { aFunction, aSize, aText, checkOptions, type Options, type OptionType, oneOf } from '../terms/option-types.js'
import { put } from '../terms/own.js'
import { type Part, partNames } from '../terms/parts.js'
import { readSize } from '../terms/units.js'
import type { FieldError, Rejected } from '../terms/verdict.js'
import { english } from '../words/english.js'
import { nameOf, pathsBelow } from '../words/naming.js'
import { UnacceptableError, write } from './write.js'

export { signMessage } from './sign.js'

/** Parts that need nothing may be left out. */
type Loose<S> = { [P in keyof S as Bare<S[P]> extends true ? never : P]: S[P] } & {
  [P in keyof S as Bare<S[P]> extends true ? P : never]?: S[P] | undefined
}
type Bare<T> = undefined extends T ? true : {} extends T ? true : false

type SentHeaders = Headers | { readonly [name: string]: string } | readonly (readonly [name: string, value: string])[]

/** Options of a client. */
export interface ClientOptions {
  /** The address of the service: `https://observatory.example`. The base of the intake follows it. */
  readonly base: string
  /** Instead of the platform's own. */
  readonly fetch?: ((request: Request) => Promise<Response>) | undefined
  /** Header fields of each request that no endpoint declares, such as credentials. */
  readonly headers?: SentHeaders | (() => SentHeaders | Promise<SentHeaders>) | undefined
  /**
   * Signs each request: gives the header fields for what an endpoint attests.
   *
   * @example
   * sign: async ({ bytes }) => ({ 'x-signature': await hmacOf(bytes) })
   */
  readonly sign?: Sign | undefined
  /** The most bytes of an answer that are read: `'16MB'` by default. A larger answer is thrown as a RangeError. */
  readonly bytes?: Size | undefined
  /**
   * Whether redirects are followed, at most five, to the same origin alone. By default none is: the caller gets its
   * status, and the place in `headers.get('location')`.
   */
  readonly redirects?: 'follow' | 'answer' | undefined
}
/** Options of a call. */
export interface CallOptions {
  /** Cancels the call. */
  readonly signal?: AbortSignal | undefined
  /** Header fields of this call. */
  readonly headers?: SentHeaders | undefined
}

/** What a success gave. */
export interface Succeeded<E> {
  /** The server accepted the request. */
  readonly outcome: 'accepted'
  /** The status, below 400. */
  readonly status: number
  /** The body: JSON as the endpoint `gives` it, or a text, or `undefined`. */
  readonly value: Gives<E>
  /** The header fields of the answer. */
  readonly headers: Headers
}
/** A verdict by the declaration before anything is sent, or by the server. */
export interface RefusedAnswer extends Rejected {
  /** Whether the request has left. */
  readonly isSent: boolean
}
/** A call of an endpoint. */
export type Call<E> = (sent: Loose<Sent<E>>, options?: CallOptions) => Promise<Succeeded<E> | RefusedAnswer>
/** A call for each endpoint. */
export type Client<E extends Endpoints> = { readonly [N in keyof E]: Call<E[N]> }

const headers: OptionType = {
  what: 'header fields, or a function that gives them',
  example: "{ authorization: 'Bearer …' }",
  takes: (value) => (typeof value === 'object' && value !== null) || typeof value === 'function',
}
const options: Options<ClientOptions> = {
  base: { ...aText, example: "'https://observatory.example'", isRequired: true },
  fetch: aFunction('(request) => fetch(request)'),
  headers,
  sign: aFunction("({ bytes }) => ({ 'x-signature': hmacOf(bytes) })"),
  bytes: aSize,
  redirects: oneOf('follow', 'answer'),
}

/**
 * A client for a service: a call for each endpoint. What the endpoint would reject is not sent; a rejection by the
 * server comes back with the same error map. What is no answer at all (no connection, an abort) is thrown, as by fetch.
 *
 * @throws DeclarationError if an option makes no sense.
 * @example
 * const observatory = client(app, { base: 'https://observatory.example' })
 * const listed = await observatory.listSessions({ query: { limit: 5 } })
 * if (listed.outcome === 'accepted') listed.value.sessions
 */
export function client<E extends Endpoints>(app: Intake<E>, clientOptions: ClientOptions): Client<E> {
  const report = (what: string, mend: string, option?: string) => mistake('client', what, mend, { option })
  checkOptions(clientOptions, options, 'client', report)
  if (!URL.canParse(clientOptions.base))
    report(`the base is ${JSON.stringify(clientOptions.base)}`, "Write it as 'https://observatory.example'", 'base')
  // In a page there may be the words of its fields alone.
  bringWords(english)
  const { base } = intakeNode(app)
  const read = errorsIn(app)
  const calls: { [name: string]: Call<Endpoint> } = {}
  for (const [name, endpoint] of Object.entries(app.endpoints)) {
    const one: Call<Endpoint> = (sent, more = {}) =>
      call(name, endpoint, base, sent as Parts, clientOptions, more, read)
    put(calls, name, one)
  }
  return Object.freeze(calls) as Client<E>
}
type Parts = { readonly [P in Part]?: unknown }

async function call(
  name: string,
  endpoint: Endpoint,
  base: string,
  sent: Parts,
  { base: at, fetch: own = (request) => fetch(request), headers, sign, bytes = '16MB', redirects }: ClientOptions,
  { signal, headers: more }: CallOptions,
  read: Envelope['read'],
): Promise<Succeeded<Endpoint> | RefusedAnswer> {
  let request: Request
  try {
    const parts = { path: {}, query: {}, header: {}, cookie: {}, body: undefined, ...sent }
    request = write(endpoint, at.replace(/\/$/, '') + base, parts as never)
  } catch (error) {
    if (error instanceof UnacceptableError) return { ...error.verdict, endpoint: name, isSent: false }
    throw error
  }
  const known = typeof headers === 'function' ? await headers() : headers
  for (const given of [known, more])
    if (given) for (const [field, value] of new Headers(given as HeadersInit)) request.headers.set(field, value)
  const asked = new Request(request, { redirect: 'manual', ...(signal ? { signal } : {}) })
  const send = sign ? async (request: Request) => own(await signed(request, sign)) : own
  const response = redirects === 'follow' ? await followed(asked, send) : await send(asked)
  if (response.type === 'opaqueredirect')
    throw new TypeError(
      `${name} was answered with a redirect, and a page cannot see its target: call the target itself`,
    )
  const content = await contentOf(response, bytes)
  if (response.status >= 400) return refusedBy(name, response, content, read)
  const value = content as never
  return { outcome: 'accepted', status: response.status, value, headers: response.headers }
}

/** A request with its signature. */
async function signed(request: Request, sign: Sign): Promise<Request> {
  const { method, headers } = request
  const { pathname, search } = new URL(request.url)
  const bytes = new Uint8Array(await request.clone().arrayBuffer())
  const fields = await sign({ method, target: pathname + search, headers, bytes, now: new Date() })
  for (const [name, value] of Object.entries(fields)) headers.set(name, value)
  return request
}

const isJson = /^application\/(?:[^;]*\+)?json\b/i

const mostRedirects = 5

/**
 * The answer behind redirects (RFC 9110, section 15.4). One that leads to another origin is not followed: what says who
 * is asking would go along.
 */
async function followed(first: Request, send: (request: Request) => Promise<Response>): Promise<Response> {
  let request = first
  for (let times = 0; ; times++) {
    const again = request.clone()
    const response = await send(request)
    const location = response.headers.get('location')
    const isRedirect = [301, 302, 303, 307, 308].includes(response.status) && location !== null
    if (!isRedirect || times === mostRedirects || !URL.canParse(location, request.url)) return response
    const url = new URL(location, request.url)
    if (url.origin !== new URL(request.url).origin) return response
    await response.body?.cancel()
    const isSame = response.status > 303 || again.method === 'GET' || again.method === 'HEAD'
    const options = { redirect: 'manual', signal: again.signal } as const
    if (isSame) request = new Request(url, new Request(again, options))
    else {
      const headers = new Headers(again.headers)
      for (const name of ['content-type', 'content-length', 'content-encoding']) headers.delete(name)
      request = new Request(url, { ...options, headers })
    }
  }
}

async function contentOf(response: Response, bytes: Size): Promise<unknown> {
  const text = await textOf(response, readSize(bytes), bytes)
  if (text === '') return undefined
  if (!isJson.test(response.headers.get('content-type') ?? '')) return text
  try {
    return JSON.parse(text)
  } catch {
    return text
  }
}

/** The text of an answer, of which no more is taken from the network than may come. */
async function textOf({ body, headers }: Response, most: number, told: Size): Promise<string> {
  const tooLarge = async () => {
    await body?.cancel().catch(() => undefined)
    return new RangeError(`the answer has more than ${told}: allow more with { bytes: … }`)
  }
  if (Number(headers.get('content-length')) > most) throw await tooLarge()
  if (!body) return ''
  const reader = body.getReader()
  const decoder = new TextDecoder()
  let text = ''
  let length = 0
  for (let { done, value } = await reader.read(); !done; { done, value } = await reader.read()) {
    length += (value as Uint8Array).length
    if (length > most) {
      reader.releaseLock()
      throw await tooLarge()
    }
    text += decoder.decode(value, { stream: true })
  }
  return text + decoder.decode()
}

/**
 * How the errors are read in the body of a rejection: of a problem document (RFC 9457), or of the intake's envelope if
 * that says how. `undefined` for a body that has none.
 *
 * @example
 * const errors = errorsIn(app)(await response.json())
 */
export function errorsIn(app?: Intake): Envelope['read'] {
  const { envelope, naming, endpoints } = app ? intakeNode(app) : {}
  if (typeof envelope === 'object') return envelope.read
  const addressOf = naming && endpoints ? addressesBy(naming, Object.values(endpoints)) : (name: string) => name
  return (body) => {
    const { fields } = Object(body ?? {}) as { readonly fields?: unknown }
    if (typeof fields !== 'object' || fields === null) return undefined
    return Object.entries(fields).flatMap(([name, found]) =>
      (Array.isArray(found) ? found : []).flatMap((one): EnvelopedError[] => {
        const { code, detail, pointer } = Object(one ?? {}) as { readonly [name: string]: unknown }
        const message = typeof detail === 'string' ? { message: detail } : {}
        return typeof code === 'string' ? [{ address: addressOf(name, pointer), code, ...message }] : []
      }),
    )
  }
}

/** The longest list in a query or a header of which elements are known by their names. */
const mostNamed = 100

/** The address that an intake calls by a name: in a body its pointer says it; elsewhere it is looked for. */
function addressesBy(naming: Naming, endpoints: readonly EndpointNode[]): (name: string, pointer?: unknown) => string {
  let known: Map<string, string> | undefined
  const look = () => {
    const found = new Map<string, string>()
    for (const endpoint of endpoints)
      for (const part of ['path', 'query', 'header', 'cookie'] as const)
        for (const path of pathsBelow(endpoint[part], [part])) {
          const at = path.findIndex((step) => typeof step === 'number')
          const each = at < 0 ? [path] : Array.from({ length: mostNamed }, (_, index) => path.with(at, index))
          for (const one of each) found.set(nameOf(one, naming) ?? '', formatAddress(one))
        }
    return found
  }
  return (name, pointer) => {
    if (typeof pointer === 'string') {
      const bodies = endpoints.flatMap((endpoint) => endpoint.bodies.map(({ node }) => node))
      return formatAddress(['body', ...pathAt(parsePointer(pointer), bodies)])
    }
    known ??= look()
    return known.get(name) ?? name
  }
}

/** What a pointer points to: digits are an index if one of the bodies has a list there. */
function pathAt(steps: readonly string[], bodies: readonly Node[]): Path {
  let nodes = bodies
  return steps.map((step) => {
    const index = /^(?:0|[1-9]\d{0,8})$/.test(step) ? nodesBelow(nodes, Number(step)) : []
    nodes = index.length > 0 ? index : nodesBelow(nodes, step)
    return index.length > 0 ? Number(step) : step
  })
}
const parsePointer = (pointer: string) =>
  pointer
    .split('/')
    .slice(1)
    .map((step) => step.replaceAll('~1', '/').replaceAll('~0', '~'))

/** The verdict in an answer: without errors if its body has none that can be read. */
function refusedBy(name: string, response: Response, content: unknown, read: Envelope['read']): RefusedAnswer {
  const { more } = Object(content ?? {}) as { readonly more?: unknown }
  const errors = (read(content) ?? []).map((one) => errorOf(one, response.status))
  return {
    outcome: 'rejected',
    endpoint: name,
    stage: 'handle',
    status: response.status,
    headers: Object.fromEntries(response.headers),
    errors,
    errorsByField: byAddress(errors),
    more: typeof more === 'number' ? more : 0,
    isSent: true,
  }
}

function errorOf({ address, code, message }: EnvelopedError, status: number): FieldError {
  const path = parseAddress(address)
  const [part] = path ?? []
  const pointer = path && part === 'body' ? formatPointer(path) : undefined
  return {
    part: partNames.find((one) => one === part),
    address,
    ...(pointer === undefined ? {} : { pointer }),
    code,
    message: message ?? `was refused (${status})`,
    stage: 'handle',
  }
}
