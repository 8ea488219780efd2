/** The way of a request through the stages, to its verdict. */
import { addFault, type Run, startRun } from '../compile/run.js'
import { type Endpoint, type EndpointNode, type Endpoints, type Intake, type IntakeNode, type Part, soleBody } from '../declare/endpoint.js'
import type { Node } from '../declare/node.js'
import { readJson } from '../read/json.js'
import { layRoutes, match, type Routes } from '../read/match.js'
import { readMediaType } from '../read/media-type.js'
import { type BrokenMessage, type Message, parseMessage, piecesOf, type RequestLike, receive } from '../read/message.js'
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
  const message = typeof request === 'string' ? parseMessage(request) : 'target' in request ? piecesOf(request) : await receive(request)
  return ('reason' in message ? rejectBroken(message) : judgeMessage(app as unknown as IntakeNode, message, options)) as Verdict<E>
}

function rejectBroken(message: BrokenMessage): Rejected {
  const path = [message.line === 1 ? 'path' : 'header']
  return reject(undefined, [{ path, stage: 'read', code: 'bad_syntax', variant: 'message', about: { ...message } }], {
    status: 400,
    stage: 'read',
  })
}

/** The judgement of a request in its pieces. */
export function judgeMessage(app: IntakeNode, message: Message, options: JudgeOptions): AcceptedVerdict<string, unknown> | Rejected {
  const run = start(options)
  const { target, headers } = message
  const question = target.indexOf('?')
  const found = match(routesOf(app), message.method, question < 0 ? target : target.slice(0, question))
  if ('allowed' in found) return unmatched(found.allowed, run)
  const { name, endpoint, parameters } = found.destination
  run.trace?.steps.push({ stage: 'match', name, outcome: 'passed' })

  const body = admit(endpoint, message)
  run.trace?.steps.push({ stage: 'admit', outcome: body === notTaken ? 'failed' : 'passed' })
  if (body === notTaken) return rejectMediaType(name, endpoint, message, run)
  const query =
    question < 0
      ? undefined
      : queryValues(target.slice(question + 1), endpoint.query, () =>
          addFault(run, { path: ['query'], stage: 'read', code: 'bad_encoding' }),
        )
  const sent = {
    path: pathValues(parameters, found.segments, endpoint.path),
    query,
    header: headerValues(headers, endpoint.header),
    body: readBody(message, body),
  }
  return check({ name, endpoint, body, sent, headers, only: undefined, form: false, parsed: true }, run)
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
  const matter = { name, endpoint: node, body: soleBody(node), sent: parts, headers: [], only, form: text, parsed: false }
  return check(matter, start(options)) as AcceptedVerdict<string, I> | Rejected
}

const start = ({ now, trace = false }: JudgeOptions) => startRun(now?.getTime(), trace)

const kept = new WeakMap<IntakeNode, Routes>()
function routesOf(app: IntakeNode): Routes {
  const known = kept.get(app)
  if (known) return known
  const routes = layRoutes(app)
  kept.set(app, routes)
  return routes
}

function unmatched(allowed: readonly string[], run: Run): Rejected {
  run.trace?.steps.push({ stage: 'match', outcome: 'failed' })
  if (allowed.length === 0) return reject(undefined, [], { status: 404, stage: 'match', trace: run.trace })
  return reject(undefined, [], { status: 405, stage: 'match', headers: { allow: allowed.join(', ') }, trace: run.trace })
}

const notTaken = Symbol('a media type that is not taken')
function contentType({ headers }: Message): string | undefined {
  for (const [field, value] of headers) if (field === 'content-type') return value
  return undefined
}

/** Takes the media type, from the head alone: gives the declaration that the body has to meet. */
function admit(endpoint: EndpointNode, message: Message): Node | undefined | typeof notTaken {
  const sole = soleBody(endpoint)
  if (message.body === null || message.body.length === 0 || !sole) return sole
  const sent = contentType(message) ?? ''
  if (Object.hasOwn(endpoint.body, sent)) return endpoint.body[sent]
  const media = readMediaType(sent)
  if (!media || !Object.hasOwn(endpoint.body, media.type)) return notTaken
  const { charset = 'utf-8' } = media.parameters
  return charset.toLowerCase() === 'utf-8' ? endpoint.body[media.type] : notTaken
}

function rejectMediaType(name: string, endpoint: EndpointNode, message: Message, run: Run): Rejected {
  const taken = Object.keys(endpoint.body)
  const sent = contentType(message)
  const type = readMediaType(sent ?? '')?.type
  const variant = type !== undefined && taken.includes(type) ? 'charset' : undefined
  const fault = { path: ['header', 'content-type'], stage: 'admit', code: 'wrong_media_type', limit: taken, variant, sent } as const
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
