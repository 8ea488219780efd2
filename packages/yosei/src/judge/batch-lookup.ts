/** Lookups that ask one question for all elements of a list: what is asked, and which elements nothing was found for. */
import type { BatchFinds, LookupNode } from '../declare/lookups.js'
import { nodesAt } from '../kinds/locate.js'
import { sameAs } from '../kinds/same.js'
import { deepest } from '../rules/by.js'
import { holdingOf } from '../rules/conditions.js'
import { beside, concrete, everywhere, isNone, pathOf, type RuleInput } from '../rules/input.js'
import { firstEach, type Path, valueAt } from '../terms/address.js'

/** One question of several: what it asks about, and the elements that ask it. */
interface Entry {
  readonly key: string
  readonly values: readonly unknown[]
  readonly places: readonly Path[]
}
export interface Batch {
  readonly entries: readonly Entry[]
  /** What `ask` gets: of an address in a list an array, as long as there are questions. */
  readonly values: readonly unknown[]
  keyOf(values: readonly unknown[]): string
}

const isMany = (path: Path) => firstEach(path) >= 0

/** The questions of a lookup; `undefined` if something that it reads was not sent. */
export function batchOf(lookup: LookupNode, matter: RuleInput): Batch | undefined {
  const { input, root } = matter
  const paths = lookup.reads.map((address) => pathOf(address, everywhere))
  const many = paths.filter(isMany)
  const lead = pathOf(deepest(lookup.reads), everywhere)
  if (paths.some((path) => valueAt(input, path) === undefined)) return undefined
  const same = many.map((path) => sameAs(nodesAt(root, path)))
  const keyOf = (values: readonly unknown[]) => JSON.stringify(values.map((value, at) => same[at]?.(value)))
  const holds = lookup.when && holdingOf(lookup.when, matter)
  const entries = new Map<string, { key: string; values: readonly unknown[]; places: Path[] }>()
  for (const place of concrete(input, lead)) {
    const values = many.map((path) => valueAt(input, beside(path, place)))
    if (values.some(isNone) || (holds && !holds(place))) continue
    const key = keyOf(values)
    const known = entries.get(key) ?? { key, values, places: [] }
    entries.set(key, known)
    known.places.push(beside(many[0] as Path, place))
  }
  const all = [...entries.values()]
  const values = paths.map((path) =>
    isMany(path) ? all.map((entry) => entry.values[many.indexOf(path)]) : valueAt(input, path),
  )
  return { entries: all, values, keyOf }
}

/** What was found of each question, in their order. */
export function answersOf({ entries, keyOf }: Batch, answer: unknown): readonly unknown[] {
  if (Array.isArray(answer) && answer.length === entries.length) return answer
  if (answer instanceof Map && entries.every(({ values }) => values.length === 1)) {
    const found = new Map([...answer].map(([value, one]) => [keyOf([value]), one]))
    return entries.map(({ key }) => found.get(key))
  }
  throw new TypeError(
    `a lookup with batch answers with a Map, or with an array of as many answers as there were questions (${entries.length})`,
  )
}

/** What a batch found, by what was asked: equal as rules compare. */
export class Finds implements BatchFinds<readonly unknown[], unknown> {
  readonly #batch: Batch
  readonly #found: ReadonlyMap<string, unknown>
  constructor(batch: Batch, found: readonly unknown[]) {
    this.#batch = batch
    this.#found = new Map(batch.entries.map(({ key }, at) => [key, found[at]]))
  }
  get(...values: readonly unknown[]): unknown {
    return this.#found.get(this.#batch.keyOf(values))
  }
  get size(): number {
    return this.#found.size
  }
  [Symbol.iterator](): IterableIterator<unknown> {
    return this.#found.values()
  }
}
