/** How far one value lies behind another. Blames the second. */
import { gapWords } from '../catalogue/english.js'
import { compareDecimals, isDecimal, sumOf } from '../grammar/numbers.js'
import { readDay, readInstant, readTime, readTimeOfDay, writeDuration } from '../grammar/times.js'
import { isSecret } from '../kinds/locate.js'
import { Phrase, Place, type Speech } from '../kinds/phrase.js'
import { literal } from '../kinds/scalar.js'
import { type Address, type Path, parseAddress, valueAt } from '../terms/address.js'
import type { Span } from '../terms/declared.js'
import { aDistance, anAddress, merged } from '../terms/option-types.js'
import { readSpan } from '../terms/units.js'
import { type AlikeTo, isSame, mistakeOfPlaces } from './compare.js'
import { blamedAt, declaredAt, faultOf, isNone, listsShared, pathOf } from './input.js'
import { areTimes, type Measure, measuresAt, toldAt } from './measure.js'
import {
  type Blame,
  blameOptions,
  type LooseBlame,
  none,
  type Rule,
  type RuleInService,
  type RuleOf,
  worded,
} from './rule.js'

declare module './rule.js' {
  interface Rules {
    gap: Gap
  }
}
/** A distance: of times a span such as `14d`, of numbers a number. */
type Distance = Span | number
export interface GapMaker<T> {
  /**
   * The second value lies at least and at most so far behind the first: instants, days, times and durations by a span,
   * numbers by a number. Blames the second.
   *
   * @example
   * on.gap('body.from', 'body.until', { atLeast: '1d', atMost: '14d' })
   */
  gap<const A extends Address<T>>(
    low: A,
    high: AlikeTo<T, A>,
    limits: { atLeast?: Distance | undefined; atMost?: Distance | undefined } & Blame<T>,
  ): Rule
}
export interface Gap extends Rule {
  readonly rule: 'gap'
  readonly atLeast?: Distance
  readonly atMost?: Distance
}

/** The rule `gap`, for `use`. */
export const gap: RuleOf<Gap> = {
  words: gapWords,
  make(
    low: string,
    high: string,
    { atLeast, atMost, code, blames = [high], ...rest }: LooseBlame & { atLeast?: Distance; atMost?: Distance } = {},
  ) {
    const limits = { ...(atLeast === undefined ? {} : { atLeast }), ...(atMost === undefined ? {} : { atMost }) }
    return { rule: 'gap', code: code ?? '', ...limits, reads: [low, high], blames, ...worded(rest) }
  },
  each({ reads }) {
    const [low = '', high = ''] = reads
    const depth = (address: string) => listsShared([parseAddress(address) ?? []]).length
    return [depth(high) > depth(low) ? high : low]
  },
  waits: ({ reads }) => reads,
  elements: none,
  judgesKnown: false,
  derives: false,
  names: none,
  judge(rule, { root, input, scope }) {
    const [low, high] = rule.reads.map((address) => pathOf(address, scope)) as [Path, Path]
    const [a, b] = [valueAt(input, low), valueAt(input, high)]
    if (isNone(a) || isNone(b)) return []
    const [lowDeclared, highDeclared] = rule.reads.map((address) => declaredAt(address, scope)) as [Path, Path]
    const measures = measuresAt(root, lowDeclared)
    const distance = distanceOf(a, b, measures)
    if (distance === undefined) return [faultOf(rule, high, { code: 'wrong_type' })]
    const isTime = measures.some((one) => timed.includes(one)) || a instanceof Date
    const [least, most] = [rule.atLeast, rule.atMost].map((limit) =>
      limit === undefined ? undefined : String(isTime ? readSpan(String(limit)) : limit),
    )
    const isClose = least !== undefined && compareDecimals(distance, least) < 0
    if (!isClose && !(most !== undefined && compareDecimals(distance, most) > 0)) return []
    const limit = isClose ? least : most
    const isHidden = [low, high].some((path) => isSecret(root, path))
    const saidAs = isClose ? 'too_close' : 'too_far'
    const rest = { code: rule.code || saidAs, saidAs, limit: isTime ? writeDuration(Number(limit)) : limit }
    const span = isTime ? { span: new Milliseconds(Number(limit)) } : {}
    const variant = (side: '' | 'first' | 'neither') => variantOf(side, isTime, Number(limit) === 0)
    // The words follow from the side that is blamed.
    const saidOf = (path: Path) => {
      if (isSame(path, high))
        return {
          variant: variant(''),
          about: { ...span, other: new Place(low), ...(isHidden ? {} : { value: toldAt(root, lowDeclared, a) }) },
          ...(isHidden ? {} : { sent: toldAt(root, highDeclared, b) }),
        }
      if (isSame(path, low))
        return {
          variant: variant('first'),
          about: { ...span, other: new Place(high), ...(isHidden ? {} : { value: toldAt(root, highDeclared, b) }) },
          ...(isHidden ? {} : { sent: toldAt(root, lowDeclared, a) }),
        }
      return { variant: variant('neither'), about: { ...span, first: new Place(low), other: new Place(high) } }
    }
    return rule.blames.flatMap((address) =>
      blamedAt(input, pathOf(address, scope)).map((path) => faultOf(rule, path, { ...rest, ...saidOf(path) })),
    )
  },
}

