/** What the command prints: text for people, or one JSON document for programs. */
import { type Checked, count } from './check.js'
import { pc, shorten, visible, width } from './terminal.js'

export function printText(checked: readonly Checked[]): string {
  const lines = checked.flatMap((one, index) => [
    ...(one.file === checked[index - 1]?.file ? [] : ['', pc.bold(one.file)]),
    ...sampleLines(one),
  ])
  const { samples, accepted, pending, rejected, asExpected, notAsExpected } = count(checked)
  const open = samples - asExpected - notAsExpected
  const parts = [
    `${accepted} accepted`,
    ...(pending > 0 ? [`${pending} pending`] : []),
    `${rejected} rejected`,
    `${asExpected} as expected`,
    ...(open > 0 ? [`${open} without expectation`] : []),
  ]
  const bad = `${notAsExpected} not as expected`
  return [
    ...lines.slice(1),
    '',
    `${samples} samples: ${parts.join(', ')}, ${notAsExpected > 0 ? pc.red(bad) : bad}`,
  ].join('\n')
}

function sampleLines({ file, sample, verdict, target, errors, faults, nearest }: Checked): string[] {
  const place = `${file}:${sample.places.requestLine.line}`
  const mark = faults === undefined ? pc.gray('·') : faults.length === 0 ? pc.green('=') : pc.red('≠')
  const status =
    verdict.outcome === 'accepted'
      ? pc.green('accepted')
      : verdict.outcome === 'pending'
        ? pc.cyan('pending ')
        : pc.yellow(String(verdict.status).padEnd(8))
  return [
    '',
    `${mark} ${status}  ${pc.bold(visible(sample.title))}`,
    `${' '.repeat(12)}${pc.gray(`${shorten(visible(`${sample.message.method} ${target}`), Math.max(20, width - 14 - place.length))}  ${place}`)}`,
    ...errors.flatMap(({ address, message, place }) => [
      ...wrap(visible(`${address} ${message}`), 14).map(
        (text, index) =>
          `${' '.repeat(index === 0 ? 12 : 14)}${index === 0 ? text.replace(visible(address), pc.cyan(visible(address))) : text}`,
      ),
      `${' '.repeat(14)}${pc.gray(`${file}:${place.line}:${place.column}`)}`,
    ]),
    ...(verdict.outcome === 'pending'
      ? [`${' '.repeat(12)}not asked: ${verdict.unasked.join(', ')} (--services MODULE asks them)`]
      : []),
    ...(verdict.outcome === 'rejected' && verdict.more > 0 ? [`${' '.repeat(12)}and ${verdict.more} more`] : []),
    ...(nearest ? [`${' '.repeat(12)}the nearest endpoint is ${pc.cyan(nearest)}`] : []),
    ...(faults ?? []).map((fault) => `${' '.repeat(12)}${pc.red(visible(fault))}`),
  ]
}

/** Breaks a text at spaces, so that it fits behind an indentation. */
function wrap(text: string, indent: number): string[] {
  const lines: string[] = []
  for (const word of text.split(' ')) {
    const last = lines.at(-1)
    if (last !== undefined && last.length + 1 + word.length <= width - indent)
      lines[lines.length - 1] = `${last} ${word}`
    else lines.push(word)
  }
  return lines
}

export function printJson(checked: readonly Checked[]): string {
  const samples = checked.map(({ file, sample, verdict, target, success, errors, faults, shown }) => ({
    file,
    line: sample.places.requestLine.line,
    title: sample.title,
    method: sample.message.method,
    target,
    outcome: verdict.outcome,
    status: verdict.outcome === 'rejected' ? verdict.status : success,
    unasked: verdict.outcome === 'pending' ? verdict.unasked : [],
    errors: errors.map(({ address, pointer, code, message, place }) => ({
      address,
      pointer: pointer ?? null,
      code,
      message,
      ...place,
    })),
    expected: expectedOf(sample.expectation, shown),
    asExpected: faults === undefined ? null : faults.length === 0,
  }))
  return JSON.stringify({ samples, counts: count(checked) }, null, 2)
}

function expectedOf(expectation: Checked['sample']['expectation'], shown: Checked['shown']): unknown {
  if (!expectation) return null
  if (expectation.outcome !== 'rejected')
    return {
      outcome: expectation.outcome,
      values: Object.fromEntries(
        expectation.values.map(({ address, value }) => [address, shown(address) ? value : '(secret)']),
      ),
    }
  const { outcome, status, errors = null, others } = expectation
  return { outcome, status, errors, others }
}
