/** No two elements' spans overlap. Blames the one that begins later. */
import { overlapWords, spanWords } from '../catalogue/english.js'
import { compareDecimals, sumOf } from '../grammar/numbers.js'
import { dayLength, readDay } from '../grammar/times.js'
import { shapesAt } from '../kinds/locate.js'
import { Place } from '../kinds/phrase.js'
import type { Address, InList } from '../terms/address.js'
import type { Span } from '../terms/declared.js'
import { aFlag, anAddress, merged, taken } from '../terms/option-types.js'
import { readSpan } from '../terms/units.js'
import { gather, mistakeOfBy, valuesIn } from './by.js'
import type { Compared } from './compare.js'
import { AmountWords, amountOf, distanceFrom, timed, timeOf } from './distance.js'
import { type Element, eachBy, elementOf, groupsOf, mistakeOfElements } from './elements.js'
import { declaredAt, faultOf, isNone } from './input.js'
import { type Measure, measuresAt, orderAt, withoutOrder } from './measure.js'
import {
  groupOptions,
  type InGroups,
  type LooseGroups,
  none,
  type Rule,
  type RuleInService,
  type RuleOf,
  worded,
} from './rule.js'
import type { Terms } from './terms.js'

declare module './rule.js' {
  interface Rules {
    apart: Apart
  }
}
interface ApartOptions {
  /** So much must lie between an end and the next beginning: a span between times, a number between numbers. */
  rest?: Span | number | undefined
  /** Each begins where one ends: nothing lies between them. */
  seamless?: boolean | undefined
  /** The last day, or the last whole number, belongs to the element: the next begins a day, or one, later. */
  lastIncluded?: boolean | undefined
  /** An element without an end never ends. Otherwise it is passed by. */
  openEnded?: boolean | undefined
}
export interface ApartMaker<T> {
  /**
   * No two elements overlap, in any order. One can end when another begins. An element that ends before it begins
   * overlaps none. The error is at the element that begins later.
   *
   * @example
   * on.apart('body.windows[].opens', 'body.windows[].closes')
   */
  apart<const A extends InList<T>, const B extends Address<T>>(
    start: A,
    end: Compared<T, A, B>,
    options?: InGroups<T> & ApartOptions,
  ): Rule
}
export interface Apart extends Rule {
  readonly rule: 'apart'
  readonly start: string
  readonly end: string
  readonly by?: readonly string[]
  readonly rest?: Span | number
  readonly seamless?: boolean
  readonly lastIncluded?: boolean
  readonly openEnded?: boolean
}

/** The rule `apart`, for `use`. */
export const apart: RuleOf<Apart> = {
  words: /* @__PURE__ */ merged(overlapWords, spanWords),
  make(start: string, end: string, { code = '', by, ...rest }: LooseGroups & ApartOptions = {}) {
    const reads = [...new Set([start, end, ...valuesIn(by)])]
    const options = {
      ...(by === undefined ? {} : { by }),
      ...(rest.rest === undefined ? {} : { rest: rest.rest }),
      ...(rest.seamless ? { seamless: true } : {}),
      ...(rest.lastIncluded ? { lastIncluded: true } : {}),
      ...(rest.openEnded ? { openEnded: true } : {}),
    }
    return { rule: 'apart', code, start, end, ...options, reads, blames: [elementOf([start, end])], ...worded(rest) }
  },
  each: ({ start, end, by }) => eachBy([start, end], by),
  waits: ({ start, end }) => [start, end],
  elements: ({ reads }) => reads,
  judgesKnown: true,
  derives: false,
  names: none,
  judge(rule, matter) {
    const { root, scope } = matter
    const { start, end, by } = rule
    const order = orderAt(root, declaredAt(start, scope), `${scope.base} ${start}`)
    const measures = measuresAt(root, declaredAt(start, scope))
    const { least, between } = betweenOf(rule, measures)
    /** Below, at or above zero as a beginning lies before, at or after an end and so much more. */
    const compare = (from: unknown, until: unknown, by: number) =>
      by === 0 ? order(from, until) : compareDecimals(String(timeOf(from, measures)), laterThan(until, by, measures))
    return groupsOf([start, end], by, matter).flatMap((elements) => {
      const spans = elements
        .map((one, index): Spanned => ({ ...one, index }))
        .filter(({ values: [from, until] }) => {
          if (isNone(from) || isNone(until)) return !isNone(from) && Boolean(rule.openEnded)
          return rule.lastIncluded ? order(from, until) <= 0 : order(from, until) < 0
        })
      // Sorted by where they begin, a span overlaps one before it if it begins before the last of their ends.
      const sorted = [...spans].sort((a, b) => order(a.values[0], b.values[0]) || a.index - b.index)
      let last: Spanned | undefined
      const wrong: { readonly span: Spanned; readonly other: Spanned; readonly how: keyof typeof variants }[] = []
      for (const span of sorted) {
        const [from, until] = span.values
        const end = last?.values[1]
        if (last) {
          const how =
            isNone(end) || compare(from, end, least) < 0
              ? 'overlaps'
              : between > least && compare(from, end, between) < 0
                ? 'too_close'
                : rule.seamless && compare(from, end, least) > 0
                  ? 'too_far'
                  : undefined
          if (how) wrong.push({ span, other: last, how })
        }
        if (!last || (!isNone(end) && (isNone(until) || order(end, until) < 0))) last = span
      }
      const amount = amountOf(rule.rest ?? 0)
      const span = amount && new AmountWords(amount, undefined, amount.unit !== undefined)
      const variants = { overlaps: undefined, too_close: 'rest', too_far: rule.lastIncluded ? 'next' : 'seam' }
      return wrong
        .sort((a, b) => a.span.index - b.span.index)
        .map(({ span: one, other, how }) => {
          const about = { other: new Place(other.path), ...(how === 'too_close' ? { span } : {}) }
          return faultOf(rule, one.path, { code: rule.code || how, saidAs: how, variant: variants[how], about })
        })
    })
  },
}

