/** Sample books: Markdown pages whose fenced blocks hold request messages and the verdicts that they must get. */
import type { Token } from 'markdown-it'
import { type Message, parseMessage } from 'yosei'
import { parsed, textOf } from './blocks.js'
import { BookError } from './error.js'
import { type Expectation, readExpectation } from './expectation.js'

export interface Sample {
  readonly title: string
  readonly message: Message
  /** The clock of the judgement, if the book sets one. */
  readonly now?: Date
  /** Of what a journal has kept: its errors. */
  readonly kept?: readonly { readonly address: string; readonly code: string }[]
  /** The caller, as JSON, where the book says it, and the line of that. */
  readonly who?: { readonly json: unknown; readonly line: number }
  readonly expectation?: Expectation
  readonly places: Places
  /** The blocks that it stands in, if it comes from a book. */
  readonly blocks?: Blocks
}
/** Lines of a book, from 1. */
interface Blocks {
  /** The first and the last line of its request, with the fences. */
  readonly start: number
  readonly end: number
  /** The first and last line of its verdict, with the fences. */
  readonly verdict?: readonly [first: number, last: number]
}
/** Where the pieces of a sample stand in its book. */
interface Places {
  readonly requestLine: Place
  /** Of each header field, its value. */
  readonly headers: readonly { readonly name: string; readonly place: Place }[]
  /** Of each line of the body, its first character. */
  readonly body: readonly Place[]
  /** Whether all of it stands in one line. */
  readonly isOne?: boolean
}
/** Line and column, both from 1. */
export interface Place {
  readonly line: number
  readonly column: number
}

interface Setting {
  readonly now?: Date
  readonly who?: Sample['who'] & {}
  readonly headers: readonly { readonly name: string; readonly value: string; readonly place: Place }[]
}

/**
 * Reads the samples of a book.
 *
 * @throws BookError if a block is malformed.
 */
export function readBook(page: string): Sample[] {
  const { tokens, lines, references } = parsed(page)
  const samples: { heading: string; sample: Sample; answered: boolean }[] = []
  let heading = 'Untitled'
  let setting: Setting = { headers: [] }
  let isHeading = false
  for (const token of tokens) {
    if (isHeading) heading = textOf(token, references)
    isHeading = token.type === 'heading_open'
    if (token.type !== 'fence') continue
    const block = fenced(token, lines)
    if (block.kind === 'book') setting = readSetting(block)
    else if (block.kind === 'http')
      samples.push({ heading, sample: readSample(heading, block, setting), answered: false })
    else if (block.kind === 'verdict') {
      const last = samples.at(-1)
      if (!last || last.answered)
        throw new BookError(
          block.line,
          'this verdict block has no http block before it; put it right after its request',
        )
      last.sample = {
        ...last.sample,
        blocks: { start: 0, end: 0, ...last.sample.blocks, verdict: [block.line, block.last] },
        expectation: readExpectation(
          block.lines.map(({ text, place }) => ({ text, line: place.line })),
          block.line,
        ),
      }
      last.answered = true
    }
  }
  return samples.map(({ heading, sample }) => {
    const namesakes = samples.filter((one) => one.heading === heading)
    const number = namesakes.findIndex((one) => one.sample === sample) + 1
    return namesakes.length === 1 ? sample : { ...sample, title: `${heading} (${number})` }
  })
}

interface Block {
  readonly kind: string
  /** Of the opening fence. */
  readonly line: number
  /** Of the closing one. */
  readonly last: number
  readonly lines: readonly { readonly text: string; readonly place: Place }[]
}

function fenced({ info, content: text, map }: Token, lines: readonly string[]): Block {
  const [before, last] = map ?? [0, 1]
  const first = before + 1
  const [kind = ''] = info.trim().split(/\s/)
  if (
    ['http', 'verdict', 'book'].includes(kind) &&
    !/^[\s>]*(`{3,}|~{3,})\s*$/.test(first === last ? '' : (lines[last - 1] ?? ''))
  ) {
    throw new BookError(first, `this ${kind} block is never closed; end it with a line of the same fence`)
  }
  const content = first + 1 === last ? [] : text.replace(/\n$/, '').split('\n')
  return {
    kind,
    line: first,
    last,
    lines: content.map((text, index) => {
      // Indentation and quote marks in front of the block are no part of it.
      const source = lines[first + index] ?? ''
      return { text, place: { line: first + 1 + index, column: source.length - text.length + 1 } }
    }),
  }
}

function readSetting({ lines }: Block): Setting {
  let now: Date | undefined
  let who: Setting['who']
  const headers: Setting['headers'][number][] = []
  for (const { text, place } of lines) {
    const [, key, value = ''] = /^(now|header|who):\s*(.*)$/.exec(text) ?? []
    const [, name, content = ''] = /^([^:\s]+):\s*(.*)$/.exec(value) ?? []
    if (key === 'now' && !Number.isNaN(Date.parse(value))) now = new Date(value)
    else if (key === 'who') who = { json: readJson(value, place.line), line: place.line }
    else if (key === 'header' && name !== undefined)
      headers.push({
        name: name.toLowerCase(),
        value: content.replace(/(?<![ \t])[ \t]+$/, ''),
        place: { line: place.line, column: place.column + text.length - content.length },
      })
    else if (text.trim() !== '')
      throw new BookError(
        place.line,
        `"${text}" is no setting; write now: 2031-03-01T12:00:00Z, header: Name: value, or who: {"role": "clerk"}`,
      )
  }
  return { headers, ...(now ? { now } : {}), ...(who ? { who } : {}) }
}

function readJson(text: string, line: number): unknown {
  try {
    return JSON.parse(text)
  } catch {
    throw new BookError(line, `the caller must be JSON on one line, and "${text}" is not`)
  }
}

/** The parts of such a body are separated by lines that end in CRLF (RFC 2046, section 5.1.1). */
const isMultipart = (message: Message): message is Message<string> =>
  typeof message.body === 'string' &&
  message.headers.some(([name, value]) => name === 'content-type' && /^multipart\//i.test(value))

function readSample(title: string, { line, last, lines }: Block, { now, who, headers }: Setting): Sample {
  if (lines.length === 0)
    throw new BookError(line, 'this http block is empty; write a request such as: GET /path HTTP/1.1')
  const written = parseMessage(lines.map(({ text }) => text).join('\n'))
  if ('reason' in written) throw new BookError(lines[written.line - 1]?.place.line ?? line, written.reason)
  const added = headers.filter(({ name }) => !written.headers.some(([own]) => own === name))
  const message = {
    ...written,
    headers: [...written.headers, ...added.map(({ name, value }) => [name, value] as const)],
  }
  const own = written.headers.map(([name], index) => {
    const { text, place } = lines[index + 1] as Block['lines'][number]
    return {
      name,
      place: { line: place.line, column: place.column + text.length - text.replace(/^[^:]*:\s*/, '').length },
    }
  })
  return {
    title,
    message: isMultipart(message) ? { ...message, body: message.body.replaceAll('\n', '\r\n') } : message,
    ...(now ? { now } : {}),
    ...(who ? { who } : {}),
    places: {
      requestLine: (lines[0] as Block['lines'][number]).place,
      headers: [...own, ...added],
      body: lines.slice(written.headers.length + 2).map(({ place }) => place),
    },
    blocks: { start: line, end: last },
  }
}
