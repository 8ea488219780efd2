/** An ISO 8601 duration of weeks, days, hours, minutes and seconds, such as `PT1H30M`, read to milliseconds. */

import { readDuration, writeDuration } from '../grammar/times.js'
import type { Declared, Span } from '../terms/declared.js'
import { aSpan, merged } from '../terms/option-types.js'
import { readSpan } from '../terms/units.js'
import type { SoundOf } from './kind.js'
import { bounds, boundTests, boundWords, checkBounds, checkOrder, scalar, scalarCode, Wrong } from './scalar.js'

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

const boundsOf = ({ min, max }: DurationNode) =>
  bounds<number>(
    ['>=', min === undefined ? min : readSpan(min), 'below_min'],
    ['<=', max === undefined ? max : readSpan(max), 'above_max'],
  )

export const durationWords = /* @__PURE__ */ merged(boundWords, {
  'wrong_type.duration': 'must be a duration as text, such as PT1H30M',
  'wrong_format.duration': 'must be a duration such as PT1H30M',
  'out_of_range.duration': 'must be shorter',
  'form.duration': 'a duration',
})

export const duration = scalar<DurationNode, number>({
  words: durationWords,
  measures: () => ['duration'],
  parse(_, value) {
    if (typeof value !== 'string') return new Wrong('wrong_type')
    const read = readDuration(value)
    if (read === undefined) return new Wrong('wrong_format')
    return Number.isSafeInteger(read) ? read : new Wrong('out_of_range')
  },
  checks: (node) => checkBounds(boundsOf(node), { shown: writeDuration }),
  encode: (_, value) => (typeof value === 'number' && value >= 0 ? writeDuration(value) : value),
})

/** Whether its options make sense. */
export const durationSound: SoundOf<DurationNode> = {
  options: { min: aSpan, max: aSpan },
  check({ min, max }, refuse) {
    if (min !== undefined && max !== undefined) checkOrder(min, max, readSpan(min) > readSpan(max), refuse)
  },
}

export const durationCode = scalarCode<DurationNode>(
  (writer, node, read) => {
    const time = writer.name('t')
    const tests = [`typeof ${read} === "string"`, `Number.isSafeInteger(${time} = readDuration(${read}))`]
    return {
      prepare: `let ${time}`,
      test: [...tests, ...boundTests(writer, boundsOf(node), time)].join(' && '),
      value: time,
    }
  },
  (writer, node, value) => {
    const isRead = `(Number.isSafeInteger(${value}) && ${value} >= 0)`
    return { isRead, test: [isRead, ...boundTests(writer, boundsOf(node), value)].join(' && '), value: `${value} + 0` }
  },
)
