/** How values go out as a request: path and query percent-encoded, header lines, cookies, the body by its syntax. */
import type { BodyNode, EndpointNode } from '../declare/endpoint.js'
import type { Received } from '../judge/receive.js'
import type { Node } from '../kinds/kind.js'
import type { ListNode } from '../kinds/list.js'
import type { RecordNode } from '../kinds/record.js'
import type { Fault } from '../kinds/run.js'
import { sentShape } from '../kinds/shape.js'
import type { TupleNode } from '../kinds/tuple.js'
import { syntaxOf, type Written } from '../read/syntax.js'
import type { Parts } from '../terms/parts.js'
import { filled } from '../terms/template.js'

export interface Wire {
  readonly target: string
  readonly headers: readonly (readonly [name: string, value: string])[]
  /** `undefined` where no body goes out. */
  readonly body: Written | undefined
  /** What cannot be sent where it is. */
  readonly faults: readonly Fault[]
}

/** @param encode Gives the JSON form of a value; what is in that form already stays as it is. */
export function wireOf(
  { path, query, header, cookie, segments }: EndpointNode,
  body: BodyNode | undefined,
  parts: Parts,
  encode: (node: Node, value: unknown) => unknown,
): Wire {
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

  const inPath = new Map(textsOf('path', path, parts.path, (_, value) => joined(value, ',', encodeText)))
  const question = pairs('query', query, parts.query)
  const lines = textsOf('header', header, parts.header, (_, value) => joined(value, ', ', headerText))
  const cookies = textsOf('cookie', cookie, parts.cookie, (_, value) => joined(value, ',', encodeText))
  if (cookies.length > 0) lines.push(['cookie', cookies.map(([name, text]) => `${name}=${text}`).join('; ')])
  const filledIn = segments.map((segment) => filled(segment, (name) => inPath.get(name) ?? ''))
  const written =
    body && parts.body !== undefined
      ? syntaxOf(body).write(body.node, parts.body, body.mediaType, {
          encode,
          pairs: (record, values) => pairs('body', record, values),
        })
      : undefined
  return {
    target: `/${filledIn.join('/')}${question === '' ? '' : `?${question}`}`,
    headers: written?.type === undefined ? lines : [...lines, ['content-type', written.type]],
    body: written,
    faults,
  }
}

/** What is received of a body that is no text; `undefined` where the text says it. */
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
  const { style = 'form', explode = style === 'form' } = shape as Partial<
    ListNode | (TupleNode & Pick<ListNode, 'style' | 'explode'>)
  >
  return explode || !Array.isArray(value)
    ? texts.map((text) => `${encodedName}=${text}`).join('&')
    : `${encodedName}=${texts.join(separators[style])}`
}
