/**
 * Serverless functions that get an HTTP request as an event: payload format 2.0, with lists of cookies, and 1.0, with
 * several values for a name. Bodies are bytes in base64, or text.
 */
import { following } from '../judge/signal.js'
import { textOf } from '../read/form.js'
import type { AnyMessage } from '../read/message.js'
import { put } from '../terms/own.js'
import { type Handle, serviceOf } from './serve.js'

type Values = { readonly [name: string]: string | undefined } | null
type ManyValues = { readonly [name: string]: readonly string[] | undefined } | null

interface EventBody {
  /** The body as text, or in base64. */
  readonly body?: string | null | undefined
  /** Whether the body is in base64. */
  readonly isBase64Encoded?: boolean | undefined
}
/** A request as an event of payload format 1.0. */
export interface EventV1 extends EventBody {
  /** The method. */
  readonly httpMethod: string
  /** The path. */
  readonly path: string
  /** The header fields, each with its last value. */
  readonly headers?: Values | undefined
  /** The header fields with all values. */
  readonly multiValueHeaders?: ManyValues | undefined
  /** The names of the query, each with its last value. */
  readonly queryStringParameters?: Values | undefined
  /** The names of the query with all values. */
  readonly multiValueQueryStringParameters?: ManyValues | undefined
  /** With `elb`, it comes from a load balancer, which leaves names and values of a query encoded. */
  readonly requestContext?: { readonly elb?: unknown } | undefined
}
/** A request as an event of payload format 2.0. */
export interface EventV2 extends EventBody {
  /** The format. */
  readonly version: '2.0'
  /** The path. */
  readonly rawPath: string
  /** The query, encoded. */
  readonly rawQueryString?: string | undefined
  /** The cookies, each as `name=value`. */
  readonly cookies?: readonly string[] | undefined
  /** The header fields; several values of one have commas between. */
  readonly headers?: Values | undefined
  /** The method is in it. */
  readonly requestContext: { readonly http: { readonly method: string } }
}
/** A request as an event of either format. */
export type HttpEvent = EventV1 | EventV2

/** An answer, as the format of its event asks. */
export interface EventAnswer {
  /** The status. */
  readonly statusCode: number
  /** The header fields. */
  readonly headers?: { readonly [name: string]: string }
  /** The header fields in format 1.0, if the event has lists of values. */
  readonly multiValueHeaders?: { readonly [name: string]: readonly string[] }
  /** The cookies to set, in format 2.0. */
  readonly cookies?: readonly string[]
  /** The body as text, or in base64. */
  readonly body: string
  /** Whether the body is in base64. */
  readonly isBase64Encoded: boolean
}

/**
 * A function for a serverless platform, of what `serve` made or of any other fetch handler.
 *
 * @throws TypeError if it is given what is no HTTP event.
 * @example
 * export const handler = onEvent(serve(app, handlers))
 */
export function onEvent(handle: Handle): (event: HttpEvent) => Promise<EventAnswer> {
  const service = serviceOf(handle)
  return async (event) => {
    const message = messageOf(event)
    const request = () => requestOf(message)
    if (!service) return answerOf(event, await receivedFrom(await handle(request())), message)
    const { status, headers, body, response } = await service.process({
      message,
      signal: following(undefined),
      request,
    })
    // Most answers are no Response, which a function would load fetch for.
    const answer = response
      ? await receivedFrom(response)
      : { status, headers: Object.entries(headers), body: body ?? '' }
    return answerOf(event, answer, message)
  }
}

const isV2 = (event: HttpEvent): event is EventV2 => typeof (event as EventV2 | null)?.rawPath === 'string'

type EventMessage = AnyMessage & { readonly body: Uint8Array | string | null }

function messageOf(event: HttpEvent): EventMessage {
  if (isV2(event)) {
    const body = bodyOf(event)
    const { rawPath, rawQueryString = '', cookies = [], headers, requestContext } = event
    const target = targetOf(rawPath, rawQueryString)
    const cookie = cookies.length > 0 ? { cookie: cookies.join('; ') } : {}
    const fields = fieldsOf(valuesIn({ ...headers, ...cookie }), body)
    return { method: requestContext.http.method, target, headers: fields, body }
  }
  if (typeof event?.httpMethod !== 'string')
    throw new TypeError('this is no HTTP event of payload format 1.0 or 2.0: it has neither httpMethod nor rawPath')
  const body = bodyOf(event)
  const { httpMethod, path, headers, multiValueHeaders, requestContext } = event
  const query = [...valuesIn(event.multiValueQueryStringParameters ?? event.queryStringParameters)]
  // The platform has decoded it: most commas stood between the elements of a list.
  const write = (text: string) => (requestContext?.elb ? text : encode(text).replaceAll('%2C', ','))
  const written = query.map(([name, value]) => `${write(name)}=${write(value)}`).join('&')
  const fields = fieldsOf(valuesIn(multiValueHeaders ?? headers), body)
  return { method: httpMethod, target: targetOf(path, written), headers: fields, body }
}

