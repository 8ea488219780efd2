/** A calendar date `YYYY-MM-DD` (RFC 3339, full-date). Relative limits count days in `zone`. */
import { readDay, readDeclaredDay } from '../grammar/times.js'
import type { Declared } from '../terms/declared.js'
import { aDay, aName } from '../terms/taken.js'
import { isRelative } from './instant.js'
import { clock, type Run, tellSent } from './run.js'
import { checkOrder, scalar, scalarCode } from './scalar.js'

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

export const day = scalar<DayNode>({
  options: { from: aDay, until: aDay, zone: aName },
  check({ from, until, zone }, refuse) {
    try {
      new Intl.DateTimeFormat('en', { timeZone: zone })
    } catch {
      refuse(`"${zone}" is no time zone`, 'Give an IANA name such as Europe/Vienna', 'zone')
    }
    const [low, high] = [from, until].map((limit) =>
      limit === undefined
        ? undefined
        : (readDeclaredDay(limit, 0) ??
          refuse(`"${limit}" is no day`, 'Write it as 2031-03-01, or from today as +2d or -7d')),
    )
    if (low !== undefined && high !== undefined && isRelative(from) === isRelative(until))
      checkOrder(from, until, low > high, refuse)
  },
  readScalar: read,
})

function read(node: DayNode, value: unknown, run: Run): string | undefined {
  if (typeof value !== 'string') return tellSent(run, node, 'wrong_type', value)
  const read = readDay(value)
  if (typeof read === 'string') return tellSent(run, node, read, value)
  const { from, until } = node
  if (from !== undefined) {
    const limit = readDeclaredDay(from, clock(run), node.zone) as string
    if (value < limit) tellSent(run, node, 'too_early', value, limit)
  }
  if (until !== undefined) {
    const limit = readDeclaredDay(until, clock(run), node.zone) as string
    if (value > limit) tellSent(run, node, 'too_late', value, limit)
  }
  return value
}

export const dayCode = scalarCode<DayNode>((_, { from, until }, read) =>
  from === undefined && until === undefined
    ? { test: `typeof ${read} === "string" && typeof readDay(${read}) === "number"` }
    : {},
)
