/** The lines of a page, which its reader and its writer count alike. */

export interface Page {
  /** A byte order mark, or nothing. It is no part of the first line. */
  readonly mark: string
  /** With their ends: LF, CRLF or a lone CR, as in CommonMark, section 2.1. */
  readonly lines: string[]
  /** What ends a line that is added. */
  readonly end: string
}

export function pageOf(text: string): Page {
  const mark = text.startsWith('\uFEFF') ? '\uFEFF' : ''
  const lines = text.slice(mark.length).split(/(?<=\n)|(?<=\r)(?!\n)/)
  return { mark, lines, end: text.includes('\r\n') ? '\r\n' : '\n' }
}

export const isEnded = (line: string | undefined) => /[\r\n]$/.test(line ?? '')

/** What stands before a block, in a quote or a list, stands before every line of it. */
export const prefixOf = (line: string | undefined) => /^[\s>]*/.exec(line ?? '')?.[0] ?? ''
