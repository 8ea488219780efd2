/** How rules are broken and mended: changes of a request that are worth a try. One list for each rule. */
import type { EndpointNode } from '../declare/endpoint.js'
import { rulesOf } from '../declare/place.js'
import { negated, productOf, sumOf } from '../grammar/numbers.js'
import { readTimeOfDay } from '../grammar/times.js'
import type { Node } from '../kinds/kind.js'
import { nodesAt, shapesAt } from '../kinds/locate.js'
import type { AnyRule, RuleName, Rules } from '../rules/rule.js'
import { addressesOf } from '../rules/rules.js'
import type { Term } from '../rules/sum-within.js'
import { EACH, EACH_NAME, isFromEnd, type Path, parseAddress, valueAt, withIndices } from '../terms/address.js'
import { readSpan } from '../terms/units.js'
import { gone } from './demands.js'
import { make } from './make.js'
import { greatest, least, Unmakeable } from './pick.js'
import { type Place, placesOfField } from './places.js'
import type { Tree, Trial } from './trial.js'
import { literalsIn, shifted, unitAt, valuesAt } from './values.js'
import { pathIn, replaced } from './ways.js'

/** A change of some values: what is `gone` is not sent. */
export type Edit = readonly (readonly [path: Path, value: unknown])[]

/** A rule where it is looked at: below a record, or below nothing. */
export interface Spot {
  readonly rule: AnyRule
  readonly base: Path
}

/** Every rule where it is looked at: those of records at their places. */
export const spotsOf = ({ rules }: EndpointNode, places: readonly Place[]): readonly Spot[] =>
  [
    ...rules.map((rule) => ({ rule, base: [] })),
    ...places.flatMap(({ node, path }) =>
      node.kind === 'record' ? rulesOf(node).map((rule: AnyRule) => ({ rule, base: path })) : [],
    ),
    // What is only observed rejects nothing.
  ].filter(({ rule }) => rule.mode !== 'observe')

/** What a rule's list of edits is made from. */
interface About {
  readonly trial: Trial
  readonly tree: Tree
  /** The path of an address; of a list, at an element. */
  at(address: string, index?: number): Path
  value(address: string, index?: number): unknown
}

interface Tries<R> {
  /** The codes that it tells: its own if it has one. */
  readonly codes: (rule: R) => readonly string[]
  edits(rule: R, about: About): Iterable<Edit>
}

const ofItself = ({ code }: { readonly code: string }) => [code]
const nothing = { codes: ofItself, edits: () => [] as Edit[] }

function* compared({ reads: [first = '', second = ''] }: AnyRule, { trial, at, value }: About): Generator<Edit> {
  const [a, b] = [at(first), at(second)]
  const [low, high] = [value(first), value(second)]
  const unit = unitAt(trial, b)
  if (low !== undefined) for (const by of [0, unit, -unit]) yield [[b, shifted(low, trial, b, by)]]
  if (high !== undefined) for (const by of [0, unit, -unit]) yield [[a, shifted(high, trial, a, by)]]
  if (low !== undefined && high !== undefined)
    yield [
      [a, high],
      [b, low],
    ]
}
const comparing = { codes: ofItself, edits: compared }

/** Some of all are sent: none, one alone, two, all. */
function* counted({ reads }: AnyRule, { at }: About): Generator<Edit> {
  const paths = reads.map((address) => at(address))
  const only = (kept: readonly number[]): Edit =>
    paths.map((path, index) => [path, kept.includes(index) ? given : gone] as const)
  yield only([])
  for (const index of paths.keys()) yield only([index])
  yield only([0, 1])
  yield only([...paths.keys()])
}
const counting = (...codes: string[]) => ({ codes: () => codes, edits: counted })
/** Stands for what is there, or for something that is made there. */
export const given = /* @__PURE__ */ Symbol('given')

const waiting = {
  codes: ofItself,
  edits: ({ address }: { readonly address: string }, { at }: About): Edit[] => [
    [[at(address), gone]],
    [[at(address), given]],
  ],
}

