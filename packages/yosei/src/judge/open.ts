/**
 * The stages that need the head alone: which endpoint is meant, and whether its limits and media types let the body
 * come.
 */

import type { BodyNode, EndpointNode } from '../declare/endpoint.js'
import type { IntakeNode } from '../declare/intake.js'
import { inRange } from '../grammar/media-range.js'
import { readMediaType } from '../grammar/media-type.js'
import { sizeVariant } from '../kinds/file.js'
import type { Node } from '../kinds/kind.js'
import type { Fault, Run } from '../kinds/run.js'
import { valueInQuery } from '../read/discriminate.js'
import { type Crossing, type Destination, isNoTarget, layRoutes, match, meantBy, type Routes } from '../read/match.js'
import { type AnyMessage, isNow, originForm } from '../read/message.js'
import { syntaxOf } from '../read/syntax.js'
import { usualMethods } from '../terms/methods.js'
import { type Statuses, type StatusName, statusFor } from '../terms/statuses.js'
import { noHeaders, type Rejection, reject, roomFor } from './verdict.js'

/** A request that may come in. */
export interface Opened {
  readonly app: IntakeNode
  readonly message: AnyMessage
  readonly destination: Destination
  /** The raw segments of the path's parameters. */
  readonly segments: readonly string[]
  /** The raw query; `undefined` if there is none. */
  readonly query: string | undefined
  readonly head: Preview
  /** The declaration that the body has to meet. */
  readonly body: BodyNode | undefined
  /** The most bytes that the body may have. */
  readonly most: number
  /** The most bytes that an answer of a rejection may have. */
  readonly room: number
  readonly run: Run
}

/** What the header fields say of the body. */
interface Preview {
  readonly bytes: number
  readonly contentType: string | undefined
  readonly contentLength: number | undefined
  readonly accept: string | undefined
  /** In the order in which they were applied. */
  readonly codings: readonly string[]
}

/** Why it may not. */
export interface NotOpened {
  readonly failure: StatusName
  readonly fault: Omit<Fault, 'stage'>
  readonly headers?: { readonly [name: string]: string }
}

const kept = new WeakMap<IntakeNode, Routes>()
function routesOf(app: IntakeNode): Routes {
  const known = kept.get(app)
  if (known) return known
  const routes = layRoutes(app)
  kept.set(app, routes)
  return routes
}

/** The endpoint that a request means; `undefined` if there is none. */
export function endpointFor(app: IntakeNode, message: AnyMessage, folds: boolean): EndpointNode | undefined {
  const [path = '', ...query] = message.target.split('?')
  const found = match(routesOf(app), message.method, path, folds)
  if (!('destination' in found)) return undefined
  const { destination } = found
  const chosen = 'telling' in destination ? choose(app, message, query.join('?'), destination) : destination
  return 'endpoint' in chosen ? chosen.endpoint : undefined
}

/**
 * Why a target is not to be believed, before a router that may read it in another way: what it may mean there, and the
 * rejection. `undefined` if it means the same to all.
 */
export function misspelled(
  app: IntakeNode,
  method: string,
  sent: readonly string[],
  targetFor: (sent: string) => string,
  folds: boolean,
): { readonly meant: readonly EndpointNode[]; readonly rejection: Rejection } | undefined {
  const routes = routesOf(app)
  const broken = sent.some(isNoTarget)
  let isEndless = false
  const odd = sent.map(targetFor).flatMap((target) => {
    const readings = meantBy(routes, method, target, folds)
    isEndless ||= readings === undefined
    if (!readings || readings.size === 0) return []
    const chosen = match(routes, method, originForm(target).replace(/[?].*$/s, ''), folds)
    const own = 'destination' in chosen ? chosen.destination : undefined
    return broken || [...readings].some((one) => one !== own) ? [...readings] : []
  })
  if (!broken && !isEndless && odd.length === 0) return undefined
  const fault = { path: ['path'], code: 'bad_syntax', variant: broken ? 'target' : 'spelling' }
  return {
    meant: [...new Set(odd.flatMap(endpointsOf))],
    rejection: refusedHere(app, undefined, { failure: 'framing', fault }, app.statuses, undefined),
  }
}
const endpointsOf = (end: Destination | Crossing): readonly EndpointNode[] => {
  if (!('telling' in end)) return [end.endpoint]
  const { telling } = end
  const all = telling.part === 'body' ? telling.bodies.map(([, one]) => one) : [...telling.values.values()]
  return all.map(({ endpoint }) => endpoint)
}

