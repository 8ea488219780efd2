/** A moment in time: an RFC 3339 date-time, read to a Date. */
import { readInstant, readMoment, writeInstant } from '../grammar/times.js'
import type { Declared, Moment } from '../terms/declared.js'
import { aMoment } from '../terms/taken.js'
import { clock, type Run, type Source, tellSent } from './run.js'
import { checkOrder, literal, scalar, scalarCode } from './scalar.js'

declare module './kind.js' {
  interface Kinds {
    instant: InstantNode
  }
}
export interface InstantNode extends Declared {
  readonly kind: 'instant'
  readonly from?: Moment
  readonly until?: Moment
}

export const isRelative = (limit: unknown): boolean => /^[+-]/.test(String(limit))

export const instant = scalar<InstantNode>({
  options: { from: aMoment, until: aMoment },
  check({ from, until }, refuse) {
    for (const limit of [from, until])
      if (limit !== undefined && Number.isNaN(readMoment(limit, 0)))
        refuse(`"${limit}" is no instant`, 'Write it as 2031-03-01T22:30:00Z, or from now as +36h or -15m')
    // Two limits of which the clock moves one alone may be in any order.
    if (from !== undefined && until !== undefined && isRelative(from) === isRelative(until))
      checkOrder(from, until, readMoment(from, 0) > readMoment(until, 0), refuse)
  },
  readScalar: read,
  encode: (_, value) => (value instanceof Date && !Number.isNaN(value.getTime()) ? writeInstant(value) : value),
})

function read(node: InstantNode, value: unknown, run: Run, source: Source): Date | undefined {
  if (typeof value !== 'string') return tellSent(run, node, 'wrong_type', value)
  const read = readInstant(value)
  if (typeof read === 'string')
    return tellSent(run, node, read, value, undefined, source === 'text' && isSpoiled(value) ? 'plus' : undefined)
  if (node.from !== undefined) {
    const from = readMoment(node.from, clock(run))
    if (read < from) tellSent(run, node, 'too_early', value, new Date(from))
  }
  if (node.until !== undefined) {
    const until = readMoment(node.until, clock(run))
    if (read > until) tellSent(run, node, 'too_late', value, new Date(until))
  }
  return new Date(read)
}

/** A blank where an offset has its plus: in a query or a form, `+` stands for a blank. */
const isSpoiled = (value: string) => typeof readInstant(value.replace(' ', '+')) === 'number'

export const instantCode = scalarCode<InstantNode>((writer, { from, until }, read) => {
  const time = writer.name('t')
  const limit = (moment: string | Date) =>
    isRelative(moment) && typeof moment === 'string'
      ? `clock(run) + ${literal(writer, readMoment(moment, 0))}`
      : literal(writer, readMoment(moment, 0))
  const tests = [
    `typeof ${read} === "string"`,
    `typeof (${time} = readInstant(${read})) === "number"`,
    ...(from === undefined ? [] : [`${time} >= ${limit(from)}`]),
    ...(until === undefined ? [] : [`${time} <= ${limit(until)}`]),
  ]
  return { prepare: `let ${time}`, test: tests.join(' && '), value: `new Date(${time})`, tried: time }
})