/** Two elements of the list that an address goes through. */
function listPath(path: Path): Path {
  const at = path.lastIndexOf(0)
  return at < 0 ? path : path.slice(0, at)
}
function second({ trial, tree }: About, address: Path): Edit {
  const list = listPath(address)
  const elements = valueAt(tree, list)
  if (Array.isArray(elements) && elements.length > 1) return []
  const [shape] = shapesAt(trial.root, list)
  if (shape?.kind !== 'list') return []
  const item = make(shape.item, { ...trial.making, pick: trial.making.random })
  return [[[...list, 1], item]]
}

/** What is demanded, there and below, of a value that is of the kind already. */
const demandsOfFitting = (field: Node) =>
  [...placesOfField(field)].flatMap((place) =>
    place.demands
      .filter(({ isOfKind, code }) => !isOfKind && code !== 'missing' && code !== 'null_not_allowed')
      .map((demand) => ({ demand, place })),
  )

const days = { s: 1 / 86_400, m: 1 / 1440, h: 1 / 24, d: 1, mo: 31, y: 366 } as const
/** What a limit of a distance may come to: months have from 28 to 31 days. */
function distances(
  limit: string | number,
  unit: keyof typeof days | undefined,
  value: (address: string) => unknown,
): readonly number[] {
  if (typeof limit === 'number') return [limit]
  const [, count, own] = /^(\d+)(mo|y)$/.exec(limit) ?? []
  const span = readSpan(limit)
  if (!Number.isNaN(span)) return [span]
  const [amount, length] = own
    ? [Number(count), days[own as 'mo' | 'y']]
    : [Number(value(limit) ?? 1), unit && days[unit]]
  if (length === undefined) return [amount]
  const whole = amount * length * 86_400_000
  return length > 30 ? [whole, (whole * 28) / 31, (whole * 30) / 31, (whole * 365) / 366] : [whole]
}

