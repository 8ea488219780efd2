/** Values of header fields that have a grammar of their own (RFC 9110). */

const months = ['Jan', 'Feb', 'Mar', 'Apr', 'May', 'Jun', 'Jul', 'Aug', 'Sep', 'Oct', 'Nov', 'Dec']
/** The three forms of an HTTP date. One expression, so that a page without them has nothing of it. */
const forms = /* @__PURE__ */ (() => {
  const short = 'Mon|Tue|Wed|Thu|Fri|Sat|Sun'
  const long = 'Monday|Tuesday|Wednesday|Thursday|Friday|Saturday|Sunday'
  const month = months.join('|')
  const clock = '(\\d\\d):(\\d\\d):(\\d\\d)'
  return {
    fixed: new RegExp(`^(?:${short}), (\\d\\d) (${month}) (\\d{4}) ${clock} GMT$`),
    obsolete: new RegExp(`^(?:${long}), (\\d\\d)-(${month})-(\\d\\d) ${clock} GMT$`),
    asctime: new RegExp(`^(?:${short}) (${month}) ((?:\\d| )\\d) ${clock} (\\d{4})$`),
  }
})()

/**
 * An HTTP date in milliseconds since 1970 (RFC 9110, section 5.6.7), in any of its three forms; `undefined` if it is none.
 * Two digits of a year mean the one that is at most fifty years ahead.
 */
export function readHttpDate(text: string, now = Date.now()): number | undefined {
  const [, day, name, year, ...time] = forms.fixed.exec(text) ?? forms.obsolete.exec(text) ?? []
  if (day !== undefined) return timeOf(yearOf(year as string, now), name as string, day, time)
  const [, monthName, dayOf, hours, minutes, seconds, fullYear] = forms.asctime.exec(text) ?? []
  return monthName === undefined
    ? undefined
    : timeOf(Number(fullYear), monthName, dayOf as string, [hours, minutes, seconds] as string[])
}
function yearOf(digits: string, now: number): number {
  if (digits.length === 4) return Number(digits)
  const latest = new Date(now).getUTCFullYear() + 50
  return latest - ((latest - Number(digits)) % 100)
}
function timeOf(
  year: number,
  month: string,
  day: string,
  [hours, minutes, seconds]: readonly string[],
): number | undefined {
  const [hour, minute, second] = [Number(hours), Number(minutes), Number(seconds)]
  // A leap second is the one before it.
  if (hour > 23 || minute > 59 || second > 60) return undefined
  const date = new Date(0)
  date.setUTCFullYear(year, months.indexOf(month), Number(day))
  if (date.getUTCDate() !== Number(day)) return undefined
  return date.setUTCHours(hour, minute, Math.min(59, second))
}
/** As senders must write it: `Sat, 01 Mar 2031 22:30:00 GMT`. */
export const writeHttpDate = (date: Date): string => date.toUTCString()

type Parse<T> = (text: string) => T | undefined
/** What a check has parsed last. */
let checked: { readonly parse: Parse<unknown>; readonly text: string; readonly found: unknown } | undefined
/** Whether a text can be parsed. */
export function canParse(parse: Parse<unknown>, text: string): boolean {
  const found = parse(text)
  checked = { parse, text, found }
  return found !== undefined
}
/** Parses a text that was checked: once, if that was just now. No two readings share what they give. */
export function parseChecked<T>(parse: Parse<T>, text: string): T | undefined {
  const known = checked
  checked = undefined
  return known?.parse === parse && known.text === text ? (known.found as T | undefined) : parse(text)
}

/** An entity tag (RFC 9110, section 8.8.3). */
export interface EntityTag {
  /** What stands between the quotes. */
  readonly tag: string
  /** Whether it is a weak validator: `W/"…"`. */
  readonly weak: boolean
}
/** `*`, or a list of entity tags (RFC 9110, sections 13.1.1 and 13.1.2); `undefined` if it is neither. */
export function readEntityTags(text: string): '*' | readonly EntityTag[] | undefined {
  if (text.trim() === '*') return '*'
  const tags: EntityTag[] = []
  oneTag.lastIndex = 0
  for (;;) {
    const found = oneTag.exec(text)
    if (!found) return undefined
    const [, weak, tag, end] = found
    if (tag !== undefined) tags.push({ tag, weak: weak !== undefined })
    if (end === '') return tags.length > 0 ? tags : undefined
  }
}
/** Blanks stand in one place each, so that a run of them is tried one way. */
const oneTag = /[\t ]*(?:(W\/)?"([\x21\x23-\x7e\x80-\xff]*)"[\t ]*)?(,|$)/y
export const writeEntityTags = (tags: '*' | readonly EntityTag[]): string =>
  tags === '*' ? '*' : tags.map(({ tag, weak }) => `${weak ? 'W/' : ''}"${tag}"`).join(', ')

/** Bytes of a range request (RFC 9110, section 14.1.2): from the first to the last, or to the end; or so many at the end. */
export type ByteRange =
  | {
      /** The first byte, from 0. */
      readonly first: number
      /** The last byte, itself included; to the end without it. */
      readonly last?: number
    }
  | {
      /** So many bytes at the end. */
      readonly suffix: number
    }
const rangeUnit = /^([!#-'*+.^`|~\w-]+)=([\t -~]+)$/
/** Greater numbers mean what is beyond each end (RFC 9110, section 14.1.1 warns of them). */
const countOf = (digits: string) => Math.min(Number(digits), Number.MAX_SAFE_INTEGER)
/** The ranges of a field `Range`; none of a unit that is not bytes, which is ignored; `undefined` if it is no such field. */
export function readByteRanges(text: string): readonly ByteRange[] | undefined {
  const [, unit, set = ''] = rangeUnit.exec(text) ?? []
  if (unit === undefined) return undefined
  if (unit.toLowerCase() !== 'bytes') return []
  const ranges: ByteRange[] = []
  oneRange.lastIndex = 0
  for (;;) {
    const [, from, to = '', end] = oneRange.exec(set) ?? []
    const [first, last] = [countOf(from ?? ''), countOf(to)]
    if (end === undefined || (from !== undefined && to !== '' ? from !== '' && last < first : from === ''))
      return undefined
    if (from !== undefined) ranges.push(from === '' ? { suffix: last } : to === '' ? { first } : { first, last })
    if (end === '') return ranges.length > 0 ? ranges : undefined
  }
}
/** Blanks stand in one place each, so that a run of them is tried one way. */
const oneRange = /[\t ]*(?:(\d*)-(\d*)[\t ]*)?(,|$)/y
/** Of no range there is no text: a unit that is none stands for it. */
export const writeByteRanges = (ranges: readonly ByteRange[]): string =>
  ranges.length === 0
    ? 'none=0'
    : `bytes=${ranges.map((one) => ('suffix' in one ? `-${one.suffix}` : `${one.first}-${one.last ?? ''}`)).join(',')}`
