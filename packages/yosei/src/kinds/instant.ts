/** A moment in time: an RFC 3339 date-time, read to a Date. */
import { isRelative, readInstant, readInstantIn, readMoment, writeInstant } from '../grammar/times.js'
import type { Declared, Moment } from '../terms/declared.js'
import { aMoment, aName } from '../terms/option-types.js'
import { checkZone, type Limit, limitsByClock } from './clock.js'
import type { SoundOf } from './kind.js'
import { clock, type Run, reportSent, type Source } from './run.js'
import { checkOrder, literal, scalar, scalarCode } from './scalar.js'
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

export const instant = scalar<InstantNode>({
  readScalar: read,
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

/** The limits of an instant, by the clock. */
const limitsOf = limitsByClock((declared: Moment, now, node: InstantNode) => readMoment(declared, now, node.zone))

function read(node: InstantNode, value: unknown, run: Run, source: Source): Date | undefined {
  if (typeof value !== 'string') return reportSent(run, node, 'wrong_type', value)
  const read = node.zone === undefined ? readInstant(value) : readInstantIn(value, node.zone)
  if (typeof read === 'string')
    return reportSent(run, node, read, value, undefined, source === 'text' && isSpoiled(value) ? 'plus' : undefined)
  const { from, until } = limitsOf(node)
  const [earliest, latest] = [from?.(clock(run)), until?.(clock(run))]
  if (earliest !== undefined && read < earliest) reportSent(run, node, 'too_early', value, new Date(earliest))
  if (latest !== undefined && read > latest) reportSent(run, node, 'too_late', value, new Date(latest))
  return new Date(read)
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

function limitTests(writer: Writer, node: InstantNode, time: string): string[] {
  const { from, until } = limitsOf(node)
  const limit = (declared: Moment | undefined, by: Limit<number> | undefined, order: string) => {
    if (declared === undefined) return []
    if (!isRelative(declared)) return [`${time} ${order} ${literal(writer, readMoment(declared, 0))}`]
    const span = readMoment(declared, 0)
    // A span is the same at any time, and a month is not.
    const isSpan = typeof declared === 'string' && !/(?:mo|y)$/.test(declared)
    return [`${time} ${order} ${isSpan ? `clock(run) + ${literal(writer, span)}` : `${writer.bind(by)}(clock(run))`}`]
  }
  return [...limit(node.from, from, '>='), ...limit(node.until, until, '<=')]
}
