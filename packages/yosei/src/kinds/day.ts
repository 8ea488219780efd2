/** A calendar date `YYYY-MM-DD` (RFC 3339, full-date). Relative limits count days, months and years in `zone`. */
import { isRelative, readDay, readDeclaredDay } from '../grammar/times.js'
import type { Declared } from '../terms/declared.js'
import { aDay, aName } from '../terms/option-types.js'
import { checkZone, type Limit, limitsByClock } from './clock.js'
import type { SoundOf } from './kind.js'
import { clock, type Run, reportSent } from './run.js'
import { checkOrder, literal, scalar, scalarCode } from './scalar.js'
import type { Writer } from './writer.js'

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

export const day = scalar<DayNode>({ readScalar: read })

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

/** The limits of a day, by the clock. */
const limitsOf = limitsByClock(
  (declared: string, now, node: DayNode) => readDeclaredDay(declared, now, node.zone) as string,
)

function read(node: DayNode, value: unknown, run: Run): string | undefined {
  if (typeof value !== 'string') return reportSent(run, node, 'wrong_type', value)
  const read = readDay(value)
  if (typeof read === 'string') return reportSent(run, node, read, value)
  const { from, until } = limitsOf(node)
  const [earliest, latest] = [from?.(clock(run)), until?.(clock(run))]
  if (earliest !== undefined && value < earliest) reportSent(run, node, 'too_early', value, earliest)
  if (latest !== undefined && value > latest) reportSent(run, node, 'too_late', value, latest)
  return value
}

export const dayCode = scalarCode<DayNode>((writer: Writer, node, read) => {
  const { from, until } = limitsOf(node)
  const limit = (declared: string | undefined, by: Limit<string> | undefined, order: string) =>
    declared === undefined
      ? []
      : [`${read} ${order} ${isRelative(declared) ? `${writer.bind(by)}(clock(run))` : literal(writer, declared)}`]
  const tests = [
    `typeof ${read} === "string"`,
    `typeof readDay(${read}) === "number"`,
    ...limit(node.from, from, '>='),
    ...limit(node.until, until, '<='),
  ]
  return { test: tests.join(' && ') }
})
