/** The way of a request through the stages, to its verdict. */

import type { Parts } from '../compile/rules.js'
import { type Run, startRun } from '../compile/run.js'
import type { Endpoint, EndpointNode, Endpoints, Intake, IntakeNode, Part } from '../declare/endpoint.js'
import type { Node, RecordNode } from '../declare/node.js'
import { readJson } from '../read/json.js'
import { layRoutes, match, type Routes } from '../read/match.js'
import { readMediaType } from '../read/media-type.js'
import { type Message, type RequestLike, toMessage } from '../read/message.js'
import { bare, readQuery } from '../read/query.js'
import { check, type Unreadable } from './check.js'
import { type AcceptedVerdict, type Rejected, reject, type Verdict } from './verdict.js'

export interface JudgeOptions {
  /** The clock that relative limits count from. */
  now?: Date
  /** Whether the verdict says how each value was read. */
  trace?: boolean
}

/**
 * Judges a request: is it accepted, with which input; or rejected, with which status and errors.
 * Never throws because of what was sent. The body of a fetch Request is consumed.
 *
 * @example
 * const verdict = await judge(app, 'GET /sessions?limit=5 HTTP/1.1')
 * if (verdict.outcome === 'rejected') console.log(verdict.status, verdict.errorsByField)
 */
export async function judge<E extends Endpoints>(app: Intake<E>, request: RequestLike, options: JudgeOptions = {}): Promise<Verdict<E>> {
  const message = await toMessage(request)
  if ('reason' in message) {
    const fault = {
      path: [message.line === 1 ? 'path' : 'header'],
      stage: 'read',
      code: 'bad_syntax',
      variant: 'message',
      about: { ...message },
    } as const
    return reject(undefined, [fault], { status: 400, stage: 'read' })
  }
  return judgeMessage(app as unknown as IntakeNode, message, options) as Verdict<E>
}

function judgeMessage(app: IntakeNode, message: Message, options: JudgeOptions): AcceptedVerdict<string, unknown> | Rejected {
  const [path = '', query = ''] = split(message.target, '?')
  const found = match(routesOf(app), message.method, path)
  if (Array.isArray(found)) return unmatched(found)
  const { endpoint: name, path: values } = found as Exclude<typeof found, readonly string[]>
  const endpoint = app.endpoints[name] as EndpointNode
  const run = start(options)

  const admitted = admit(name, endpoint, message)
  if ('outcome' in admitted) return admitted
  const sent = {
    path: values,
    query: queryValues(query, endpoint.query, run),
    header: headerValues(message.headers, endpoint.header),
    body: readBody(message, admitted.body),
  }
  return check(name, endpoint, sent, admitted.body, run)
}

/**
 * Judges parts that are split already: path, query and header as text, the body as JSON values.
 *
 * @example
 * judgeParts(listSessions, { query: { limit: '5' } })
 */
export function judgeParts<I, S>(
  endpoint: Endpoint<I, S>,
  parts: { readonly [P in Part]?: unknown },
  options: JudgeOptions = {},
): AcceptedVerdict<string, I> | Rejected {
  const node = endpoint as unknown as EndpointNode
  return check(`${node.method} ${node.template}`, node, parts, Object.values(node.body)[0], start(options)) as
    | AcceptedVerdict<string, I>
    | Rejected
}

const start = ({ now, trace = false }: JudgeOptions) => startRun(now?.getTime() ?? Date.now(), trace)

const kept = new WeakMap<IntakeNode, Routes>()
function routesOf(app: IntakeNode): Routes {
  const routes = kept.get(app) ?? layRoutes(app)
  kept.set(app, routes)
  return routes
}

function split(text: string, at: string): [string, string?] {
  const index = text.indexOf(at)
  return index < 0 ? [text] : [text.slice(0, index), text.slice(index + 1)]
}

const unmatched = (allowed: readonly string[]): Rejected =>
  allowed.length === 0
    ? reject(undefined, [], { status: 404, stage: 'match' })
    : reject(undefined, [], { status: 405, stage: 'match', headers: { allow: allowed.join(', ') } })

/** Takes the media type, from the head alone: the declaration that the body has to meet, or the rejection. */
function admit(name: string, endpoint: EndpointNode, { headers, body }: Message): { readonly body: Node | undefined } | Rejected {
  const taken = Object.keys(endpoint.body)
  if (body === null || body.length === 0 || taken.length === 0) return { body: Object.values(endpoint.body)[0] }
  const sent = headers.find(([field]) => field === 'content-type')?.[1]
  const media = sent === undefined ? undefined : readMediaType(sent)
  const charset = media?.parameters.charset
  const known = media && Object.hasOwn(endpoint.body, media.type)
  if (known && (charset === undefined || charset.toLowerCase() === 'utf-8')) return { body: endpoint.body[media.type] }
  const fault = {
    path: ['header', 'content-type'],
    stage: 'admit',
    code: 'wrong_media_type',
    about: { limit: taken },
    ...(known ? { variant: 'charset' } : {}),
    ...(sent === undefined ? {} : { sent }),
  } as const
  return reject(name, [fault], { status: 415, stage: 'admit', headers: { accept: taken.join(', ') } })
}

/** One text for a name that came once, all of them for one that came again. */
const oneOrAll = <T>(values: readonly T[]) => (values.length === 1 ? values[0] : values)

function queryValues(query: string, declared: RecordNode, run: Run): Parts {
  const { values, malformed: broken } = readQuery(query)
  if (broken) run.faults.push({ path: ['query'], stage: 'read', code: 'bad_encoding' })
  return Object.fromEntries(
    [...values].map(([name, sent]) => {
      const ofBare = Object.hasOwn(declared.fields, name) && declared.fields[name]?.kind === 'flag' ? 'true' : ''
      return [name, oneOrAll(sent.map((value) => (value === bare ? ofBare : value)))]
    }),
  )
}

/** Declared fields only; the lines of a list are joined and split at commas (RFC 9110, section 5.3). */
function headerValues(headers: Message['headers'], declared: RecordNode): Parts {
  const values: { [name: string]: unknown } = {}
  for (const name of Object.keys(declared.fields)) {
    const lines = headers.filter(([field]) => field === name).map(([, value]) => value)
    if (lines.length === 0) continue
    values[name] =
      declared.fields[name]?.kind === 'list' ? lines.flatMap((line) => line.split(',').map((one) => one.trim())) : oneOrAll(lines)
  }
  return values
}

function readBody({ body }: Message, declared: Node | undefined): unknown | Unreadable {
  if (body === null || body.length === 0) return undefined
  if (!declared) return body
  const text = typeof body === 'string' ? body : decodeUtf8(body)
  if (text === undefined) return { unreadable: { code: 'bad_syntax', variant: 'utf8' } }
  const read = readJson(text)
  return 'value' in read ? read.value : { unreadable: { code: 'bad_syntax', about: read } }
}

function decodeUtf8(bytes: Uint8Array): string | undefined {
  try {
    return new TextDecoder('utf-8', { fatal: true }).decode(bytes)
  } catch {
    return undefined
  }
}
