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
const toFirstList = (path: Path) => (isMany(path) ? path.slice(0, firstEach(path) + 1) : path)

/** The questions of a lookup; `undefined` if something that it reads was not sent. */
export function batchOf(lookup: LookupNode, matter: RuleInput): Batch | undefined {
  const { input, root } = matter
  const paths = lookup.reads.map((address) => pathOf(address, everywhere))
  const many = paths.filter(isMany)
  const lead = pathOf(deepest(lookup.reads), everywhere)
  if (paths.some((path) => valueAt(input, toFirstList(path)) === undefined)) return undefined
  const same = many.map((path) => sameAs(nodesAt(root, path)))
  const [only] = same
  const keyOf = (values: readonly unknown[]) =>
    only && same.length === 1 ? only(values[0]) : JSON.stringify(values.map((value, index) => same[index]?.(value)))
  const at = (path: Path, place: Path) => (path === lead ? place : beside(path, place))
  const holds = lookup.when && holdingOf(lookup.when, matter)
  const entries = new Map<string, { key: string; values: readonly unknown[]; places: Path[] }>()
  for (const place of concrete(input, lead)) {
    const values = many.map((path) => valueAt(input, at(path, place)))
    if (values.some(isNone) || (holds && !holds(place))) continue
    const key = keyOf(values)
    const asked = at(many[0] as Path, place)
    const known = entries.get(key)
    if (known) known.places.push(asked)
    else entries.set(key, { key, values, places: [asked] })
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
    let byKey: Map<string, unknown> | undefined
    const alike = (key: string) => {
      byKey ??= new Map(Array.from(answer, ([value, one]) => [keyOf([value]), one]))
      return byKey.get(key)
    }
    return entries.map(({ key, values: [value] }) => (answer.has(value) ? answer.get(value) : alike(key)))
  }
  throw new TypeError(
    `a lookup with batch answers with a Map, or with an array of as many answers as there were questions (${entries.length})`,
  )
}

/** What a batch found, by what was asked: equal as rules compare. */
export class Finds implements BatchFinds<readonly unknown[], unknown> {
  readonly #batch: Batch
  readonly #found: readonly unknown[]
  #byKey?: ReadonlyMap<string, unknown>
  constructor(batch: Batch, found: readonly unknown[]) {
    this.#batch = batch
    this.#found = found
  }
  get(...values: readonly unknown[]): unknown {
    this.#byKey ??= new Map(this.#batch.entries.map(({ key }, at) => [key, this.#found[at]]))
    return this.#byKey.get(this.#batch.keyOf(values))
  }
  get size(): number {
    return this.#found.length
  }
  [Symbol.iterator](): IterableIterator<unknown> {
    return this.#found.values()
  }
}
