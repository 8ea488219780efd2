/** Samples renamed and taken out of their books; every byte that is not their own stays. */
import { type Block, blocksOf } from './blocks.js'
import { isEnded, pageOf, prefixOf } from './page.js'
import type { Sample } from './read.js'

/** A heading without its marks, on one line. */
export const plainTitle = (title: string): string =>
  title
    .replace(/\s+/g, ' ')
    .trim()
    .replace(/^#{1,6}(?:\s+|$)/, '')
    .replace(/(?:^|\s)#+$/, '')
    .trim()

/**
 * A page in which the heading of a sample has these words.
 *
 * @throws RangeError if no heading is of this sample alone.
 */
export function withTitle(page: string, sample: Sample, title: string): string {
  const { mark, lines, end } = pageOf(page)
  const { heading, others } = sectionOf(page, sample)
  if (!heading)
    throw new RangeError('this sample has no heading of its own; write one above it in the book, such as ## A title')
  if (others > 0)
    throw new RangeError('several samples stand below this heading; give each its own in the book, such as ## A title')
  const { first, last, level } = heading
  const old = lines[first - 1] ?? ''
  const whole = `${prefixOf(old)}${'#'.repeat(level)} ${title}${isEnded(lines[last - 1]) ? end : ''}`
  lines.splice(first - 1, last - first + 1, whole)
  return mark + lines.join('')
}

/** A page without a sample, and without its heading and text if those are its own. What it sets for later ones stays. */
export function without(page: string, sample: Sample): string {
  const { mark, lines, end } = pageOf(page)
  const { heading, others, last, settings } = sectionOf(page, sample)
  const { start = 1, end: requestEnd = 1, verdict } = sample.blocks ?? {}
  // The heading of the book is not one sample's.
  const isWhole = heading !== undefined && others === 0 && heading.level > 1
  const [from, to] = isWhole ? [heading.first, last] : [start, verdict?.[1] ?? requestEnd]
  const kept = isWhole ? settings.flatMap(({ first, last }) => [...lines.slice(first - 1, last), end]) : []
  lines.splice(from - 1, to - from + 1, ...kept)
  // One blank line stands where two met.
  const isBlank = (line: string | undefined) => line !== undefined && line.trim() === ''
  while (isBlank(lines[from - 1]) && (from === 1 || isBlank(lines[from - 2]))) lines.splice(from - 1, 1)
  if (from > lines.length) while (isBlank(lines.at(-1))) lines.pop()
  return mark + lines.join('')
}

interface Section {
  readonly heading: Block | undefined
  /** How many other samples stand below the heading. */
  readonly others: number
  readonly last: number
  /** Blocks of settings that later samples have too. */
  readonly settings: readonly Block[]
}
function sectionOf(page: string, { blocks }: Sample): Section {
  const start = blocks?.start ?? 1
  const all = blocksOf(page)
  const headings = all.filter((one) => one.kind === 'heading')
  const heading = headings.findLast(({ last }) => last < start)
  const next = headings.find(({ first }) => first > start)?.first
  const last = next === undefined ? pageOf(page).lines.length : next - 1
  const isInside = ({ first }: { readonly first: number }) => first > (heading?.last ?? 0) && first <= last
  const requests = all.filter((one) => one.kind === 'http')
  const isLast = !requests.some(({ first }) => first > last)
  return {
    heading,
    others: requests.filter((one) => isInside(one) && one.first !== start).length,
    last,
    settings: isLast ? [] : all.filter((one) => one.kind === 'book' && isInside(one)),
  }
}
