/**
 * What the parts of a form say of themselves (RFC 2046, section 5.1; RFC 7578), and their texts: read while the bytes go
 * by, for whatever takes the files out of them.
 */
import { readMediaType, readParameters } from '../grammar/media-type.js'
import { notUtf8 } from './form.js'
import { joinBytes } from './message.js'

/** A part: its header fields, and its text. */
export interface FormPart {
  readonly name: string
  /** Of a file; empty if it has none. */
  readonly filename: string | undefined
  /** Whether it says that its file has no name. */
  readonly isNameless: boolean
  isEmpty: boolean
  /** `type/subtype`, or `undefined` if nothing is said. */
  readonly type: string | undefined
  /** As far as it has come; of a file nothing. */
  text: string
  /** Of a file, if its bytes are kept. */
  readonly content: Uint8Array[]
}
/** Browsers send an empty file without a name where none was chosen. */
export const isUnchosen = ({ filename, isEmpty }: FormPart): boolean => filename === '' && isEmpty

/** Why bytes are no form. */
export class BrokenForm extends Error {}

const boundaryLine = 'a boundary line has more than the boundary'
const endless = 'the header fields of a part do not end'

/** The most bytes that the header fields of a part may have, and the most blanks behind a boundary. */
const mostHead = 16_000
const mostBlanks = 1000

type State = 'content' | 'behind boundary' | 'head' | 'ended'

/**
 * Finds the parts while the bytes go by: their header fields, and their texts. `read` returns the bytes without what has no
 * meaning: blanks behind a boundary, and what stands before the first boundary and after the last.
 */
export class PartReader {
  /** In the order in which they came. */
  readonly parts: FormPart[] = []
  /** Bytes of names and texts. */
  textBytes = 0
  readonly #boundary: Uint8Array
  #state: State = 'content'
  #rest: Uint8Array = crlf
  #blanks = 0
  #head: Uint8Array[] = []
  #headLength = 0
  /** How much of an empty line has come. */
  #matched = 0
  /** Of the part that is going by, if it is a text. */
  #decoder: TextDecoder | undefined
  readonly #most: number
  #isBefore = true

  /**
   * @param most Bytes of names and texts: of more, none is kept.
   * @param keepsFiles Whether the bytes of files are kept.
   */
  constructor(
    boundary: string,
    most: number,
    readonly keepsFiles = false,
  ) {
    this.#most = most
    this.#boundary = bytesOf(`\r\n--${boundary}`)
  }

  /** Whether the last boundary has come. */
  get hasEnded(): boolean {
    return this.#state === 'ended'
  }

  /**
   * Takes the next bytes.
   *
   * @throws BrokenForm
   */
  read(chunk: Uint8Array): Uint8Array {
    const bytes = this.#rest.length === 0 ? chunk : joinBytes([this.#rest, chunk])
    const kept: Uint8Array[] = []
    let at = 0
    this.#rest = none
    for (let from = -1; from !== at && !this.hasEnded; ) {
      from = at
      at = this.#step(bytes, at, kept)
    }
    if (!this.hasEnded) this.#rest = bytes.subarray(at)
    return joinBytes(kept)
  }