/** How much later than an end another may begin at the earliest: because its last counts, and with the rest between. */
function betweenOf({ lastIncluded, rest }: Apart, measures: readonly Measure[]) {
  const least = lastIncluded ? (measures.includes('date') ? dayLength : 1) : 0
  const amount = rest === undefined ? undefined : amountOf(rest)
  return { least, between: least + (amount ? distanceFrom(0, amount) : 0) }
}
const laterThan = (value: unknown, by: number, measures: readonly Measure[]): string =>
  sumOf([String(timeOf(value, measures)), String(by)])

export const apartInService: RuleInService<Apart> = {
  takes: [
    anAddress,
    anAddress,
    /* @__PURE__ */ merged(groupOptions, {
      rest: /* @__PURE__ */ taken('a span of time, or a number from 0 on', "'11h'", (value) =>
        typeof value === 'number' ? value >= 0 : typeof value === 'string' && readSpan(value) >= 0,
      ),
      seamless: aFlag,
      lastIncluded: aFlag,
      openEnded: aFlag,
    }),
  ],
  compares: true,
  mistake({ start, end, by, rest, seamless, lastIncluded }, measuresOf) {
    const ends = [start, end]
    const wrong = withoutOrder(ends, measuresOf) ?? mistakeOfElements(ends) ?? mistakeOfBy(by, ends)
    if (wrong) return wrong
    const measures = measuresOf(start)
    const isNumber = measures.includes('number')
    const isTime = measures.some((one) => timed.includes(one))
    if (rest !== undefined && seamless) return ['a rest leaves a gap, and seamless allows none', 'Give one of them']
    if (rest !== undefined && (isNumber ? typeof rest === 'string' : !isTime || typeof rest === 'number'))
      return [
        `rest ${rest} is no distance of ${start}`,
        "Write a span such as '11h' for times, and a number for numbers",
      ]
    if (lastIncluded && !isNumber && measures.join() !== 'date')
      return [`${start} has no last day`, 'Give lastIncluded for days, or for whole numbers']
    return undefined
  },
  code(rule, terms) {
    const { start, end, by, openEnded, seamless, lastIncluded } = rule
    const { writer } = terms
    const sort = terms.sort(start)
    if (sort === 'other' || sort !== terms.sort(end)) return undefined
    const { least, between } = betweenOf(rule, measuresAt(terms.root, terms.path(start)))
    // Texts have an order, and no distance; nor are distances of fractions exact.
    const isFar = between > 0 || openEnded
    const isDate = [start, end].every((one) => measuresAt(terms.root, terms.path(one)).join() === 'date')
    if (sort === 'text' && !isDate && isFar) return undefined
    if (sort === 'number' && between > 0 && !areWhole([start, end], terms)) return undefined
    const plain = (value: string) =>
      sort === 'instant' ? `${value}.getTime()` : isDate && isFar ? `${writer.bind(readDay)}(${value})` : value
    const groups = gather(by, '[]', terms)
    const isDone = terms.each(start, (from, inside) => {
      const [value, until] = [inside.value(end), writer.name('v')]
      if (value === undefined) return false
      writer.line(`const ${until} = ${value}`)
      return writer.block(`if (${from} != null${openEnded ? '' : ` && ${until} != null`}) {`, () => {
        const [a, b] = [writer.name('v'), writer.name('v')]
        const last = openEnded ? `${until} == null ? Infinity : ${plain(until)}` : plain(until)
        writer.line(`const ${a} = ${plain(from)}, ${b} = ${last}`)
        return writer.block(`if (${a} ${lastIncluded ? '<=' : '<'} ${b}) {`, () =>
          groups.add(inside, (spans) => writer.line(`${spans}.push([${a}, ${b}])`)),
        )
      })
    })
    return isDone
      ? groups.every((spans) => `${writer.make(apartTest, least, between, Boolean(seamless))}(${spans})`)
      : undefined
  },
  sentence({ start, end, rest, seamless, blames }) {
    const amount = rest === undefined ? undefined : amountOf(rest)
    const least = amount && new AmountWords(amount, undefined, amount.unit !== undefined)
    const variant = seamless ? 'apartSeamless' : amount ? 'apartRest' : 'apart'
    return { code: 'rule', variant, about: { first: start, other: end, least }, at: blames }
  },
}

type Spans = [from: number | string, until: number | string][]

/** Whether no span overlaps another, in any order; with so much between them at least, or nothing more than that. */
export const apartTest =
  (least: number, between: number, isSeamless: boolean) =>
  (spans: Spans): boolean => {
    // Most come in their order.
    const isSorted = spans.every(([from], at) => at === 0 || (spans[at - 1] as Spans[number])[0] <= from)
    if (!isSorted) spans.sort(([a], [b]) => (a < b ? -1 : a > b ? 1 : 0))
    const after = (until: number | string, by: number) => (by === 0 ? until : (until as number) + by)
    return spans.every(([from], at) => {
      if (at === 0) return true
      const until = (spans[at - 1] as Spans[number])[1]
      return from >= after(until, between) && !(isSeamless && from > after(until, least))
    })
  }

/** An element with a span, and its place among those of its group. */
type Spanned = Element & { readonly index: number }

const areWhole = (addresses: readonly string[], { root, path }: Terms): boolean =>
  addresses.every((one) => shapesAt(root, path(one)).every(({ kind }) => kind === 'integer' || kind === 'duration'))
