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
  return joined(all)
}

function joined(all: readonly Uint8Array[]): Uint8Array {
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

/**
 * Stands for a file that is not part of the text: its name among the kept files, and how many bytes it has. It begins
 * and ends with noncharacters (Unicode, section 23.7), which no text needs.
 */
export const markOf = (id: string, bytes: number): string => `\uFDD0${id}:${bytes}\uFDD1`
export const fileMark = /\uFDD0([\w-]+):(\d+)\uFDD1/

/** A file that a text speaks of is not here any more. */
export class FileGone extends RangeError {
  readonly code = 'file_gone'
  constructor(readonly id: string) {
    super('a file that was chosen is not here any more; choose it again')
  }
}

/**
 * The bytes of a text in which marks stand for files.
 *
 * @throws FileGone
 */
export function withFiles(text: string, files: ReadonlyMap<string, Uint8Array>): Uint8Array {
  const all = text.split(/(\uFDD0[\w-]+:\d+\uFDD1)/).map((piece) => {
    const id = fileMark.exec(piece)?.[1]
    if (id === undefined) return bytesOf(piece)
    const file = files.get(id)
    if (!file) throw new FileGone(id)
    return file
  })
  return joined(all)
}
