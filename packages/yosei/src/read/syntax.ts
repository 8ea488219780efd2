/**
 * Body syntaxes: each is one object, which says what media types it takes, what it can carry, how it is read and
 * written, and what of it is written down. The table `syntaxes` holds them all; the first that takes a media type reads
 * it.
 */

import type { BodyNode } from '../declare/endpoint.js'
import { readMediaType } from '../grammar/media-type.js'
import { childrenOf } from '../kinds/brought.js'
import type { Node } from '../kinds/kind.js'
import type { RecordNode } from '../kinds/record.js'
import { isNamed } from '../kinds/run.js'
import { holdsFile, sentShape } from '../kinds/shape.js'
import { markUpload, uploadOf } from '../kinds/upload.js'
import type { Path } from '../terms/address.js'
import type { Size } from '../terms/declared.js'
import { merged } from '../terms/option-types.js'
import { readSize } from '../terms/units.js'
import { type Arrived, formPieces, formValues, isFileName, isPartName, type OutgoingPart, unknownType } from './form.js'
import { lostDigits, mayRepeat, notInJson, readJson, repeatedNames } from './json.js'
import { readLines } from './lines.js'
import { isJson, isLines } from './media.js'
import { Inexact, Unreadable } from './unreadable.js'
import { pairValues } from './values.js'

export interface ReadOptions {
  /** As it was sent. */
  readonly contentType: string
  readonly uniqueNames: boolean
}

/** A body as it goes out. */
export interface Written {
  readonly body: string | Blob
  /** What the request has to say itself of the body. */
  readonly type?: string
  /** The values to judge, if the body is no text. */
  readonly values?: unknown
  /** Those of them that are JSON. */
  readonly json?: readonly Path[]
  /** The places in it that cannot be written. */
  readonly unsendable?: readonly Path[]
}

export interface BodySyntax {
  takes(mediaType: string): boolean
  /** What of a declaration it cannot carry, and the mend. */
  mistake(node: Node): readonly [what: string, mend: string] | undefined
  /** The part that its fields are checked as, if it carries texts by name. */
  readonly textPart: 'form' | 'multipart' | undefined
  /** Whether its parts are taken as they stream in, the files to a temporary place. */
  readonly isStreamed: boolean
  readonly hasCharset: boolean
  /** Whether its value is the text or the bytes themselves. */
  readonly isWhole: boolean
  /** The most bytes that such a body may have, if `limit` is that of bodies. */
  most(node: Node, limit: number): number
  /** The field that a body over its limit is reported at, if it can only be that, and its own limit. */
  blamed(node: Node): { readonly path: Path; readonly limit: Size } | undefined
  /** The value of a body that is not empty. */
  read(body: string | Uint8Array, node: Node, options: ReadOptions): unknown
  /**
   * @param value In its JSON form.
   * @param pairs Gives the pairs of a record, percent-encoded.
   */
  write(node: Node, value: unknown, mediaType: string, pairs: (record: RecordNode, values: unknown) => string): Written
  /** A value whose secrets are masked, as text. */
  note(node: Node, value: unknown, pairs: (values: object) => string, contentType: string): string
}

const noBlame = () => undefined

const counting = new WeakMap<Node, ((read: number) => boolean) | undefined>()
/** Of which numbers each digit counts that was written: those at a limit of a declaration, all if it has a step. */
function digitsThatCount(top: Node): ((read: number) => boolean) | undefined {
  if (counting.has(top)) return counting.get(top)
  const limits = new Set<number>()
  let hasStep = false
  const seen = new Set<Node>()
  const look = (node: Node): void => {
    if (seen.has(node)) return
    seen.add(node)
    if (node.kind === 'number') {
      hasStep ||= node.step !== undefined
      for (const limit of [node.min, node.max, node.above, node.below]) if (limit !== undefined) limits.add(limit)
    }
    for (const [, child] of childrenOf(node)) look(child)
  }
  look(top)
  const counts = hasStep ? () => true : limits.size > 0 ? (read: number) => limits.has(read) : undefined
  counting.set(top, counts)
  return counts
}

