/** What comes of a `multipart/form-data` body (RFC 7578). */

import { readMediaType } from '../grammar/media-type.js'
import type { Node } from '../kinds/kind.js'
import type { RecordNode } from '../kinds/record.js'
import { sentShape } from '../kinds/shape.js'
import type { Path } from '../terms/address.js'
import type { Size } from '../terms/declared.js'
import { put } from '../terms/own.js'
import type { Trouble } from './message.js'
import { Unreadable } from './unreadable.js'
import { addFormValue, type Values } from './values.js'

/** The JSON of a part; `Unreadable` where it is none. */
export type ReadPart = (text: string) => unknown
interface Form {
  readonly values: Values
  /** The places of those that are JSON. */
  readonly json: readonly Path[]
  /** Why it is no form. */
  readonly broken?: string
  /** Removes the files. */
  dispose(): Promise<void>
}
/** Why the machine could not keep it: no fault of who sent it. */
interface Failed {
  readonly failed: unknown
}
/** A file that has more bytes than its field takes; one of several if it has an index. */
interface Oversized {
  readonly oversized: Path
  readonly limit: Size
}
/** Its texts have more bytes than a body may have, or it has more parts than it may have. */
export type FormOrTrouble = Form | Trouble | Failed | Oversized | 'texts_too_large' | 'too_many_parts'

/** How a form is to be received. */
export interface FormTerms {
  readonly contentType: string
  readonly declared: RecordNode
  /** Bytes of all parts but the declared files; such a file has the limit that its declaration sets, else this. */
  readonly most: number
  /** Bytes of everything. */
  readonly mostInAll: number
  readonly mostParts: number
  /** Whether what is not declared is kept, files as well. */
  readonly keepsUnlisted: boolean
  readonly readPart: ReadPart
}

/**
 * The boundary of a form, and the media type as every parser reads it; `undefined` if it names none, or one of more than
 * 70 characters (RFC 2046, section 5.1.1): what may be its start has to wait for more, and a long one waits dearly.
 */
export function boundaryIn(contentType: string): { readonly boundary: string; readonly type: string } | undefined {
  const boundary = readMediaType(contentType)?.parameters.boundary
  return boundary && boundary.length <= 70
    ? { boundary, type: `multipart/form-data; boundary=${quoted(boundary)}` }
    : undefined
}

/** The limit of a declared file; `undefined` if the field is none. */
function fileLimit(field: Node, most: number): Size | undefined {
  const shape = sentShape(field)
  if (shape.kind === 'list') return fileLimit(shape.item, most)
  return shape.kind === 'file' ? (shape.bytes ?? most) : undefined
}

/** What becomes of a part that came as a file. */
export function roleOfFile({ declared, most, keepsUnlisted }: FormTerms, name: string, type: string | undefined) {
  const field = Object.hasOwn(declared.fields, name) ? sentShape(declared.fields[name] as Node) : undefined
  const limit = field && fileLimit(field, most)
  /** Whether it is JSON, as a page's scripts send it. */
  const isText = limit === undefined && field !== undefined && isJsonType(type)
  /** Whether it counts as a text, and its bytes are kept. */
  const isSmall = isText || (keepsUnlisted && field === undefined)
  /** Whether the field that it names takes no file. */
  const isMisplaced = field !== undefined && limit === undefined && !isText
  return { limit, isText, isSmall, isMisplaced, isElement: field?.kind === 'list' }
}

/** The error of a file where the field takes none. */
export const misplacedFile = () => new Unreadable([{ code: 'wrong_type', stage: 'shape' }])

/** A part as it came: a text, or a file. */
export interface Arrived {
  readonly name: string
  readonly value: unknown
  readonly type?: string
}

const isJsonType = (type = ''): boolean => /^application\/(?:json|[^;]*\+json)$/i.test(type.split(';')[0] ?? '')

/**
 * The values of a form. What has names or elements of its own is JSON in its part, as OpenAPI has it where nothing is
 * said; and so is what its part says is.
 */
