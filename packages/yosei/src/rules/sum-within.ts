/** The sum over a list, or the value itself, lies within limits. Blames the list. */

import { sumWords } from '../catalogue/english.js'
import { compareDecimals, isDecimal, productOf, sumOf } from '../grammar/numbers.js'
import { isSecret, shapesAt } from '../kinds/locate.js'
import { Phrase, Place, type Speech } from '../kinds/phrase.js'
import { quote } from '../kinds/quote.js'
import { literal } from '../kinds/scalar.js'
import { type Address, firstEach, formatAddress, lastEach, type Path, parseAddress, valueAt } from '../terms/address.js'
import type { Code } from '../terms/codes.js'
import type { Bounds } from '../terms/declared.js'
import {
  anAddress,
  bounds,
  eitherOf,
  merged,
  type Options,
  type OptionType,
  taken,
  withOptions,
} from '../terms/option-types.js'
import type { Parts } from '../terms/parts.js'
import { beside, blamedAt, concrete, declaredAt, faultOf, isNone, listsShared, pathOf, strays } from './input.js'
import { type Measure, toldAt } from './measure.js'
import {
  type Blame,
  blameOptions,
  type LooseBlame,
  type Rule,
  type RuleInService,
  type RuleOf,
  worded,
} from './rule.js'
import type { Terms } from './terms.js'

declare module './rule.js' {
  interface Rules {
    sumWithin: SumWithin
  }
}
/** A number, a decimal as a text, or the address of either. */
type SumLimit<A extends string> = number | bigint | `${number}` | A
interface SumLimits<A extends string> {
  atLeast?: SumLimit<A> | undefined
  atMost?: SumLimit<A> | undefined
  exactly?: SumLimit<A> | undefined
  /** What each value is multiplied by: an address in the same element. */
  times?: A | undefined
}
export interface SumWithinMaker<T> {
  /**
   * The sum over a list, or the value itself, lies within limits: exact for integers, big integers and decimals. Blames
   * the list. An element that lacks the value, or its `times`, adds nothing.
   *
   * @example
   * on.sumWithin('body.lines[].price', { times: 'body.lines[].quantity', exactly: 'body.total' })
   */
  sumWithin(address: Address<T>, limits: Bounds | SumLimits<Address<T>>, options?: Blame<T>): Rule
}
export interface SumWithin extends Rule {
  readonly rule: 'sumWithin'
  readonly address: string
  readonly atLeast?: SumLimit<string>
  readonly atMost?: SumLimit<string>
  readonly exactly?: SumLimit<string>
  readonly times?: string
}

/** What is wrong with a sum, by the limit that it is held to. */
const limits = {
  atMost: { code: 'above_max', isWrong: (order: number) => order > 0 },
  atLeast: { code: 'below_min', isWrong: (order: number) => order < 0 },
  exactly: { code: 'unequal', isWrong: (order: number) => order !== 0 },
} as const satisfies { readonly [name: string]: { readonly code: Code; isWrong(order: number): boolean } }
type LimitName = keyof typeof limits
const limitNames = /* @__PURE__ */ Object.keys(limits) as readonly LimitName[]

const aLimit = taken('a number, a decimal as a text, or an address', "'body.total'", (value) =>
  typeof value === 'number' ? !Number.isNaN(value) : typeof value === 'bigint' || anAddress.takes(value),
)
const limitOptions: Options<SumLimits<string>> = { atMost: aLimit, atLeast: aLimit, exactly: aLimit, times: anAddress }

const someLimits: OptionType = /* @__PURE__ */ merged(withOptions(limitOptions), {
  what: 'limits',
  example: "{ atMost: 'body.most' }",
})

/** What a sum is, and what adds up to it, unless the place of the error says that: `body.lines[].price × quantity`. */
class Added extends Phrase {
  constructor(
    readonly factors: readonly Path[],
    readonly sum: unknown,
  ) {
    super()
  }
  words({ say, address }: Speech): string {
    const { factors, sum } = this
    if (factors.length === 1 && typeof factors[0]?.at(-1) === 'number') return say('sum.it', { sum })
    const [first = '', ...others] = factors.map(address)
    const record = first.slice(0, first.lastIndexOf('.') + 1)
    const rest = others.map((other) => (record !== '' && other.startsWith(record) ? other.slice(record.length) : other))
    return say('sum.added', { addresses: [first, ...rest].join(' × '), sum })
  }
}