function* valuesIn(values: Values | ManyValues | undefined): Generator<readonly [name: string, value: string]> {
  for (const [name, all] of Object.entries(values ?? {}))
    for (const value of typeof all === 'string' ? [all] : (all ?? [])) yield [name, value]
}

/** Half of a surrogate pair cannot be encoded. */
const encode = (text: string) => encodeURIComponent(text.replace(/\p{Surrogate}/gu, '\uFFFD'))

/** A platform may have decoded the path: what cannot stand in a target is encoded again (RFC 3986, section 3.3). */
function targetOf(path: string, query: string): string {
  const encoded = path.replace(/%(?![0-9A-Fa-f]{2})|[^!$%&'()*+,\-./0-9:;=@A-Z_a-z~]+/g, (part) => encode(part))
  return `${encoded.startsWith('/') ? encoded : `/${encoded}`}${query === '' ? '' : `?${query}`}`
}

/** The fields, with the length of the body as it is at hand: the platform has taken it apart. */
function fieldsOf(all: Iterable<readonly [string, string]>, body: Uint8Array | string | null): [string, string][] {
  const fields = [...all].map(([name, value]): [string, string] => [name.toLowerCase(), value])
  const kept = fields.filter(([name]) => name !== 'content-length' && name !== 'transfer-encoding')
  const length = typeof body === 'string' ? new TextEncoder().encode(body).length : body?.length
  return length === undefined ? kept : [...kept, ['content-length', String(length)]]
}

function bodyOf({ body, isBase64Encoded }: EventBody): Uint8Array | string | null {
  if (body === undefined || body === null || body === '') return null
  return isBase64Encoded ? bytesOf(body) : body
}

/** By hand, since `Uint8Array.from` takes thirty times as long. */
function bytesOf(base64: string): Uint8Array {
  const binary = atob(base64)
  const bytes = new Uint8Array(binary.length)
  for (let at = 0; at < binary.length; at++) bytes[at] = binary.charCodeAt(at)
  return bytes
}

/** @throws TypeError if fetch has no such request, as a GET with a body. */
function requestOf({ method, target, headers, body }: EventMessage): Request {
  const host = headers.find(([name]) => name === 'host')?.[1] ?? 'localhost'
  const isBare = method === 'GET' || method === 'HEAD'
  return new Request(`https://${host}${target}`, {
    method,
    headers: headers.map(([name, value]): [string, string] => [name, value]),
    body: isBare ? null : (body as string | Uint8Array<ArrayBuffer> | null),
  })
}

const connection = new Set(['connection', 'keep-alive', 'transfer-encoding'])
const isText = (type: string) =>
  /^(?:text\/|application\/(?:[\w.-]+\+)?(?:json|xml)\b|application\/(?:javascript|x-www-form-urlencoded)\b|image\/svg\+xml)/i.test(
    type,
  )

interface Answered {
  readonly status: number
  readonly headers: Iterable<readonly [name: string, value: string]>
  readonly body: string | Uint8Array
}
const receivedFrom = async (response: Response): Promise<Answered> => ({
  status: response.status,
  headers: response.headers,
  body: new Uint8Array(await response.arrayBuffer()),
})

function answerOf(
  event: HttpEvent,
  { status: statusCode, headers, body }: Answered,
  { method }: EventMessage,
): EventAnswer {
  const fields: { [name: string]: string } = {}
  const cookies: string[] = []
  for (const [name, value] of headers)
    if (name === 'set-cookie') cookies.push(value)
    else if (!connection.has(name)) put(fields, name, value)
  const content = contentOf(method === 'HEAD' ? '' : body, fields)
  if (isV2(event)) return { statusCode, headers: fields, ...(cookies.length > 0 ? { cookies } : {}), ...content }
  if (!event.multiValueHeaders) {
    const [cookie] = cookies
    return { statusCode, headers: cookie === undefined ? fields : { ...fields, 'set-cookie': cookie }, ...content }
  }
  const multiValueHeaders: { [name: string]: string[] } = {}
  for (const [name, value] of Object.entries(fields)) put(multiValueHeaders, name, [value])
  if (cookies.length > 0) multiValueHeaders['set-cookie'] = cookies
  return { statusCode, multiValueHeaders, ...content }
}

/** Text as it is, if its type says that it is text; other bytes in base64. */
function contentOf(
  body: string | Uint8Array,
  fields: { readonly [name: string]: string },
): Pick<EventAnswer, 'body' | 'isBase64Encoded'> {
  if (typeof body === 'string') return { body, isBase64Encoded: false }
  const { 'content-type': type = '', 'content-encoding': coding } = fields
  const text = isText(type) && coding === undefined ? textOf(body) : undefined
  if (text !== undefined || body.length === 0) return { body: text ?? '', isBase64Encoded: false }
  return { body: base64Of(body), isBase64Encoded: true }
}

function base64Of(bytes: Uint8Array): string {
  let binary = ''
  for (let at = 0; at < bytes.length; at += 0x8000) binary += String.fromCharCode(...bytes.subarray(at, at + 0x8000))
  return btoa(binary)
}
