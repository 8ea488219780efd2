/** The way of a request through the stages, to its verdict. */
import { addFault, type Run, startRun } from '../compile/run.js'
import type { Endpoint, EndpointNode, Endpoints, Intake, IntakeNode, Part } from '../declare/endpoint.js'
import type { Node } from '../declare/node.js'
import { readJson } from '../read/json.js'
import { layRoutes, match, type Routes } from '../read/match.js'
import { readMediaType } from '../read/media-type.js'
import { type Message, type RequestLike, toMessage } from '../read/message.js'
import { headerValues, pathValues, queryValues } from '../read/values.js'
import { check, Unreadable } from './check.js'
import { type AcceptedVerdict, type Rejected, reject, type Verdict } from './verdict.js'

export interface JudgeOptions {
  /** The clock that relative limits count from. */
  now?: Date
  /** Whether the verdict says how each value was read, and how each stage and rule went. */
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

/** The judgement of a request in its pieces. */
export function judgeMessage(app: IntakeNode, message: Message, options: JudgeOptions): AcceptedVerdict<string, unknown> | Rejected {
  const run = start(options)
  const [path = '', query = ''] = split(message.target, '?')
  const found = match(routesOf(app), message.method, path)
  if (!('endpoint' in found)) return unmatched(found.allowed, run)
  const name = found.endpoint
  const endpoint = app.endpoints[name] as EndpointNode
  run.trace?.steps.push({ stage: 'match', name, outcome: 'passed' })

  const admitted = admit(name, endpoint, message, run)
  if ('outcome' in admitted) return admitted
  const { values, malformed } = queryValues(query, endpoint.query)
  if (malformed) addFault(run, { path: ['query'], stage: 'read', code: 'bad_encoding' })
  const sent = {
    path: pathValues(found.path, endpoint.path),
    query: values,
    header: headerValues(message.headers, endpoint.header),
    body: readBody(message, admitted.body),
  }
  const hasHeader = (name: string) => message.headers.some(([field]) => field === name)
  return check({ name, endpoint, body: admitted.body, sent, hasHeader, parsed: true }, run)
}

export interface JudgePartsOptions extends JudgeOptions {
  /** Whether the body is text as well, as a form gives it. */
  text?: boolean
  /** Judge these parts alone, and the rules that read nothing else. */
  only?: readonly Part[]
}

/**
 * Judges parts that are split already: path, query and header as text, the body as JSON values. Synchronous.
 *
 * @example
 * judgeParts(listSessions, { query: { limit: '5' } })
 */
export function judgeParts<I, S>(
  endpoint: Endpoint<I, S>,
  parts: { readonly [P in Part]?: unknown },
  { text, only, ...options }: JudgePartsOptions = {},
): AcceptedVerdict<string, I> | Rejected {
  const node = endpoint as unknown as EndpointNode
  const name = `${node.method} ${node.template}`
  const body = Object.values(node.body)[0]
  return check({ name, endpoint: node, body, sent: parts, only, form: text }, start(options)) as AcceptedVerdict<string, I> | Rejected
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

function unmatched(allowed: readonly string[], run: Run): Rejected {
  run.trace?.steps.push({ stage: 'match', outcome: 'failed' })
  if (allowed.length === 0) return reject(undefined, [], { status: 404, stage: 'match', trace: run.trace })
  return reject(undefined, [], { status: 405, stage: 'match', headers: { allow: allowed.join(', ') }, trace: run.trace })
}

/** Takes the media type, from the head alone: the declaration that the body has to meet, or the rejection. */
function admit(name: string, endpoint: EndpointNode, { headers, body }: Message, run: Run): { readonly body: Node | undefined } | Rejected {
  const taken = Object.keys(endpoint.body)
  const sent = headers.find(([field]) => field === 'content-type')?.[1]
  const media = sent === undefined ? undefined : readMediaType(sent)
  const charset = media?.parameters.charset
  const known = media && Object.hasOwn(endpoint.body, media.type)
  const needed = body !== null && body.length > 0 && taken.length > 0
  const fits = !needed || (known && (charset === undefined || charset.toLowerCase() === 'utf-8'))
  run.trace?.steps.push({ stage: 'admit', outcome: fits ? 'passed' : 'failed' })
  if (fits) return { body: known ? endpoint.body[media.type] : Object.values(endpoint.body)[0] }
  const fault = {
    path: ['header', 'content-type'],
    stage: 'admit',
    code: 'wrong_media_type',
    limit: taken,
    ...(known ? { variant: 'charset' } : {}),
    ...(sent === undefined ? {} : { sent }),
  } as const
  return reject(name, [fault], { status: 415, stage: 'admit', headers: { accept: taken.join(', ') }, trace: run.trace })
}

function readBody({ body }: Message, declared: Node | undefined): unknown | Unreadable {
  if (body === null || body.length === 0) return undefined
  if (!declared) return body
  const text = typeof body === 'string' ? body : decodeUtf8(body)
  if (text === undefined) return new Unreadable({ code: 'bad_syntax', variant: 'utf8' })
  const read = readJson(text)
  return 'value' in read ? read.value : new Unreadable({ code: 'bad_syntax', about: { ...read } })
}

function decodeUtf8(bytes: Uint8Array): string | undefined {
  try {
    return new TextDecoder('utf-8', { fatal: true }).decode(bytes)
  } catch {
    return undefined
  }
}
