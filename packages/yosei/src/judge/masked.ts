/** A request as it may be written down: whole enough to be judged again, without any secret. */

import { childrenOf, kinds } from '../kinds/brought.js'
import { kindOf, type Node } from '../kinds/kind.js'
import type { RecordNode } from '../kinds/record.js'
import { masked } from '../kinds/run.js'
import { holdsSecret, sentShape } from '../kinds/shape.js'
import { syntaxOf } from '../read/syntax.js'
import { formatAddress, type Path } from '../terms/address.js'
import type { Parts } from '../terms/parts.js'
import { filled } from '../terms/template.js'
import type { Opened } from './open.js'

/** The longest body and text that are written. */
const longestBody = 16_000

/** The declared fields that may be left out, and were: of each part, and of the records in it. */
export function absentIn({ destination, body }: Opened, sent: Parts): string[] {
  const { path: _, query, header, cookie } = destination.endpoint
  const found: string[] = []
  const look = (node: Node, value: unknown, path: Path, depth: number): void => {
    const shape = sentShape(node)
    if (shape.kind !== 'record' || depth > 4 || found.length >= 100) return
    const object = typeof value === 'object' && value !== null ? (value as { [name: string]: unknown }) : {}
    for (const [name, field] of Object.entries(shape.fields)) {
      const one = Object.hasOwn(object, name) ? object[name] : undefined
      if (one !== undefined) look(field, one, [...path, name], depth + 1)
      else if (field.need !== 'required' && found.length < 100) found.push(formatAddress([...path, name]))
    }
  }
  look(query, sent.query, ['query'], 0)
  look(header, sent.header, ['header'], 0)
  look(cookie, sent.cookie, ['cookie'], 0)
  if (body && sent.body !== undefined) look(body.node, sent.body, ['body'], 0)
  return found
}

/** The request as an HTTP/1.1 message. What is not declared is left out: it may be a secret. */
export function writeMasked(opened: Opened, sent: Parts): string {
  const { destination, message, body } = opened
  const { endpoint } = destination
  const values = Object.fromEntries(
    (['path', 'query', 'header'] as const).map((part) => [part, maskedPart(endpoint[part], sent[part])]),
  )
  const parameters = new Map(destination.parameters.map(({ name }, index) => [name, opened.segments[index]]))
  const shown = (name: string) => {
    const field = endpoint.path.fields[name]
    return field && holdsSecret(field, childrenOf) ? masked : (parameters.get(name) ?? '')
  }
  const segments = endpoint.segments.map((segment) => filled(segment, shown))
  const query = pairsOf(values.query ?? {})
  const lines = Object.entries(values.header ?? {}).map(([name, value]) =>
    `${name}: ${[value].flat().join(', ')}`.replace(/[\r\n]/g, ' '),
  )
  const cookies = Object.entries(maskedPart(endpoint.cookie, sent.cookie)).map(([name]) => `${name}=${masked}`)
  if (cookies.length > 0) lines.push(`cookie: ${cookies.join('; ')}`)
  if (opened.head.contentType !== undefined && sent.body !== undefined)
    lines.push(`content-type: ${opened.head.contentType}`)
  const target = `${opened.app.base}/${segments.join('/')}${query === '' ? '' : `?${query}`}`
  const value = body && sent.body !== undefined ? maskedValue(body.node, sent.body) : undefined
  const text =
    body && value !== undefined ? syntaxOf(body).note(body.node, value, pairsOf, opened.head.contentType ?? '') : ''
  return [`${message.method} ${target} HTTP/1.1`, ...lines, '', text.length > longestBody ? '' : text].join('\n')
}

/** The pairs of a query or a form; objects by names in brackets. */
function pairsOf(values: object): string {
  const pairs = (name: string, value: unknown): string[] =>
    typeof value === 'object' && value !== null && !Array.isArray(value)
      ? Object.entries(value).flatMap(([key, one]) => pairs(`${name}[${encodeURIComponent(key)}]`, one))
      : [value].flat().flatMap((one) => (one === undefined ? [] : [`${name}=${encodeURIComponent(String(one))}`]))
  return Object.entries(values)
    .flatMap(([name, value]) => pairs(encodeURIComponent(name), value))
    .join('&')
}

const maskedPart = (declared: RecordNode, values: unknown): { [name: string]: unknown } =>
  (maskedValue(declared, values ?? {}) ?? {}) as { [name: string]: unknown }

/** A value by its declaration: declared names alone, secrets masked, long texts cut. */
function maskedValue(node: Node, value: unknown, depth = 0): unknown {
  if (value === undefined || value === null) return value
  if (node.secret) return masked
  return depth > 32
    ? undefined
    : kindOf(kinds, node).mask(
        node,
        value,
        (below, one) => maskedValue(below, one, depth + 1),
        (one) => holdsSecret(one, childrenOf),
      )
}
