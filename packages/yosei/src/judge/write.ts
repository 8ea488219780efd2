/** Requests written from typed values: the inverse of reading. */
import { encode } from '../compile/encode.js'
import type { Fault } from '../compile/run.js'
import { type Endpoint, type EndpointNode, soleBody } from '../declare/endpoint.js'
import { type ListNode, type Node, sentShape, type TupleNode } from '../declare/node.js'
import { judgeMessage } from './judge.js'
import { type Rejected, reject } from './verdict.js'

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
 * encoded, dates as RFC 3339, the body as JSON.
 *
 * @param base Where the service is: `https://observatory.example/api`.
 * @throws UnacceptableError where the endpoint would reject the values, with the same error map.
 * @example
 * await fetch(write(listSessions, 'https://observatory.example', { path: {}, query: { limit: 5 }, body: undefined }))
 */
export function write<I, S>(endpoint: Endpoint<I, S>, base: string, sent: S | I): Request {
  const node = endpoint as unknown as EndpointNode
  const parts = sent as { readonly [part: string]: unknown }
  const faults: Fault[] = []
  /** The text of a value in a part that is sent as text. */
  const textsOf = (part: 'path' | 'query' | 'header', write: (name: string, value: unknown, field: Node) => string | undefined) =>
    Object.entries((encode(node[part], parts[part] ?? {}) ?? {}) as object).flatMap(([name, value]): [string, string][] => {
      const field = Object.hasOwn(node[part].fields, name) ? (node[part].fields[name] as Node) : unknownField
      const text = value === undefined || value === null ? undefined : write(name, value, field)
      if (text === undefined && value !== undefined)
        faults.push({ path: [part, name], stage: 'read', code: 'bad_encoding', variant: 'unsendable' })
      return text === undefined ? [] : [[name, text]]
    })

  const path = new Map(textsOf('path', (_, value) => joined(value, ',', encodeText)))
  const query = textsOf('query', writePairs)
  const headers = textsOf('header', (_, value) => joined(value, ', ', headerText))
  const segments = node.segments.map((segment) => (typeof segment === 'string' ? segment : (path.get(segment.name) ?? '')))
  const target = `/${segments.join('/')}${query.length > 0 ? `?${query.map(([, pairs]) => pairs).join('&')}` : ''}`
  const body = soleBody(node)
  const json = body && parts.body !== undefined ? JSON.stringify(encode(body, parts.body)) : undefined
  const lines: [string, string][] = json === undefined ? headers : [...headers, ['content-type', Object.keys(node.body)[0] as string]]

  if (faults.length > 0) throw new UnacceptableError(reject(undefined, faults, { status: 400, stage: 'read' }))
  const verdict = judgeMessage(
    { endpoints: { endpoint: node }, base: '' },
    { method: node.method, target, headers: lines, body: json ?? null },
    {},
  )
  if (verdict.outcome === 'rejected') throw new UnacceptableError(verdict)
  return new Request(base.replace(/\/$/, '') + target, {
    method: node.method,
    headers: lines,
    ...(json === undefined ? {} : { body: json }),
  })
}

const unknownField: Node = { kind: 'text', presence: 'optional' }

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
  const texts = (Array.isArray(value) ? value : [value]).map((one) => (typeof one === 'object' ? undefined : write(String(one))))
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
  const texts = (Array.isArray(value) ? value : [value]).map((one) => (typeof one === 'object' ? undefined : encodeText(String(one))))
  const encodedName = encodeText(name)
  if (texts.includes(undefined) || encodedName === undefined) return undefined
  const { style = 'form', explode = style === 'form' } = shape as Partial<ListNode | (TupleNode & Pick<ListNode, 'style' | 'explode'>)>
  return explode || !Array.isArray(value)
    ? texts.map((text) => `${encodedName}=${text}`).join('&')
    : `${encodedName}=${texts.join(separators[style])}`
}