export function formValues(
  arrived: readonly Arrived[],
  declared: RecordNode,
  readPart: ReadPart,
): { readonly values: Values; readonly json: readonly Path[] } {
  const values: Values = {}
  const json: Path[] = []
  const twice = new Set<string>()
  for (const { name, value, type } of arrived) {
    const shape = Object.hasOwn(declared.fields, name) ? sentShape(declared.fields[name] as Node) : undefined
    const isList = shape?.kind === 'list'
    const item = isList ? sentShape(shape.item) : shape
    if (
      !shape ||
      typeof value !== 'string' ||
      value === '' ||
      !(isJsonType(type) || (item && isNested(item, isList)))
    ) {
      addFormValue(values, name, value, declared)
      // What was not read as text must not be judged as one.
      if (value instanceof Unreadable) json.push(Array.isArray(values[name]) ? [name, values[name].length - 1] : [name])
      continue
    }
    const read = readPart(value)
    // A part may carry all elements at once.
    const all = isList && Array.isArray(read) && item?.kind !== 'list' && item?.kind !== 'tuple' ? read : [read]
    if (all.length === 0) {
      put(values, name, [])
      json.push([name])
    }
    for (const one of all) {
      const before = Object.hasOwn(values, name) ? values[name] : undefined
      const index = Array.isArray(before) ? before.length : before === undefined ? 0 : 1
      if (isList && Array.isArray(before)) before.push(one)
      else if (isList) put(values, name, before === undefined ? [one] : [before, one])
      else if (before === undefined) put(values, name, one)
      else {
        addFormValue(values, name, one, declared)
        twice.add(name)
      }
      if (isList || before === undefined) json.push(isList ? [name, index] : [name])
    }
  }
  // What came twice, and is one, is no JSON any more.
  return { values, json: json.filter(([name = '', ...rest]) => rest.length > 0 || !twice.has(String(name))) }
}

const isNested = ({ kind }: Node, isElement: boolean) =>
  kind === 'record' || kind === 'table' || kind === 'tagged' || (isElement && (kind === 'list' || kind === 'tuple'))

/** The text of a part that came as a file; `undefined` if it is not UTF-8. */
export function textOf(content: Uint8Array): string | undefined {
  try {
    return utf8.decode(content)
  } catch {
    return undefined
  }
}
const utf8 = /* @__PURE__ */ new TextDecoder('utf-8', { fatal: true, ignoreBOM: true })

export const noBoundary = 'the boundary of its parts is missing, or has more than 70 characters'
export const notUtf8 = 'a text is not UTF-8'
/** Of files that do not say what they are. */
export const unknownType = 'application/octet-stream'

/** A part as it goes out, around whatever stands for its content. */
export interface OutgoingPart<C> {
  readonly name: string
  readonly filename?: string
  readonly type?: string
  readonly content: C
}

/** A form as it goes out, in pieces: `new Blob(pieces)`, or the texts joined. No content may hold the boundary. */
export function formPieces<C>(parts: readonly OutgoingPart<C>[], boundary: string): (string | C)[] {
  const pieces = parts.flatMap(({ name, filename, type, content }): (string | C)[] => {
    const file = filename === undefined ? '' : `; filename=${quoted(filename)}`
    const typed = type === undefined ? '' : `\r\nContent-Type: ${type}`
    return [
      `--${boundary}\r\nContent-Disposition: form-data; name=${quoted(name)}${file}${typed}\r\n\r\n`,
      content,
      '\r\n',
    ]
  })
  return [...pieces, `--${boundary}--\r\n`]
}
/** As browsers write a name, and a boundary, which has none of these. */
const quoted = (text: string): string => `"${text.replace(/["\r\n]/g, encodeURIComponent)}"`

/** Whether all readers of forms take a name for the same: some undo a backslash, and none knows of what these stand for. */
export const isPartName = (name: string): boolean => !/[\\\0\p{Surrogate}]|%(?:22|0[ad])/iu.test(name)
/** A path is cut off from the name of a file, and without a name it is none. */
export const isFileName = (name: string): boolean => isPartName(name) && !/^\.{0,2}$|\//.test(name)