const tries: { readonly [R in RuleName]: Tries<Rules[R]> } = {
  ascending: comparing,
  equal: comparing,
  differ: comparing,
  gap: {
    codes: ({ code, atLeast, atMost, exactly }) =>
      code !== ''
        ? [code]
        : [
            ...(atLeast === undefined && exactly === undefined ? [] : ['too_close']),
            ...(atMost === undefined && exactly === undefined ? [] : ['too_far']),
          ],
    *edits({ low, high, atLeast, atMost, exactly, in: each }, { trial, at, value }) {
      const [a, b] = [at(low), at(high)]
      const unit = unitAt(trial, b)
      for (const limit of [atLeast, atMost, exactly]) {
        if (limit === undefined) continue
        for (const far of distances(limit, each, value))
          for (const by of [far, far + unit, far - unit]) {
            if (value(low) !== undefined) yield [[b, shifted(value(low), trial, b, by)]]
            if (value(high) !== undefined) yield [[a, shifted(value(high), trial, a, -by)]]
          }
      }
    },
  },
  openAt: {
    codes: ofItself,
    *edits({ address, hours }, { trial, at, value }) {
      const path = at(address)
      const now = value(address)
      if (now === undefined) return
      const open = Object.values(hours).flatMap((spans) => spans ?? [])
      // By whole days, and by the hours that are named; which zone it is does not matter for one of a week's.
      for (let days = 0; days < 8; days++)
        for (const [opens] of [['00:00'], ...open])
          yield [[path, shifted(startOfDay(now), trial, path, days * 86_400_000 + Number(readTimeOfDay(opens)))]]
      for (let hour = 1; hour < 168; hour++) yield [[path, shifted(now, trial, path, hour * 3_600_000)]]
    },
  },
  together: counting('not_together'),
  exactlyOne: counting('none_present', 'more_than_one'),
  atLeastOne: counting('none_present'),
  atMostOne: counting('more_than_one'),
  needed: waiting,
  absent: waiting,
  sumWithin: {
    codes: ({ code, atLeast, atMost, exactly }) =>
      code !== ''
        ? [code]
        : [
            ...(atLeast === undefined ? [] : ['below_min']),
            ...(atMost === undefined ? [] : ['above_max']),
            ...(exactly === undefined ? [] : ['unequal']),
          ],
    *edits(rule, about) {
      const { trial, tree, at, value } = about
      const address = rule.terms[0]?.factors[0] ?? ''
      const path = at(address)
      const list = listPath(path)
      const sum = sumOf(rule.terms.map((term) => sumNow(tree, term, about)))
      for (const limit of [rule.atLeast, rule.atMost, rule.exactly]) {
        if (limit === undefined) continue
        const isFar = typeof limit === 'string' && valueOfText(limit) === undefined
        const total = isFar ? value(limit) : limit
        // The other side moves, or one of those that are summed.
        if (isFar && sum !== undefined)
          for (const by of ['0', '1', '-1']) yield [[at(limit), alike(value(limit), sumOf([sum, by]))]]
        const one = value(address)
        if (total === undefined || sum === undefined || one === undefined) continue
        const missing = sumOf([String(total), sum.startsWith('-') ? sum.slice(1) : `-${sum}`])
        for (const by of ['0', '1', '-1']) yield [[path, alike(one, sumOf([String(one), missing, by]))]]
      }
      const [shape] = shapesAt(trial.root, list)
      const [low, high] = (shape?.kind === 'list' && shape.length) || [0, 3]
      if (shape?.kind === 'list' && list.length < path.length)
        for (const count of [low, Math.min(high, 20)])
          yield [
            [
              list,
              Array.from({ length: count }, () =>
                make(shape.item, { ...trial.making, pick: count === low ? least : greatest }),
              ),
            ],
          ]
    },
  },
  count: {
    codes: ({ code, atLeast, atMost, exactly }) =>
      code !== ''
        ? [code]
        : [
            ...(atLeast === undefined && exactly === undefined ? [] : ['too_few']),
            ...(atMost === undefined && exactly === undefined ? [] : ['too_many']),
          ],
    *edits({ address, atLeast, atMost, exactly, where }, { trial, tree, at, value }) {
      const list = listPath(at(address))
      const [shape] = shapesAt(trial.root, list)
      if (shape?.kind !== 'list') return
      const [low, high] = shape.length ?? [0, 100]
      // Such an element as is there, or one that the condition speaks of.
      const one =
        (valueAt(tree, list) as readonly unknown[] | undefined)?.[0] ??
        make(shape.item, { ...trial.making, pick: least })
      const spoken = [...literalsIn(where ? [where] : [])].flatMap(([name, literals]) =>
        literals.slice(0, 3).map((literal) => replaced(one, at(name).slice(list.length + 1), literal)),
      )
      for (const limit of [atLeast, atMost, exactly]) {
        const count = Number(typeof limit === 'string' ? value(limit) : (limit ?? Number.NaN))
        for (const length of [count, count + 1, count - 1].filter((size) => size >= low && size <= high))
          for (const element of [one, ...spoken]) yield [[list, Array.from({ length }, () => element)]]
      }
    },
  },
  fits: {
    codes: ({ field }) => [...new Set(demandsOfFitting(field).map(({ demand }) => demand.code))],
    *edits({ address, field }, { trial, at, value }) {
      const right = value(address)
      const { making } = trial
      for (const pick of [least, greatest]) yield [[at(address), make(field, { ...making, pick })]]
      for (const { demand, place } of demandsOfFitting(field)) {
        const whole = right ?? make(field, making)
        const path = pathIn(place.way, whole)
        const [broken] = demand.broken(() => valueAt(whole, path) ?? make(place.node, making), making)
        yield [[at(address), replaced(whole, path, broken)]]
      }
    },
  },
  inOrder: {
    codes: ofItself,
    *edits({ reads: [address = ''], by = [] }, about) {
      const { trial, tree, at, value } = about
      const made = [...second(about, at(address)), ...by.map((one) => [at(one, 1), value(one)] as const)]
      const first = value(address)
      if (first === undefined) return
      const unit = unitAt(trial, at(address))
      for (const by of [unit, 0, -unit]) yield [...made, [at(address, 1), shifted(first, trial, at(address, 1), by)]]
      const elements = valueAt(tree, listPath(at(address)))
      if (Array.isArray(elements))
        yield elements.map(
          (_, index) => [at(address, index), shifted(first, trial, at(address, index), index * unit)] as const,
        )
    },
  },
  among: {
    codes: ofItself,
    *edits({ address, others, areNames }, { trial, tree, at, value }) {
      const there = areNames ? Object.keys((valueAt(tree, at(others)) ?? {}) as object)[0] : value(others)
      if (there !== undefined) yield [[at(address), there]]
      const [node] = nodesAt(trial.root, at(address))
      if (!node) return
      for (const pick of [least, greatest, trial.making.random])
        yield [[at(address), make(node, { ...trial.making, pick })]]
      // What is wrong may be the other side: made anew from this one.
      if (!areNames) yield [[at(others), value(address)]]
    },
  },
  acyclic: {
    codes: ofItself,
    *edits({ reads: [names = '', refersTo = ''] }, about) {
      const { tree, at, value } = about
      const name = value(names)
      if (name !== undefined) yield [[at(refersTo), name]]
      const path = at(refersTo)
      // Without references there is no cycle.
      const list = listPath(path)
      if (list.length < path.length && Array.isArray(valueAt(tree, list))) yield [[list, []]]
    },
  },
  apart: {
    codes: ({ code, rest, seamless }) =>
      code !== ''
        ? [code]
        : ['overlaps', ...(rest === undefined ? [] : ['too_close']), ...(seamless ? ['too_far'] : [])],
    *edits({ start, end, by = [], rest, lastIncluded }, about) {
      const { trial, tree, at, value } = about
      const made = second(about, at(start))
      const [from, to] = [value(start), value(end) ?? value(start)]
      if (from === undefined || to === undefined) return
      const unit = unitAt(trial, at(start))
      const elements = valueAt(tree, listPath(at(start)))
      const count = Math.max(2, Array.isArray(elements) ? elements.length : 0)
      const groups = Array.from({ length: count }, (_, index): Edit => by.map((one) => [at(one, index), value(one)]))
      const spread = (step: number, width: number): Edit => [
        ...made,
        ...groups.flat(),
        ...Array.from(
          { length: count },
          (_, index): Edit => [
            [at(start, index), shifted(from, trial, at(start, index), index * step)],
            [at(end, index), shifted(from, trial, at(end, index), index * step + width)],
          ],
        ).flat(),
      ]
      const between = typeof rest === 'string' ? readSpan(rest) : (rest ?? 0)
      const last = lastIncluded ? unit : 0
      yield spread(2 * unit + between, unit)
      yield spread(2 * unit, 3 * unit)
      // One after the other, with a little less between them, and a little more.
      for (const by of [between, between - unit, between + unit]) yield spread(2 * unit + last + by, 2 * unit)
      yield [...made, ...groups.flat(), [at(start, 1), from], [at(end, 1), to]]
    },
  },
  distinct: {
    codes: ofItself,
    *edits({ reads }, about) {
      const { trial, tree, at } = about
      const made = second(about, at(reads[0] ?? ''))
      yield [...made, ...reads.map((address) => [at(address, 1), valueAt(tree, at(address))] as const)]
      const elements = valueAt(tree, listPath(at(reads[0] ?? '')))
      if (!Array.isArray(elements) || elements.length > 100) return
      yield elements.flatMap((_, index) =>
        reads.flatMap((address) => {
          const [node] = nodesAt(trial.root, at(address, index))
          return node ? [[at(address, index), make(node, { ...trial.making, pick: trial.making.random })] as const] : []
        }),
      )
    },
  },
  check: nothing,
  find: { codes: () => [], edits: () => [] },
  fill: { codes: () => [], edits: () => [] },
}

