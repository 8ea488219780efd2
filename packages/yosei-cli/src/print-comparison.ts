/** A comparison for the review of a pull request: on one screen, what breaks first. */
import { type Change, changes, type Difference } from './compare.js'
import { plural, shorten, visible } from './terminal.js'

/** So many of a kind are listed. */
const most = 12
/** So many characters of a request are shown. */
const mostShown = 120

const headings: { readonly [C in Change]: (count: number) => string } = {
  breaking: (count) => `${requests(count)} would be rejected that are accepted today`,
  widening: (count) => `${requests(count)} would be accepted that are rejected today`,
  reading: (count) => `${requests(count)} would be read differently`,
}
const requests = (count: number) => `${plural(count, 'kind')} of requests`

export function markdownOf(differences: readonly Difference[]): string {
  const kinds = (Object.keys(changes) as Change[]).map(
    (change) => [change, differences.filter((one) => one.change === change)] as const,
  )
  const [[, breaking] = ['', []]] = kinds
  const title =
    breaking.length > 0 ? '## Clients that work today would break' : '## No client that works today would break'
  const sections = kinds.flatMap(([change, all]) => {
    if (all.length === 0) return []
    const listed = [
      ...all.slice(0, most).map(itemOf),
      ...(all.length > most ? [`- … and ${all.length - most} more`] : []),
    ]
    const heading = headings[change](all.length)
    return change === 'breaking'
      ? ['', `### ${heading}`, '', ...listed]
      : ['', `<details><summary>${heading}</summary>`, '', ...listed, '', '</details>']
  })
  const nothing = differences.length === 0 ? ['', 'No request was found that a client would see a difference by.'] : []
  return [title, ...nothing, ...sections].join('\n')
}

/** The reason, and the request that shows it. */
function itemOf({ endpoint, address, told, declared, evidence }: Difference): string {
  const { message, target, mark, before, after } = evidence
  const why = declared.length > 0 ? ` (${declared.map((line) => code(line)).join(', ')})` : ''
  const sent = mark ? ` with ${code(mark.text.trim().replace(/,$/, ''))}` : ''
  return [
    `- **${plain(endpoint)}**: ${address === '' ? 'the request' : code(address)} ${plain(told)}${why}`,
    `  - ${code(`${message.method} ${target}`)}${sent}: ${before} → ${after}`,
  ].join('\n')
}

/** Escapes what Markdown would format, and what would mention a person. */
const plain = (text: string): string =>
  visible(text).replace(/[&<>@]|([\\`*_[\]#|~])/g, (one, marking) => (marking ? `\\${one}` : `&#${one.charCodeAt(0)};`))

/** Text as it is (CommonMark, section 6.1): between more backticks than it has in a row. */
function code(text: string): string {
  const shown = shorten(visible(text), mostShown)
  const longest = Math.max(0, ...[...shown.matchAll(/`+/g)].map(([row]) => row.length))
  const fence = '`'.repeat(longest + 1)
  const space = /^`|`$|^ .* $/.test(shown) ? ' ' : ''
  return `${fence}${space}${shown}${space}${fence}`
}
