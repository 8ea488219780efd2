/** The verdict block of a sample whose request has changed: what still holds stays as it was written. */
import type { Decision, OpenLine } from 'yosei-desk'
import { type AnyVerdict, compare, readExpectation, valueShown } from './expectation.js'
import { pageOf, prefixOf } from './page.js'
import type { Sample } from './read.js'
import { verdictOf } from './write.js'

export interface Revised {
  /** The lines of the block, by the decisions. */
  readonly lines: readonly string[]
  /** In the order of the block. Each needs a decision. */
  readonly open: readonly OpenLine[]
}

/**
 * @param page The page in which the sample stands.
 * @param isShown Whether the value at an address may be written down.
 */
export function revised(
  page: string,
  { blocks, expectation }: Sample,
  verdict: AnyVerdict,
  decisions: readonly Decision[],
  isShown: (address: string) => boolean,
): Revised {
  const wanted = verdictOf(verdict)
  if (!blocks?.verdict || !expectation) return { lines: wanted, open: [] }
  const [first, last] = blocks.verdict
  const all = pageOf(page).lines
  const prefix = prefixOf(all[blocks.end - 1])
  const written = all.slice(first, last - 1).map((line) => {
    const text = line.replace(/[\r\n]+$/, '')
    return text.startsWith(prefix) ? text.slice(prefix.length) : text.trimStart()
  })
  const open: OpenLine[] = []
  /** The lines that a decision leaves. */
  const decided = (was: readonly string[], now: readonly string[]): readonly string[] => {
    const decision = decisions[open.length]
    open.push({
      ...(was.length > 0 ? { was: was.join('\n') } : {}),
      ...(now.length > 0 ? { now: now.join('\n') } : {}),
    })
    return decision === 'take' ? now : decision === 'remove' ? [] : was
  }
  const head = written.findIndex((line) => line.trim() !== '')
  // Of another outcome or status nothing in the block speaks. The first line alone is written with each verdict.
  if (written[head]?.trim() !== wanted[0])
    return written.filter((line) => line.trim() !== '').length < 2
      ? { lines: wanted, open }
      : { lines: decided(written, wanted), open }
  const lines = written.flatMap((line, index) =>
    index <= head || line.trim() === '' || line.trim() === '…' || stillHolds(line)
      ? [line]
      : decided([line], instead(line)),
  )
  if (expectation.outcome === 'rejected' && expectation.errors && !expectation.others) {
    const end = lines.length
    for (const line of wanted.slice(1))
      if (!written.some((one) => isLike(one, line))) lines.splice(end, 0, ...decided([], [line]))
  }
  return { lines, open }

  /** What an assertion would say now. */
  function instead(line: string): readonly string[] {
    const address = /^\s*(\S+)\s*=/.exec(line)?.[1]
    const value = address === undefined || !isShown(address) ? undefined : valueShown(verdict, address)
    return value === undefined ? [] : [`${address} = ${value}`]
  }
  function stillHolds(line: string): boolean {
    if (verdict.outcome === 'rejected') return wanted.slice(1).some((one) => isLike(line, one))
    const alone = readExpectation(
      [wanted[0] as string, line].map((text) => ({ text, line: 0 })),
      0,
    )
    return compare(alone, verdict).length === 0
  }
}

/** Whether a line of a book means an error: its code may be left out. */
function isLike(line: string, error: string): boolean {
  const text = line.trim().replace(/\s+/, ' ')
  return text === error || text === error.split(' ')[0]
}