/** A number, or a decimal as a text, like another value. */
const alike = (like: unknown, text: string): unknown => (typeof like === 'string' ? text : Number(text))
const valueOfText = (text: string) => (/^-?\d/.test(text) ? text : undefined)

/** What a term adds as it is now. */
function sumNow(tree: Tree, { factors, isLess }: Term, { at }: About): string {
  const paths = factors.map((factor) => at(factor))
  const lead = paths.reduce((deep, one) => (listPath(one).length > listPath(deep).length ? one : deep))
  const list = listPath(lead)
  const elements = list.length === lead.length ? [undefined] : valueAt(tree, list)
  if (!Array.isArray(elements)) return '0'
  const amounts = elements.map((_, index) => {
    const values = paths.map((path) => {
      const isInside = list.length < path.length && list.every((key, step) => key === path[step])
      return valueAt(tree, isInside ? [...list, index, ...path.slice(list.length + 1)] : path)
    })
    return values.some((value) => value === undefined || value === null) ? '0' : values.map(String).reduce(productOf)
  })
  const sum = sumOf(amounts)
  return isLess ? negated(sum) : sum
}

const startOfDay = (value: unknown): unknown =>
  typeof value === 'string' ? value.replace(/T.*$/, 'T00:00:00Z') : value

const triesOf = ({ rule }: AnyRule) => tries[rule] as Tries<AnyRule>
export const codesOf = (rule: AnyRule): readonly string[] => triesOf(rule).codes(rule)

