/** A moment in time: an RFC 3339 date-time, read to a Date. */
import { byClock, isRelative, readInstant, readInstantIn, readMoment, writeInstant } from '../grammar/times.js'
import { isZone } from '../grammar/zones.js'
import type { Declared, Moment } from '../terms/declared.js'
import { aMoment, aName } from '../terms/taken.js'
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
  readonly zone?: string
}

export const instant = scalar<InstantNode>({
  options: { from: aMoment, until: aMoment, zone: aName },
  check({ from, until, zone }, refuse) {
    if (zone !== undefined && !isZone(zone))
      refuse(`"${zone}" is no time zone`, 'Give an IANA name such as Europe/Vienna', 'zone')
    for (const limit of [from, until])
      if (limit !== undefined && Number.isNaN(readMoment(limit, 0)))
        refuse(`"${limit}" is no instant`, 'Write it as 2031-03-01T22:30:00Z, or from now as +36h, -15m, +6mo or -18y')
    // Two limits of which the clock moves one alone may be in any order.
    if (from !== undefined && until !== undefined && isRelative(from) === isRelative(until))
      checkOrder(from, until, readMoment(from, 0) > readMoment(until, 0), refuse)
  },
  readScalar: read,
  encode: (_, value) => (value instanceof Date && !Number.isNaN(value.getTime()) ? writeInstant(value) : value),
})

type Limit = (now: number) => number
const limits = new WeakMap<InstantNode, { readonly from: Limit | undefined; readonly until: Limit | undefined }>()

/** The limits of an instant, by the clock. */
function limitsOf(node: InstantNode) {
  const known = limits.get(node)
  if (known) return known
  const limit = (declared: Moment | undefined) =>
    declared === undefined ? undefined : byClock((now) => readMoment(declared, now, node.zone))
  const made = { from: limit(node.from), until: limit(node.until) }
  limits.set(node, made)
  return made
}

function read(node: InstantNode, value: unknown, run: Run, source: Source): Date | undefined {
  if (typeof value !== 'string') return tellSent(run, node, 'wrong_type', value)
  const read = node.zone === undefined ? readInstant(value) : readInstantIn(value, node.zone)
  if (typeof read === 'string')
    return tellSent(run, node, read, value, undefined, source === 'text' && isSpoiled(value) ? 'plus' : undefined)
  const { from, until } = limitsOf(node)
  const [earliest, latest] = [from?.(clock(run)), until?.(clock(run))]
  if (earliest !== undefined && read < earliest) tellSent(run, node, 'too_early', value, new Date(earliest))
  if (latest !== undefined && read > latest) tellSent(run, node, 'too_late', value, new Date(latest))
  return new Date(read)
}

/** A blank where an offset has its plus: in a query or a form, `+` stands for a blank. */
const isSpoiled = (value: string) => typeof readInstant(value.replace(' ', '+')) === 'number'

export const instantCode = scalarCode<InstantNode>((writer, node, read) => {
  const { from, until } = limitsOf(node)
  const time = writer.name('t')
  const limit = (declared: Moment | undefined, by: Limit | undefined, order: string) => {
    if (declared === undefined) return []
    if (!isRelative(declared)) return [`${time} ${order} ${literal(writer, readMoment(declared, 0))}`]
    const span = readMoment(declared, 0)
    // A span is the same at any time, and a month is not.
    const isSpan = typeof declared === 'string' && !/(?:mo|y)$/.test(declared)
    return [`${time} ${order} ${isSpan ? `clock(run) + ${literal(writer, span)}` : `${writer.bind(by)}(clock(run))`}`]
  }
  const reading =
    node.zone === undefined ? `readInstant(${read})` : `readInstantIn(${read}, ${literal(writer, node.zone)})`
  const tests = [
    `typeof ${read} === "string"`,
    `typeof (${time} = ${reading}) === "number"`,
    ...limit(node.from, from, '>='),
    ...limit(node.until, until, '<='),
  ]
  return { prepare: `let ${time}`, test: tests.join(' && '), value: `new Date(${time})`, tried: time }
})