export const gapInService: RuleInService<Gap> = {
  takes: [anAddress, anAddress, /* @__PURE__ */ merged(blameOptions, { atLeast: aDistance, atMost: aDistance })],
  compares: true,
  mistake(rule, measuresOf) {
    const wrong = mistakeOfPlaces(rule)
    if (wrong) return wrong
    const { reads, atLeast, atMost } = rule
    const limits = [atLeast, atMost].filter((limit) => limit !== undefined)
    if (limits.length === 0) return ['it has no limit', "Give { atLeast: '1d' }, { atMost: '14d' } or both"]
    if (atLeast !== undefined && atMost !== undefined && amountOfLimit(atLeast) > amountOfLimit(atMost))
      return [`its atLeast ${atLeast} is more than its atMost ${atMost}`, 'Give the lesser as atLeast']
    for (const address of reads) {
      const measures = measuresOf(address)
      const isTime = measures.some((one) => timed.includes(one))
      const isNumber = measures.includes('number')
      if (measures.length > 0 && !isTime && !isNumber && !measures.includes('own'))
        return [`${address} holds values that have no distance`, 'Name fields of numbers or times']
      if (isTime && isNumber)
        return [`${address} holds times and numbers, which one limit does not measure`, 'Name fields of one kind']
      if (isTime && limits.some((limit) => typeof limit === 'number'))
        return [`${address} is a ${measures.join(' or ')}, whose distance is a span`, "Write '14d' or '36h'"]
      if (isNumber && limits.some((limit) => typeof limit !== 'number'))
        return [`${address} is a number, whose distance is a number`, 'Write 14']
    }
    return undefined
  },
  code({ reads: [low = '', high = ''], atLeast, atMost }, terms) {
    const [a, b] = [terms.value(low), terms.value(high)]
    if (a === undefined || b === undefined) return undefined
    const sort = terms.sort(low)
    const sorts = [sort, terms.sort(high)]
    const isTime = sort !== 'number' || measuresAt(terms.root, terms.path(low)).includes('duration')
    const { writer } = terms
    const dates = [low, high].every((address) => measuresAt(terms.root, terms.path(address)).join() === 'date')
    const plain = (value: string) =>
      sort === 'instant' ? `${value}.getTime()` : dates ? `${writer.bind(readDay)}(${value})` : value
    if (sorts.some((one) => one !== sort) || !(sort === 'instant' || sort === 'number' || dates)) return undefined
    const limits = [atLeast, atMost].map((limit) =>
      limit === undefined ? undefined : isTime ? readSpan(String(limit)) : Number(limit),
    )
    const distance = `(${plain(b)} - ${plain(a)})`
    const tests = [
      // Of what is no whole number, a difference is not exact.
      `Number.isSafeInteger(${distance})`,
      ...(limits[0] === undefined ? [] : [`${distance} >= ${literal(writer, limits[0])}`]),
      ...(limits[1] === undefined ? [] : [`${distance} <= ${literal(writer, limits[1])}`]),
    ]
    return `${a} == null || ${b} == null || (${tests.join(' && ')})`
  },
  sentence({ reads: [low, high], atLeast, atMost, blames }) {
    const variant = atLeast === undefined ? 'gapMost' : atMost === undefined ? 'gapLeast' : 'gap'
    const [least, most] = [atLeast, atMost].map((limit) =>
      typeof limit === 'string' ? new Milliseconds(readSpan(limit)) : limit,
    )
    return { code: 'rule', variant, about: { first: low, other: high, least, most }, at: blames }
  },
}

const units = [
  ['d', 86_400_000],
  ['h', 3_600_000],
  ['m', 60_000],
  ['s', 1000],
] as const
/** A span of time: `14 days`, `1 hour 30 minutes`. */
class Milliseconds extends Phrase {
  constructor(readonly count: number) {
    super()
  }
  words({ say }: Speech): string {
    let rest = this.count
    const said = units.flatMap(([unit, length]) => {
      const count = unit === 's' ? rest / length : Math.floor(rest / length)
      rest -= count * length
      return count === 0 ? [] : [say(`span.${unit}`, { count: String(count) })]
    })
    return said.join(' ')
  }
}

/** `zeroFirstTime`: the first is blamed, both are times, and the limit is none. */
function variantOf(side: '' | 'first' | 'neither', isTime: boolean, isZero: boolean): string | undefined {
  const words = [isZero ? 'zero' : '', side, isTime ? 'time' : ''].filter((word) => word !== '')
  const rest = words.slice(1).map((word) => word.charAt(0).toUpperCase() + word.slice(1))
  return words.length === 0 ? undefined : [words[0], ...rest].join('')
}

const amountOfLimit = (limit: number | string): number => (typeof limit === 'number' ? limit : readSpan(limit))
const timed: readonly Measure[] = [...areTimes, 'duration']

/** The second without the first, as a decimal; of times in milliseconds. `undefined` if they have no distance. */
function distanceOf(a: unknown, b: unknown, measures: readonly Measure[]): string | undefined {
  const [low, high] = [a, b].map((value) => amountOf(value, measures))
  if (low === undefined || high === undefined) return undefined
  return sumOf([high, low.startsWith('-') ? low.slice(1) : `-${low}`])
}

function amountOf(value: unknown, measures: readonly Measure[]): string | undefined {
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