  /** Takes one step, if the bytes allow it. Returns the new position. */
  #step(bytes: Uint8Array, at: number, kept: Uint8Array[]): number {
    switch (this.#state) {
      case 'content': {
        const end = indexOf(bytes, this.#boundary, at)
        // What may be the start of a boundary waits for more.
        const certain = end < 0 ? Math.max(at, bytes.length - this.#boundary.length + 1) : end
        this.#content(bytes.subarray(at, certain), end >= 0, kept)
        if (end < 0) return certain
        // The first boundary needs no line before it.
        kept.push(this.#isBefore ? this.#boundary.subarray(2) : this.#boundary)
        this.#isBefore = false
        this.#state = 'behind boundary'
        this.#blanks = 0
        return end + this.#boundary.length
      }
      case 'behind boundary': {
        let next = at
        while (bytes[next] === 32 || bytes[next] === 9) next++
        this.#blanks += next - at
        if (this.#blanks > mostBlanks) throw new BrokenForm(boundaryLine)
        if (next + 1 >= bytes.length) return next
        const isEnd = this.#blanks === 0 && bytes[next] === 45 && bytes[next + 1] === 45
        if (!isEnd && !(bytes[next] === 13 && bytes[next + 1] === 10)) throw new BrokenForm(boundaryLine)
        this.#state = isEnd ? 'ended' : 'head'
        kept.push(isEnd ? closing : crlf)
        this.#head = []
        this.#headLength = 0
        // The end of the boundary's line may be the first half of an empty one.
        this.#matched = 2
        return next + 2
      }
      case 'head': {
        // Byte by byte, and each once: it may drip in.
        let next = at
        while (next < bytes.length && this.#matched < emptyLine.length) {
          const one = bytes[next++]
          this.#matched = one === emptyLine[this.#matched] ? this.#matched + 1 : one === 13 ? 1 : 0
        }
        this.#head.push(bytes.subarray(at, next))
        this.#headLength += next - at
        if (this.#headLength > mostHead) throw new BrokenForm(endless)
        if (this.#matched < emptyLine.length) return next
        const head = joinBytes(this.#head)
        kept.push(head)
        this.#begin(head)
        this.#state = 'content'
        return next
      }
      case 'ended':
        return bytes.length
    }
  }

  #begin(head: Uint8Array): void {
    if (indexOf(head, this.#boundary, 0) >= 0) throw new BrokenForm(endless)
    const part = headOf(head)
    this.parts.push(part)
    this.textBytes += bytesOf(part.name).length
    this.#decoder = part.filename === undefined ? new TextDecoder('utf-8', { fatal: true, ignoreBOM: true }) : undefined
  }

  #content(bytes: Uint8Array, isEnd: boolean, kept: Uint8Array[]): void {
    if (this.#isBefore) return
    kept.push(bytes)
    const part = this.parts.at(-1) as FormPart
    if (bytes.length > 0) part.isEmpty = false
    if (!this.#decoder) {
      if (part.isNameless && !part.isEmpty) throw new BrokenForm('a file has no name')
      if (this.keepsFiles) part.content.push(bytes)
      return
    }
    this.textBytes += bytes.length
    if (this.textBytes > this.#most) return
    try {
      part.text += this.#decoder.decode(bytes, { stream: !isEnd })
    } catch {
      throw new BrokenForm(notUtf8)
    }
  }
}

const bytesOf = /* @__NO_SIDE_EFFECTS__ */ (text: string) => new TextEncoder().encode(text)
const none = /* @__PURE__ */ new Uint8Array()
const crlf = bytesOf('\r\n')
const emptyLine = bytesOf('\r\n\r\n')
const closing = bytesOf('--\r\n')

/** Where bytes stand in others, or −1. Looks for the first byte in one go, since most of a file has none. */
function indexOf(bytes: Uint8Array, sought: Uint8Array, from: number): number {
  const [first = 0] = sought
  for (let at = bytes.indexOf(first, from); at >= 0; at = bytes.indexOf(first, at + 1)) {
    if (at + sought.length > bytes.length) return -1
    let same = 1
    while (same < sought.length && bytes[at + same] === sought[same]) same++
    if (same === sought.length) return at
  }
  return -1
}

const utf8 = /* @__PURE__ */ new TextDecoder('utf-8', { fatal: true })
/** An escaped quotation mark or backslash: other backslashes come from browsers, which escape none. */
const escaped = /\\(["\\])/g

function headOf(bytes: Uint8Array): FormPart {
  let text: string
  try {
    text = utf8.decode(bytes)
  } catch {
    throw new BrokenForm('the header fields of a part are not UTF-8')
  }
  const fields = new Map<string, string>()
  for (const line of text.replace(/\r\n[ \t]+/g, ' ').split('\r\n')) {
    if (line === '') continue
    const [, name] = /^([!#$%&'*+.^_`|~0-9A-Za-z-]+):/.exec(line) ?? []
    if (name === undefined || /[\r\n\0]/.test(line))
      throw new BrokenForm('a line among the header fields of a part is none')
    if (fields.has(name.toLowerCase())) throw new BrokenForm(`a part has the field ${name.slice(0, 40)} twice`)
    fields.set(name.toLowerCase(), line.slice(name.length + 1).trim())
  }
  const encoding = fields.get('content-transfer-encoding')
  if (encoding !== undefined && !/^(?:7bit|8bit|binary)$/i.test(encoding))
    throw new BrokenForm('a part has a Content-Transfer-Encoding; send its bytes as they are')
  const sentType = fields.get('content-type')
  const media = sentType === undefined ? undefined : readMediaType(sentType)
  if (sentType !== undefined && !media) throw new BrokenForm('a part has a Content-Type that is none')
  if (!/^(?:utf-8|us-ascii)?$/i.test(media?.parameters.charset ?? '')) throw new BrokenForm(notUtf8)
  const disposition = fields.get('content-disposition') ?? ''
  if (!/^form-data[ \t]*(?:;|$)/i.test(disposition))
    throw new BrokenForm('a part has no Content-Disposition of form-data')
  const semicolon = disposition.indexOf(';')
  const parameters = readParameters(disposition, semicolon < 0 ? disposition.length : semicolon, escaped)
  const name = unescaped(parameters?.name)
  if (!parameters || name === undefined || name === '') throw new BrokenForm('a part has no name')
  const extended = parameters['filename*']
  const filename = extended === undefined ? unescaped(parameters.filename) : readExtended(extended)
  const isFile = filename !== undefined || media?.type === 'application/octet-stream'
  return {
    name,
    filename: isFile ? baseOf(filename ?? '') : undefined,
    isNameless: filename === '',
    isEmpty: true,
    type: media?.type,
    text: '',
    content: [],
  }
}

/** As HTML has it, browsers encode these three, and nothing else (RFC 7578, section 4.2, leaves it open). */
const unescaped = (text: string | undefined) => text?.replace(/%(?:22|0d|0a)/gi, decodeURIComponent)

/** The folders of a client are not the service's concern. */
const baseOf = (filename: string) => filename.replace(/^.*[/\\]/s, '').replace(/^\.{1,2}$/, '')

/** RFC 8187, section 3.2. */
function readExtended(text: string): string {
  const [, encoded] = /^utf-8'[^']*'((?:[!#$&+.^_`|~0-9A-Za-z-]|%[0-9a-f]{2})*)$/i.exec(text) ?? []
  try {
    if (encoded !== undefined) return decodeURIComponent(encoded)
  } catch {}
  throw new BrokenForm('a part has a filename* that cannot be read')
}
