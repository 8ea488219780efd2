/** Instants, days, times and durations: RFC 3339 and ISO 8601 texts, and how declarations write them. */
import { readSpan } from '../terms/units.js'
import { instantFrom, instantShown, offsetAt } from './zones.js'

const minute = 60_000
/** A day, in milliseconds. */
export const dayLength = 24 * 60 * minute

/** Why a text is no date or time: its form, or that there is none such. */
export type Unread = 'wrong_format' | 'unreal_date'

// Read by character codes and in small integers, without a regular expression or parts of the text: dates are on the
// hot path of most bodies. What cannot be read is one of two numbers that no day and no time reaches.
const noForm = 0x3fff_ffff
const notReal = 0x3fff_fffe
const unread = (code: number): Unread => (code === noForm ? 'wrong_format' : 'unreal_date')

/** The number in two digits; below zero where they are none. */
function two(text: string, at: number): number {
  const tens = text.charCodeAt(at) - 48
  const ones = text.charCodeAt(at + 1) - 48
  return tens >= 0 && tens <= 9 && ones >= 0 && ones <= 9 ? tens * 10 + ones : -1
}
const dash = 45
const colon = 58
const dot = 46
const comma = 44
const plus = 43
const isDigit = (code: number) => code >= 48 && code <= 57
/** `Z` or `z`, `T` or `t`. */
const isLetter = (code: number, letter: number) => code === letter || code === letter + 32

const isLeapYear = (year: number) => year % 4 === 0 && (year % 100 !== 0 || year % 400 === 0)
const monthLength = (year: number, month: number) =>
  month === 2 ? (isLeapYear(year) ? 29 : 28) : month === 4 || month === 6 || month === 9 || month === 11 ? 30 : 31

/** Reads an RFC 3339 full-date to milliseconds since 1970, at midnight UTC. */
export function readDay(text: string): number | Unread {
  const day = text.length === 10 ? dayIn(text) : noForm
  return day >= notReal ? unread(day) : day * dayLength
}

/** The days since 1970 of the date that a text begins with. */
function dayIn(text: string): number {
  const century = two(text, 0)
  const yearOfCentury = two(text, 2)
  const month = two(text, 5)
  const day = two(text, 8)
  if (
    century < 0 ||
    yearOfCentury < 0 ||
    month < 0 ||
    day < 0 ||
    text.charCodeAt(4) !== dash ||
    text.charCodeAt(7) !== dash
  )
    return noForm
  const year = century * 100 + yearOfCentury
  if (month < 1 || month > 12 || day < 1 || day > monthLength(year, month)) return notReal
  return daysSince1970(year, month, day)
}

/** Counts in years that begin in March, so that a leap day is the last of its year. */
function daysSince1970(year: number, month: number, day: number): number {
  // 400 years more, so that all that follows is above zero.
  const marchYear = (month > 2 ? year : year - 1) + 400
  const dayOfYear = (((153 * (month + (month > 2 ? -3 : 9)) + 2) / 5) | 0) + day - 1
  const leapDays = ((marchYear / 4) | 0) - ((marchYear / 100) | 0) + ((marchYear / 400) | 0)
  return marchYear * 365 + leapDays + dayOfYear - 719_468 - 146_097
}

/** Is added to a time that is a leap second. Its milliseconds are those of the second before. */
const leap = 0x2000_0000

/** Reads an RFC 3339 full-time to milliseconds since midnight UTC. */
export function readTime(text: string): number | Unread {
  const time = timeIn(text, 0)
  return time >= notReal ? unread(time) : time >= leap / 2 ? time - leap : time
}

function timeIn(text: string, at: number): number {
  const hour = two(text, at)
  const min = two(text, at + 3)
  const second = two(text, at + 6)
  if (hour < 0 || min < 0 || second < 0 || text.charCodeAt(at + 2) !== colon || text.charCodeAt(at + 5) !== colon)
    return noForm
  let end = at + 8
  let fraction = 0
  if (text.charCodeAt(end) === dot) {
    const start = ++end
    for (; isDigit(text.charCodeAt(end)); end++)
      if (end < start + 3) fraction = fraction * 10 + text.charCodeAt(end) - 48
    if (end === start) return noForm
    if (end < start + 3) fraction *= end === start + 1 ? 100 : 10
  }
  const offset = offsetIn(text, end)
  if (offset >= notReal) return offset
  if (hour > 23 || min > 59 || second > 60) return notReal
  const minutes = hour * 60 + min - offset
  if (second < 60) return minutes * minute + second * 1000 + fraction
  // Leap seconds end a day of UTC.
  return (minutes + 1) % 1440 === 0 ? minutes * minute + 59_000 + fraction + leap : notReal
}