/** How a rule is called among the steps of a judgement. */
export const stepName = ({ rule, reads }: AnyRule) => `${rule} ${reads.join(' ')}`

/** The path of an address of a rule, its `[]` at an element, its `{}` at the first name. */
function pathAt(tree: Tree, base: Path, address: string, index: number): Path {
  const declared = withIndices(tree, [...base, ...(parseAddress(address) ?? [])])
  const last = declared.lastIndexOf(EACH)
  const path: (string | number)[] = []
  for (const [at, key] of declared.entries())
    path.push(
      key === EACH
        ? at === last
          ? index
          : 0
        : isFromEnd(key)
          ? 0
          : key === EACH_NAME
            ? (Object.keys((valueAt(tree, path) ?? {}) as object)[0] ?? 'a')
            : key,
    )
  return path
}

/** A change after which all is there that a rule looks at. */
export const presenceOf = ({ rule, base }: Spot, tree: Tree): Edit =>
  addressesOf(rule).map((address) => [pathAt(tree, base, address, 0), given])

/** Changes that are worth a try to break or to mend a rule. */
export function* editsFor({ rule, base }: Spot, trial: Trial, tree: Tree): Generator<Edit> {
  const at = (address: string, index = 0) => pathAt(tree, base, address, index)
  yield* quietly(
    triesOf(rule).edits(rule, { trial, tree, at, value: (address, index) => valueAt(tree, at(address, index)) }),
  )
}

/** What cannot be made is no try. */
function* quietly(edits: Iterable<Edit>): Generator<Edit> {
  const all = edits[Symbol.iterator]()
  for (;;) {
    try {
      const next = all.next()
      if (next.done) return
      yield next.value
    } catch (error) {
      if (error instanceof Unmakeable) return
      throw error
    }
  }
}

/** The places that a rule looks at, each with values that are worth a try there. */
export function* variablesOf(
  { rule, base }: Spot,
  trial: Trial,
  tree: Tree,
): Generator<{ path: Path; values: unknown[] }> {
  const literals = literalsIn([...(rule.during ?? []), ...('when' in rule ? [rule.when] : [])])
  for (const address of addressesOf(rule)) {
    const path = pathAt(tree, base, address, 0)
    yield { path, values: valuesAt(trial, path, literals.get(address) ?? []) }
  }
}
