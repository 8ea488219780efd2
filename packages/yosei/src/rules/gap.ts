/** How far one value lies behind another. Blames the second. */
import { gapWords, spanWords } from '../catalogue/english.js'
import { compareDecimals, isDecimal } from '../grammar/numbers.js'
import { monthsLater, readDay } from '../grammar/times.js'
import { isSecret } from '../kinds/locate.js'
import { Place } from '../kinds/phrase.js'
import { literal } from '../kinds/scalar.js'
import { type Address, type Path, parseAddress, valueAt } from '../terms/address.js'
import type { Span } from '../terms/declared.js'
import { anAddress, merged, type OptionType, oneOf, taken } from '../terms/option-types.js'
import { type Compared, isSame, mistakeOfPlaces } from './compare.js'
import {
  type Amount,
  AmountWords,
  amountOf,
  dated,
  distanceFrom,
  distanceOf,
  FarWords,
  lengths,
  timed,
  timeOf,
  type Unit,
  writeAmount,
} from './distance.js'
import { blamedAt, declaredAt, faultOf, isNone, listsShared, pathOf, strays } from './input.js'
import { givenIn, type Limits, limitNames, limitsSaid, namesGiven, operators } from './limits.js'
import { measuresAt, toldAt } from './measure.js'
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
/** A distance: of times a span such as `14d`, `6mo` or `1y`, of numbers a number; or the address of a number. */
type Distance<A extends string> = Span | `${number}${'mo' | 'y'}` | number | A
interface GapLimits<A extends string> {
  atLeast?: Distance<A> | undefined
  atMost?: Distance<A> | undefined
  exactly?: Distance<A> | undefined
  /** What a limit at an address counts: `d` for days. */
  in?: Unit | undefined
}
export interface GapMaker<T> {
  /**
   * The second value lies so far behind the first: instants, days, times and durations by a span, numbers by a number.
   * Months and years are those of the calendar (UTC): a month after 31 January is the last of February. Blames the second.
   *
   * @example
   * on.gap('body.from', 'body.until', { atLeast: '1d', atMost: '14d' })
   * on.gap('body.arrives', 'body.leaves', { exactly: 'body.nights', in: 'd' })
   */
  gap<const A extends Address<T>, const B extends Address<T>>(
    low: A,
    high: Compared<T, A, B>,
    limits: GapLimits<Address<T>> & Blame<T>,
  ): Rule
}
export interface Gap extends Rule {
  readonly rule: 'gap'
  readonly low: string
  readonly high: string
  readonly atLeast?: Distance<string>
  readonly atMost?: Distance<string>
  readonly exactly?: Distance<string>
  readonly in?: Unit
}
const isAddress = (limit: Distance<string> | undefined): limit is string =>
  limit !== undefined && amountOf(limit) === undefined
const others = (rule: Limits<Distance<string>>): readonly string[] =>
  limitNames.map((name) => rule[name]).filter(isAddress)

