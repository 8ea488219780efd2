/** The stages that need the head alone: which endpoint is meant, and whether its limits and media types let the body come. */
import type { Fault, Run } from '../compile/run.js'
import type { BodyNode, EndpointNode } from '../declare/endpoint.js'
import type { IntakeNode } from '../declare/intake.js'
import { inRange } from '../declare/media-range.js'
import { type ListNode, type Node, sentShape } from '../declare/node.js'
import { readSize } from '../declare/units.js'
import { type Destination, layRoutes, match, type Routes } from '../read/match.js'
import { type MediaType, readMediaType } from '../read/media-type.js'
import type { AnyMessage } from '../read/message.js'
import { statusFor } from './statuses.js'
import { type Rejected, reject } from './verdict.js'

/** A request that may come in. */
export interface Opened {
  readonly app: IntakeNode
  readonly message: AnyMessage
  readonly destination: Destination
  /** The raw segments of the path's parameters. */
  readonly segments: readonly string[]
  /** The raw query; `undefined` where there is none. */
  readonly query: string | undefined
  readonly head: Preview
  /** The declaration that the body has to meet. */
  readonly body: BodyNode | undefined
  /** The most bytes that the body may have. */
  readonly most: number
}

/** What the header fields say of the body. */
interface Preview {
  readonly bytes: number
  readonly contentType: string | undefined
  readonly media: MediaType | undefined
  readonly contentLength: number | undefined
  /** In the order in which they were applied. */
  readonly codings: readonly string[]
}

const kept = new WeakMap<IntakeNode, Routes>()
function routesOf(app: IntakeNode): Routes {
  const known = kept.get(app)
  if (known) return known
  const routes = layRoutes(app)
  kept.set(app, routes)
  return routes
}

export function open(app: IntakeNode, message: AnyMessage, run: Run): Opened | Rejected {
  const { method, target } = message
  const question = target.indexOf('?')
  const found = match(routesOf(app), method, question < 0 ? target : target.slice(0, question))
  if ('allowed' in found) return unmatched(app, method, found.allowed, run)
  const { destination, segments } = found
  run.trace?.steps.push({ stage: 'match', name: destination.name, outcome: 'passed' })
  const opened = admit(app, message, destination, segments, question < 0 ? undefined : target.slice(question + 1), run)
  run.trace?.steps.push({ stage: 'admit', outcome: 'outcome' in opened ? 'failed' : 'passed' })
  return opened
}

/** The methods of RFC 9110 and RFC 5789; others are known where an endpoint declares them. */
const methods = new Set(['GET', 'HEAD', 'POST', 'PUT', 'DELETE', 'CONNECT', 'OPTIONS', 'TRACE', 'PATCH'])
const isKnown = (app: IntakeNode, method: string) =>
  methods.has(method) || Object.values(app.endpoints).some((endpoint) => endpoint.method === method)

function unmatched(app: IntakeNode, method: string, allowed: readonly string[], run: Run): Rejected {
  run.trace?.steps.push({ stage: 'match', outcome: 'failed' })
  const about = { stage: 'match', trace: run.trace, words: app.languages } as const
  if (!isKnown(app, method)) return reject(undefined, [], { ...about, status: 501 })
  if (allowed.length === 0) return reject(undefined, [], { ...about, status: statusFor('unmatched', app.statuses) })
  return reject(undefined, [], { ...about, status: statusFor('method', app.statuses), headers: { allow: allowed.join(', ') } })
}

/** Looks at limits and media type; nothing of the body has been taken yet. */
function admit(
  app: IntakeNode,
  message: AnyMessage,
  destination: Destination,
  segments: readonly string[],
  query: string | undefined,
  run: Run,
): Opened | Rejected {
  const { limits, endpoint, name } = destination
  const refused = (status: number, fault: Omit<Fault, 'stage'>, headers?: { [name: string]: string }) =>
    reject(name, [{ ...fault, stage: 'admit' }], { status, stage: 'admit', headers: headers ?? {}, trace: run.trace, words: app.languages })
  if (message.target.length > limits.uri) return refused(414, { path: ['path'], code: 'too_large', limit: limits.uri, variant: 'bytes' })
  const head = preview(message)
  if ('fault' in head) return refused(head.status, head.fault)
  if (head.bytes > limits.headers) return refused(431, { path: ['header'], code: 'too_large', limit: limits.headers, variant: 'bytes' })
  const opened = { app, message, destination, segments, query, head }
  const hasBody = head.contentLength === undefined ? message.body !== null && message.body !== '' : head.contentLength > 0
  const body = hasBody ? bodyFor(endpoint, head) : endpoint.bodies[0]
  const most = body ? mostBytes(body, limits.body) : limits.body
  const length = head.contentLength ?? (typeof message.body === 'string' || message.body instanceof Uint8Array ? message.body.length : 0)
  if (length > most) return refused(413, { path: ['body'], code: 'too_large', limit: most, variant: 'bytes' }, close)
  if (hasBody) {
    const coding = head.codings.find((one) => !codings.includes(one))
    if (coding !== undefined)
      return refused(
        415,
        { path: ['header', 'content-encoding'], code: 'not_a_choice', limit: codings, sent: coding },
        { 'accept-encoding': codings.join(', ') },
      )
    if (endpoint.bodies.length > 0 && (!body || !charsetTaken(body, head))) {
      const taken = endpoint.bodies.map(({ mediaType }) => mediaType)
      const fault = {
        path: ['header', 'content-type'],
        code: 'wrong_media_type',
        limit: taken,
        variant: body && 'charset',
        sent: head.contentType,
      }
      return refused(415, fault, { accept: taken.join(', ') })
    }
  }
  // Every pair takes a character and a separator, so a short query need not be counted.
  if (query !== undefined && query.length >= 2 * limits.queryValues - 1 && countPairs(query) > limits.queryValues)
    return refused(statusFor('query', endpoint.statuses), {
      path: ['query'],
      code: 'too_many',
      limit: limits.queryValues,
      variant: 'query',
    })
  return { ...opened, body, most }
}

