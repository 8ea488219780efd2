/** A time of a day, `HH:MM` or `HH:MM:SS`, without a zone: kept as its text with seconds. */
import { readTimeOfDay, writeTimeOfDay } from '../grammar/times.js'
import type { Declared } from '../terms/declared.js'
import { aTimeOfDay } from '../terms/option-types.js'
import type { SoundOf } from './kind.js'
import { type Run, reportSent } from './run.js'
import { checkOrder, literal, scalar, scalarCode } from './scalar.js'

declare module './kind.js' {
  interface Kinds {
    timeOfDay: TimeOfDayNode
  }
}
export interface TimeOfDayNode extends Declared {
  readonly kind: 'timeOfDay'
  readonly from?: string
  readonly until?: string
}

export const timeOfDay = scalar<TimeOfDayNode>({ readScalar: read })

/** Whether its options make sense. */
export const timeOfDaySound: SoundOf<TimeOfDayNode> = {
  options: { from: aTimeOfDay, until: aTimeOfDay },
  check({ from, until }, refuse) {
    for (const limit of [from, until])
      if (limit !== undefined && typeof readTimeOfDay(limit) === 'string')
        refuse(`"${limit}" is no time of a day`, "Write it as '20:30'")
    if (from !== undefined && until !== undefined)
      checkOrder(from, until, writeTimeOfDay(from) > writeTimeOfDay(until), refuse)
  },
}

function read(node: TimeOfDayNode, value: unknown, run: Run): string | undefined {
  if (typeof value !== 'string') return reportSent(run, node, 'wrong_type', value)
  const read = readTimeOfDay(value)
  if (typeof read === 'string') return reportSent(run, node, read, value)
  const { from, until } = node
  const time = writeTimeOfDay(value)
  if (from !== undefined && time < writeTimeOfDay(from)) reportSent(run, node, 'too_early', value, from)
  if (until !== undefined && time > writeTimeOfDay(until)) reportSent(run, node, 'too_late', value, until)
  return time
}

export const timeOfDayCode = scalarCode<TimeOfDayNode>((writer, { from, until }, read) => {
  const time = `(${read}.length === 5 ? ${read} + ":00" : ${read})`
  const tests = [
    `typeof ${read} === "string"`,
    `typeof readTimeOfDay(${read}) === "number"`,
    ...(from === undefined ? [] : [`${time} >= ${literal(writer, writeTimeOfDay(from))}`]),
    ...(until === undefined ? [] : [`${time} <= ${literal(writer, writeTimeOfDay(until))}`]),
  ]
  return { test: tests.join(' && '), value: time }
})
