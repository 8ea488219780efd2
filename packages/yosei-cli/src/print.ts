/** What `check` prints: text for people, one JSON document for programs, or a report for build servers. */
import type { FieldError, Step } from 'yosei'
import { type AnyVerdict, markOf, masked, type Place, placeOf } from './book/index.js'
import { type Checked, type Counts, statusOf } from './check.js'
import { isShown, maskedTarget, maskedTitle } from './masked.js'
import { nearestEndpoint } from './nearest.js'
import { marked, pc, plural, shorten, visible, width, wrap } from './terminal.js'

const errorsOf = (verdict: AnyVerdict): readonly FieldError[] => (verdict.outcome === 'rejected' ? verdict.errors : [])
const errorsWithPlaces = ({ verdict, sample }: Checked): readonly (FieldError & { readonly place: Place })[] =>
  errorsOf(verdict).map((error) => Object.assign(error, { place: placeOf(error, sample) }))
const targetOf = ({ app, sample, verdict }: Checked) => maskedTarget(app, verdict.endpoint, sample.message.target)
const shownIn =
  ({ app, verdict }: Checked) =>
  (address: string) =>
    isShown(app, verdict.endpoint, address)
const nearestTo = ({ app, verdict, sample: { message } }: Checked) =>
  verdict.outcome === 'rejected' && verdict.stage === 'match'
    ? nearestEndpoint(app, message.method, message.target)
    : undefined

export function countsText({ samples, accepted, pending, rejected, asExpected, notAsExpected }: Counts): string {
  const open = samples - asExpected - notAsExpected
  const parts = [
    `${accepted} accepted`,
    ...(pending > 0 ? [`${pending} pending`] : []),
    `${rejected} rejected`,
    `${asExpected} as expected`,
    ...(open > 0 ? [`${open} without expectation`] : []),
  ]
  const bad = `${notAsExpected} not as expected`
  return `${plural(samples, 'sample')}: ${parts.join(', ')}, ${notAsExpected > 0 ? pc.red(bad) : bad}`
}

export const statusText = (verdict: AnyVerdict): string =>
  verdict.outcome === 'accepted'
    ? pc.green('accepted')
    : verdict.outcome === 'pending'
      ? pc.cyan('pending ')
      : pc.yellow(String(verdict.status).padEnd(8))

/** An error at its field: its words, and the line with what is meant marked. */
export function errorLines(
  error: FieldError & { readonly place?: Place },
  where: string | undefined,
  mark: ReturnType<typeof markOf>,
): string[] {
  const { address, message } = error
  return [
    ...wrap(visible(`${address} ${message}`.trim()), 14).map(
      (text, index) =>
        `${' '.repeat(index === 0 ? 12 : 14)}${index === 0 ? text.replace(visible(address), pc.cyan(visible(address))) : text}`,
    ),
    ...(where === undefined ? [] : [`${' '.repeat(14)}${pc.gray(where)}`]),
    ...(mark ? marked(mark, 16) : []),
  ]
}

export function sampleText(checked: Checked): string {
  const { app, file, sample, verdict, faults } = checked
  const place = `${file}:${sample.places.requestLine.line}`
  const mark = faults === undefined ? pc.gray('·') : faults.length === 0 ? pc.green('=') : pc.red('≠')
  const nearest = nearestTo(checked)
  const target = targetOf(checked)
  return [
    '',
    `${mark} ${statusText(verdict)}  ${pc.bold(visible(maskedTitle(app, verdict.endpoint, sample)))}`,
    `${' '.repeat(12)}${pc.gray(`${shorten(visible(`${sample.message.method} ${target}`), Math.max(20, width - 14 - place.length))}  ${place}`)}`,
    ...errorsWithPlaces(checked).flatMap((error) =>
      errorLines(
        error,
        `${file}:${error.place.line}:${error.place.column}`,
        markOf(error, sample.message, target, shownIn(checked)),
      ),
    ),
    ...(verdict.outcome === 'pending'
      ? [`${' '.repeat(12)}not asked: ${verdict.unasked.join(', ')} (--services MODULE asks them)`]
      : []),
    ...(verdict.outcome === 'rejected' && verdict.more > 0 ? [`${' '.repeat(12)}and ${verdict.more} more`] : []),
    ...(nearest ? [`${' '.repeat(12)}the nearest endpoint is ${pc.cyan(nearest)}`] : []),
    ...traceLines(verdict),
    ...(faults ?? []).map((fault) => `${' '.repeat(12)}${pc.red(visible(fault))}`),
  ].join('\n')
}

