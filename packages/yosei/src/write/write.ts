/** Requests written from typed values: the inverse of reading. */

import { endpointNode } from '../declare/endpoint.js'
import type { IntakeNode } from '../declare/intake.js'
import { encode } from '../engine/interpret.js'
import { judgeMessage } from '../judge/judge.js'
import { reject, verdictOf } from '../judge/verdict.js'
import type { Node } from '../kinds/kind.js'
import type { ListNode } from '../kinds/list.js'
import type { RecordNode } from '../kinds/record.js'
import type { Fault } from '../kinds/run.js'
import { sentShape } from '../kinds/shape.js'
import type { TupleNode } from '../kinds/tuple.js'
import { syntaxOf } from '../read/syntax.js'
import type { Endpoint, Sent, TypesOf } from '../terms/endpoint.js'
import { settleLimits } from '../terms/policy.js'
import { statusFor } from '../terms/statuses.js'
import { filled } from '../terms/template.js'
import type { Rejected } from '../terms/verdict.js'

/** What a handler receives; an endpoint without cookies need not be given any. */
type WithoutCookies<I> = I extends { cookie: infer C } ? ({} extends C ? Omit<I, 'cookie'> & { cookie?: C } : I) : I

/** Values that their own endpoint would reject; the verdict says where and why. */
export class UnacceptableError extends Error {
  override readonly name = 'UnacceptableError'
  constructor(readonly verdict: Rejected) {
    const [first] = verdict.errors
    super(first ? `${first.address} ${first.message}` : `the request would be answered with ${verdict.status}`)
  }
}

/**
 * A fetch Request that the endpoint accepts, from what a client sends or from what a handler receives: path and query
 * encoded, dates as RFC 3339, the body in the first media type that is declared.
 *
 * @param base Where the service is: `https://observatory.example/api`.
 * @throws UnacceptableError where the endpoint would reject the values, with the same error map.
 * @example
 * await fetch(write(listSessions, 'https://observatory.example', { path: {}, query: { limit: 5 }, body: undefined }))
 */
export function write<E extends Endpoint>(
  endpoint: E,
  base: string,
  sent: Sent<E> | WithoutCookies<TypesOf<E>['input']>,
): Request {
  const node = endpointNode(endpoint)
  const parts = sent as { readonly [part: string]: unknown }
  const faults: Fault[] = []
  /** The texts of a record's values where it is sent as text. */
  const textsOf = (
    part: string,
    record: RecordNode,
    values: unknown,
    write: (name: string, value: unknown, field: Node) => string | undefined,
  ) =>
    Object.entries((encode(record, values ?? {}) ?? {}) as object).flatMap(([name, value]): [string, string][] => {
      const field = Object.hasOwn(record.fields, name) ? (record.fields[name] as Node) : unknownField
      const text = value === undefined || value === null ? undefined : write(name, value, field)
      if (text === undefined && value !== undefined)
        faults.push({ path: [part, name], stage: 'read', code: 'bad_encoding', variant: 'unsendable' })
      return text === undefined ? [] : [[name, text]]
    })
  const pairs = (part: string, record: RecordNode, values: unknown) =>
    textsOf(part, record, values, writePairs)
      .map(([, text]) => text)
      .join('&')

  const path = new Map(textsOf('path', node.path, parts.path, (_, value) => joined(value, ',', encodeText)))
  const query = pairs('query', node.query, parts.query)
  const lines = textsOf('header', node.header, parts.header, (_, value) => joined(value, ', ', headerText))
  const cookies = textsOf('cookie', node.cookie, parts.cookie, (_, value) => joined(value, ',', encodeText))
  if (cookies.length > 0) lines.push(['cookie', cookies.map(([name, text]) => `${name}=${text}`).join('; ')])
  const segments = node.segments.map((segment) => filled(segment, (name) => path.get(name) ?? ''))
  const target = `/${segments.join('/')}${query === '' ? '' : `?${query}`}`

  const [body] = node.bodies
  const written =
    body && parts.body !== undefined
      ? syntaxOf(body).write(body.node, parts.body, body.mediaType, {
          encode,
          pairs: (record, values) => pairs('body', record, values),
        })
      : undefined
  if (faults.length > 0)
    throw new UnacceptableError(
      verdictOf(reject(undefined, faults, { status: statusFor('syntax', node.statuses), stage: 'read' })),
    )
  const typed: [string, string][] = written?.type === undefined ? lines : [...lines, ['content-type', written.type]]
  const text = typeof written?.body === 'string' ? written.body : null
  const solo: IntakeNode = {
    endpoints: { endpoint: node },
    base: '',
    limits: settleLimits(node.template, node.limits),
    statuses: {},
  }
  const received =
    written?.values === undefined
      ? undefined
      : { value: written.values, ...(written.json ? { json: written.json } : {}) }
  const verdict = judgeMessage(solo, { method: node.method, target, headers: typed, body: text }, received)
  if (verdict.outcome === 'rejected') throw new UnacceptableError(verdictOf(verdict))
  return new Request(base.replace(/\/$/, '') + target, {
    method: node.method,
    headers: typed,
    ...(written ? { body: written.body } : {}),
  })
}

const unknownField: Node = { kind: 'text', need: 'optional' }

/** RFC 3986: all but unreserved characters encoded. `undefined` for a lone surrogate, which UTF-8 has no bytes for. */
function encodeText(text: string): string | undefined {
  try {
    return encodeURIComponent(text).replace(/[!'()*]/g, (one) => `%${one.charCodeAt(0).toString(16).toUpperCase()}`)
  } catch {
    return undefined
  }
}

/** Field values are visible ASCII with inner blanks; a list's elements hold no comma. */
const headerText = (text: string) => (/^[!-~](?:[ -~]*[!-~])?$/.test(text) ? text : undefined)

/** A value, or the elements of a list, as one text. */
function joined(value: unknown, separator: string, write: (text: string) => string | undefined): string | undefined {
  const texts = (Array.isArray(value) ? value : [value]).map((one) =>
    typeof one === 'object' ? undefined : write(String(one)),
  )
  const mixed = Array.isArray(value) && texts.some((text) => text?.includes(','))
  return texts.includes(undefined) || mixed ? undefined : texts.join(separator)
}

const separators = { form: ',', spaceDelimited: '%20', pipeDelimited: '|' }

/** The pairs of one name in a query, by OpenAPI's styles. */
function writePairs(name: string, value: unknown, field: Node): string | undefined {
  const shape = sentShape(field)
  if (shape.kind === 'record' || shape.kind === 'table') {
    const pairs = Object.entries(value as object).map(([key, one]) => {
      const member = shape.kind === 'table' ? shape.value : (shape.fields[key] ?? unknownField)
      return writePairs(`${name}[${key}]`, one, member)
    })
    return pairs.includes(undefined) ? undefined : pairs.join('&')
  }
  const texts = (Array.isArray(value) ? value : [value]).map((one) =>
    typeof one === 'object' ? undefined : encodeText(String(one)),
  )
  const encodedName = encodeText(name)
  if (texts.includes(undefined) || encodedName === undefined) return undefined
  const { style = 'form', explode = style === 'form' } = shape as Partial<
    ListNode | (TupleNode & Pick<ListNode, 'style' | 'explode'>)
  >
  return explode || !Array.isArray(value)
    ? texts.map((text) => `${encodedName}=${text}`).join('&')
    : `${encodedName}=${texts.join(separators[style])}`
}