/** The minutes of an offset from UTC, which ends the text. */
function offsetIn(text: string, at: number): number {
  const sign = text.charCodeAt(at)
  if (isLetter(sign, 90)) return text.length === at + 1 ? 0 : noForm
  const hours = two(text, at + 1)
  const minutes = two(text, at + 4)
  if (
    (sign !== plus && sign !== dash) ||
    hours < 0 ||
    minutes < 0 ||
    text.charCodeAt(at + 3) !== colon ||
    text.length !== at + 6
  )
    return noForm
  if (hours > 23 || minutes > 59) return notReal
  return (sign === dash ? -1 : 1) * (hours * 60 + minutes)
}

/**
 * Reads an RFC 3339 date-time (section 5.6) to milliseconds since 1970; digits beyond the millisecond are cut off.
 * A leap second is read as the last second before it; there are leap seconds at the end of months alone.
 */
export function readInstant(text: string): number | Unread {
  if (!isLetter(text.charCodeAt(10), 84)) return 'wrong_format'
  const day = dayIn(text)
  const time = timeIn(text, 11)
  if (day >= notReal || time >= notReal)
    return unread(day === noForm ? day : time >= notReal && (time === noForm || day < notReal) ? time : day)
  if (time < leap / 2) return day * dayLength + time
  const instant = day * dayLength + time - leap
  return new Date(instant + minute).getUTCDate() === 1 ? instant : 'unreal_date'
}

const localTime = /^(\d\d):(\d\d)(?::(\d\d)(?:\.(\d+))?)?$/

/**
 * Reads a date-time as `readInstant` does, or one without an offset in the zone, to the minute at least: the first of
 * two instants that its clocks show so; `unreal_date` where they skip it.
 */
export function readInstantIn(text: string, zone: string): number | Unread {
  const found = isLetter(text.charCodeAt(10), 84) ? localTime.exec(text.slice(11)) : null
  if (!found) return readInstant(text)
  const day = dayIn(text)
  if (day >= notReal) return unread(day)
  const [, hour, min, second = 0, fraction = ''] = found
  if (Number(hour) > 23 || Number(min) > 59 || Number(second) > 59) return 'unreal_date'
  const seconds = Number(hour) * 3600 + Number(min) * 60 + Number(second)
  const shown = day * dayLength + seconds * 1000 + Number(fraction.slice(0, 3).padEnd(3, '0'))
  return instantShown(zone, shown) ?? 'unreal_date'
}

/** Reads a time of a day, `HH:MM` or `HH:MM:SS`, to milliseconds since midnight. */
export function readTimeOfDay(text: string): number | Unread {
  const hour = two(text, 0)
  const min = two(text, 3)
  const second = text.length === 5 ? 0 : two(text, 6)
  const hasForm =
    (text.length === 5 || (text.length === 8 && text.charCodeAt(5) === colon)) && text.charCodeAt(2) === colon
  if (!hasForm || hour < 0 || min < 0 || second < 0) return 'wrong_format'
  if (hour > 23 || min > 59 || second > 59) return 'unreal_date'
  return (hour * 60 + min) * minute + second * 1000
}

/** A time of a day in its one form, `HH:MM:SS`. */
export const writeTimeOfDay = (text: string): string => (text.length === 5 ? `${text}:00` : text)

/** An instant as its RFC 3339 text in UTC, with a fraction only if it has one. */
export const writeInstant = (instant: Date): string =>
  // A reader of one's own may make a Date that is none.
  Number.isNaN(instant.getTime()) ? 'no date' : instant.toISOString().replace('.000Z', 'Z')

const isoDuration = /^P(?:(\d+)W|(?:(\d+)D)?(?:T(?=\d)(?:(\d+)H)?(?:(\d+)M)?(?:(\d+(?:[.,]\d+)?)S)?)?)$/

/** Reads an ISO 8601 duration of weeks, or of days, hours, minutes and seconds, to milliseconds. */
export function readDuration(text: string): number | undefined {
  return text.length > 15 ? readLongDuration(text) : readShortDuration(text)
}

/** The units of a duration by their letters, in their order: before the `T`, and behind it. */
const units = [
  [68, 24 * 60 * minute],
  [72, 60 * minute],
  [77, minute],
  [83, 1000],
] as const