/** The limits that are addresses. */
const others = (rule: Pick<SumWithin, LimitName>): readonly string[] =>
  limitNames.map((name) => rule[name]).filter(isAddress)
const isAddress = (limit: unknown): limit is string => typeof limit === 'string' && !isDecimal(limit)

/** The rule `sumWithin`, for `use`. */
export const sumWithin: RuleOf<SumWithin> = {
  words: sumWords,
  make(address: string, given: Bounds | SumLimits<string>, options: LooseBlame = {}) {
    const { atLeast, atMost, exactly, times } = Array.isArray(given)
      ? bounded(given as Bounds)
      : (given as SumLimits<string>)
    const held = {
      ...(atMost === undefined ? {} : { atMost }),
      ...(atLeast === undefined ? {} : { atLeast }),
      ...(exactly === undefined ? {} : { exactly }),
      ...(times === undefined ? {} : { times }),
    }
    const far = others(held)
    const { code = '', blames = [listOf(address, far)] } = options
    const reads = [...new Set([address, ...(times === undefined ? [] : [times]), ...far])]
    return { rule: 'sumWithin', code, address, ...held, reads, blames, ...worded(options) }
  },
  each: (rule) => (others(rule).length > 0 ? [rule.address, ...others(rule)] : []),
  waits: ({ address, times }) => (times === undefined ? [address] : [address, times]),
  elements: ({ address, times }) => (times === undefined ? [address] : [address, times]),
  judgesKnown: true,
  derives: false,
  names: ({ address }) => [address],
  judge(rule, { root, input, scope, isWrong, speaksOf }) {
    const isThere = (path: Path) => !isNone(valueAt(input, path))
    const at = (address: string) => pathOf(address, scope)
    // Of a single null nothing is known.
    const isNull = (address: string) => firstEach(at(address)) < 0 && !isThere(at(address))
    if (isNull(rule.address) || (rule.times !== undefined && isNull(rule.times))) return []
    const terms = concrete(input, at(rule.address))
      .filter((path) => speaksOf(path) !== false)
      .map((path) => (rule.times === undefined ? [path] : [path, beside(at(rule.times), path)]))
    const known = terms.filter((term) => term.every((path) => speaksOf(path) === true && !isWrong(path)))
    const isKnown =
      known.length === terms.length &&
      rule.reads.every((one) => unread(input, at(one), isWrong).every((path) => speaksOf(path) === false))
    const whole = known.filter((term) => term.every(isThere))
    // A sum of which not all is known may only be too great already.
    const judged = limitNames.filter((name) => rule[name] !== undefined && (isKnown || name === 'atMost'))
    const places = judged
      .flatMap((name) => (isAddress(rule[name]) ? [concrete(input, at(rule[name]))[0]] : []))
      .filter((path) => path !== undefined && isThere(path)) as readonly Path[]
    const odd = [...whole.flat(), ...places].filter((path) => decimalOf(valueAt(input, path)) === undefined)
    // A value may be multiplied by itself: report it once.
    const each = [...new Map(odd.map((path) => [JSON.stringify(path), path])).values()]
    if (each.length > 0) return each.map((path) => faultOf(rule, path, { code: 'wrong_type', variant: 'number' }))
    const decimalAt = (path: Path) => decimalOf(valueAt(input, path)) as string
    const sum = sumOf(whole.map((term) => term.map(decimalAt).reduce(productOf)))
    const isHidden = rule.reads.some((address) => isSecret(root, at(address)))
    const told = (decimal: string | undefined) => toldAt(root, declaredAt(rule.address, scope), decimal)
    const factors = [rule.address, ...(rule.times === undefined ? [] : [rule.times])].map(at)
    const added = isHidden ? {} : { sum: told(sum), added: new Added(factors, told(sum)) }
    return judged.flatMap((name) => {
      const given = rule[name]
      const far = isAddress(given) ? concrete(input, at(given))[0] : undefined
      // Of a limit that is null nothing is known.
      const limit = far ? (isThere(far) ? decimalAt(far) : undefined) : decimalOf(given)
      if (limit === undefined || !limits[name].isWrong(compareDecimals(sum, limit))) return []
      const rest = {
        code: rule.code || limits[name].code,
        saidAs: limits[name].code,
        variant: `sum${far ? 'Other' : ''}${isHidden ? 'Secret' : ''}`,
        limit: isHidden && far ? undefined : told(limit),
        about: { ...added, ...(far ? { other: new Place(far) } : {}) },
      }
      return rule.blames.flatMap((address) => blamedAt(input, at(address)).map((path) => faultOf(rule, path, rest)))
    })
  },
}

