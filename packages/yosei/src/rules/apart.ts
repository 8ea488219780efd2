/** No two elements' spans overlap. Blames the one that begins later. */
import { overlapWords } from '../catalogue/english.js'
import { Place } from '../kinds/phrase.js'
import type { Address } from '../terms/address.js'
import { anAddress } from '../terms/option-types.js'
import { mistakeOfBy, valuesIn } from './by.js'
import type { AlikeTo } from './compare.js'
import { type Element, eachBy, elementOf, groupedCode, groupsOf, mistakeOfElements } from './elements.js'
import { declaredAt, faultOf, isNone } from './input.js'
import { orderAt, withoutOrder } from './measure.js'
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
export interface ApartMaker<T> {
  /**
   * No two elements overlap, in any order. One can end when another begins. An element that ends before it begins
   * overlaps none. The error is at the element that begins later.
   *
   * @example
   * on.apart('body.windows[].opens', 'body.windows[].closes')
   */
  apart<const A extends Address<T> & `${string}[]${string}`>(start: A, end: AlikeTo<T, A>, options?: InGroups<T>): Rule
}
export interface Apart extends Rule {
  readonly rule: 'apart'
  readonly start: string
  readonly end: string
  readonly by?: readonly string[]
}

/** The rule `apart`, for `use`. */
export const apart: RuleOf<Apart> = {
  words: overlapWords,
  make(start: string, end: string, { code = 'overlaps', by, ...rest }: LooseGroups = {}) {
    const reads = [...new Set([start, end, ...valuesIn(by)])]
    const grouped = by === undefined ? {} : { by }
    return { rule: 'apart', code, start, end, ...grouped, reads, blames: [elementOf([start, end])], ...worded(rest) }
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
    return groupsOf([start, end], by, matter).flatMap((elements) => {
      const spans = elements
        .map((one, index) => ({ ...one, index }))
        .filter(({ values: [from, until] }) => !isNone(from) && !isNone(until) && order(from, until) < 0)
      // Sorted by where they begin, a span overlaps one before it if it begins before the last of their ends.
      const sorted = [...spans].sort((a, b) => order(a.values[0], b.values[0]) || a.index - b.index)
      let last: Span | undefined
      const wrong: { readonly span: Span; readonly other: Span }[] = []
      for (const span of sorted) {
        if (last && order(span.values[0], last.values[1]) < 0) wrong.push({ span, other: last })
        if (!last || order(last.values[1], span.values[1]) < 0) last = span
      }
      return wrong
        .sort((a, b) => a.span.index - b.span.index)
        .map(({ span, other }) =>
          faultOf(rule, span.path, { saidAs: 'overlaps', about: { other: new Place(other.path) } }),
        )
    })
  },
}

export const apartInService: RuleInService<Apart> = {
  takes: [anAddress, anAddress, groupOptions],
  compares: true,
  mistake({ start, end, by }, measuresOf) {
    const ends = [start, end]
    return withoutOrder(ends, measuresOf) ?? mistakeOfElements(ends) ?? mistakeOfBy(by, ends)
  },
  code({ start, end, by }, terms) {
    const { writer } = terms
    if (by) return groupedApart(start, end, by, terms)
    const list = terms.elements(start)
    const [element, holds, spans] = [writer.name('e'), writer.name('h'), writer.name('s')]
    const [from, until] = [list?.of(element), terms.elements(end)?.of(element)]
    const sort = terms.sort(start)
    if (!list || from === undefined || until === undefined || sort === 'other' || sort !== terms.sort(end))
      return undefined
    const plain = (value: string) => (sort === 'instant' ? `${value}.getTime()` : value)
    const [a, b, last] = [writer.name('v'), writer.name('v'), writer.name('v')]
    // Most come in their order: only others are sorted.
    writer.line(`let ${last}, ${holds} = true`)
    writer.line(`const ${spans} = []`)
    writer.block(`for (const ${element} of ${list.list}) {`, () => {
      writer.line(`let ${a} = ${from}, ${b} = ${until}`)
      writer.line(`if (${a} == null || ${b} == null) continue`)
      if (sort === 'instant') writer.line(`${a} = ${plain(a)}; ${b} = ${plain(b)}`)
      writer.line(`if (!(${a} < ${b})) continue`)
      writer.line(`if (${last} !== undefined && ${a} < ${last}) ${holds} = false`)
      writer.line(`${last} = ${b}`)
      writer.line(`${spans}.push([${a}, ${b}])`)
    })
    writer.line(`if (!${holds}) ${holds} = ${writer.bind(areApart)}(${spans})`)
    return holds
  },
  sentence: ({ start, end, blames }) => ({
    code: 'rule',
    variant: 'apart',
    about: { first: start, other: end },
    at: blames,
  }),
}

/** Whether no span overlaps another, in any order. */
function areApart(spans: [number | string, number | string][]): boolean {
  spans.sort(([a], [b]) => (a < b ? -1 : a > b ? 1 : 0))
  return spans.every(([from], at) => at === 0 || from >= (spans[at - 1] as (typeof spans)[number])[1])
}

/** An element with a span, and its place among those of its group. */
type Span = Element & { readonly index: number }

function groupedApart(start: string, end: string, by: readonly string[], terms: Terms): string | undefined {
  const { writer } = terms
  const [groups, sort] = [writer.name('m'), terms.sort(start)]
  if (sort === 'other' || sort !== terms.sort(end)) return undefined
  writer.line(`const ${groups} = new Map()`)
  const isDone = terms.each(start, (from, inside) => {
    const [value, until] = [inside.value(end), writer.name('v')]
    if (value === undefined) return false
    writer.line(`const ${until} = ${value}`)
    const [a, b] = [from, until].map((one) => (sort === 'instant' ? `${one}.getTime()` : one))
    let spans: string | undefined
    writer.block(`if (${from} != null && ${until} != null && ${a} < ${b}) {`, () => {
      spans = groupedCode(by, groups, '[]', inside)
      writer.line(`${spans}.push([${a}, ${b}])`)
    })
    return spans !== undefined
  })
  return isDone ? `[...${groups}.values()].every(${writer.bind(areApart)})` : undefined
}