/** Few digits are whole numbers that need no other reading. */
function readShortDuration(text: string): number | undefined {
  const { length } = text
  if (length < 3 || text.charCodeAt(0) !== 80) return undefined
  let milliseconds = 0
  let rank = 0
  let at = 1
  while (at < length) {
    if (text.charCodeAt(at) === 84) {
      if (rank > 1 || ++at === length) return undefined
      rank = 2
    }
    const start = at
    let count = 0
    for (; isDigit(text.charCodeAt(at)); at++) count = count * 10 + text.charCodeAt(at) - 48
    if (at === start) return undefined
    const mark = text.charCodeAt(at)
    const hasFraction = mark === dot || mark === comma
    if (hasFraction) {
      const from = ++at
      while (isDigit(text.charCodeAt(at))) at++
      if (at === from || text.charCodeAt(at) !== 83) return undefined
      count = Number(text.slice(start, at).replace(',', '.'))
    }
    const unit = text.charCodeAt(at++)
    // Weeks stand alone.
    if (unit === 87) return start === 1 && at === length ? count * 7 * dayLength : undefined
    const index = units.findIndex(([letter]) => letter === unit)
    const next = index === 0 ? 1 : index + 2
    if (index < 0 || next <= rank || (index > 0 && rank < 2)) return undefined
    rank = next
    milliseconds += unit === 83 ? Math.round(count * 1000) : count * (units[index] as (typeof units)[number])[1]
  }
  return milliseconds
}

function readLongDuration(text: string): number | undefined {
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

/** A declared limit that counts from now: `+36h`, `-15m`; in calendar days, months and years `+2d`, `-6mo`, `-18y`. */
const calendar = /^([+-])(\d{1,5})(d|mo|y)$/
export const isRelative = (limit: unknown): boolean => /^[+-]/.test(String(limit))

/** So many months later; a day that its month lacks is that month's last. */
export function monthsLater(time: number, months: number): number {
  const date = new Date(time)
  const day = date.getUTCDate()
  date.setUTCDate(1)
  date.setUTCMonth(date.getUTCMonth() + months)
  date.setUTCDate(Math.min(day, monthLength(date.getUTCFullYear(), date.getUTCMonth() + 1)))
  return date.getTime()
}

/** So many months of a calendar limit; `undefined` if it is none. */
function monthsOf(limit: string): number | undefined {
  const [, sign, count, unit] = calendar.exec(limit) ?? []
  if (unit === undefined || unit === 'd') return undefined
  return (sign === '-' ? -1 : 1) * Number(count) * (unit === 'y' ? 12 : 1)
}

/**
 * A declared moment in milliseconds since 1970; `+36h` and `-15m` count from `now`, `+6mo` and `-18y` by the calendar of
 * `zone`. NaN where it is none.
 */
export function readMoment(moment: string | Date, now: number, zone = 'UTC'): number {
  if (typeof moment !== 'string') return moment.getTime()
  const months = monthsOf(moment)
  if (months !== undefined) return instantFrom(zone, monthsLater(now + offsetAt(zone, now), months))
  if (isRelative(moment)) return now + (moment.startsWith('-') ? -1 : 1) * readSpan(moment.slice(1))
  return Number(readInstant(moment))
}

/** The first day of the year 0000, and the last of 9999. */
export const firstDay = -62_167_219_200_000
export const lastDay = 253_402_214_400_000

/**
 * A declared day as its text; `+2d`, `-6mo` and `+1y` count from the day that `now` is in `zone`. `undefined` if it is
 * none.
 */
export function readDeclaredDay(declared: string, now: number, zone = 'UTC'): string | undefined {
  const [, sign, count] = calendar.exec(declared) ?? []
  if (count === undefined) return typeof readDay(declared) === 'number' ? declared : undefined
  const today = Math.floor((now + offsetAt(zone, now)) / dayLength) * dayLength
  const months = monthsOf(declared)
  const days = months === undefined ? (sign === '-' ? -1 : 1) * Number(count) : 0
  const time = monthsLater(today, months ?? 0) + days * dayLength
  return new Date(Math.max(firstDay, Math.min(lastDay, time))).toISOString().slice(0, 10)
}

/** What depends on the clock alone: worked out again when it has moved. */
export function byClock<T>(work: (now: number) => T): (now: number) => T {
  let last: { readonly now: number; readonly made: T } | undefined
  return (now) => {
    if (last?.now !== now) last = { now, made: work(now) }
    return last.made
  }
}
