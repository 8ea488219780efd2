/** RFC 3339 date-times. */

const dateTime = /^(\d{4})-(\d\d)-(\d\d)[Tt](\d\d):(\d\d):(\d\d)(\.\d+)?(?:[Zz]|([+-])(\d\d):(\d\d))$/
const minute = 60_000

/** Days in a month of the Gregorian calendar. */
const daysIn = (year: number, month: number) => new Date(Date.UTC(2000 + (year % 400), month, 0)).getUTCDate()

/**
 * Reads an RFC 3339 date-time (section 5.6) to milliseconds since 1970; digits beyond the millisecond are cut off.
 * A leap second is read as the last second before it.
 *
 * @returns the code of the error where the text has another form, or names a date or time that does not exist.
 */
export function readInstant(text: string): number | 'wrong_format' | 'unreal_date' {
  const found = dateTime.exec(text)
  if (!found) return 'wrong_format'
  const [year, month, day, hour, min, second] = found.slice(1, 7).map(Number) as [number, number, number, number, number, number]
  const offset = (found[8] === '-' ? -1 : 1) * (Number(found[9] ?? 0) * 60 + Number(found[10] ?? 0))
  const real = month >= 1 && month <= 12 && day >= 1 && day <= daysIn(year, month) && hour <= 23 && min <= 59 && second <= 60
  if (!real || Number(found[9] ?? 0) > 23 || Number(found[10] ?? 0) > 59) return 'unreal_date'
  const date = new Date(0)
  date.setUTCFullYear(year, month - 1, day)
  date.setUTCHours(hour, min - offset, Math.min(second, 59), Math.floor(Number(`0${found[7] ?? ''}`) * 1000))
  // Leap seconds are put in at the end of a month, UTC (ITU-R TF.460).
  if (second === 60 && !(date.getUTCHours() === 23 && date.getUTCMinutes() === 59 && new Date(date.getTime() + minute).getUTCDate() === 1))
    return 'unreal_date'
  return date.getTime()
}

/** An instant as its RFC 3339 text in UTC, with a fraction only where it has one. */
export const writeInstant = (instant: Date): string => instant.toISOString().replace('.000Z', 'Z')

const units = { ms: 1, s: 1000, m: minute, h: 60 * minute, d: 24 * 60 * minute }

/** The milliseconds of a span as declarations write it (`36h`), or `undefined`. */
function readSpan(span: string): number | undefined {
  const found = /^(\d+(?:\.\d+)?)(ms|s|m|h|d)$/.exec(span)
  return found ? Number(found[1]) * units[found[2] as keyof typeof units] : undefined
}

/** A declared moment in milliseconds since 1970; `+36h` and `-15m` count from `now`. NaN where it is none. */
export function readMoment(moment: string | Date, now: number): number {
  if (typeof moment !== 'string') return moment.getTime()
  if (/^[+-]/.test(moment)) return now + (moment.startsWith('-') ? -1 : 1) * (readSpan(moment.slice(1)) ?? Number.NaN)
  const read = readInstant(moment)
  return typeof read === 'number' ? read : Number.NaN
}
