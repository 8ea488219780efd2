/** Which days a field of time can have. */
import type { FieldOutline } from '../../src/terms.ts'

/** Whether no moment of a day is within the limits of a field. */
export function isOutOfRange(day: string, field: FieldOutline, clock: Date): boolean {
  const [from, until] = [field['from'], field['until']].map((limit) => dayOf(limit, clock))
  return (from !== undefined && day < from) || (until !== undefined && day > until)
}

/** The day of a declared limit; of `+36h`, `-18y` and the like, counted from the clock. */
function dayOf(limit: unknown, clock: Date): string | undefined {
  if (typeof limit !== 'string') return undefined
  const [, sign, count = '', unit = ''] = /^([+-])(\d+(?:\.\d+)?)(ms|s|m|h|d|mo|y)$/.exec(limit) ?? []
  if (sign === undefined) return /^\d{4}-\d\d-\d\d/.exec(limit)?.[0]
  const by = (sign === '-' ? -1 : 1) * Number(count)
  const date = new Date(clock)
  if (unit === 'mo' || unit === 'y') {
    const day = date.getUTCDate()
    date.setUTCDate(1)
    date.setUTCMonth(date.getUTCMonth() + by * (unit === 'y' ? 12 : 1))
    const last = new Date(Date.UTC(date.getUTCFullYear(), date.getUTCMonth() + 1, 0)).getUTCDate()
    date.setUTCDate(Math.min(day, last))
  } else date.setTime(date.getTime() + by * (lengths[unit] ?? 0))
  return Number.isNaN(date.getTime()) ? undefined : date.toISOString().slice(0, 10)
}
const lengths: { readonly [unit: string]: number } = { ms: 1, s: 1000, m: 60_000, h: 3_600_000, d: 86_400_000 }
