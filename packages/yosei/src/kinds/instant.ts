/** A moment in time: an RFC 3339 date-time, read to a Date. */

import { isRelative, readInstant, readInstantIn, readMoment, writeInstant } from '../grammar/times.js'
import type { Declared, Moment } from '../terms/declared.js'
import { aMoment, aName, merged } from '../terms/option-types.js'
import { boundsByClock, checkZone, timeWords } from './clock.js'
import type { SoundOf } from './kind.js'
import { boundTests, checkBounds, checkOrder, literal, scalar, scalarCode, Wrong } from './scalar.js'
import type { Writer } from './writer.js'

declare module './kind.js' {
  interface Kinds {
    instant: InstantNode
  }
}
export interface InstantNode extends Declared {
  readonly kind: 'instant'
  readonly from?: Moment
  readonly until?: Moment
  readonly zone?: string
}

const boundsOf = (node: InstantNode) => boundsByClock(node, (declared, now) => readMoment(declared, now, node.zone))

export const instantWords = /* @__PURE__ */ merged(timeWords, {
  'wrong_type.instant': 'must be a date and time as text, such as 2031-03-01T22:30:00Z',
  'wrong_format.instant': 'must be a date and time such as 2031-03-01T22:30:00Z',
  'wrong_format.plus': 'must be a date and time such as 2031-03-01T22:30:00Z; write the plus of an offset as %2B',
  'form.instant': 'a date and time',
})

export const instant = scalar<InstantNode, number>({
  words: instantWords,
  measures: () => ['instant'],
  parse(node, value, source) {
    if (typeof value !== 'string') return new Wrong('wrong_type')
    const read = node.zone === undefined ? readInstant(value) : readInstantIn(value, node.zone)
    if (typeof read === 'number') return read
    return new Wrong(read, undefined, { variant: source === 'text' && isSpoiled(value) ? 'plus' : undefined })
  },
  checks: (node) => checkBounds(boundsOf(node), { shown: (limit) => new Date(limit) }),
  made: (read) => new Date(read),
  encode: (_, value) => (value instanceof Date && !Number.isNaN(value.getTime()) ? writeInstant(value) : value),
})

/** Whether its options make sense. */
export const instantSound: SoundOf<InstantNode> = {
  options: { from: aMoment, until: aMoment, zone: aName },
  check({ from, until, zone }, refuse) {
    checkZone(zone, refuse)
    for (const limit of [from, until])
      if (limit !== undefined && Number.isNaN(readMoment(limit, 0)))
        refuse(`"${limit}" is no instant`, 'Write it as 2031-03-01T22:30:00Z, or from now as +36h, -15m, +6mo or -18y')
    // Two limits of which the clock moves one alone may be in any order.
    if (from !== undefined && until !== undefined && isRelative(from) === isRelative(until))
      checkOrder(from, until, readMoment(from, 0) > readMoment(until, 0), refuse)
  },
}

/** A blank where an offset has its plus: in a query or a form, `+` stands for a blank. */
const isSpoiled = (value: string) => typeof readInstant(value.replace(' ', '+')) === 'number'

export const instantCode = scalarCode<InstantNode>(
  (writer, node, read) => {
    const time = writer.name('t')
    const reading =
      node.zone === undefined ? `readInstant(${read})` : `readInstantIn(${read}, ${literal(writer, node.zone)})`
    const tests = [`typeof ${read} === "string"`, `typeof (${time} = ${reading}) === "number"`]
    const test = [...tests, ...limitTests(writer, node, time)].join(' && ')
    return { prepare: `let ${time}`, test, value: `new Date(${time})`, tried: time }
  },
  (writer, node, value) => {
    const time = `${value}.getTime()`
    const isRead = `${value} instanceof Date`
    const tests = [isRead, `${time} >= ${firstInstant}`, `${time} <= ${lastInstant}`]
    return { isRead, test: [...tests, ...limitTests(writer, node, time)].join(' && '), value: `new Date(${time})` }
  },
)
/** Of the years 0000 to 9999, which RFC 3339 can write. */
const [firstInstant, lastInstant] = [-62_167_219_200_000, 253_402_300_799_999]

export const instantLimit = (node: InstantNode, at: number) => boundsOf(node)[at]?.limit

/** A span is the same at any time, so the code adds it; a month is not. */
const limitTests = (writer: Writer, node: InstantNode, time: string): readonly string[] =>
  boundsOf(node).flatMap((bound, at) => {
    const declared = bound.order === '>=' ? node.from : node.until
    const isSpan = typeof declared === 'string' && isRelative(declared) && !/(?:mo|y)$/.test(declared)
    return isSpan
      ? [`${time} ${bound.order} clock(run) + ${literal(writer, readMoment(declared, 0))}`]
      : boundTests(writer, [bound], time, () => writer.make(instantLimit, node, at))
  })