/** The rule `gap`, for `use`. */
export const gap: RuleOf<Gap> = {
  words: /* @__PURE__ */ merged(gapWords, spanWords),
  make(low: string, high: string, { code, blames = [high], ...rest }: LooseBlame & GapLimits<string> = {}) {
    const limits = { ...givenIn(rest), ...(rest.in === undefined ? {} : { in: rest.in }) }
    const reads = [...new Set([low, high, ...others(limits)])]
    return { rule: 'gap', code: code ?? '', low, high, ...limits, reads, blames, ...worded(rest) }
  },
  each({ reads }) {
    const [low = '', high = ''] = reads
    const depth = (address: string) => listsShared([parseAddress(address) ?? []]).length
    return [depth(high) > depth(low) ? high : low]
  },
  waits: ({ reads }) => reads.slice(0, 2),
  elements: none,
  judgesKnown: false,
  derives: false,
  names: none,
  judge(rule, { root, input, scope }) {
    const [low, high] = endsOf(rule).map((address) => pathOf(address, scope)) as [Path, Path]
    const [a, b] = [valueAt(input, low), valueAt(input, high)]
    if (isNone(a) || isNone(b)) return []
    const [lowDeclared, highDeclared] = endsOf(rule).map((address) => declaredAt(address, scope)) as [Path, Path]
    const measures = measuresAt(root, lowDeclared)
    const distance = distanceOf(a, b, measures)
    if (distance === undefined) return [faultOf(rule, high, { code: 'wrong_type' })]
    const isTime = measures.some((one) => timed.includes(one)) || a instanceof Date
    return namesGiven(rule).flatMap((name) => {
      const given = rule[name] as Distance<string>
      const far = isAddress(given) ? pathOf(given, scope) : undefined
      const count = far ? valueAt(input, far) : undefined
      // Of a limit that was not sent nothing is known.
      if (far && isNone(count)) return []
      const amount = far ? { count: Number(count), unit: rule.in } : (amountOf(given) as Amount)
      const limit = isTime
        ? String(distanceFrom(Number(timeOf(a, measures)), amount))
        : String(far ? count : amount.count)
      if (Number.isNaN(Number(count ?? 0)))
        return [faultOf(rule, far ?? high, { code: 'wrong_type', variant: 'number' })]
      // No calendar has so many months, before or after.
      const order = isDecimal(limit) ? compareDecimals(distance, limit) : amount.count < 0 ? 1 : -1
      if (name === 'atLeast' ? order >= 0 : name === 'atMost' ? order <= 0 : order === 0) return []
      const isHidden = rule.reads.some((address) => isSecret(root, pathOf(address, scope)))
      const code = order < 0 ? 'too_close' : 'too_far'
      const isExact = name === 'exactly'
      const told = isTime && amount.unit ? writeAmount(amount) : limit
      const rest = { code: rule.code || code, saidAs: code, limit: isHidden && far ? undefined : told }
      const said = new AmountWords(amount, far && new Place(far), isTime, isHidden)
      const variant = (side: '' | 'first' | 'neither') => variantOf(isExact, side, isTime, Number(limit) === 0 && !far)
      // The words follow from the side that is blamed.
      const saidOf = (path: Path) => {
        const about = { span: said, bound: said }
        if (isSame(path, high))
          return {
            variant: variant(''),
            about: { ...about, other: new Place(low), ...(isHidden ? {} : { value: toldAt(root, lowDeclared, a) }) },
            ...(isHidden ? {} : { sent: toldAt(root, highDeclared, b) }),
          }
        if (isSame(path, low))
          return {
            variant: variant('first'),
            about: { ...about, other: new Place(high), ...(isHidden ? {} : { value: toldAt(root, highDeclared, b) }) },
            ...(isHidden ? {} : { sent: toldAt(root, lowDeclared, a) }),
          }
        return { variant: variant('neither'), about: { ...about, first: new Place(low), other: new Place(high) } }
      }
      return rule.blames.flatMap((address) =>
        blamedAt(input, pathOf(address, scope)).map((path) => faultOf(rule, path, { ...rest, ...saidOf(path) })),
      )
    })
  },
}

const endsOf = ({ low, high }: Gap): readonly string[] => [low, high]

const aLimit: OptionType = /* @__PURE__ */ taken('a number, a span of time, or an address', "'14d'", (value) =>
  typeof value === 'number'
    ? !Number.isNaN(value)
    : anAddress.takes(value) && (amountOf(String(value)) !== undefined || !/^[\d.+-]/.test(String(value))),
)

