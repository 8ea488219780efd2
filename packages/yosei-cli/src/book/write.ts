/** Books written: samples with their verdicts, and the verdicts of samples that are there. */
import type { Message } from 'yosei'
import type { AnyVerdict } from './expectation.js'
import { isEnded, pageOf, prefixOf } from './page.js'
import type { Sample } from './read.js'

/** The lines of the verdict block that a verdict is as. */
export function verdictOf(verdict: AnyVerdict): readonly string[] {
  if (verdict.outcome !== 'rejected') return [verdict.outcome]
  const lines = verdict.errors.filter(({ address }) => address !== '').map(({ address, code }) => `${address} ${code}`)
  const isWhole = verdict.more === 0 && lines.length === verdict.errors.length
  return [String(verdict.status), ...lines, ...(isWhole ? [] : ['…'])]
}

/** A longer fence than any in what it holds. */
function fenced(kind: string, lines: readonly string[]): string {
  const longest = Math.max(2, ...lines.map((line) => /^\s*(`*)/.exec(line)?.[1]?.length ?? 0))
  const fence = '`'.repeat(longest + 1)
  return [`${fence}${kind}`, ...lines, fence].join('\n')
}

/** Whether a request can be written down: its lines have no ends of their own. */
export const isWritable = ({ target, headers, body }: Message): boolean =>
  [target, ...headers.flat()].every((text) => !/[\r\n]/.test(text)) &&
  (body === null || (typeof body === 'string' && !/\r(?!\n)/.test(body) && body.length <= 20_000))

/** A sample with its verdict, as it stands in a book. */
export function blockOf(
  title: string,
  message: Message,
  verdict: readonly string[],
  settings: readonly string[] = [],
): string {
  return [
    `## ${title}`,
    ...(settings.length > 0 ? [fenced('book', settings)] : []),
    fenced('http', linesOf(message)),
    fenced('verdict', verdict),
  ].join('\n\n')
}

const linesOf = ({ method, target, headers, body }: Message): string[] => [
  `${method} ${target} HTTP/1.1`,
  ...headers.map(([name, value]) => `${capitals(name)}: ${value}`),
  ...(typeof body === 'string' && body !== '' ? ['', ...laidOut(body, headers).split(/\r?\n/)] : []),
]

const capitals = (name: string) => name.replace(/(^|-)[a-z]/g, (one) => one.toUpperCase())

/** JSON is laid out for people, if that says the same. */
function laidOut(body: string, headers: Message['headers']): string {
  const type = headers.find(([name]) => name === 'content-type')?.[1] ?? ''
  if (!/^application\/(?:json|[^;]*\+json)/.test(type) || body.length < 80) return body
  try {
    const value: unknown = JSON.parse(body)
    return JSON.stringify(value) === body ? JSON.stringify(value, null, 2) : body
  } catch {
    return body
  }
}

/** A page in which a sample has this request; every other byte stays as it is. */
export function withRequest(page: string, { places, blocks }: Sample, message: Message): string {
  const { mark, lines, end } = pageOf(page)
  const first = places.requestLine.line - 1
  const last = blocks?.end ?? first + 1
  const prefix = prefixOf(lines[first - 1])
  // A fence ends at a line that is as long as it is.
  const [fence = '```'] = /`{3,}|~{3,}/.exec(lines[first - 1] ?? '') ?? []
  const wanted = linesOf(message)
  const hasFence = wanted.some((line) => line.trimStart().startsWith(fence))
  const around = hasFence ? fenced('http', wanted).split('\n') : undefined
  const block = around ?? [undefined, ...wanted, undefined]
  const own = block.map((line, index) =>
    line === undefined
      ? (lines[index === 0 ? first - 1 : last - 1] ?? '')
      : `${prefix}${line}${index === block.length - 1 && !isEnded(lines[last - 1]) ? '' : end}`,
  )
  lines.splice(first - 1, last - first + 1, ...own)
  return mark + lines.join('')
}

/** A page in which samples have these verdicts; every other byte stays as it is. */
export function withVerdicts(
  page: string,
  changes: readonly { readonly sample: Sample; readonly verdict: readonly string[] }[],
): string {
  const { mark, lines, end } = pageOf(page)
  // From the last to the first, so that the places of the others stay.
  const known = changes.flatMap(({ sample: { blocks }, verdict }) => (blocks ? [{ ...blocks, lines: verdict }] : []))
  for (const { end: last, verdict, lines: wanted } of [...known].sort((a, b) => b.end - a.end)) {
    const fence = (verdict ? lines[verdict[0] - 1] : lines[last - 1]) ?? ''
    const prefix = prefixOf(lines[last - 1])
    const block = fenced('verdict', wanted)
      .split('\n')
      .map((line) => `${prefix}${line}${end}`)
    if (verdict) {
      const inside = wanted.map((line) => `${prefix}${line}${end}`)
      lines.splice(verdict[0], verdict[1] - verdict[0] - 1, ...inside)
    } else {
      if (!isEnded(fence)) lines[last - 1] = `${fence}${end}`
      lines.splice(last, 0, `${prefix.trimEnd()}${end}`, ...block)
    }
  }
  return mark + lines.join('')
}
