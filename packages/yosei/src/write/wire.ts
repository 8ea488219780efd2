/** How values go out as a request: path and query percent-encoded, header lines, cookies, the body by its syntax. */
import type { BodyNode, EndpointNode } from '../declare/endpoint.js'
import { isFieldValue } from '../grammar/quoted.js'
import type { Received } from '../judge/receive.js'
import type { Node } from '../kinds/kind.js'
import { type ListNode, separators } from '../kinds/list.js'
import type { RecordNode } from '../kinds/record.js'
import type { Fault } from '../kinds/run.js'
import { sentShape } from '../kinds/shape.js'
import type { TupleNode } from '../kinds/tuple.js'
import { syntaxOf, type Written } from '../read/syntax.js'
import type { Path } from '../terms/address.js'
import type { Part, Parts } from '../terms/parts.js'
import { filled, isMixed, namesOf } from '../terms/template.js'

export interface Wire {
  /** The parts in their JSON form. */
  readonly parts: Parts
  readonly target: string
  readonly headers: readonly (readonly [name: string, value: string])[]
  /** `undefined` if no body goes out. */
  readonly body: Written | undefined
  /** What cannot be sent where it is. */
  readonly faults: readonly Fault[]
}

/** @param encode Gives the JSON form of a value; what is in that form already stays as it is. */
export function wireOf(
  endpoint: EndpointNode,
  body: BodyNode | undefined,
  given: Parts,
  encode: (node: Node, value: unknown) => unknown,
): Wire {
  const { path, query, header, cookie, segments } = endpoint
  const parts: Parts = {
    path: encode(path, given.path ?? {}),
    query: encode(query, given.query ?? {}),
    header: encode(header, given.header ?? {}),
    cookie: encode(cookie, given.cookie ?? {}),
    body: body && given.body !== undefined ? encode(body.node, given.body) : undefined,
  }
  const faults: Fault[] = []
  const reportUnsendable = (path: Path) =>
    faults.push({ path, stage: 'read', code: 'bad_encoding', variant: 'unsendable' })
  /** The texts of a record's values where it is sent as text. */
  const textsOf = (
    part: Part,
    record: RecordNode,
    values: unknown,
    write: (name: string, value: unknown, field: Node) => string | undefined,
  ) =>
    Object.entries((values ?? {}) as object).flatMap(([name, value]): [string, string][] => {
      const field = Object.hasOwn(record.fields, name) ? (record.fields[name] as Node) : unknownField
      const text = value === undefined || value === null ? undefined : write(name, value, field)
      if (text === undefined && value !== undefined) reportUnsendable([part, name])
      return text === undefined ? [] : [[name, text]]
    })
  const pairs = (part: Part, record: RecordNode, values: unknown) =>
    textsOf(part, record, values, writePairs)
      .map(([, text]) => text)
      .filter((text) => text !== '')
      .join('&')

  const whole = new Set(segments.flatMap((segment) => (isMixed(segment) ? [] : namesOf(segment))))
  const inPath = new Map(
    textsOf('path', path, parts.path, (name, value) => {
      const text = joined(value, ',', encodeText)
      return text === '' || (whole.has(name) && isDots(text)) ? undefined : text
    }),
  )
  for (const name of segments.flatMap(namesOf))
    if (!inPath.has(name) && !faults.some(({ path }) => path[1] === name))
      faults.push({ path: ['path', name], stage: 'shape', code: 'missing' })
  const question = pairs('query', query, parts.query)
  const lines = textsOf('header', header, parts.header, (_, value) => joined(value, ', ', headerText))
  const cookies = textsOf('cookie', cookie, parts.cookie, (_, value) => joined(value, ',', encodeText))
  if (cookies.length > 0) lines.push(['cookie', cookies.map(([name, text]) => `${name}=${text}`).join('; ')])
  const filledIn = segments.map((segment) => filled(segment, (name) => inPath.get(name) ?? ''))
  const written =
    body && parts.body !== undefined
      ? syntaxOf(body).write(body.node, parts.body, body.mediaType, (record, values) => pairs('body', record, values))
      : undefined
  for (const place of written?.unsendable ?? []) reportUnsendable(['body', ...place])
  return {
    parts,
    target: `/${filledIn.join('/')}${question === '' ? '' : `?${question}`}`,
    headers: written?.type === undefined ? lines : [...lines, ['content-type', written.type]],
    body: written,
    faults,
  }
}

/** RFC 3986, section 5.2.4: such a segment is taken out of the path. */
const isDots = (text: string | undefined) => text === '.' || text === '..'

/** What is received of a body that is no text; `undefined` if the text says it. */
export const receivedOf = (written: Written | undefined): Received | undefined =>
  written?.values === undefined ? undefined : { value: written.values, ...(written.json ? { json: written.json } : {}) }

const unknownField: Node = { kind: 'text', need: 'optional' }

/** RFC 3986: all but unreserved characters encoded. `undefined` for a lone surrogate, which UTF-8 has no bytes for. */
function encodeText(text: string): string | undefined {
  try {
    return encodeURIComponent(text).replace(/[!'()*]/g, (one) => `%${one.charCodeAt(0).toString(16).toUpperCase()}`)
  } catch {
    return undefined
  }
}

const headerText = (text: string) => (isFieldValue(text) ? text : undefined)

/** A value, or the elements of a list, as one text. */
function joined(value: unknown, separator: string, write: (text: string) => string | undefined): string | undefined {
  const texts = (Array.isArray(value) ? value : [value]).map((one) =>
    typeof one === 'object' ? undefined : write(String(one)),
  )
  const mixed = Array.isArray(value) && texts.some((text) => text?.includes(','))
  return texts.includes(undefined) || mixed ? undefined : texts.join(separator)
}

/** The pairs of one name in a query, by OpenAPI's styles. */
function writePairs(name: string, value: unknown, field: Node): string | undefined {
  const shape = sentShape(field)
  if (typeof value === 'object' && !Array.isArray(value) && (shape.kind === 'record' || shape.kind === 'table')) {
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
  const { style = 'form', explode = style === 'form' } = shape as Partial<ListNode | TupleNode>
  return explode || !Array.isArray(value)
    ? texts.map((text) => `${encodedName}=${text}`).join('&')
    : `${encodedName}=${texts.join(separators[style].written)}`
}
