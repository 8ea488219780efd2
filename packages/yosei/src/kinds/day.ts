/** A calendar date `YYYY-MM-DD` (RFC 3339, full-date). Relative limits count days, months and years in `zone`. */

import { isRelative, readDay, readDeclaredDay } from '../grammar/times.js'
import type { Declared } from '../terms/declared.js'
import { aDay, aName, aNameIn, listOf, merged } from '../terms/option-types.js'
import { type Weekday, weekdayNumbers } from '../terms/weekdays.js'
import { boundsByClock, checkZone, timeWords } from './clock.js'
import type { SoundOf } from './kind.js'
import { boundTests, checkBounds, checkOrder, scalar, scalarCode, Wrong } from './scalar.js'
import { Weekdays, weekdayOf, weekdayWords } from './weekdays.js'

declare module './kind.js' {
  interface Kinds {
    day: DayNode
  }
}
export interface DayNode extends Declared {
  readonly kind: 'day'
  readonly from?: string
  readonly until?: string
  readonly zone?: string
  readonly weekdays?: readonly Weekday[]
}

const boundsOf = (node: DayNode) =>
  boundsByClock(node, (declared, now) => readDeclaredDay(declared, now, node.zone) as string)

export const dayWords = /* @__PURE__ */ merged(/* @__PURE__ */ merged(timeWords, weekdayWords), {
  'not_a_choice.weekday': 'must be a {days}',
  'wrong_type.day': 'must be a date as text, such as 2031-03-01',
  'wrong_format.day': 'must be a date such as 2031-03-01',
  'unreal_date.day': 'must be a date that exists',
  'form.day': 'a date',
})

export const day = scalar<DayNode, string>({
  words: dayWords,
  measures: () => ['date'],
  parse(_, value) {
    if (typeof value !== 'string') return new Wrong('wrong_type')
    const read = readDay(value)
    return typeof read === 'string' ? new Wrong(read) : value
  },
  checks: (node) => [
    ...checkBounds(boundsOf(node)),
    (read) =>
      isOnDay(node, read)
        ? undefined
        : new Wrong('not_a_choice', node.weekdays, {
            variant: 'weekday',
            about: { days: new Weekdays(node.weekdays as readonly Weekday[]) },
          }),
  ],
})

const isOnDay = ({ weekdays }: DayNode, read: string) =>
  weekdays === undefined || weekdays.includes(weekdayOf(Number(readDay(read))))

/** Whether its options make sense. */
export const daySound: SoundOf<DayNode> = {
  options: { from: aDay, until: aDay, zone: aName, weekdays: listOf(aNameIn(weekdayNumbers)) },
  check({ from, until, zone, weekdays: days }, refuse) {
    checkZone(zone, refuse)
    if (days?.length === 0) refuse('it is on no day of the week', "Name some: weekdays: ['mon', 'fri']", 'weekdays')
    const [low, high] = [from, until].map((limit) =>
      limit === undefined
        ? undefined
        : (readDeclaredDay(limit, 0) ??
          refuse(`"${limit}" is no day`, 'Write it as 2031-03-01, or from today as +2d, -6mo or -18y')),
    )
    if (low !== undefined && high !== undefined && isRelative(from) === isRelative(until))
      checkOrder(from, until, low > high, refuse)
  },
}

export const weekdayTest = (node: DayNode) => (read: string) => isOnDay(node, read)
export const dayLimit = (node: DayNode, at: number) => boundsOf(node)[at]?.limit

export const dayCode = scalarCode<DayNode>((writer, node, read) => {
  const tests = [`typeof ${read} === "string"`, `typeof readDay(${read}) === "number"`]
  const onDay = node.weekdays ? [`${writer.make(weekdayTest, node)}(${read})`] : []
  return {
    test: [
      ...tests,
      ...boundTests(writer, boundsOf(node), read, (at) => writer.make(dayLimit, node, at)),
      ...onDay,
    ].join(' && '),
  }
})