/** Each field with what was sent and what it was read as, and each stage and rule with whether it ran. */
export function traceLines({ trace }: AnyVerdict): string[] {
  if (!trace) return []
  const rows = trace.readings.map(({ address, sent, read, how }) => [address, shownValue(sent), shownValue(read), how])
  const widths = [0, 1, 2].map((column) =>
    Math.min([34, 22, 22][column] as number, Math.max(0, ...rows.map((row) => (row[column] as string).length))),
  )
  return [
    ...rows.map(
      ([address = '', sent = '', read = '', how = '']) =>
        `${' '.repeat(12)}${pc.cyan(fitted(address, widths[0]))}  ${fitted(sent, widths[1])}  ${pc.gray('→')} ${fitted(read, widths[2])}  ${pc.gray(how)}`,
    ),
    ...trace.steps.map((step) => `${' '.repeat(12)}${stepText(step)}`),
  ]
}
const fitted = (text: string, room = 0) => shorten(visible(text), room).padEnd(room)

export function stepText({ stage, name, outcome, because }: Step): string {
  const mark = {
    passed: pc.green('passed '),
    failed: pc.red('failed '),
    observed: pc.yellow('logged '),
    'not run': pc.gray('not run'),
  }[outcome]
  const what = name === undefined ? stage : `${stage}: ${name}`
  return `${mark}  ${shorten(visible(what), 70)}${because === undefined ? '' : pc.gray(`  ${visible(because)}`)}`
}

export const shownValue = (value: unknown): string =>
  value === undefined
    ? 'absent'
    : typeof value === 'bigint'
      ? String(value)
      : value instanceof Date
        ? value.toISOString()
        : (JSON.stringify(value) ?? String(value))

/** A body of JSON as it is printed. */
export function laidOut<T>(body: T): T | string {
  try {
    return typeof body === 'string' ? JSON.stringify(JSON.parse(body), null, 2) : body
  } catch {
    return body
  }
}

/** One sample as a program reads it. */
export function sampleJson(checked: Checked): object {
  const { app, file, sample, verdict, faults } = checked
  return {
    file,
    line: sample.places.requestLine.line,
    title: maskedTitle(app, verdict.endpoint, sample),
    method: sample.message.method,
    target: targetOf(checked),
    endpoint: verdict.endpoint ?? null,
    outcome: verdict.outcome,
    status: statusOf(app, verdict),
    unasked: verdict.outcome === 'pending' ? verdict.unasked : [],
    errors: errorsWithPlaces(checked).map(({ address, pointer, code, message, place }) => ({
      address,
      pointer: pointer ?? null,
      code,
      message,
      ...place,
    })),
    ...(verdict.trace ? { trace: verdict.trace } : {}),
    expected: expectedOf(sample.expectation, shownIn(checked)),
    asExpected: faults === undefined ? null : faults.length === 0,
  }
}

function expectedOf(expectation: Checked['sample']['expectation'], shown: (address: string) => boolean): unknown {
  if (!expectation) return null
  if (expectation.outcome !== 'rejected')
    return {
      outcome: expectation.outcome,
      values: Object.fromEntries(
        expectation.values.map(({ address, value }) => [address, shown(address) ? value : masked]),
      ),
    }
  const { outcome, status, errors = null, others } = expectation
  return { outcome, status, errors, others }
}

/** One sample as a test case. */
export function sampleJunit({ app, file, sample, verdict, faults }: Checked): string {
  const { line } = sample.places.requestLine
  const about = `classname="${escaped(file)}" name="${escaped(maskedTitle(app, verdict.endpoint, sample))}" file="${escaped(file)}" line="${line}"`
  if (faults === undefined) return `    <testcase ${about}><skipped message="no verdict is expected"/></testcase>`
  if (faults.length === 0) return `    <testcase ${about}/>`
  const came = errorsOf(verdict).map(({ address, code, message }) => `${address} ${code}: ${message}`)
  const detail = [`${file}:${line}`, ...faults, ...(came.length > 0 ? ['came:', ...came] : [])]
  return [
    `    <testcase ${about}>`,
    `      <failure message="${escaped(faults[0] ?? '')}">${escaped(detail.join('\n'))}</failure>`,
    '    </testcase>',
  ].join('\n')
}
export const junitText = (cases: readonly string[], { samples, notAsExpected, asExpected }: Counts): string =>
  [
    '<?xml version="1.0" encoding="UTF-8"?>',
    '<testsuites>',
    `  <testsuite name="yosei check" tests="${samples}" failures="${notAsExpected}" skipped="${samples - asExpected - notAsExpected}">`,
    ...cases,
    '  </testsuite>',
    '</testsuites>',
  ].join('\n')

const entities: { readonly [character: string]: string } = { '&': '&amp;', '<': '&lt;', '>': '&gt;', '"': '&quot;' }
/** XML has no way to write most control characters. */
const escaped = (text: string) =>
  text
    .replace(/[&<>"]/g, (one) => entities[one] as string)
    .replace(/[\u0000-\u0008\u000b-\u001f\u007f-\u009f\ufffe\uffff\p{Cs}]/gu, '·')
