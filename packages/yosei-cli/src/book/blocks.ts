/** What a book is made of: its headings and fenced blocks. Nothing else in it says anything. */
import MarkdownIt, { type Env, type Token } from 'markdown-it'
import { pageOf } from './page.js'

export interface Block {
  /** `heading`, or the word behind the fence. */
  readonly kind: string
  /** Lines from 1, with the fences. */
  readonly first: number
  readonly last: number
  /** Of a heading, from 1. */
  readonly level: number
}

const pages = new MarkdownIt('commonmark', { maxNesting: 100 })
pages.core.ruler.disable(['inline', 'text_join'])

export interface Parsed {
  readonly tokens: readonly Token[]
  readonly lines: readonly string[]
  readonly references: Env
}
export function parsed(page: string): Parsed {
  // It reads the same however its lines end.
  const markdown = pageOf(page).lines.join('').replace(/\r\n?/g, '\n')
  const references: Env = {}
  return { tokens: pages.parse(markdown, references), lines: markdown.split('\n'), references }
}

/** The text of a heading without its marks. */
export function textOf({ content }: Token, references: Env): string {
  const pieces: Token[] = []
  pages.inline.parse(content, pages, references, pieces)
  return pieces
    .filter(({ type }) => type !== 'image')
    .map(({ type, content }) => (type === 'softbreak' ? '\n' : content))
    .join('')
}

export const blocksOf = (page: string): Block[] =>
  parsed(page).tokens.flatMap(({ type, tag, info, map }): Block[] => {
    const [before, last] = map ?? [0, 0]
    if (type === 'heading_open') return [{ kind: 'heading', first: before + 1, last, level: Number(tag.slice(1)) }]
    return type === 'fence' ? [{ kind: info.trim().split(/\s/)[0] ?? '', first: before + 1, last, level: 0 }] : []
  })