export const sumWithinInService: RuleInService<SumWithin> = {
  takes: [anAddress, eitherOf(bounds, someLimits), blameOptions],
  compares: false,
  mistake(rule, measuresOf) {
    const { address, times, reads } = rule
    if (limitNames.every((name) => rule[name] === undefined))
      return ['it has no limit', "Give { atMost: 100 }, { atLeast: 1 } or { exactly: 'body.total' }"]
    const fixed = (name: LimitName) => (isAddress(rule[name]) ? undefined : decimalOf(rule[name]))
    const [least, most] = [fixed('exactly') ?? fixed('atLeast'), fixed('atMost')]
    const isOver = (one: string | undefined, other: string | undefined) =>
      one !== undefined && other !== undefined && compareDecimals(one, other) > 0
    if (isOver(least, most) || isOver(fixed('atLeast'), fixed('exactly')))
      return ['no sum is within its limits', 'Give the lesser as atLeast, and exactly alone']
    const odd = reads.find((one) => {
      const measures = measuresOf(one)
      return measures.length > 0 && !measures.some((measure) => summed.includes(measure))
    })
    if (odd !== undefined) return [`${odd} holds no numbers`, 'Name fields of numbers']
    const isElsewhere = (one: string) => strays(parseAddress(one) ?? [], parseAddress(address) ?? [])
    if (times !== undefined && isElsewhere(times))
      return [`${times} is no one value for each ${address}`, 'Name a field of the same element']
    const lists = listsShared([address, ...others(rule)].map((one) => parseAddress(one) ?? [])).length
    const isMany = (one: string) => lastEach(parseAddress(one) ?? []) >= lists
    const limit = others(rule).find((one) => isElsewhere(one) || isMany(one))
    if (limit !== undefined)
      return [`${limit} is no one limit of the sum`, 'Name a field outside of lists, or of those around the sum']
    return undefined
  },
  code(rule, terms) {
    const { writer } = terms
    const { address, times } = rule
    const given = limitNames.filter((name) => rule[name] !== undefined)
    if (isDecimalSum(rule, terms)) return decimalCode(rule, terms)
    const areNumbers = rule.reads.every((one) => terms.sort(one) === 'number')
    const areExact = given.every((name) => isAddress(rule[name]) || Number.isSafeInteger(Number(rule[name])))
    const element = writer.name('e')
    const list = terms.elements(address)
    const single = list ? undefined : terms.value(address)
    const factor = times === undefined ? undefined : terms.elements(times)
    const [value, by] = [list?.of(element) ?? single, factor?.of(element)]
    const limits = given.map((name) => {
      const limit = rule[name]
      return isAddress(limit) ? terms.value(limit) : literal(writer, Number(limit))
    })
    const isPaired = times === undefined || (by !== undefined && list !== undefined && factor?.list === list.list)
    if (!areNumbers || !areExact || !isPaired || value === undefined || limits.includes(undefined)) return undefined
    const [sum, one, other] = [writer.name('s'), writer.name('v'), writer.name('v')]
    writer.line(`let ${sum} = 0`)
    writer.block(`for (const ${element} of ${list?.list ?? '[0]'}) {`, () => {
      writer.line(`const ${one} = ${value}${by === undefined ? '' : `, ${other} = ${by}`}`)
      writer.line(`if (${one} == null${by === undefined ? '' : ` || ${other} == null`}) continue`)
      writer.line(`${sum} += ${by === undefined ? one : `${one} * ${other}`}`)
      // What is no sum of whole numbers, halves and so on, or is beyond those that are exact, is added up as decimals.
      const factors = by === undefined ? [`${one} * ${fractions}`] : [one, other]
      const exact = [...factors, `${sum}${by === undefined ? ` * ${fractions}` : ''}`].map(
        (term) => `Number.isSafeInteger(${term})`,
      )
      writer.line(`if (!(${exact.join(' && ')})) { ${sum} = NaN; break }`)
    })
    const tests = given.map((name, at) => {
      const test = `${sum} ${operators[name]} ${limits[at]}`
      return isAddress(rule[name]) ? `(${limits[at]} == null || ${test})` : test
    })
    return `${sum} === ${sum} && ${tests.join(' && ')}`
  },
  sentence({ atLeast, atMost, exactly, times, blames }) {
    const which =
      exactly !== undefined ? 'Exactly' : atLeast === undefined ? 'Most' : atMost === undefined ? 'Least' : ''
    const variant = `sum${which}${times === undefined ? '' : 'Times'}` as const
    return { code: 'rule', variant, about: { least: atLeast, most: atMost, limit: exactly, other: times }, at: blames }
  },
}