const json: BodySyntax = {
  takes: isJson,
  mistake: (node) =>
    holdsFile(node, childrenOf)
      ? ['JSON carries no file', "Declare files in a body of 'multipart/form-data'"]
      : undefined,
  textPart: undefined,
  isStreamed: false,
  hasCharset: true,
  isWhole: false,
  most: (_, limit) => limit,
  blamed: noBlame,
  read: (body, node, { uniqueNames }) =>
    asText(body, (text) => {
      const read = readJson(text)
      if (!('value' in read)) return new Unreadable([{ code: 'bad_syntax', about: { ...read } }])
      const repeated = uniqueNames && mayRepeat(text, read.value) ? repeatedNames(text, 50) : []
      const lost = lostDigits(text, digitsThatCount(node))
      if (repeated.length === 0) return lost.length === 0 ? read.value : new Inexact(read.value, lost)
      return new Unreadable(
        repeated.map((path) => ({ code: 'sent_twice', variant: 'name', below: path.slice(0, deepestTold) })),
      )
    }),
  write(_, value, mediaType) {
    const unsendable = notInJson(value)
    return { body: unsendable.length > 0 ? '' : JSON.stringify(value), type: mediaType, unsendable }
  },
  note: (_, value) => JSON.stringify(value),
}
const lines: BodySyntax = /* @__PURE__ */ merged(json, {
  takes: isLines,
  mistake: (node) =>
    sentShape(node).kind === 'list'
      ? json.mistake(node)
      : ['lines are a list', 'Declare lines() of what stands in each'],
  read: (body, node, options) =>
    asText(body, (whole) => {
      const shape = sentShape(node)
      const [, most = Number.POSITIVE_INFINITY] = (shape.kind === 'list' && shape.length) || []
      return readLines(whole, most, (text, line) => {
        const read = json.read(text, node, options)
        if (read instanceof Inexact) return { value: read.value, rounded: read.rounded, isBroken: false }
        if (!(read instanceof Unreadable)) return { value: read, rounded: [], isBroken: false }
        const faults = read.faults.map(({ about, ...fault }) => ({
          ...fault,
          ...(about ? { about: { ...about, line } } : {}),
        }))
        return { value: new Unreadable(faults), rounded: [], isBroken: true }
      })
    }),
  write(_, value, mediaType) {
    const unsendable = Array.isArray(value) ? notInJson(value) : [[]]
    const all = unsendable.length > 0 ? [] : (value as readonly unknown[])
    return { body: all.map((one) => `${JSON.stringify(one)}\n`).join(''), type: mediaType, unsendable }
  },
  note: (_, value) => (Array.isArray(value) ? value.map((one) => JSON.stringify(one ?? null)).join('\n') : ''),
} satisfies Partial<BodySyntax>)
/** The JSON that a part of a form carries. */
export function readPart(text: string, node: Node, options: ReadOptions): unknown {
  const read = json.read(text, node, options)
  return read instanceof Inexact ? read.value : read
}
const asIs: ReadOptions = { contentType: '', uniqueNames: false }
/** An address with more steps than any declaration has says nothing more. */
const deepestTold = 64

const form: BodySyntax = {
  takes: (mediaType) => mediaType === 'application/x-www-form-urlencoded',
  mistake: formMistake,
  textPart: 'form',
  isStreamed: false,
  hasCharset: true,
  isWhole: false,
  most: (_, limit) => limit,
  blamed: noBlame,
  read: (body, node) =>
    asText(body, (text) => {
      let broken = false
      const values = pairValues(text, sentShape(node) as RecordNode, () => {
        broken = true
      })
      return broken ? new Unreadable([{ code: 'bad_encoding' }]) : (values ?? {})
    }),
  write: (node, value, mediaType, pairs) => ({ body: pairs(sentShape(node) as RecordNode, value), type: mediaType }),
  note: (_, value, pairs) => pairs(value as object),
}

const jsonType = 'application/json'

const multipart: BodySyntax = {
  takes: (mediaType) => mediaType === 'multipart/form-data',
  mistake: formMistake,
  textPart: 'multipart',
  isStreamed: true,
  hasCharset: true,
  isWhole: false,
  most(node, limit) {
    const fields = childrenOf(sentShape(node)).map(([, field]) => field)
    return limit + fields.reduce((sum, field) => sum + fileBytes(sentShape(field), limit), 0)
  },
  blamed(node) {
    const files = childrenOf(sentShape(node)).filter(([, field]) => holdsFile(field, childrenOf))
    const [[name = '', field] = []] = files
    const shape = field && sentShape(field)
    const limit = files.length === 1 && shape?.kind === 'file' ? shape.bytes : undefined
    return limit === undefined ? undefined : { path: ['body', name], limit }
  },
  // It is received part by part.
  read: () => undefined,
  write(node, value) {
    const record = sentShape(node) as RecordNode
    const outgoing: OutgoingPart<string | Blob>[] = []
    const arrived: Arrived[] = []
    const unsendable: Path[] = []
    if (!isNamed(value)) unsendable.push([])
    for (const [name, sent] of Object.entries(Object(value))) {
      if (!isPartName(name)) unsendable.push([name])
      for (const one of partsFor(record, name, sent)) {
        if (one instanceof Blob) {
          const file = uploadIn(one)
          if (!isFileName(file.name) || !readMediaType(file.type)) unsendable.push([name])
          outgoing.push({ name, filename: file.name, type: file.type, content: one })
          arrived.push({ name, value: file })
          continue
        }
        const wrong = notInJson(one)
        unsendable.push(...wrong.map((path) => [name, ...path]))
        const part = wrong.length > 0 ? { name, content: '' } : textPart(name, one)
        outgoing.push(part)
        arrived.push({ ...part, value: part.content })
      }
    }
    const boundary = `form-${crypto.getRandomValues(new Uint32Array(4)).join('-')}`
    const body = new Blob(formPieces(outgoing, boundary))
    const parts =
      unsendable.length > 0
        ? { values: {}, json: [] }
        : formValues(arrived, record, (text) => readPart(text, node, asIs))
    return { body, type: `multipart/form-data; boundary=${boundary}`, ...parts, unsendable }
  },
  note(node, value, _, contentType) {
    const { boundary = 'part' } = readMediaType(contentType)?.parameters ?? {}
    const record = sentShape(node) as RecordNode
    const parts = Object.entries(value as object).flatMap(([name, sent]) =>
      partsFor(record, name, sent).map((one) => textPart(name, one)),
    )
    return formPieces(parts, boundary).join('')
  },
}

