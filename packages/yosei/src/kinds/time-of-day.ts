/** A time of a day, `HH:MM` or `HH:MM:SS`, without a zone: kept as its text with seconds. */

import { readTimeOfDay, writeTimeOfDay } from '../grammar/times.js'
import type { Declared } from '../terms/declared.js'
import { aTimeOfDay, merged } from '../terms/option-types.js'
import { timeWords } from './clock.js'
import type { SoundOf } from './kind.js'
import { bounds, boundTests, checkBounds, checkOrder, scalar, scalarCode, Wrong } from './scalar.js'

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

const boundsOf = ({ from, until }: TimeOfDayNode) =>
  bounds<string>(
    ['>=', from === undefined ? from : writeTimeOfDay(from), 'too_early'],
    ['<=', until === undefined ? until : writeTimeOfDay(until), 'too_late'],
  )

export const timeOfDayWords = /* @__PURE__ */ merged(timeWords, {
  'wrong_type.timeOfDay': 'must be a time of a day as text, such as 20:30',
  'wrong_format.timeOfDay': 'must be a time of a day such as 20:30',
  'unreal_date.timeOfDay': 'must be a time that exists',
  'form.timeOfDay': 'a time of a day',
})

export const timeOfDay = scalar<TimeOfDayNode, string>({
  words: timeOfDayWords,
  measures: () => ['time of day'],
  parse(_, value) {
    if (typeof value !== 'string') return new Wrong('wrong_type')
    const read = readTimeOfDay(value)
    return typeof read === 'string' ? new Wrong(read) : writeTimeOfDay(value)
  },
  checks: (node) => checkBounds(boundsOf(node), { shown: (limit) => limit.replace(/:00$/, '') }),
})

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

export const timeOfDayCode = scalarCode<TimeOfDayNode>((writer, node, read) => {
  const time = `(${read}.length === 5 ? ${read} + ":00" : ${read})`
  const tests = [`typeof ${read} === "string"`, `typeof readTimeOfDay(${read}) === "number"`]
  return { test: [...tests, ...boundTests(writer, boundsOf(node), time)].join(' && '), value: time }
})