/** A request that may not come in, and which endpoint it means, if that is known. */
export interface Unopened {
  readonly rejection: Rejection
  readonly destination: Destination | undefined
}

export function open(app: IntakeNode, message: AnyMessage, run: Run, folds = false): Opened | Unopened {
  const { method, target } = message
  // RFC 9112, section 3.2.
  if (isNoTarget(target)) {
    run.trace?.steps.push({ stage: 'match', outcome: 'failed' })
    const fault = { path: ['path'], code: 'bad_syntax', variant: 'target' }
    return unopened(refusedHere(app, undefined, { failure: 'framing', fault }, app.statuses, run.trace))
  }
  const question = target.indexOf('?')
  const found = match(routesOf(app), method, question < 0 ? target : target.slice(0, question), folds)
  if ('allowed' in found) return unopened(unmatched(app, method, found.allowed, run))
  const { destination: end, segments } = found
  const destination = 'telling' in end ? choose(app, message, question < 0 ? '' : target.slice(question + 1), end) : end
  if ('fault' in destination) {
    run.trace?.steps.push({ stage: 'match', outcome: 'passed' }, { stage: 'admit', outcome: 'failed' })
    return unopened(refusedHere(app, undefined, destination, app.statuses, run.trace))
  }
  run.trace?.steps.push({ stage: 'match', name: destination.name, outcome: 'passed' })
  const opened = admit(app, message, destination, segments, question < 0 ? undefined : target.slice(question + 1), run)
  const refused = 'fault' in opened
  run.trace?.steps.push({ stage: 'admit', outcome: refused ? 'failed' : 'passed' })
  if (!refused) return opened
  const { name, endpoint } = destination
  return unopened(refusedHere(app, name, opened, endpoint.statuses, run.trace), destination)
}

const unopened = (rejection: Rejection, destination?: Destination): Unopened => ({ rejection, destination })

export const refusedHere = (
  house: IntakeNode,
  name: string | undefined,
  { fault, failure, headers = {} }: NotOpened,
  statuses: Statuses | undefined,
  trace: Run['trace'],
): Rejection =>
  reject(name, [{ ...fault, stage: 'admit' }], {
    status: statusFor(failure, statuses, fault.code),
    stage: 'admit',
    headers,
    trace,
    house,
  })

/** Which of several endpoints of one method and path is meant: by a field of its head, within the limits of all. */
function choose(app: IntakeNode, message: AnyMessage, query: string, { telling }: Crossing): Destination | NotOpened {
  const tooLarge = overHead(message, app.limits)
  if (tooLarge) return tooLarge
  const lines = (name: string) => message.headers.find(([one]) => one === name)?.[1]
  if (telling.part === 'body') {
    const sent = lines('content-type')
    const type = sent === undefined ? undefined : readMediaType(sent)?.type
    const found =
      telling.bodies.find(([one]) => one === type) ??
      telling.bodies.find(([one]) => type !== undefined && inRange(type, one))
    const taken = telling.bodies.map(([one]) => one)
    if (found) return found[1]
    const refused = wrongMediaType(taken, sent, message.method, undefined)
    return { ...refused, headers: { ...refused.headers, ...varyBy('content-type') } }
  }
  const { part, name, values } = telling
  const sent = part === 'header' ? lines(name) : valueInQuery(query, name)
  const found = sent === undefined ? undefined : values.get(sent)
  if (found) return found
  const choice: Node = { kind: 'choice', need: 'required', values: [...values.keys()] }
  const isAbsent = sent === undefined || sent === ''
  const isSecret = [...values.values()].some(({ endpoint }) => endpoint[part].fields[name]?.secret)
  const variant = isSecret ? (isAbsent ? undefined : 'secret') : isAbsent ? 'choice' : undefined
  const about = isSecret ? {} : { limit: [...values.keys()], ...(isAbsent ? {} : { sent }) }
  return {
    failure: part,
    fault: { path: [part, name], node: choice, code: isAbsent ? 'missing' : 'not_a_choice', variant, ...about },
    headers: part === 'header' ? varyBy(name) : {},
  }
}

/** A problem document varies by its type and language already. */
const varyBy = (name: string) => ({ vary: `Accept, Accept-Language, ${name}` })

