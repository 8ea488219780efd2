/** Instants, days and durations: RFC 3339 and ISO 8601 texts, and how declarations write them. */

const date = /^(\d{4})-(\d\d)-(\d\d)$/
const time = /^(\d\d):(\d\d):(\d\d)(\.\d+)?(?:[Zz]|([+-])(\d\d):(\d\d))$/
const minute = 60_000
const dayLength = 24 * 60 * minute

/** Why a text is no date or time: its form, or that there is none such. */
export type Unread = 'wrong_format' | 'unreal_date'

const monthLengths = [31, 28, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31]
const isLeapYear = (year: number) => year % 4 === 0 && (year % 100 !== 0 || year % 400 === 0)

/** Reads an RFC 3339 full-date to milliseconds since 1970, at midnight UTC. */
export function readDay(text: string): number | Unread {
  const found = date.exec(text)
  if (!found) return 'wrong_format'
  const [year, month, day] = [Number(found[1]), Number(found[2]), Number(found[3])]
  const length = month === 2 && isLeapYear(year) ? 29 : monthLengths[month - 1]
  if (length === undefined || day < 1 || day > length) return 'unreal_date'
  return utc(year, month, day)
}

/** `Date.UTC`, which takes the years 0 to 99 for 1900 to 1999. */
const utc = (year: number, month: number, day: number) =>
  year > 99 ? Date.UTC(year, month - 1, day) : new Date(0).setUTCFullYear(year, month - 1, day)

/** Reads an RFC 3339 full-time to milliseconds since midnight UTC, and whether it is a leap second. */
export function readTime(text: string): { readonly milliseconds: number; readonly leap: boolean } | Unread {
  const found = time.exec(text)
  if (!found) return 'wrong_format'
  const [hour, min, second] = [Number(found[1]), Number(found[2]), Number(found[3])]
  const [offsetHour, offsetMinute] = [Number(found[6] ?? 0), Number(found[7] ?? 0)]
  if (hour > 23 || min > 59 || second > 60 || offsetHour > 23 || offsetMinute > 59) return 'unreal_date'
  const offset = (found[5] === '-' ? -1 : 1) * (offsetHour * 60 + offsetMinute)
  const minutes = hour * 60 + min - offset
  const leap = second === 60
  // Leap seconds end a day of UTC.
  if (leap && (((minutes + 1) % 1440) + 1440) % 1440 !== 0) return 'unreal_date'
  return { milliseconds: minutes * minute + (leap ? 59 : second) * 1000 + Math.floor(Number(`0${found[4] ?? ''}`) * 1000), leap }
}

/**
 * Reads an RFC 3339 date-time (section 5.6) to milliseconds since 1970; digits beyond the millisecond are cut off.
 * A leap second is read as the last second before it; there are leap seconds at the end of months alone.
 */
export function readInstant(text: string): number | Unread {
  if (text[10] !== 'T' && text[10] !== 't') return 'wrong_format'
  const day = readDay(text.slice(0, 10))
  const time = readTime(text.slice(11))
  if (day === 'wrong_format' || time === 'wrong_format') return 'wrong_format'
  if (typeof day === 'string' || typeof time === 'string') return 'unreal_date'
  const instant = day + time.milliseconds
  return time.leap && new Date(instant + minute).getUTCDate() !== 1 ? 'unreal_date' : instant
}

/** An instant as its RFC 3339 text in UTC, with a fraction only where it has one. */
export const writeInstant = (instant: Date): string => instant.toISOString().replace('.000Z', 'Z')

const isoDuration = /^P(?:(\d+)W|(?:(\d+)D)?(?:T(?=\d)(?:(\d+)H)?(?:(\d+)M)?(?:(\d+(?:[.,]\d+)?)S)?)?)$/

/** Reads an ISO 8601 duration of weeks, or of days, hours, minutes and seconds, to milliseconds. */
export function readDuration(text: string): number | undefined {
  const found = isoDuration.exec(text)
  if (!found || text === 'P') return undefined
  const [weeks = 0, days = 0, hours = 0, minutes = 0] = found.slice(1, 5).map((part) => Number(part ?? 0))
  const seconds = Number((found[5] ?? '0').replace(',', '.'))
  return (weeks * 7 + days) * dayLength + (hours * 60 + minutes) * minute + Math.round(seconds * 1000)
}

/** A number of milliseconds as an ISO 8601 duration. */
export function writeDuration(milliseconds: number): string {
  const days = Math.floor(milliseconds / dayLength)
  const hours = Math.floor((milliseconds % dayLength) / (60 * minute))
  const minutes = Math.floor((milliseconds % (60 * minute)) / minute)
  const seconds = (milliseconds % minute) / 1000
  const time = `${hours ? `${hours}H` : ''}${minutes ? `${minutes}M` : ''}${seconds ? `${seconds}S` : ''}`
  return days || time ? `P${days ? `${days}D` : ''}${time && `T${time}`}` : 'PT0S'
}

const units = { ms: 1, s: 1000, m: minute, h: 60 * minute, d: dayLength }

/** The milliseconds of a span as declarations write it (`36h`); NaN where it is none. */
export function readSpan(span: string): number {
  const found = /^(\d+(?:\.\d+)?)(ms|s|m|h|d)$/.exec(span)
  return found ? Number(found[1]) * units[found[2] as keyof typeof units] : Number.NaN
}

/** A declared moment in milliseconds since 1970; `+36h` and `-15m` count from `now`. NaN where it is none. */
export function readMoment(moment: string | Date, now: number): number {
  if (typeof moment !== 'string') return moment.getTime()
  if (/^[+-]/.test(moment)) return now + (moment.startsWith('-') ? -1 : 1) * readSpan(moment.slice(1))
  return Number(readInstant(moment))
}

/** A declared day as its text; `+2d` counts from the day that `now` is in `zone`. `undefined` where it is none. */
export function readDeclaredDay(declared: string, now: number, zone = 'UTC'): string | undefined {
  const days = /^([+-]\d+)d$/.exec(declared)?.[1]
  if (days === undefined) return typeof readDay(declared) === 'number' ? declared : undefined
  const parts = new Intl.DateTimeFormat('en', {
    timeZone: zone,
    calendar: 'iso8601',
    year: 'numeric',
    month: 'numeric',
    day: 'numeric',
  }).formatToParts(now)
  const part = (type: string) => Number(parts.find((one) => one.type === type)?.value)
  return new Date(utc(part('year'), part('month'), part('day')) + Number(days) * dayLength).toISOString().slice(0, 10)
}
