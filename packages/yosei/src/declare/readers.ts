/** Fields that read what HTTP and lists of names write in a way of their own. */

import { bringFormats, byteRangesFormat, entityTagsFormat, httpDateFormat } from '../grammar/formats.js'
import {
  type ByteRange,
  type EntityTag,
  parseChecked,
  readByteRanges,
  readEntityTags,
  readHttpDate,
  writeByteRanges,
  writeEntityTags,
  writeHttpDate,
} from '../grammar/http.js'
import { totalReaders } from '../kinds/read-as.js'
import type { Asking } from '../terms/asking.js'
import { canonical, made } from '../terms/canonical.js'
import { mistake } from '../terms/mistake.js'
import type { Common, Field, NeedOf, Null } from '../terms/types.js'
import { choice, integer, list, readAs, text } from './fields.js'

/** Reads on from what a field has read, whatever that is; null stays. How the types follow from the options, the builders say. */
const further = <S, T>(
  base: Field,
  read: (sent: S, asking: Asking) => T | undefined,
  code: string,
  write: (value: T) => unknown,
  /** What makes it the same as another; if it is left out, its data. */
  key: (value: T) => string = canonical,
): never => {
  const reader = (sent: unknown, asking: Asking) => (sent === null ? null : read(sent as S, asking)) as never
  totalReaders.add(reader)
  return readAs(base, reader, {
    code,
    write: (value: T) => (value === null ? null : write(value)),
    key: key === canonical ? key : (value: T) => (value === null ? 'null' : key(value)),
  } as never) as never
}

/** Whether the year of an HTTP date has two digits, so that the clock says which it is: only that form is so long. */
const hasTwoDigits = (date: string): boolean => date.length > 'Sat, 01 Mar 2031 22:30:00 GMT'.length

/**
 * A date and time as HTTP writes it (RFC 9110, section 5.6.7), in any of its three forms: read to a Date.
 *
 * @example
 * endpoint('GET /notes', { header: { 'if-modified-since': httpDate({ optional: true }) } })
 */
export function httpDate<const O extends Common<string> = {}>(
  options?: O & Common<string>,
): Field<Date | Null<O>, string | Null<O>, NeedOf<O>> {
  bringFormats({ 'http-date': httpDateFormat })
  const base = text({ ...options, format: 'http-date' } as Common<string>)
  const read = (sent: string, asking: Asking) =>
    new Date(Number(hasTwoDigits(sent) ? readHttpDate(sent, asking.now.getTime()) : parseChecked(readHttpDate, sent)))
  return further(base, read, 'wrong_format', writeHttpDate)
}

/** What `epoch()` counts. */
export interface EpochOptions extends Common<number> {
  /** Seconds or milliseconds since 1970. */
  unit: 's' | 'ms'
}

/**
 * A moment as a whole number of seconds or milliseconds since 1970 (UTC): read to a Date. Of the years 0 to 9999.
 *
 * @example
 * record({ expires: epoch({ unit: 's' }) })
 */
export function epoch<const O extends EpochOptions>(
  options: O & EpochOptions,
): Field<Date | Null<O>, number | Null<O>, NeedOf<O>> {
  const { unit, ...rest } = (options ?? {}) as EpochOptions
  if (unit !== 's' && unit !== 'ms')
    mistake('epoch()', 'it does not say what it counts', "Give { unit: 's' } or { unit: 'ms' }")
  const length = unit === 's' ? 1000 : 1
  const limits = { min: -62_167_219_200_000 / length, max: Math.floor(253_402_300_799_999 / length) }
  const write = (date: Date) => Math.floor(date.getTime() / length)
  return further(
    integer({ ...rest, ...limits } as Common<number>),
    (sent: number) => new Date(sent * length),
    'wrong_type',
    write,
  )
}

/**
 * `*`, or entity tags as If-Match and If-None-Match have them (RFC 9110, section 8.8.3).
 *
 * @example
 * endpoint('PUT /notes/{id}', { path: { id: text() }, header: { 'if-match': entityTags() } })
 */
export function entityTags<const O extends Common<string> = {}>(
  options?: O & Common<string>,
): Field<'*' | readonly EntityTag[] | Null<O>, string | Null<O>, NeedOf<O>> {
  bringFormats({ 'entity-tags': entityTagsFormat })
  const base = text({ ...options, format: 'entity-tags' } as Common<string>)
  return further(base, (sent: string) => parseChecked(readEntityTags, sent), 'wrong_format', writeEntityTags)
}

/**
 * The bytes that a field `Range` asks for (RFC 9110, section 14.2). Other units than bytes are ignored, as the section
 * says: they are read to an empty list. Whether a range can be met, only who knows the length can say.
 *
 * @example
 * endpoint('GET /files/{id}', { path: { id: text() }, header: { range: byteRanges({ optional: true }) } })
 */
export function byteRanges<const O extends Common<string> = {}>(
  options?: O & Common<string>,
): Field<readonly ByteRange[] | Null<O>, string | Null<O>, NeedOf<O>> {
  bringFormats({ 'byte-ranges': byteRangesFormat })
  const base = text({ ...options, format: 'byte-ranges' } as Common<string>)
  return further(base, (sent: string) => parseChecked(readByteRanges, sent), 'wrong_format', writeByteRanges)
}

/** By what a list is sorted, and which way. */
export interface SortKey<K extends string> {
  /** One of the names. */
  readonly key: K
  /** Whether the greatest comes first: `-opens`. */
  readonly descending: boolean
}

/**
 * By what to sort: `opens,-team`. A minus means descending. Each name once.
 *
 * @example
 * endpoint('GET /sessions', { query: { sort: sortKeys(['opens', 'team'], { optional: true }) } })
 */
export function sortKeys<const K extends string, const O extends Common<readonly SortKey<K>[]> = {}>(
  names: readonly K[],
  options?: O & Common<readonly SortKey<K>[]>,
): Field<SortKey<K>[] | Null<O>, string[] | Null<O>, NeedOf<O>> {
  const each = (Array.isArray(names) ? names : []).flatMap((key): [string, SortKey<string>][] =>
    [false, true].map((descending) => [`${descending ? '-' : ''}${key}`, made({ key, descending }, `#${key}`)]),
  )
  const keys = new Map(each)
  const one = further(
    choice(each.map(([text]) => text)),
    (sent: string) => keys.get(sent),
    'not_a_choice',
    ({ key, descending }: SortKey<string>) => `${descending ? '-' : ''}${key}`,
    ({ key }) => key,
  )
  return list(one, { explode: false, distinct: true, ...options } as {}) as never
}