/** A target or a header section over its limit. */
function overHead({ target, headers }: AnyMessage, limits: IntakeNode['limits']): NotOpened | undefined {
  if (target.length > limits.uri)
    return { failure: 'uri', fault: { path: ['path'], code: 'too_large', limit: limits.uri, variant: 'bytes' } }
  const bytes = headers.reduce((sum, [name, value]) => sum + name.length + value.length + 4, 0)
  return bytes > limits.headers
    ? { failure: 'headers', fault: { path: ['header'], code: 'too_large', limit: limits.headers, variant: 'bytes' } }
    : undefined
}

function wrongMediaType(
  taken: readonly string[],
  sent: string | undefined,
  method: string,
  variant: 'charset' | undefined,
): NotOpened {
  const accept = taken.join(', ')
  return {
    failure: 'mediaType',
    fault: {
      path: ['header', 'content-type'],
      code: 'wrong_media_type',
      limit: taken,
      variant: variant ?? (taken.length > 1 ? 'several' : undefined),
      sent,
    },
    // RFC 5789, section 2.2: a patch document has a field of its own.
    headers: { accept, ...(method === 'PATCH' ? { 'accept-patch': accept } : {}) },
  }
}

/** CONNECT is not among them; others are known if an endpoint declares them. */
const methods = /* @__PURE__ */ new Set<string>(usualMethods)
const isKnown = (app: IntakeNode, method: string) =>
  methods.has(method) || Object.values(app.endpoints).some((endpoint) => endpoint.method === method)

function unmatched(app: IntakeNode, method: string, allowed: readonly string[], run: Run): Rejection {
  run.trace?.steps.push({ stage: 'match', outcome: 'failed' })
  const rejected = (failure: StatusName, headers: { readonly [name: string]: string } = noHeaders) =>
    reject(undefined, [], {
      stage: 'match',
      trace: run.trace,
      house: app,
      failure,
      status: statusFor(failure, app.statuses),
      headers,
    })
  if (!isKnown(app, method)) return rejected('unknownMethod')
  return allowed.length === 0 ? rejected('unmatched') : rejected('method', { allow: allowed.join(', ') })
}