export const gapInService: RuleInService<Gap> = {
  takes: [
    anAddress,
    anAddress,
    /* @__PURE__ */ merged(blameOptions, {
      atLeast: aLimit,
      atMost: aLimit,
      exactly: aLimit,
      in: /* @__PURE__ */ oneOf('s', 'm', 'h', 'd', 'mo', 'y'),
    }),
  ],
  compares: true,
  mistake(rule, measuresOf) {
    const wrong = mistakeOfPlaces({ ...rule, reads: endsOf(rule) })
    if (wrong) return wrong
    const { atLeast, atMost, exactly } = rule
    const limits = namesGiven(rule).map((name) => rule[name] as Distance<string>)
    if (limits.length === 0) return ['it has no limit', "Give { atLeast: '1d' }, { atMost: '14d' } or both"]
    const [least, most] = [atLeast, atMost].map((limit) => (limit === undefined ? undefined : amountOf(limit)))
    if (least && most && distanceFrom(0, least) > distanceFrom(0, most))
      return [`its atLeast ${atLeast} is more than its atMost ${atMost}`, 'Give the lesser as atLeast']
    if (exactly !== undefined && limits.length > 1)
      return ['exactly leaves no room for other limits', 'Give exactly alone']
    const far = others(rule)
    const stray = far.find((one) =>
      endsOf(rule).every((end) => strays(parseAddress(one) ?? [], parseAddress(end) ?? [])),
    )
    if (stray !== undefined)
      return [`${stray} is no one limit`, 'Name a field of the same element, or outside of lists']
    const odd = far.find((one) => !measuresOf(one).some((measure) => measure === 'number' || measure === 'own'))
    if (odd !== undefined) return [`${odd} holds no number`, 'Name a field of whole numbers']
    for (const address of endsOf(rule)) {
      const measures = measuresOf(address)
      const isTime = measures.some((one) => timed.includes(one))
      const isNumber = measures.includes('number')
      const units = limits.flatMap((limit) => (isAddress(limit) ? [rule.in] : [amountOf(limit)?.unit]))
      if (measures.length > 0 && !isTime && !isNumber && !measures.includes('own'))
        return [`${address} holds values that have no distance`, 'Name fields of numbers or times']
      if (isTime && isNumber)
        return [`${address} holds times and numbers, which one limit does not measure`, 'Name fields of one kind']
      if (isTime && far.length > 0 && rule.in === undefined)
        return [`it does not say what ${far[0]} counts`, "Add in: 'd' for days, or another unit"]
      if (isTime && units.includes(undefined))
        return [`${address} is a ${measures.join(' or ')}, whose distance is a span`, "Write '14d' or '36h'"]
      if (isNumber && units.some((unit) => unit !== undefined))
        return [`${address} is a number, whose distance is a number`, 'Write 14']
      if (isTime && units.some((unit) => unit === 'mo' || unit === 'y') && !measures.some((one) => dated.includes(one)))
        return [`${address} is a ${measures.join(' or ')}, which has no months`, 'Write a span of days or hours']
    }
    return undefined
  },
  code(rule, terms) {
    const { low, high } = rule
    const [a, b] = [terms.value(low), terms.value(high)]
    if (a === undefined || b === undefined) return undefined
    const sort = terms.sort(low)
    const sorts = [sort, terms.sort(high)]
    const { writer } = terms
    const measures = measuresAt(terms.root, terms.path(low))
    const isTime = sort !== 'number' || measures.includes('duration')
    const dates = [low, high].every((address) => measuresAt(terms.root, terms.path(address)).join() === 'date')
    const plain = (value: string) =>
      sort === 'instant' ? `${value}.getTime()` : dates ? `${writer.bind(readDay)}(${value})` : value
    if (sorts.some((one) => one !== sort) || !(sort === 'instant' || sort === 'number' || dates)) return undefined
    const distance = `(${plain(b)} - ${plain(a)})`
    const given = namesGiven(rule)
    const limits = given.map((name) => {
      const limit = rule[name] as Distance<string>
      const amount = amountOf(limit)
      const unit = amount ? amount.unit : rule.in
      const count = amount
        ? literal(writer, amount.count)
        : terms.sort(String(limit)) === 'number'
          ? terms.value(String(limit))
          : undefined
      if (count === undefined) return undefined
      const isCalendar = unit === 'mo' || unit === 'y'
      if (!isTime || unit === undefined || unit === 'ms') return { count, code: count }
      if (!isCalendar) return { count, code: `${count} * ${lengths[unit]}` }
      const months = unit === 'y' ? `12 * ${count}` : count
      return { count, code: `(${writer.bind(monthsLater)}(${plain(a)}, ${months}) - ${plain(a)})` }
    })
    const tests = given.map((name, at) => {
      const limit = limits[at]
      return limit && `(${limit.count} == null || ${distance} ${operators[name]} ${limit.code})`
    })
    if (tests.includes(undefined)) return undefined
    // Of what is no whole number, a difference is not exact.
    const all = [`Number.isSafeInteger(${distance})`, ...tests]
    return `${a} == null || ${b} == null || (${all.join(' && ')})`
  },
  sentence(rule) {
    const { low, high, atLeast, atMost, exactly, in: unit, blames } = rule
    const variant = `gap${limitsSaid(rule)}` as const
    const said = (limit: Distance<string> | undefined) => {
      if (limit === undefined) return undefined
      const amount = amountOf(limit)
      if (amount) return amount.unit === undefined ? amount.count : new AmountWords(amount, undefined, true)
      return unit === undefined ? limit : new FarWords(String(limit), unit)
    }
    const about = { first: low, other: high, least: said(atLeast), most: said(atMost), limit: said(exactly) }
    return { code: 'rule', variant, about, at: blames }
  },
}
/** `zeroFirstTime`: the first is blamed, both are times, and the limit is none. */
function variantOf(
  isExact: boolean,
  side: '' | 'first' | 'neither',
  isTime: boolean,
  isZero: boolean,
): string | undefined {
  const words = [isExact ? 'exact' : isZero ? 'zero' : '', side, isTime ? 'time' : ''].filter((word) => word !== '')
  const rest = words.slice(1).map((word) => word.charAt(0).toUpperCase() + word.slice(1))
  return words.length === 0 ? undefined : [words[0], ...rest].join('')
}