const isDecimalSum = ({ address, times }: SumWithin, { root, path }: Terms): boolean =>
  shapesAt(root, path(address)).every(({ kind }) => kind === 'decimal') &&
  (times === undefined ||
    shapesAt(root, path(times)).every(({ kind }) => kind === 'decimal' || kind === 'integer' || kind === 'number'))

/** Decimals are added up as they are written. */
function decimalCode(rule: SumWithin, terms: Terms): string | undefined {
  const { writer } = terms
  const list = terms.elements(rule.address)
  const [element, sum] = [writer.name('e'), writer.name('s')]
  const value = list?.of(element)
  const names = limitNames.filter((name) => rule[name] !== undefined)
  const limits = names.map((name) => {
    const limit = rule[name]
    if (!isAddress(limit)) return quote(decimalOf(limit) ?? 'NaN')
    const isOne = shapesAt(terms.root, terms.path(limit)).every(({ kind }) => kind === 'decimal' || kind === 'integer')
    return isOne ? terms.value(limit) : undefined
  })
  if (!list || value === undefined || limits.includes(undefined) || limits.includes('"NaN"')) return undefined
  const factor = rule.times === undefined ? undefined : terms.elements(rule.times)
  const by = factor?.of(element)
  if (rule.times !== undefined && (by === undefined || factor?.list !== list.list)) return undefined
  const factors = by === undefined ? '' : `, ${list.list}.map((${element}) => ${by})`
  writer.line(`const ${sum} = decimalSum(${list.list}.map((${element}) => ${value})${factors})`)
  const compare = writer.bind(compareDecimals)
  const tests = names.map(
    (name, at) => `(${limits[at]} == null || ${compare}(${sum}, String(${limits[at]})) ${operators[name]} 0)`,
  )
  return `${sum} !== undefined && ${tests.join(' && ')}`
}

/** The places inside lists on a path that could not be read: what they hold is not known. */
function unread(input: Parts, path: Path, isWrong: (path: Path) => boolean): readonly Path[] {
  const each = firstEach(path)
  if (each < 0) return []
  const [list, rest] = [path.slice(0, each + 1), path.slice(each + 1)]
  const places = concrete(input, list)
  return places.length > 0
    ? places.flatMap((place) => unread(input, [...place, ...rest], isWrong))
    : valueAt(input, path.slice(0, each)) === undefined && isWrong(path.slice(0, each))
      ? [path]
      : []
}

/** Binary fractions of so many parts are exact. */
const fractions = 1024
const operators = { atMost: '<=', atLeast: '>=', exactly: '===' } as const

const summed: readonly Measure[] = ['number', 'duration', 'own']

const bounded = ([atLeast, atMost]: Bounds): SumLimits<string> => ({ atLeast, atMost })

/** The list that holds the values of an address and none of the limits, or the address itself. */
function listOf(address: string, limits: readonly string[]): string {
  const path = parseAddress(address) ?? []
  const shared = limits.length > 0 ? listsShared([path, ...limits.map((limit) => parseAddress(limit) ?? [])]).length : 0
  const each = firstEach(path, shared)
  return each < 0 ? address : formatAddress(path.slice(0, each))
}

/** The decimal text of a number; of a float the shortest that stands for it. `undefined` of anything else, and of what is infinite. */
function decimalOf(value: unknown): string | undefined {
  const text = typeof value === 'object' || typeof value === 'symbol' ? '' : String(value)
  return isDecimal(text) ? text : undefined
}
