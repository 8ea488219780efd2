/** What `tally` prints: a bar for each row, or one JSON document. */
import type { Row, Tally } from './tally.js'
import { bar, pc, plural, shorten, visible, width } from './terminal.js'

const room = 12

export function printTally(counted: Tally, top: number): string {
  const { rows, requests, errors, others, failures, unsent, broken } = counted
  if (requests === 0) return ['no events', ...brokenLines(broken)].join('\n')
  const most = Math.max(...rows.map(({ count }) => count))
  const all = rows.reduce((sum, { count }) => sum + count, others)
  const shown = rows.slice(0, top)
  const digits = String(most).length
  const lines = shown.flatMap((row) => rowLines(row, { most, all, digits }))
  const left = rows.slice(top).reduce((sum, { count }) => sum + count, others)
  return [
    pc.bold(`${plural(requests, 'request')} with ${plural(errors, 'error')}`),
    '',
    ...lines,
    ...(left > 0
      ? [pc.gray(`${String(left).padStart(room + 1 + digits)}${' '.repeat(10)}in other rows (--top ${top})`)]
      : []),
    ...(failures.length > 0 ? ['', pc.bold('Failures, which were not the callers’')] : []),
    ...failures
      .slice(0, top)
      .map(({ key: [endpoint = '', status = '', cause = ''], count, last }) =>
        shorten(visible(`${String(count).padStart(6)}  ${endpoint} ${status}  last ${day(last)}  ${cause}`), width),
      ),
    ...(unsent.length > 0 ? ['', pc.bold('Optional fields that none of these requests sent')] : []),
    ...unsent.map(({ endpoint, requests, fields }) =>
      shorten(visible(`${String(requests).padStart(6)}  ${endpoint}  ${fields.join(' ')}`), width),
    ),
    ...brokenLines(broken),
  ].join('\n')
}

function rowLines(
  { key, count, first, last, example }: Row,
  { most, all, digits }: { readonly most: number; readonly all: number; readonly digits: number },
): string[] {
  const drawn = bar(count / most, room)
  const share = `${((100 * count) / all).toFixed(1)} %`.padStart(7)
  const head = `${String(count).padStart(digits)} ${share}`
  const [a = '', b = '', c = ''] = key.map((part) => shorten(visible(part), 60))
  const what = [a, b === '' ? '' : pc.cyan(b), c === '' ? '' : pc.yellow(c)].filter((one) => one !== '').join('  ')
  const when = day(first) === day(last) ? day(first) : `${day(first)} – ${day(last)}`
  const about = [
    ...(when === a ? [] : [when]),
    ...(example === undefined ? [] : [`such as ${JSON.stringify(example)}`]),
  ].join('  ')
  const indent = ' '.repeat(room + head.length + 3)
  return [
    `${pc.green(drawn)} ${head}  ${what}`,
    ...(about === '' ? [] : [pc.gray(`${indent}${shorten(visible(about), width - indent.length)}`)]),
  ]
}

const day = (time: string) => time.slice(0, 10)

const brokenLines = (broken: Tally['broken']) =>
  broken
    ? [
        '',
        pc.red(
          `${broken.count} ${broken.count === 1 ? 'line is' : 'lines are'} no event, the first at ${broken.first}`,
        ),
      ]
    : []
