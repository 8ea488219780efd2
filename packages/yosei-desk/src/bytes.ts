/** Bytes in texts that people edit. */

/** A byte that is part of no character, as it stands in a text: the lone surrogate U+DC00 plus the byte. */
export const loneByte = /(?<![\uD800-\uDBFF])[\uDC00-\uDCFF]/

/** The bytes of a text in which a byte that is part of no character is a lone surrogate. */
export function bytesOf(text: string): Uint8Array {
  const encoder = new TextEncoder()
  const pieces = text.split(/((?<![\uD800-\uDBFF])[\uDC00-\uDCFF])/)
  const all = pieces.map((piece) =>
    loneByte.test(piece) ? Uint8Array.of(piece.charCodeAt(0) & 0xff) : encoder.encode(piece),
  )
  const bytes = new Uint8Array(all.reduce((sum, { length }) => sum + length, 0))
  let at = 0
  for (const one of all) {
    bytes.set(one, at)
    at += one.length
  }
  return bytes
}

/** The text of bytes, so that `bytesOf` gives them again. */
export function textOf(bytes: Uint8Array): string {
  const whole = new TextDecoder('utf-8', { ignoreBOM: true })
  const strict = new TextDecoder('utf-8', { fatal: true, ignoreBOM: true })
  try {
    return strict.decode(bytes)
  } catch {
    let text = ''
    for (let at = 0; at < bytes.length; ) {
      const lead = bytes[at] as number
      const length = lead < 0x80 ? 1 : lead >= 0xf0 ? 4 : lead >= 0xe0 ? 3 : 2
      const one = whole.decode(bytes.subarray(at, at + length))
      const isWhole = lead < 0x80 || (lead >= 0xc2 && !one.includes('\uFFFD'))
      text += isWhole ? one : String.fromCharCode(0xdc00 + lead)
      at += isWhole ? length : 1
    }
    return text
  }
}

/** The text of a file. If a file is not text, line ends are bytes like others, and stay. */
export function fileText(bytes: Uint8Array): string {
  const text = textOf(bytes)
  return loneByte.test(text) ? text.replace(/[\r\n]/g, (one) => String.fromCharCode(0xdc00 + one.charCodeAt(0))) : text
}