export const close = { connection: 'close' }

const countPairs = (query: string) => {
  let count = 0
  for (let at = 0; at < query.length; ) {
    const next = query.indexOf('&', at)
    const end = next < 0 ? query.length : next
    if (end > at) count++
    at = end + 1
  }
  return count
}

/** What can be undone of a body (RFC 9110, section 8.4.1; RFC 7932). */
const codings = ['gzip', 'deflate', 'br']

type Refused = { readonly status: number; readonly fault: Omit<Fault, 'stage'> }

function preview({ headers }: AnyMessage): Preview | Refused {
  let bytes = 0
  let contentType: string | undefined
  let contentLength: number | undefined
  let listed: string | undefined
  for (let i = 0; i < headers.length; i++) {
    const [name, value] = headers[i] as readonly [string, string]
    // The colon, the blank and the line's end are counted as well.
    bytes += name.length + value.length + 4
    switch (name) {
      case 'content-type':
        contentType ??= value
        break
      case 'content-length':
        for (const one of value.split(',')) {
          const length = /^[ \t]*(\d{1,15})[ \t]*$/.exec(one)
          if (!length || (contentLength !== undefined && contentLength !== Number(length[1])))
            return { status: 400, fault: { path: ['header', name], code: 'bad_syntax', variant: length ? 'conflict' : 'length' } }
          contentLength = Number(length[1])
        }
        break
      case 'content-encoding':
        listed = listed === undefined ? value : `${listed},${value}`
        break
      case 'expect':
        if (value.toLowerCase() !== '100-continue')
          return { status: 417, fault: { path: ['header', 'expect'], code: 'not_constant', limit: '100-continue', sent: value } }
    }
  }
  const codings =
    listed === undefined
      ? none
      : listed.split(',').map((one) =>
          one
            .trim()
            .toLowerCase()
            .replace(/^x-gzip$/, 'gzip'),
        )
  const media = contentType === undefined ? undefined : readMediaType(contentType)
  return {
    bytes,
    contentType,
    media,
    contentLength,
    codings: codings === none ? none : codings.filter((one) => one !== '' && one !== 'identity'),
  }
}
const none: readonly string[] = []

/** The declaration for the media type that was sent: the very type before a range. */
function bodyFor({ bodies }: EndpointNode, { media }: Preview): BodyNode | undefined {
  if (!media) return undefined
  for (const body of bodies) if (body.mediaType === media.type) return body
  return bodies.find(({ mediaType }) => inRange(media.type, mediaType))
}

const charsetTaken = ({ syntax }: BodyNode, { media }: Preview) => {
  const charset = media?.parameters.charset
  return charset === undefined || syntax === 'raw' || /^(utf-?8|us-ascii)$/i.test(charset)
}

/** What a form holds besides its files, and what each file may have; or what a file may have that is the whole body. */
function mostBytes({ syntax, node }: BodyNode, limit: number): number {
  if (syntax !== 'multipart' && syntax !== 'raw') return limit
  const shape = sentShape(node)
  const fields = shape.kind === 'record' ? Object.values(shape.fields) : [shape]
  const files = fields.reduce((sum, field) => sum + fileBytes(sentShape(field), limit), 0)
  return syntax === 'raw' ? files : limit + files
}

/** Of a list without a greatest length, only so many files are waited for. */
const mostFiles = 20
function fileBytes(node: Node, limit: number): number {
  if (node.kind === 'file') return readSize(node.bytes ?? limit)
  if (node.kind !== 'list') return 0
  const [, most = mostFiles] = (node as ListNode).length ?? []
  return fileBytes(sentShape(node.item), limit) * Math.min(most, mostFiles)
}
