/** How far values lie from each other: amounts of a unit, what they come to between times, and their words. */
import { isDecimal, negated, sumOf } from '../grammar/numbers.js'
import {
  dayLength,
  monthsLater,
  readDay,
  readInstant,
  readTime,
  readTimeOfDay,
  writeDuration,
} from '../grammar/times.js'
import { Phrase, type Place, type Speech } from '../kinds/phrase.js'
import { areTimes, type Measure } from './measure.js'

/** What a number at an address counts, between times. */
export type Unit = 's' | 'm' | 'h' | 'd' | 'mo' | 'y'
/** So much of a unit; of numbers, `undefined` stands for it. */
export interface Amount {
  readonly count: number
  readonly unit: Unit | 'ms' | undefined
}
/** An amount as it is declared; `undefined` of any other text. */
export function amountOf(limit: number | string): Amount | undefined {
  if (typeof limit === 'number') return { count: limit, unit: undefined }
  const [, count, unit] = /^(\d+(?:\.\d+)?)(ms|s|m|h|d|mo|y)$/.exec(limit) ?? []
  return unit === undefined ? undefined : { count: Number(count), unit: unit as Unit }
}
/** The length of a unit, in milliseconds. */
export const lengths = { d: dayLength, h: 3_600_000, m: 60_000, s: 1000 } as const
const unitNames = /* @__PURE__ */ Object.keys(lengths) as readonly (keyof typeof lengths)[]
/** A distance in words: `14 days`, `1 hour 30 minutes`, `6 months`; with the address that says how much it is. */
export class AmountWords extends Phrase {
  constructor(
    readonly amount: Amount,
    readonly place: Place | undefined,
    readonly isTime: boolean,
    readonly isHidden = false,
  ) {
    super()
  }
  words({ say, address }: Speech): string {
    const { count, unit } = this.amount
    if (this.place && this.isHidden) return address(this.place.path)
    const text =
      !this.isTime || unit === undefined
        ? String(count)
        : unit === 'mo' || unit === 'y'
          ? say(`span.${unit}`, { count: String(count) })
          : spanText(count * (unit === 'ms' ? 1 : lengths[unit]), say)
    return this.place ? `${address(this.place.path)} (${text})` : text
  }
}
/** As many of a unit as an address says: `body.nights days`. */
export class FarWords extends Phrase {
  constructor(
    readonly address: string,
    readonly unit: Unit,
  ) {
    super()
  }
  words({ say }: Speech): string {
    return say(`span.${this.unit}`, { count: this.address })
  }
}
function spanText(milliseconds: number, say: Speech['say']): string {
  let rest = milliseconds
  const said = unitNames.flatMap((unit) => {
    const length = lengths[unit]
    const count = unit === 's' ? rest / length : Math.floor(rest / length)
    rest -= count * length
    return count === 0 ? [] : [say(`span.${unit}`, { count: String(count) })]
  })
  return said.join(' ') || say('span.s', { count: '0' })
}
/** The same as a duration of ISO 8601. */
export const writeAmount = ({ count, unit }: Amount): string =>
  unit === 'mo' || unit === 'y'
    ? `P${count}${unit === 'y' ? 'Y' : 'M'}`
    : writeDuration(count * (unit === undefined || unit === 'ms' ? 1 : lengths[unit]))

/** How far behind a time so much lies, in milliseconds; of numbers the number itself. */
export function distanceFrom(time: number, { count, unit }: Amount): number {
  switch (unit) {
    case undefined:
    case 'ms':
      return count
    case 'mo':
    case 'y':
      return monthsLater(time, unit === 'y' ? 12 * count : count) - time
    case 's':
    case 'm':
    case 'h':
    case 'd':
      return count * lengths[unit]
  }
  return unit satisfies never
}

/** The measures that have months. */
export const dated: readonly Measure[] = ['date', 'instant']
export const timed: readonly Measure[] = [...areTimes, 'duration']

/** The second without the first, as a decimal; of times in milliseconds. `undefined` if they have no distance. */
export function distanceOf(a: unknown, b: unknown, measures: readonly Measure[]): string | undefined {
  const [low, high] = [a, b].map((value) => timeOf(value, measures))
  if (low === undefined || high === undefined) return undefined
  return sumOf([high, negated(low)])
}

/** A number as a decimal, a time in milliseconds; `undefined` of what is neither. */
export function timeOf(value: unknown, measures: readonly Measure[]): string | undefined {
  if (value instanceof Date) return String(value.getTime())
  if (typeof value === 'number' || typeof value === 'bigint')
    return isDecimal(String(value)) ? String(value) : undefined
  if (typeof value !== 'string') return undefined
  const read = measures.includes('date')
    ? readDay
    : measures.includes('instant')
      ? readInstant
      : measures.includes('time')
        ? readTime
        : measures.includes('time of day')
          ? readTimeOfDay
          : undefined
  if (!read) return isDecimal(value) ? value : undefined
  const time = read(value)
  return typeof time === 'number' ? String(time) : undefined
}
