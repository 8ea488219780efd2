/** An ISO 8601 duration of weeks, days, hours, minutes and seconds, such as `PT1H30M`, read to milliseconds. */
import { readDuration, writeDuration } from '../grammar/times.js'
import type { Declared, Span } from '../terms/declared.js'
import { aSpan } from '../terms/option-types.js'
import { readSpan } from '../terms/units.js'
import type { SoundOf } from './kind.js'
import { type Run, reportSent } from './run.js'
import { checkOrder, literal, scalar, scalarCode } from './scalar.js'
import type { Writer } from './writer.js'

declare module './kind.js' {
  interface Kinds {
    duration: DurationNode
  }
}
export interface DurationNode extends Declared {
  readonly kind: 'duration'
  readonly min?: Span
  readonly max?: Span
}

export const duration = scalar<DurationNode>({
  readScalar: read,
  encode: (_, value) => (typeof value === 'number' && value >= 0 ? writeDuration(value) : value),
})

/** Whether its options make sense. */
export const durationSound: SoundOf<DurationNode> = {
  options: { min: aSpan, max: aSpan },
  check({ min, max }, refuse) {
    if (min !== undefined && max !== undefined) checkOrder(min, max, readSpan(min) > readSpan(max), refuse)
  },
}

function read(node: DurationNode, value: unknown, run: Run): number | undefined {
  if (typeof value !== 'string') return reportSent(run, node, 'wrong_type', value)
  const read = readDuration(value)
  if (read === undefined) return reportSent(run, node, 'wrong_format', value)
  if (!Number.isSafeInteger(read)) return reportSent(run, node, 'out_of_range', value)
  if (node.min !== undefined && read < readSpan(node.min))
    reportSent(run, node, 'below_min', value, writeDuration(readSpan(node.min)))
  if (node.max !== undefined && read > readSpan(node.max))
    reportSent(run, node, 'above_max', value, writeDuration(readSpan(node.max)))
  return read
}

export const durationCode = scalarCode<DurationNode>(
  (writer, node, read) => {
    const time = writer.name('t')
    const tests = [`typeof ${read} === "string"`, `Number.isSafeInteger(${time} = readDuration(${read}))`]
    return { prepare: `let ${time}`, test: [...tests, ...limitTests(writer, node, time)].join(' && '), value: time }
  },
  (writer, node, value) => {
    const isRead = `(Number.isSafeInteger(${value}) && ${value} >= 0)`
    return { isRead, test: [isRead, ...limitTests(writer, node, value)].join(' && '), value: `${value} + 0` }
  },
)

const limitTests = (writer: Writer, { min, max }: DurationNode, time: string): string[] => [
  ...(min === undefined ? [] : [`${time} >= ${literal(writer, readSpan(min))}`]),
  ...(max === undefined ? [] : [`${time} <= ${literal(writer, readSpan(max))}`]),
]