/** The parts of one name. A list goes as one JSON part if single parts could not carry it. */
function partsFor(record: RecordNode, name: string, sent: unknown): readonly unknown[] {
  if (!Array.isArray(sent)) return sent === undefined ? [] : [sent]
  const shape = Object.hasOwn(record.fields, name) ? sentShape(record.fields[name] as Node) : undefined
  const isWhole =
    shape?.kind === 'tuple' ? sent.some((one) => typeof one === 'object' || one === '') : sent.length === 0
  return isWhole ? [sent] : sent.filter((one) => one !== undefined)
}
/** A part without a file. It is JSON if a text would be read as something else, or not at all. */
function textPart(name: string, one: unknown): OutgoingPart<string> {
  const isJson = typeof one === 'object' || one === '' || /\p{Surrogate}/u.test(String(one))
  return isJson ? { name, type: jsonType, content: JSON.stringify(one) } : { name, content: String(one) }
}

const text: BodySyntax = {
  takes: (mediaType) => mediaType.startsWith('text/'),
  mistake(node) {
    const { kind } = sentShape(node)
    const isOne = kind !== 'list' && kind !== 'record' && kind !== 'file'
    return isOne ? undefined : [`a text is one value, not ${kind}`, 'Declare text() or another value']
  },
  textPart: undefined,
  isStreamed: false,
  hasCharset: true,
  isWhole: true,
  most: (_, limit) => limit,
  blamed: noBlame,
  read: (body) => asText(body, (text) => text),
  write: (_, value, mediaType) => ({
    body: String(value),
    type: mediaType,
    unsendable: typeof value === 'object' ? [[]] : [],
  }),
  note: (_, value) => String(value),
}

const raw: BodySyntax = {
  takes: () => true,
  mistake: (node) =>
    sentShape(node).kind === 'file'
      ? undefined
      : ['this media type has no values to read', 'Declare file(), which takes the body as it is'],
  textPart: undefined,
  isStreamed: false,
  hasCharset: false,
  isWhole: true,
  most: (node, limit) => fileBytes(sentShape(node), limit) - partHeader,
  blamed: noBlame,
  read: (body, _, { contentType }) =>
    uploadOf('', contentType, typeof body === 'string' ? new TextEncoder().encode(body) : body),
  write(_, value, mediaType) {
    const file = value instanceof Blob ? value : new Blob()
    const values = uploadIn(file, '', file.type)
    // No bytes are no body.
    return { body: file, type: file.type || mediaType, values, unsendable: file.size === 0 ? [[]] : [] }
  },
  note: (_, value) => JSON.stringify(value),
}

const syntaxes = { json, lines, form, multipart, text, raw } as const

const known = new WeakMap<BodyNode, BodySyntax>()

/** How a body of a media type is read. */
export function syntaxOf(body: BodyNode): BodySyntax {
  const found = known.get(body)
  if (found) return found
  const syntax = Object.values(syntaxes).find(({ takes }) => takes(body.mediaType)) ?? raw
  known.set(body, syntax)
  return syntax
}

const utf8 = /* @__PURE__ */ new TextDecoder('utf-8', { fatal: true })

function asText(body: string | Uint8Array, read: (text: string) => unknown): unknown {
  if (typeof body === 'string') return read(body)
  let text: string
  try {
    text = utf8.decode(body)
  } catch {
    return new Unreadable([{ code: 'bad_syntax', variant: 'utf8' }])
  }
  return read(text)
}

function formMistake(node: Node): readonly [what: string, mend: string] | undefined {
  const { kind } = sentShape(node)
  return kind === 'record' ? undefined : [`a form is a record, not ${kind}`, 'Declare a record() of its fields']
}

/**
 * Of a list without a greatest length, only so many files are waited for. Each has a name and header fields as well.
 */
const mostFiles = 20
const partHeader = 500
function fileBytes(node: Node, limit: number): number {
  if (node.kind === 'file') return readSize(node.bytes ?? limit) + partHeader
  if (node.kind !== 'list') return 0
  const [, most = mostFiles] = node.length ?? []
  return fileBytes(sentShape(node.item), limit) * Math.min(most, mostFiles)
}

/** As fetch has it, a file without a name of its own is a blob. */
const nameIn = (file: Blob) => (file instanceof File ? file.name : 'blob')

/** A file that is to be sent, as it will arrive. */
export const uploadIn = (file: Blob, name = nameIn(file), type = file.type || unknownType) =>
  markUpload({
    name,
    type,
    bytes: file.size,
    stream: () => file.stream(),
    bytesNow: async () => new Uint8Array(await file.arrayBuffer()),
  })