/** Looks at limits and media type; nothing of the body has been taken yet. */
function admit(
  app: IntakeNode,
  message: AnyMessage,
  destination: Destination,
  segments: readonly string[],
  query: string | undefined,
  run: Run,
): Opened | NotOpened {
  const { limits, endpoint } = destination
  if (message.target.length > limits.uri)
    return { failure: 'uri', fault: { path: ['path'], code: 'too_large', limit: limits.uri, variant: 'bytes' } }
  const head = preview(message)
  if ('fault' in head) return head
  if (head.bytes > limits.headers)
    return {
      failure: 'headers',
      fault: { path: ['header'], code: 'too_large', limit: limits.headers, variant: 'bytes' },
    }
  const { contentLength, contentType, codings } = head
  if (codings.length > mostCodings || (codings.length > 1 && new Set(codings).size < codings.length))
    return {
      failure: 'coding',
      fault: { path: ['header', 'content-encoding'], code: 'too_many', limit: mostCodings, variant: 'codings' },
      headers: { 'accept-encoding': knownCodings.join(', '), ...close },
    }
  const hasBody = contentLength === undefined ? message.body !== null && message.body !== '' : contentLength > 0
  const body = hasBody ? bodyFor(endpoint, contentType) : endpoint.bodies[0]
  const most = body ? syntaxOf(body).most(body.node, limits.body) : limits.body
  const length = contentLength ?? (isNow(message.body) ? message.body.length : 0)
  const syntax = body && syntaxOf(body)
  const blamed = syntax?.blamed(body?.node as Node)
  // Which of several files is too large is seen while they come.
  if (length > most && (blamed || !syntax?.isStreamed)) {
    const { path, limit } = blamed ?? { path: ['body'], limit: most }
    return { failure: 'size', fault: { path, code: 'too_large', limit, variant: sizeVariant(limit) }, headers: close }
  }
  if (hasBody) {
    const coding = codings.find((one) => !knownCodings.includes(one))
    if (coding !== undefined)
      return {
        failure: 'coding',
        fault: { path: ['header', 'content-encoding'], code: 'not_a_choice', limit: knownCodings, sent: coding },
        headers: { 'accept-encoding': knownCodings.join(', ') },
      }
    if (endpoint.bodies.length > 0 && !(body && charsetTaken(body, contentType))) {
      const taken = endpoint.bodies.map(({ mediaType }) => mediaType)
      return wrongMediaType(taken, contentType, message.method, body ? 'charset' : undefined)
    }
  }
  // Every pair takes a character and a separator, so a short query need not be counted.
  if (query !== undefined && query.length >= 2 * limits.queryValues - 1 && countPairs(query) > limits.queryValues)
    return {
      failure: 'query',
      fault: { path: ['query'], code: 'too_many', limit: limits.queryValues, variant: 'query' },
    }
  const room = roomFor(message.target.length + head.bytes + length)
  return { app, message, destination, segments, query, head, body, most, room, run }
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
const knownCodings = ['gzip', 'deflate', 'br']
/** Each at most once: every one that is undone costs as much as a whole body. */
const mostCodings = 2

/** Looks through the header fields once, for all that the stages before the body need of them. */
export function preview({ headers }: AnyMessage): Preview | NotOpened {
  let bytes = 0
  let contentType: string | undefined
  let contentLength: number | undefined
  let accept: string | undefined
  let codings = none
  let hosts = 0
  let transfers = 0
  for (let i = 0; i < headers.length; i++) {
    const line = headers[i] as readonly [string, string]
    const name = line[0]
    const value = line[1]
    // The colon, the blank and the line's end are counted as well.
    bytes += name.length + value.length + 4
    switch (name) {
      case 'content-type':
        contentType ??= value
        break
      case 'content-length': {
        const length = readLength(value)
        // Of two equal ones too, as Node's parser does: RFC 9110, section 8.6, lets a server choose.
        if (length === undefined || contentLength !== undefined)
          return {
            failure: 'framing',
            fault: {
              path: ['header', name],
              code: 'bad_syntax',
              variant: length === undefined ? 'length' : 'conflict',
            },
          }
        contentLength = length
        break
      }
      case 'accept':
        accept = accept === undefined ? value : `${accept}, ${value}`
        break
      case 'content-encoding':
        if (codings.length <= mostCodings) codings = [...codings, ...readCodings(value)]
        break
      case 'host':
        // RFC 9112, section 3.2.
        if (++hosts > 1)
          return {
            failure: 'framing',
            fault: { path: ['header', name], code: 'sent_twice', limit: hosts },
            headers: close,
          }
        break
      case 'transfer-encoding':
        // Content codings are undone here, transfer codings but the framing are not (RFC 9112, sections 6.1 and 6.3).
        if (++transfers > 1)
          return {
            failure: 'framing',
            fault: { path: ['header', name], code: 'sent_twice', limit: transfers },
            headers: close,
          }
        if (!/(?:^|[, \t])chunked$/i.test(value))
          return {
            failure: 'framing',
            fault: { path: ['header', name], code: 'bad_syntax', variant: 'framing' },
            headers: close,
          }
        if (value.toLowerCase() !== 'chunked')
          return {
            failure: 'transferCoding',
            fault: { path: ['header', name], code: 'not_constant', limit: 'chunked', sent: value },
            headers: close,
          }
        break
      case 'expect':
        if (value.toLowerCase() !== '100-continue')
          return {
            failure: 'expectation',
            fault: { path: ['header', 'expect'], code: 'not_constant', limit: '100-continue', sent: value },
          }
    }
  }
  return { bytes, contentType, contentLength, accept, codings }
}
const none: readonly string[] = []

/** A number of bytes. */
const readLength = (value: string) => (/^\d{1,15}$/.test(value) ? Number(value) : undefined)

const readCodings = (value: string) =>
  value
    .split(',')
    .map((one) =>
      one
        .trim()
        .toLowerCase()
        .replace(/^x-gzip$/, 'gzip'),
    )
    .filter((one) => one !== '' && one !== 'identity')

/** The declaration for the media type that was sent: the very type before a range. */
function bodyFor({ bodies }: EndpointNode, contentType: string | undefined): BodyNode | undefined {
  if (contentType === undefined) return undefined
  // Most clients write a type as it is declared, and nothing more.
  for (const body of bodies) if (body.mediaType === contentType) return body
  const type = readMediaType(contentType)?.type
  if (type === undefined) return undefined
  return bodies.find(({ mediaType }) => mediaType === type) ?? bodies.find(({ mediaType }) => inRange(type, mediaType))
}

function charsetTaken(body: BodyNode, contentType = ''): boolean {
  if (body.mediaType === contentType || !syntaxOf(body).hasCharset) return true
  const { charset = 'utf-8' } = readMediaType(contentType)?.parameters ?? {}
  return /^(utf-?8|us-ascii)$/i.test(charset)
}
