/** The sum over a list, or the value itself, lies within limits. Blames the list. */

import { groupWords, sumWords } from '../catalogue/english.js'
import { compareDecimals, isDecimal, negated, productOf, roundDecimal, sumOf } from '../grammar/numbers.js'
import { isSecret, shapesAt } from '../kinds/locate.js'
import { Phrase, Place, type Speech } from '../kinds/phrase.js'
import { quote } from '../kinds/quote.js'
import { literal } from '../kinds/scalar.js'
import { type Address, firstEach, lastEach, type Path, parseAddress, valueAt } from '../terms/address.js'
import type { Code } from '../terms/codes.js'
import type { Bounds, Size } from '../terms/declared.js'
import {
  listOf as aListOf,
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
import { readSize } from '../terms/units.js'
import { byGroup, deepest, eachBounded, type Group, gather, grouping, mistakeOfBy, ofGroup, valuesIn } from './by.js'
import { listBlamed } from './elements.js'
import {
  beside,
  blamedAt,
  concrete,
  declaredAt,
  faultOf,
  isNone,
  listsShared,
  pathOf,
  type RuleInput,
  strays,
} from './input.js'
import { givenIn, type LimitName, limitNames, limitsSaid, namesGiven, operators } from './limits.js'
import { type Measure, toldAt } from './measure.js'
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
import type { Terms } from './terms.js'

declare module './rule.js' {
  interface Rules {
    sumWithin: SumWithin
  }
}
/** A number, a decimal as a text, a size of files, or the address of a number. */
type SumLimit<A extends string> = number | bigint | `${number}` | Size | A
/** What is added: a value, those of a list, or the product of several. */
type SumTerm<A extends string> = A | readonly A[]
interface SumLimits<A extends string> {
  atLeast?: SumLimit<A> | undefined
  atMost?: SumLimit<A> | undefined
  exactly?: SumLimit<A> | undefined
  /** What each value is multiplied by: an address in the same element. */
  times?: A | undefined
  /** What is taken away. */
  less?: readonly SumTerm<A>[] | undefined
  /** Rounds each product to so many decimal places before it is added, half away from zero. */
  rounded?: number | undefined
  /**
   * Elements that share these values are added up among themselves, whichever list they are in. Those that lack one are
   * one group. An address with `[]` at its end: each of those elements alone.
   */
  by?: readonly A[] | undefined
}
export interface SumWithinMaker<T> {
  /**
   * A sum lies within limits: of a list, or of several terms, each an address or a product of addresses. Exact for
   * integers, big integers and decimals. Blames the list, or the first term. What was not sent adds nothing.
   *
   * @example
   * on.sumWithin('body.lines[].price', { times: 'body.lines[].quantity', exactly: 'body.total' })
   * on.sumWithin(['body.subtotal', ['body.fee', 'body.count']], { less: ['body.discount'], exactly: 'body.total' })
   */
  sumWithin(
    terms: Address<T> | readonly SumTerm<Address<T>>[],
    limits: Bounds | SumLimits<Address<T>>,
    options?: Blame<T>,
  ): Rule
}
export interface SumWithin extends Rule {
  readonly rule: 'sumWithin'
  readonly terms: readonly Term[]
  readonly atLeast?: SumLimit<string>
  readonly atMost?: SumLimit<string>
  readonly exactly?: SumLimit<string>
  readonly rounded?: number
  readonly by?: readonly string[]
}
/** What is added, or taken away: the product of what is at these addresses. */
export interface Term {
  readonly factors: readonly string[]
  readonly isLess: boolean
}

/** What is wrong with a sum, by the limit that it is held to. */
const limits = {
  atMost: { code: 'above_max', isWrong: (order: number) => order > 0 },
  atLeast: { code: 'below_min', isWrong: (order: number) => order < 0 },
  exactly: { code: 'unequal', isWrong: (order: number) => order !== 0 },
} as const satisfies { readonly [N in LimitName]: { readonly code: Code; isWrong(order: number): boolean } }

const aLimit = taken('a number, a decimal as a text, a size, or an address', "'body.total'", (value) =>
  typeof value === 'number'
    ? !Number.isNaN(value)
    : typeof value === 'bigint' || isSize(value) || anAddress.takes(value),
)
const someTerms: OptionType = /* @__PURE__ */ taken(
  'a list of addresses, and of lists of those that are multiplied',
  "['body.subtotal', ['body.fee', 'body.count']]",
  (value) => Array.isArray(value) && value.length > 0 && value.every((one) => anAddress.takes(one) || isProduct(one)),
)
const isProduct = (value: unknown) => Array.isArray(value) && value.length > 0 && value.every(anAddress.takes)
const limitOptions: Options<SumLimits<string>> = {
  atMost: aLimit,
  atLeast: aLimit,
  exactly: aLimit,
  times: anAddress,
  less: someTerms,
  rounded: /* @__PURE__ */ taken(
    'a number of decimal places, from 0 to 20',
    '2',
    (value) => Number.isInteger(value) && Number(value) >= 0 && Number(value) <= 20,
  ),
  by: /* @__PURE__ */ aListOf(anAddress),
}

const someLimits: OptionType = /* @__PURE__ */ merged(withOptions(limitOptions), {
  what: 'limits',
  example: "{ atMost: 'body.most' }",
})

/** What a sum is, and what adds up to it, unless the place of the error says that: `body.lines[].price × quantity`. */
class Added extends Phrase {
  constructor(
    readonly terms: readonly { readonly factors: readonly Path[]; readonly isLess: boolean }[],
    readonly sum: unknown,
  ) {
    super()
  }
  words({ say, address }: Speech): string {
    const { terms, sum } = this
    const [{ factors = [] } = {}] = terms
    const isOne = terms.length === 1 && factors.length === 1 && typeof factors[0]?.at(-1) === 'number'
    return isOne ? say('sum.it', { sum }) : say('sum.added', { addresses: writtenTerms(terms, address), sum })
  }
}

function writtenTerms<P>(
  terms: readonly { readonly factors: readonly P[]; readonly isLess: boolean }[],
  address: (factor: P) => string,
): string {
  return terms
    .map(({ factors, isLess }, at) => {
      const [first = '', ...others] = factors.map(address)
      const record = first.slice(0, first.lastIndexOf('.') + 1)
      const rest = others.map((other) =>
        record !== '' && other.startsWith(record) ? other.slice(record.length) : other,
      )
      return `${isLess ? (at === 0 ? '−' : ' − ') : at === 0 ? '' : ' + '}${[first, ...rest].join(' × ')}`
    })
    .join('')
}

/** The limits that are addresses. */
const others = (rule: Pick<SumWithin, LimitName>): readonly string[] =>
  limitNames.map((name) => rule[name]).filter(isAddress)
const isSize = (limit: unknown): limit is string => typeof limit === 'string' && !Number.isNaN(readSize(limit))
const isAddress = (limit: unknown): limit is string => typeof limit === 'string' && !isDecimal(limit) && !isSize(limit)
/** A limit that is no address. */
const fixedOf = (limit: unknown) => decimalOf(isSize(limit) ? readSize(limit) : limit)

const addressesOf = ({ terms }: Pick<SumWithin, 'terms'>): readonly string[] => terms.flatMap(({ factors }) => factors)
/** The factor that goes through most lists: the others lie beside it, or outside. */
const leadOf = ({ factors }: Term): string => deepest(factors)
const firstOf = ({ terms }: Pick<SumWithin, 'terms'>): string => terms[0]?.factors[0] as string

/** What the terms of a call are: a single address, or a list of addresses and products. */
const termsOf = (given: string | readonly SumTerm<string>[], isLess: boolean): readonly Term[] =>
  (typeof given === 'string' ? [given] : given).map((one) => ({
    factors: typeof one === 'string' ? [one] : one,
    isLess,
  }))

/** The rule `sumWithin`, for `use`. */
export const sumWithin: RuleOf<SumWithin> = {
  words: /* @__PURE__ */ merged(sumWords, groupWords),
  make(given: string | readonly SumTerm<string>[], bounds: Bounds | SumLimits<string>, options: LooseBlame = {}) {
    const { atLeast, atMost, exactly, times, less, rounded, by } = Array.isArray(bounds)
      ? bounded(bounds as Bounds)
      : (bounds as SumLimits<string>)
    const added =
      times === undefined || typeof given !== 'string'
        ? termsOf(given, false)
        : [{ factors: [given, times], isLess: false }]
    const terms = [...added, ...termsOf(less ?? [], true)]
    const held = {
      ...givenIn({ atMost, atLeast, exactly }),
      ...(rounded === undefined ? {} : { rounded }),
      ...(by === undefined ? {} : { by }),
      // Reported as a mistake where the declaration is checked.
      ...(times !== undefined && typeof given !== 'string' ? { times } : {}),
    }
    const far = others(held)
    const first = firstOf({ terms })
    const { code = '', blames = [listBlamed(first, eachBounded(terms.map(leadOf), far, by))] } = options
    const reads = [...new Set([...addressesOf({ terms }), ...far, ...valuesIn(by)])]
    return { rule: 'sumWithin', code, terms, ...held, reads, blames, ...worded(options) }
  },
  each: (rule) => eachBounded(rule.terms.map(leadOf), others(rule), rule.by),
  waits: ({ terms: [first, ...more] }) => (first && more.length === 0 ? first.factors : none()),
  elements: (rule) => [...addressesOf(rule), ...valuesIn(rule.by)],
  judgesKnown: true,
  derives: false,
  names: (rule) => [firstOf(rule)],
  judge(rule, matter) {
    const { root, input, scope } = matter
    const at = (address: string) => pathOf(address, scope)
    const isThere = (path: Path) => !isNone(valueAt(input, path))
    const terms = rule.terms.map((term) => addendsOf(term, rule.by, matter))
    if (!terms.some((term) => term.isThere)) return []
    const [isKnown, isLessKnown] = [false, true].map((isLess) =>
      terms.every((term) => term.isLess !== isLess || term.isKnown),
    )
    // A sum of which not all is known may only be too great already; or too small, if less was taken away of it.
    const isSure = { atMost: isLessKnown, atLeast: isKnown, exactly: isKnown && isLessKnown }
    const judged = namesGiven(rule).filter((name) => isSure[name])
    const places = judged
      .flatMap((name) => (isAddress(rule[name]) ? [concrete(input, at(rule[name]))[0]] : []))
      .filter((path) => path !== undefined && isThere(path)) as readonly Path[]
    const addends = terms.flatMap((term) => term.addends)
    const odd = [...addends.flatMap(({ factors }) => factors), ...places].filter(
      (path) => decimalOf(valueAt(input, path)) === undefined,
    )
    // A value may be multiplied by itself: report it once.
    const each = [...new Map(odd.map((path) => [JSON.stringify(path), path])).values()]
    if (each.length > 0) return each.map((path) => faultOf(rule, path, { code: 'wrong_type', variant: 'number' }))
    const decimalAt = (path: Path) => decimalOf(valueAt(input, path)) as string
    const amountOf = ({ factors, isLess }: Addend) => {
      const product = factors.map(decimalAt).reduce(productOf)
      const amount = rule.rounded === undefined || factors.length === 1 ? product : roundDecimal(product, rule.rounded)
      return isLess ? negated(amount) : amount
    }
    const written = rule.terms.map(({ factors, isLess }) => ({ factors: factors.map(at), isLess }))
    const told = (decimal: string | undefined) => toldAt(root, declaredAt(firstOf(rule), scope), decimal)
    return byGroup(rule.by, addends).flatMap(({ group, elements }) => {
      const sum = sumOf(elements.map(amountOf))
      return judged.flatMap((name) => {
        const given = rule[name]
        const far = isAddress(given) ? concrete(input, at(given))[0] : undefined
        // Of a limit that is null nothing is known.
        const limit = far ? (isThere(far) ? decimalAt(far) : undefined) : fixedOf(given)
        if (limit === undefined || !limits[name].isWrong(compareDecimals(sum, limit))) return []
        const isHidden = rule.reads.some((address) => isSecret(root, at(address)))
        const added = isHidden ? {} : { sum: told(sum), added: ofGroup(group, new Added(written, told(sum))) }
        const rest = {
          code: rule.code || limits[name].code,
          saidAs: limits[name].code,
          variant: `sum${far ? 'Other' : ''}${isHidden ? 'Secret' : ''}`,
          limit: isHidden && far ? undefined : isSize(given) ? given : told(limit),
          about: { ...added, ...(far ? { other: new Place(far) } : {}) },
        }
        return rule.blames.flatMap((address) => blamedAt(input, at(address)).map((path) => faultOf(rule, path, rest)))
      })
    })
  },
}

/** One product of a term: the places of its factors, and the group that it is added in. */
interface Addend {
  readonly factors: readonly Path[]
  readonly isLess: boolean
  readonly group: Group
}

/** What a term adds, of what the rule speaks of and could be read. */
function addendsOf(term: Term, by: readonly string[] | undefined, matter: RuleInput) {
  const { input, scope, isWrong, speaksOf } = matter
  const isThere = (path: Path) => !isNone(valueAt(input, path))
  const paths = term.factors.map((address) => pathOf(address, scope))
  const lead = pathOf(leadOf(term), scope)
  const groupOf = grouping(by, matter)
  const all = concrete(input, lead)
    .filter((path) => speaksOf(path) !== false)
    .map((place) => ({ place, factors: paths.map((path) => beside(path, place)), group: groupOf(place) }))
  const known = all.filter(
    ({ factors, group }) => group && factors.every((path) => speaksOf(path) === true && !isWrong(path)),
  )
  return {
    isLess: term.isLess,
    // Of a single value that was not sent, or a list that was not, nothing is known.
    isThere: paths.every((path) => {
      const each = firstEach(path)
      return isThere(each < 0 ? path : path.slice(0, each + 1))
    }),
    isKnown:
      known.length === all.length &&
      paths.every((path) => unread(input, path, isWrong).every((one) => speaksOf(one) === false)),
    addends: known
      .filter(({ factors }) => factors.every(isThere))
      .map(({ factors, group }): Addend => ({ factors, isLess: term.isLess, group: group as Group })),
  }
}

export const sumWithinInService: RuleInService<SumWithin> = {
  takes: [eitherOf(anAddress, someTerms), eitherOf(bounds, someLimits), blameOptions],
  compares: false,
  mistake(rule, measuresOf) {
    const { terms, rounded, by } = rule
    if (namesGiven(rule).length === 0)
      return ['it has no limit', "Give { atMost: 100 }, { atLeast: 1 } or { exactly: 'body.total' }"]
    if ('times' in rule) return ['times belongs to no term', "Write the product as a term: ['body.fee', 'body.count']"]
    if (rounded !== undefined && terms.every(({ factors }) => factors.length === 1))
      return ['it rounds products, and has none', 'Take rounded away, or name a product']
    const fixed = (name: LimitName) => (isAddress(rule[name]) ? undefined : fixedOf(rule[name]))
    const [least, most] = [fixed('exactly') ?? fixed('atLeast'), fixed('atMost')]
    const isOver = (one: string | undefined, other: string | undefined) =>
      one !== undefined && other !== undefined && compareDecimals(one, other) > 0
    if (isOver(least, most) || isOver(fixed('atLeast'), fixed('exactly')))
      return ['no sum is within its limits', 'Give the lesser as atLeast, and exactly alone']
    const odd = [...addressesOf(rule), ...others(rule)].find((one) => {
      const measures = measuresOf(one)
      return measures.length > 0 && !measures.some((measure) => summed.includes(measure))
    })
    if (odd !== undefined) return [`${odd} holds no numbers`, 'Name fields of numbers']
    for (const term of terms) {
      const lead = leadOf(term)
      const stray = term.factors.find((one) => strays(parseAddress(one) ?? [], parseAddress(lead) ?? []))
      if (stray !== undefined) return [`${stray} is no one value for each ${lead}`, 'Name a field of the same element']
    }
    const leads = terms.map(leadOf)
    const lists = listsShared([...leads, ...others(rule)].map((one) => parseAddress(one) ?? [])).length
    const limit = others(rule).find((one) => lastEach(parseAddress(one) ?? []) >= lists)
    if (limit !== undefined)
      return [`${limit} is no one limit of the sum`, 'Name a field outside of lists, or of those around the sum']
    return mistakeOfBy(by, leads)
  },
  code(rule, terms) {
    const isDecimals = isDecimalSum(rule, terms)
    const { writer } = terms
    const given = namesGiven(rule)
    const limits = given.map((name) => {
      const limit = rule[name]
      if (isAddress(limit)) return isOfDecimals([limit], terms, isDecimals) ? terms.value(limit) : undefined
      return isDecimals
        ? quote(fixedOf(limit) ?? 'NaN')
        : Number.isSafeInteger(Number(fixedOf(limit)))
          ? literal(writer, Number(fixedOf(limit)))
          : undefined
    })
    const areNumbers = addressesOf(rule).every((one) => terms.sort(one) === 'number')
    if ((!isDecimals && (!areNumbers || rule.rounded !== undefined)) || limits.includes(undefined)) return undefined
    if (limits.includes('"NaN"')) return undefined
    const groups = gather(rule.by, isDecimals ? '{ texts: [], times: [] }' : '0', terms)
    for (const term of rule.terms) {
      const lead = leadOf(term)
      const isDone = terms.each(lead, (value, inside) => {
        const names = term.factors.map((one) => (one === lead ? value : inside.value(one)))
        if (names.includes(undefined)) return false
        const factors = (names as string[]).map((one) => {
          const name = writer.name('v')
          writer.line(`const ${name} = ${one}`)
          return name
        })
        return writer.block(`if (${factors.map((one) => `${one} != null`).join(' && ')}) {`, () =>
          groups.add(inside, (sum) =>
            writer.line(
              isDecimals ? pushCode(sum, factors, term.isLess, rule.rounded) : addCode(sum, factors, term.isLess),
            ),
          ),
        )
      })
      if (!isDone) return undefined
    }
    const tests = (sum: string) =>
      given.map((name, at) => {
        const test = isDecimals
          ? `${writer.bind(compareDecimals)}(${sum}, String(${limits[at]})) ${operators[name]} 0`
          : `${sum} ${operators[name]} ${limits[at]}`
        return isAddress(rule[name]) ? `(${limits[at]} == null || ${test})` : test
      })
    return groups.every((gathered) => {
      if (!isDecimals) return [`${gathered} === ${gathered}`, ...tests(gathered)].join(' && ')
      const sum = writer.name('s')
      writer.line(`const ${sum} = decimalSum(${gathered}.texts, ${gathered}.times)`)
      return [`${sum} !== undefined`, ...tests(sum)].join(' && ')
    })
  },
  sentence({ atLeast, atMost, exactly, terms, blames }) {
    const which = limitsSaid({ atLeast, atMost, exactly })
    const [{ factors = [] } = {}] = terms
    const isSimple = terms.length === 1 && factors.length < 3 && factors[0] === leadOf(terms[0] as Term)
    const kind = isSimple ? (factors.length === 1 ? '' : 'Times') : 'Of'
    const variant = `sum${which}${kind}` as const
    const other = isSimple ? factors[1] : writtenTerms(terms, (address) => address)
    return { code: 'rule', variant, about: { least: atLeast, most: atMost, limit: exactly, other }, at: blames }
  },
}

/** Adds a product to a sum of numbers: not a number any more if it is none of whole numbers, halves and so on. */
function addCode(sum: string, factors: readonly string[], isLess: boolean): string {
  const add = `${sum} ${isLess ? '-' : '+'}= ${factors.join(' * ')}`
  // What is beyond those that are exact is added up as decimals.
  const exact = factors.length === 1 ? [`${factors[0]} * ${fractions}`, `${sum} * ${fractions}`] : [...factors, sum]
  return `${add}; if (!(${exact.map((one) => `Number.isSafeInteger(${one})`).join(' && ')})) ${sum} = NaN`
}
/** Adds a decimal to those of a sum, with what it is multiplied by. */
function pushCode(sum: string, [first, by]: readonly string[], isLess: boolean, rounded: number | undefined): string {
  const [text, times] =
    by === undefined
      ? [first, isLess ? '-1' : '1']
      : rounded !== undefined
        ? [`roundedProduct(${first}, ${by}, ${rounded})`, isLess ? '-1' : '1']
        : [first, isLess ? `less(${by})` : by]
  return `${sum}.texts.push(${text}); ${sum}.times.push(${times})`
}

const isOfDecimals = (addresses: readonly string[], { root, path, sort }: Terms, isDecimals: boolean): boolean =>
  isDecimals
    ? addresses.every((one) => shapesAt(root, path(one)).every(({ kind }) => kind === 'decimal' || kind === 'integer'))
    : addresses.every((one) => sort(one) === 'number')

/** Decimals, each times a number or a decimal at most. */
const isDecimalSum = ({ terms }: SumWithin, { root, path }: Terms): boolean =>
  terms.every(
    ({ factors: [first = '', ...rest] }) =>
      rest.length < 2 &&
      shapesAt(root, path(first)).every(({ kind }) => kind === 'decimal') &&
      rest.every((one) =>
        shapesAt(root, path(one)).every(({ kind }) => kind === 'decimal' || kind === 'integer' || kind === 'number'),
      ),
  )

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

const summed: readonly Measure[] = ['number', 'duration', 'own']

const bounded = ([atLeast, atMost]: Bounds): SumLimits<string> => ({ atLeast, atMost })

/** The decimal text of a number; of a float the shortest that stands for it. `undefined` of anything else, and of what is infinite. */
function decimalOf(value: unknown): string | undefined {
  const text = typeof value === 'object' || typeof value === 'symbol' ? '' : String(value)
  return isDecimal(text) ? text : undefined
}
