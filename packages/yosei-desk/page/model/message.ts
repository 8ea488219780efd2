/** A request message in its pieces, each with the place where it stands in the text. */

/** Characters of the text: the first, and the one behind the last. */
export interface Slice {
  readonly from: number
  readonly to: number
}
/** A pair of a query or a form. */
export interface Pair {
  /** Decoded. */
  readonly name: string
  /** `undefined` for a bare name. */
  readonly value: Slice | undefined
  readonly whole: Slice
}
interface HeaderField {
  /** In lower case. */
  readonly name: string
  readonly value: Slice
  /** With its line end. */
  readonly line: Slice
}
export interface Pieces {
  readonly text: string
  readonly method: string
  readonly target: Slice
  readonly path: Slice
  readonly query: readonly Pair[]
  readonly headers: readonly HeaderField[]
  /** Lines of the head that are no header fields. */
  readonly strays: readonly Slice[]
  /** Behind the last header field. */
  readonly headEnd: number
  /** Nothing if there is none. */
  readonly body: Slice
}

/** @returns `undefined` if there is no request line. */
export function takeApart(text: string): Pieces | undefined {
  const line = /^([!#$%&'*+.^_`|~0-9A-Za-z-]+) (\S+)(?: HTTP\/1\.[01])?(?=\r?\n|$)/.exec(text)
  if (!line) return undefined
  const [, method = '', raw = ''] = line
  const from = method.length + 1
  const target = { from, to: from + raw.length }
  const mark = raw.indexOf('?')
  const path = { from, to: mark < 0 ? target.to : from + mark }
  const query = mark < 0 ? [] : pairsIn(text, { from: from + mark + 1, to: target.to })
  const headers: HeaderField[] = []
  const strays: Slice[] = []
  let at = lineEnd(text, 0)
  let headEnd = at
  while (at < text.length) {
    const end = lineEnd(text, at)
    const content = text.slice(at, end).replace(/\r?\n$/, '')
    if (content === '')
      return { text, method, target, path, query, headers, strays, headEnd, body: { from: end, to: text.length } }
    const [whole, name] = /^([^:\s]+):[ \t]*/.exec(content) ?? []
    if (whole !== undefined && name !== undefined)
      headers.push({
        name: name.toLowerCase(),
        value: { from: at + whole.length, to: at + Math.max(whole.length, content.trimEnd().length) },
        line: { from: at, to: end },
      })
    else strays.push({ from: at, to: at + content.length })
    at = end
    headEnd = end
  }
  return { text, method, target, path, query, headers, strays, headEnd, body: { from: text.length, to: text.length } }
}

function lineEnd(text: string, from: number): number {
  const end = text.indexOf('\n', from)
  return end < 0 ? text.length : end + 1
}

export function pairsIn(text: string, { from, to }: Slice): Pair[] {
  const pairs: Pair[] = []
  let at = from
  for (const piece of from === to ? [] : text.slice(from, to).split('&')) {
    const whole = { from: at, to: at + piece.length }
    at = whole.to + 1
    if (piece === '') continue
    const equals = piece.indexOf('=')
    const name = decoded(equals < 0 ? piece : piece.slice(0, equals))
    pairs.push({ name, value: equals < 0 ? undefined : { from: whole.from + equals + 1, to: whole.to }, whole })
  }
  return pairs
}

/** As a form or a query is decoded; what cannot be, stays. */
export const decoded = (text: string): string => percentDecoded(text.replaceAll('+', ' ')) ?? text
/** As a path or a cookie is decoded: `+` is a character like others. */
export const plainlyDecoded = (text: string): string => percentDecoded(text) ?? text
function percentDecoded(text: string): string | undefined {
  try {
    return decodeURIComponent(text)
  } catch {
    return undefined
  }
}
/** Percent-encoded if it has to be (RFC 3986, section 3.4). */
export const encoded = (text: string): string => segmentEncoded(text).replaceAll('%2F', '/')
/** So that it stays one segment of a path (RFC 3986, section 3.3). */
export const segmentEncoded = (text: string): string =>
  encodeURIComponent(wellFormed(text)).replace(/%(?:3A|2C|40)/g, (one) => decodeURIComponent(one))
const wellFormed = (text: string) => text.replace(/[\uD800-\uDFFF]/gu, '\uFFFD')

/** A part of a form with files. */
export interface FormPart {
  readonly name: string
  readonly file: string | undefined
  readonly type: string | undefined
  readonly value: Slice
  /** From its boundary to the next. */
  readonly whole: Slice
}
export function partsIn(text: string, body: Slice, contentType: string): FormPart[] {
  const boundary = boundaryOf(contentType)
  if (boundary === undefined) return []
  const parts: FormPart[] = []
  const mark = `--${boundary}`
  let at = text.indexOf(mark, body.from)
  while (at >= 0) {
    const start = lineEnd(text, at)
    const next = text.indexOf(`\n${mark}`, start - 1)
    if (text.startsWith('--', at + mark.length) || next < 0) break
    const head = /^(?:[^\n]+\n)*?\r?\n/.exec(text.slice(start, next + 1))?.[0] ?? ''
    const name = /^content-disposition:.*?[; ]name="([^"]*)"/im.exec(head)?.[1]
    if (name !== undefined)
      parts.push({
        name,
        file: /^content-disposition:.*?filename="([^"]*)"/im.exec(head)?.[1],
        type: /^content-type:\s*(\S+)/im.exec(head)?.[1],
        value: { from: Math.min(start + head.length, next), to: text[next - 1] === '\r' ? next - 1 : next },
        whole: { from: at, to: next + 1 },
      })
    at = next + 1
  }
  return parts
}
export const boundaryOf = (contentType: string): string | undefined =>
  /boundary=(?:"([^"]+)"|([^;\s]+))/i.exec(contentType)?.slice(1).find(Boolean)

export const cut = (text: string, { from, to }: Slice): string => text.slice(from, to)
export const put = (text: string, { from, to }: Slice, by: string): string => text.slice(0, from) + by + text.slice(to)
