/** A calendar date `YYYY-MM-DD` (RFC 3339, full-date). Relative limits count days, months and years in `zone`. */

import { isRelative, readDay, readDeclaredDay } from '../grammar/times.js'
import type { Declared } from '../terms/declared.js'
import { aDay, aName, merged } from '../terms/option-types.js'
import { boundsByClock, checkZone, timeWords } from './clock.js'
import type { SoundOf } from './kind.js'
import { boundTests, checkBounds, checkOrder, scalar, scalarCode, Wrong } from './scalar.js'

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
}

const boundsOf = (node: DayNode) =>
  boundsByClock(node, (declared, now) => readDeclaredDay(declared, now, node.zone) as string)

export const dayWords = /* @__PURE__ */ merged(timeWords, {
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
  checks: (node) => checkBounds(boundsOf(node)),
})

/** Whether its options make sense. */
export const daySound: SoundOf<DayNode> = {
  options: { from: aDay, until: aDay, zone: aName },
  check({ from, until, zone }, refuse) {
    checkZone(zone, refuse)
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

export const dayCode = scalarCode<DayNode>((writer, node, read) => {
  const tests = [`typeof ${read} === "string"`, `typeof readDay(${read}) === "number"`]
  return { test: [...tests, ...boundTests(writer, boundsOf(node), read)].join(' && ') }
})
